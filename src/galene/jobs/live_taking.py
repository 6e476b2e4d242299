"""Figures taken from what a bridge read: each window that figures come from stays with the job as a
log, and from there on they are taken as from any log."""

import hashlib
import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta

import numpy as np
from numpy.typing import NDArray
from sqlalchemy.orm import Session

from galene.core.airpath.family import EngineFamily
from galene.core.diagnosis.inference import HEATED_C
from galene.core.logs.series import ColumnMapping, ColumnPlace, Segment
from galene.core.units import QUANTITIES
from galene.exchange.logs import LogColumn, ReadLog
from galene.jobs import evidence, log_checks, log_traces, logs
from galene.jobs.act import Act, family_of
from galene.jobs.errors import Invalid, Refused
from galene.knowledge.live_channels import FIGURES, KEY_ON, LOG_CHANNELS, TRACES
from galene.knowledge.log_channels import CHANNELS
from galene.store.models import Job, LiveBatch, LogFile
from galene.store.repositories import live as rows
from galene.store.repositories import logs as log_rows

IDLE_S, TRIM_S, KEY_ON_S = 36.0, 240.0, 4.0
"""How far back the idle set, the trim points and the key-on set look."""
LEAST_IDLE_S = 12.0
LONGEST_S = 4 * 3600.0
KIND = "live"
MEAN_S = 3.0
Values = NDArray[np.float64]


@dataclass(frozen=True, kw_only=True)
class Window:
    """What was read in a while: seconds from its start (n), and a column of n values for each
    name, NaN where a turn did not read it."""

    began: datetime
    time_s: Values
    columns: Mapping[str, Values]

    @property
    def seconds(self) -> float:
        """From its first row to its last."""
        return float(self.time_s[-1] - self.time_s[0]) if len(self.time_s) else 0.0

    def last(self, name: str, seconds: float) -> Values:
        """The known values of a column in the last seconds."""
        if name not in self.columns or not len(self.time_s):
            return np.empty(0)
        values = self.columns[name][self.time_s >= self.time_s[-1] - seconds]
        known: Values = values[np.isfinite(values)]
        return known


def window_of(db: Session, job: Job, start: datetime, end: datetime) -> Window:
    """What was read for a job between two moments."""
    return windowed(rows.batches_between(db, job.id, start, end + timedelta(seconds=1)), start, end)


def windowed(batches: Sequence[LiveBatch], start: datetime, end: datetime) -> Window:
    """Batches as columns over one time."""
    names = list(dict.fromkeys(n for b in batches for n in b.columns))
    place = {n: i for i, n in enumerate(names)}
    times: list[float] = []
    values: list[list[float]] = []
    length = (end - start).total_seconds()
    for batch in batches:
        ends = (batch.at - start).total_seconds()
        places = [place[n] for n in batch.columns]
        for row in batch.rows:
            at = ends - row[0]
            if not 0 <= at <= length:
                continue
            line = [np.nan] * len(names)
            for i, value in zip(places, row[1:], strict=True):
                if value is not None:
                    line[i] = value
            times.append(at)
            values.append(line)
    order = np.argsort(times, kind="stable")
    table = np.array(values, np.float64)[order] if values else np.empty((0, len(names)))
    return Window(
        began=start,
        time_s=np.array(times, np.float64)[order],
        columns={n: table[:, i] for n, i in place.items()},
    )


def _columns(window: Window, family: EngineFamily) -> list[LogColumn]:
    """The columns that a log of this engine can hold, its time first."""
    possible = set(logs.channels_for(family))
    found = [LogColumn("time_s", "s", window.time_s)]
    for name, values in window.columns.items():
        channel = LOG_CHANNELS.get(name)
        if channel in possible and np.isfinite(values).any():
            found.append(LogColumn(name, QUANTITIES[CHANNELS[channel].quantity].kept.id, values))
    return found


def keep_window(
    act: Act, job: Job, window: Window, what: str, *, segments: Sequence[Segment] | None = None
) -> LogFile:
    """Keep a window as a log of the job, its columns named. The same window twice is the same log.

    Parameters
    ----------
    what : what it is called; when it was read is added
    segments : parts that are known by how it came about; None: they are looked for

    Raises
    ------
    Refused
        Nothing was read in it.
    Invalid
        The job holds as many logs as it can.
    """
    if len(window.time_s) < 8:
        raise Refused("Nothing to take", ["the car was not read in this while"])
    family = family_of(job)
    columns = _columns(window, family)
    said = json.dumps([window.began.isoformat(), window.seconds, [c.name for c in columns]])
    digest = hashlib.sha256(said.encode() + window.time_s.tobytes()).hexdigest()
    known = log_rows.by_digest(act.db, job.id, digest)
    if known is not None:
        return known
    logs.require_room(act, job)
    mapping = ColumnMapping(
        time=ColumnPlace(column=0, unit="s"),
        channels={
            LOG_CHANNELS[c.name]: ColumnPlace(column=i, unit=c.unit)
            for i, c in enumerate(columns)
            if i
        },
    )
    if "map_kpa" not in mapping.channels and "boost_kpa" in mapping.channels:
        # Where no sensor sits in the manifold, the one before it reads the same at idle.
        columns.append(replace(_named(columns, "boost_kpa"), name="manifold_kpa"))
        place = ColumnPlace(column=len(columns) - 1, unit="kPa")
        mapping = replace(mapping, channels={**mapping.channels, "map_kpa": place})
    log = logs.kept_log(
        act,
        job,
        ReadLog(kind=KIND, columns=tuple(columns), time_column=0, remarks=()),
        name=log_name(what, window),
        digest=digest,
        key=hashlib.sha256(b"live").hexdigest()[:32],
        mapping=mapping,
    )
    log.mapped = True
    log.segments = (
        tuple(segments)
        if segments is not None
        else logs.found_segments(log_traces.trace_of(act.db, log), family)
    )
    return log


def _named(columns: Sequence[LogColumn], name: str) -> LogColumn:
    return next(c for c in columns if c.name == name)


def log_name(what: str, window: Window) -> str:
    """What a kept window is called."""
    first, last = (
        window.began + timedelta(seconds=float(at)) for at in (window.time_s[0], window.time_s[-1])
    )
    return f"{what}, {first:%H:%M:%S} to {last:%H:%M:%S} UTC"


NO_TRIM = (
    "No speed was held for some seconds in the last four minutes: let it idle, hold 1500, then"
    " 2500, ten seconds each, and take them."
)
TITLES = {"idle": "Idle, live", "trim": "Trim points, live"}


def take_set(
    act: Act,
    number: str,
    *,
    phase: str,
    kind: str,
    load: Sequence[str],
    warm: bool,
    protective_mode: bool,
    seen: int,
) -> Job:
    """Take the idle set or the trim points out of what was just read.

    Raises
    ------
    Refused
        The car is not read.
    Invalid
        ``rows``: why what was read is no such set.
    """
    job = act.job(number)
    family = family_of(job)
    back = IDLE_S if kind == "idle" else TRIM_S
    window = window_of(act.db, job, act.now - timedelta(seconds=back), act.now)
    log = keep_window(act, job, window, TITLES.get(kind, kind))
    if not any(s.kind == kind for s in log.segments):
        why = why_no_idle(window, logs.idle_limit(family)) if kind == "idle" else NO_TRIM
        raise Invalid({"rows": why})
    return logs.take_readings(
        act,
        number,
        log.id,
        phase=phase,
        kind=kind,
        load=load,
        warm=warm,
        protective_mode=protective_mode,
        seen=seen,
        source=KIND,
    )


def why_no_idle(window: Window, highest_rpm: float) -> str:
    """Why what was read is no idle set, for who stands at the car.

    Parameters
    ----------
    highest_rpm : speed above which this engine no longer idles
    """
    speed = window.last("rpm", IDLE_S)
    if window.seconds < LEAST_IDLE_S or not len(speed):
        return (
            f"Only {window.seconds:.0f} s were read: let it idle for half a minute, then take it."
        )
    if np.median(speed) < 250:
        return "The engine does not run: start it, let it idle for half a minute, then take it."
    if np.median(speed) > highest_rpm:
        return (
            f"It does not idle: {np.median(speed):.0f} rpm, and this engine idles below"
            f" {highest_rpm:.0f}. Feet off, loads off, then take it."
        )
    if len(road := window.last("speed_kmh", IDLE_S)) and road.max() > 2:
        return "The car moves: stand, let it idle for half a minute, then take it."
    return "It was not left alone for eight seconds: feet off for half a minute, then take it."


def keep_trace(act: Act, number: str, check_id: str) -> LogFile:
    """Keep what was just read as the log of a check's trace.

    Raises
    ------
    Refused
        The car is not read.
    Invalid
        ``check``: it does not read what the check needs.
    """
    job = act.job(number)
    back = timedelta(seconds=TRACES[check_id])
    window = window_of(act.db, job, act.now - back, act.now)
    log = keep_window(act, job, window, "Trace, live")
    if check_id not in log_checks.trace_checks(log):
        raise Invalid({"check": "The car does not tell what this check needs: type it, or a log."})
    return log


def figures_of(db: Session, job: Job, check_id: str, now: datetime) -> dict[str, float]:
    """What of a check's figures the car tells: means of three seconds, kept units; empty where it
    tells none.

    Parameters
    ----------
    now : the end of the three seconds
    """
    window = window_of(db, job, now - timedelta(seconds=MEAN_S), now)
    found = {}
    for name, column in FIGURES.get(check_id, {}).items():
        values = window.last(column, MEAN_S)
        if len(values):
            found[name] = round(float(values.mean()), 3)
    if "intake_c" in found and check_id == "airflow_against_expected":
        # The calculation asks for the air at the ports.
        found["intake_c"] += HEATED_C
    return found


def take_key_on(act: Act, number: str, *, phase: str, seen: int) -> Job:
    """Take what the absolute sensors read with the ignition on and the engine standing.

    Raises
    ------
    Refused
        The car is not read.
    Invalid
        ``key_on``: the engine runs, or no such sensor is read.
    """
    job = act.job(number)
    window = window_of(act.db, job, act.now - timedelta(seconds=KEY_ON_S), act.now)
    if not len(window.time_s):
        raise Refused("Nothing to take", ["the car was not read in the last seconds"])
    speed = window.last("rpm", KEY_ON_S)
    if len(speed) and speed.max() > 0:
        raise Invalid({"key_on": "The engine turns: ignition on, engine off, then take it."})
    pressures = {
        part.id: round(float(found.mean()), 2)
        for part in family_of(job).parts
        if part.component in KEY_ON and len(found := window.last(KEY_ON[part.component], KEY_ON_S))
    }
    if not pressures:
        raise Invalid({"key_on": "None of its absolute sensors is read over this line."})
    keep_window(act, job, window, "Key on, live", segments=())
    return evidence.save_key_on(
        act, number, pressures, barometer_kpa=None, seen=seen, phase=phase, source=KIND
    )
