"""Logs of a job: taken in, their columns named, the stretches found, readings and traces taken from
them."""

import hashlib
import zlib
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from sqlalchemy.orm import Session

from galene.core.airpath.family import EngineFamily
from galene.core.errors import InputError
from galene.core.jobcard.job_records import SetConditions
from galene.core.logs.series import (
    ColumnMapping,
    ColumnPlace,
    ColumnSummary,
    Segment,
    TimeSeries,
    find_idle,
    find_plateaus,
    find_trim_points,
    run_forward,
)
from galene.core.units import QUANTITIES, convert
from galene.exchange.logs import TIME_UNITS, LogColumn, ReadLog, read_log, time_unit
from galene.jobs.act import Act, family_of
from galene.jobs.errors import Invalid, Missing, Refused
from galene.jobs.evidence import save_readings
from galene.jobs.intake import check_text
from galene.jobs.log_traces import column_values, trace_of
from galene.knowledge.log_channels import CHANNELS, propose, unit_word
from galene.knowledge.reading_channels import channels_of
from galene.store.models import Job, LogFile
from galene.store.repositories import logs as rows

Values = NDArray[np.float64]
MOST_LOGS = 24
IDLE_LIMIT = {
    ("petrol", "four_stroke"): 1150.0,
    ("diesel", "four_stroke"): 1000.0,
    ("petrol", "two_stroke"): 1900.0,
}
"""Speed above which an engine of this kind no longer idles, where its family gives no idle band."""


def channels_for(family: EngineFamily) -> list[str]:
    """Channels that this engine can show, in the order of their importance."""
    return [
        c.id for c in CHANNELS.values() if not c.components or family.components & set(c.components)
    ]


def take_in(act: Act, number: str, name: str, *, data: bytes) -> LogFile:
    """Read a log and keep it with a proposed mapping. The same file twice is the same log.

    Raises
    ------
    Invalid
        ``file``: line and column of what can not be read. Nothing is kept.
    """
    check_text({"name": name[:200]})
    try:
        read = read_log(data)
    except InputError as fault:
        raise Invalid(
            {"file": f"{fault.field}: “{str(fault.value)[:60]}”. Wanted: {fault.allowed}."}
        ) from fault
    job = act.job(number)
    digest = hashlib.sha256(data).hexdigest()
    known = rows.by_digest(act.db, job.id, digest)
    if known is not None:
        return known
    require_room(act, job)
    family = family_of(job)
    key = hashlib.sha256(
        "\x1f".join(f"{c.name}\x1e{c.unit}" for c in read.columns).encode()
    ).hexdigest()[:32]
    remembered = rows.mapping(act.db, key)
    mapping = _remembered(remembered.mapping, family) if remembered else proposed(read, family)
    log = kept_log(act, job, read, name=name, digest=digest, key=key, mapping=mapping)
    if remembered and not mapping_faults(act.db, log, mapping, family=family):
        log.mapped = True
        log.segments = found_segments(trace_of(act.db, log), family)
    return log


def kept_log(
    act: Act,
    job: Job,
    read: ReadLog,
    *,
    name: str,
    digest: str,
    key: str,
    mapping: ColumnMapping,
) -> LogFile:
    """Keep what was read with a mapping that nobody has looked at yet.

    Parameters
    ----------
    digest : of the content
    key : of the headings
    """
    log = LogFile(
        job_id=job.id,
        name=name.strip()[:200] or "log",
        kind=read.kind,
        digest=digest,
        rows=len(read.columns[0].values),
        columns=tuple(_summary(c) for c in read.columns),
        remarks=list(read.remarks),
        heading_key=key,
        mapping=mapping,
        mapped=False,
        segments=(),
        at=act.now,
        person_id=act.person.id,
    )
    act.db.add(log)
    act.db.flush()
    rows.add_columns(act.db, log.id, [zlib.compress(c.values.tobytes(), 1) for c in read.columns])
    act.trace(
        job, "log_taken_in", log=log.id, name=log.name, rows=log.rows, columns=len(log.columns)
    )
    return log


def require_room(act: Act, job: Job) -> None:
    """Raise `Invalid` where a job holds as many logs as it can."""
    if count_logs(act.db, job) >= MOST_LOGS:
        raise Invalid({"file": f"A job holds {MOST_LOGS} logs. Take one away first."})


def _summary(column: LogColumn) -> ColumnSummary:
    known = column.values[np.isfinite(column.values)]
    return ColumnSummary(
        name=column.name,
        unit=column.unit,
        head=tuple(None if not np.isfinite(v) else float(v) for v in column.values[:6]),
        filled=len(known),
        low=float(known.min()) if len(known) else None,
        high=float(known.max()) if len(known) else None,
        middle=float(np.median(known)) if len(known) else None,
    )


def proposed(read: ReadLog, family: EngineFamily) -> ColumnMapping:
    """What the columns probably are, by their headings; units as written, else the one whose
    figures an engine can show."""
    columns = [c for i, c in enumerate(read.columns) if i != read.time_column]
    places = [i for i in range(len(read.columns)) if i != read.time_column]
    found = propose([c.name for c in columns], family.components)
    channels = {
        channel: ColumnPlace(column=places[k], unit=_unit_of(columns[k], channel))
        for channel, k in found.items()
    }
    time = (
        ColumnPlace(column=read.time_column, unit=time_unit(read.columns[read.time_column]))
        if read.time_column is not None
        else None
    )
    return ColumnMapping(time=time, channels=channels)


def _unit_of(column: LogColumn, channel_id: str) -> str:
    channel = CHANNELS[channel_id]
    quantity = QUANTITIES[channel.quantity]
    word = unit_word(column.unit)
    if word in {u.id for u in quantity.units}:
        return str(word)
    known = column.values[np.isfinite(column.values)]
    middle = float(np.median(known)) if len(known) else 0.0
    fitting = (
        u.id
        for u in quantity.units
        if channel.low <= convert(quantity, middle, u.id, target=quantity.kept.id) <= channel.high
    )
    return next(fitting, quantity.kept.id)


def _remembered(mapping: ColumnMapping, family: EngineFamily) -> ColumnMapping:
    possible = set(channels_for(family))
    kept = {c: place for c, place in mapping.channels.items() if c in possible}
    return replace(mapping, channels=kept)


def logs_of(db: Session, job: Job) -> list[LogFile]:
    """The logs of a job, newest first."""
    return rows.of_job(db, job.id)


def count_logs(db: Session, job: Job) -> int:
    """How many logs a job holds."""
    return rows.count(db, job.id)


def find_log(db: Session, job: Job, log_id: int) -> LogFile:
    """A log of this job.

    Raises
    ------
    Missing
    """
    log = rows.by_id(db, log_id)
    if log is None or log.job_id != job.id:
        raise Missing(f"log {log_id}")
    return log


def mapping_faults(
    db: Session, log: LogFile, mapping: ColumnMapping, *, family: EngineFamily
) -> dict[str, str]:
    """What is wrong with a mapping, by the form's field."""
    faults: dict[str, str] = {}
    time = mapping.time
    if time is None or not 0 <= time.column < len(log.columns):
        return {"time": "Say which column is the time."}
    if time.unit not in TIME_UNITS:
        return {"time": "A unit of time: " + ", ".join(TIME_UNITS) + "."}
    taken: dict[int, str] = {}
    for channel_id, place in mapping.channels.items():
        column = place.column
        field = f"channel.{column}"
        channel = CHANNELS.get(channel_id)
        if channel is None or channel_id not in channels_for(family):
            faults[field] = "This engine has no such channel."
            continue
        if not 0 <= column < len(log.columns) or column == time.column:
            faults[field] = "Another column than the time."
            continue
        if column in taken:
            faults[field] = "One column, one channel."
        taken[column] = channel_id
        quantity = QUANTITIES[channel.quantity]
        facts = log.columns[column]
        if place.unit not in {u.id for u in quantity.units}:
            faults[field] = "A unit of " + ", ".join(u.id for u in quantity.units) + "."
        elif facts.middle is None:
            faults[field] = "This column is empty."
        else:
            middle = convert(quantity, facts.middle, place.unit, target=quantity.kept.id)
            if not channel.low <= middle <= channel.high:
                faults[field] = (
                    f"Half-way it stands at {facts.middle:g} {place.unit};"
                    f" {channel.label.lower()} goes from {channel.low:g} to {channel.high:g}"
                    f" {quantity.kept.id}. Another unit or channel?"
                )
    if not faults:
        try:
            run_forward(column_values(db, log, [time.column])[time.column] * TIME_UNITS[time.unit])
        except InputError:
            faults["time"] = "This column does not run forward: choose another."
    return faults


def save_mapping(
    act: Act, number: str, log_id: int, *, mapping: ColumnMapping, seen: int
) -> LogFile:
    """Name the columns, remember it for files with the same headings, find the stretches anew.

    Raises
    ------
    Invalid
        ``time`` or ``channel.<column>``.
    """
    job = act.job(number)
    log, family = find_log(act.db, job, log_id), family_of(job)
    faults = mapping_faults(act.db, log, mapping, family=family)
    if faults:
        raise Invalid(faults)
    act.claim(job, f"log {log.id}", seen)
    log.mapping, log.mapped = mapping, True
    log.segments = found_segments(trace_of(act.db, log), family)
    rows.remember_mapping(act.db, log.heading_key, log.mapping, at=act.now, person_id=act.person.id)
    act.trace(job, "log_mapped", log=log.id, channels=sorted(mapping.channels))
    return log


def take_away(act: Act, number: str, log_id: int) -> None:
    """Take a log off the job. Readings that came from it stay; the trace keeps its name."""
    job = act.job(number)
    log = find_log(act.db, job, log_id)
    act.trace(job, "log_taken_away", log=log.id, name=log.name, digest=log.digest)
    act.db.delete(log)
    act.db.flush()


def idle_limit(family: EngineFamily) -> float:
    """Speed above which this engine no longer idles: 1.4 times the top of its idle band, else by
    its kind."""
    band = family.bands.get("idle_rpm")
    return band.high * 1.4 if band else IDLE_LIMIT.get((family.fuel, family.cycle), 1150.0)


def found_segments(trace: TimeSeries, family: EngineFamily) -> tuple[Segment, ...]:
    """Idle, trim points and the two plateaus of a flow test, as far as the log shows them."""
    found: list[Segment] = []
    idle = find_idle(trace, idle_limit(family))
    if idle:
        found.append(idle)
    if "trim_percent" in trace.channels:
        found += find_trim_points(trace)
    if {"map_kpa", "egr_command_percent"} <= trace.channels.keys() and family.fuel == "petrol":
        with suppress(InputError):  # no opening in this log: nothing to mark
            found += find_plateaus(trace)
    return tuple(replace(s, start_s=round(s.start_s, 2), end_s=round(s.end_s, 2)) for s in found)


def save_segments(
    act: Act, number: str, log_id: int, *, ends: Sequence[tuple[float, float]], seen: int
) -> LogFile:
    """Set the ends of the stretches by hand, in the order in which they stand.

    Raises
    ------
    Invalid
        ``stretch.<k>`` for ends that are not in the log or not in order.
    """
    job = act.job(number)
    log = find_log(act.db, job, log_id)
    if not log.mapped:
        raise Refused("The columns are not named yet", ["say first what each column is"])
    trace = trace_of(act.db, log)
    last = float(trace.time_s[-1])
    faults = {
        f"stretch.{k}": f"From 0 to {last:.1f} s, at least a second long."
        for k, (start, end) in enumerate(ends)
        if not (start >= 0 and start + 1 <= end <= last + 0.01)
    }
    if len(ends) != len(log.segments):
        faults["stretch.0"] = "The log was mapped anew meanwhile: load the page again."
    if faults:
        raise Invalid(faults)
    act.claim(job, f"log {log.id}", seen)
    log.segments = tuple(
        s
        if (s.start_s, s.end_s) == (start, end)
        else replace(s, start_s=start, end_s=end, by_hand=True, why="set by hand")
        for s, (start, end) in zip(log.segments, ends, strict=True)
    )
    act.trace(
        job,
        "log_stretches_set",
        log=log.id,
        stretches=[[s.kind, s.start_s, s.end_s] for s in log.segments],
    )
    return log


FROM_LOG: dict[str, dict[str, str]] = {
    "idle": {
        "idle_rpm": "rpm",
        "idle_airflow_g_s": "maf_g_s",
        "idle_map_kpa": "map_kpa",
        "learned_throttle_percent": "throttle_percent",
        "trim_idle_percent": "trim_percent",
    },
    "trim": {
        "rpm": "rpm",
        "airflow_g_s": "maf_g_s",
        "trim_percent": "trim_percent",
        "map_kpa": "map_kpa",
    },
}
"""Channels of a reading set and the log's channel that fills each."""
READINGS_APART_S, MOST_READINGS = 6.0, 10


def reading_rows(
    log: LogFile, trace: TimeSeries, family: EngineFamily, *, kind: str
) -> tuple[dict[str, list[float | None]], list[float]]:
    """The rows of a reading set that a log gives, by channel, and the second at which each was
    taken.

    Notes
    -----
    Idle: as the eye would read, the mean of a second every six seconds, three to ten times over the
    stretch. A trim point is the mean of its stretch.
    """
    windows: list[tuple[float, float]] = []
    for s in (s for s in log.segments if s.kind == kind):
        if kind == "trim":
            windows.append((s.start_s, s.end_s))
        else:
            count = int(min(MOST_READINGS, max(3, (s.end_s - s.start_s) // READINGS_APART_S)))
            width = (s.end_s - s.start_s) / count
            middles = [s.start_s + width * (k + 0.5) for k in range(count)]
            half = min(0.5, width / 2)
            windows += [(m - half, m + half) for m in middles]
    values = {
        channel.id: [trace.mean(FROM_LOG[kind][channel.id], a, b) for a, b in windows]
        for channel in channels_of(family, kind)
        if FROM_LOG[kind].get(channel.id) in trace.channels
    }
    return values, [(a + b) / 2 for a, b in windows]


def take_readings(
    act: Act,
    number: str,
    log_id: int,
    *,
    phase: str,
    kind: str,
    load: Sequence[str],
    warm: bool,
    protective_mode: bool,
    seen: int,
    source: str = "log",
) -> Job:
    """Save a log's stretches as the idle or trim set of a phase. Coolant and intake air are the
    log's own.

    Parameters
    ----------
    warm : whether the hand found it warm, kept where the engine has no coolant
    source : ``log``, or ``live`` where the log is what a bridge just read

    Raises
    ------
    Invalid, Refused
        As `save_readings`; ``rows`` where the log has no such stretch.
    """
    job = act.job(number)
    log, family = find_log(act.db, job, log_id), family_of(job)
    if not log.mapped or kind not in FROM_LOG:
        raise Refused("The columns are not named yet", ["say first what each column is"])
    trace = trace_of(act.db, log)
    values, times = reading_rows(log, trace, family, kind=kind)
    if not times:
        raise Invalid({"rows": "The log has no such stretch."})
    spans = [(s.start_s, s.end_s) for s in log.segments if s.kind == kind]

    def mean(channel: str) -> float | None:
        found = [m for a, b in spans if (m := trace.mean(channel, a, b)) is not None]
        return round(sum(found) / len(found), 1) if found else None

    liquid = family.cooling == "liquid"
    conditions = SetConditions(
        coolant_c=mean("coolant_c") if liquid else None,
        warm=None if liquid else warm,
        intake_c=mean("intake_c"),
        load=tuple(load),
        protective_mode=protective_mode,
    )
    return save_readings(
        act,
        number,
        phase,
        kind=kind,
        values=values,
        conditions=conditions,
        seen=seen,
        source=source,
        times_s=times,
    )
