"""Logs of a job: take in, name the columns, look at the strips, set the stretches, take the
readings."""

from dataclasses import asdict
from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, JSONResponse, Response

from galene.core.logs.series import ColumnMapping, ColumnPlace
from galene.core.logs.thinning import downsample_minmax
from galene.core.text_gate import digits
from galene.core.units import QUANTITIES, convert, in_system
from galene.exchange.logs import TIME_UNITS
from galene.jobs import evidence, log_checks, log_traces, logs
from galene.jobs.act import Act, family_of, revision
from galene.jobs.errors import Invalid, Refused
from galene.knowledge import reading_channels
from galene.knowledge.base import KNOWLEDGE
from galene.knowledge.log_channels import CHANNELS, unit_word
from galene.store.models import Job, LogFile
from galene.web.shared.forms import Form
from galene.web.shared.visit import Sent, SentFile, Signed, Visit, VisitRoute

router = APIRouter(route_class=VisitRoute, include_in_schema=False)
SHOWN_FIRST = 5
STRETCH_WORDS = {"idle": "Idle", "trim": "Trim point", "closed": "Valve shut", "open": "Valve open"}
PLOT_POINTS = 700


def _phase(job: Job) -> str:
    """Readings taken now belong to this phase."""
    return "after" if job.engine_started_at else "before"


def list_page(visit: Visit, job: Job, status: int = 200, **extra: Any) -> HTMLResponse:
    """The logs of a job and the way to bring one in."""
    return visit.page(
        "logs.html",
        status,
        job=job,
        stage="evidence",
        logs=logs.logs_of(visit.db, job),
        most=logs.MOST_LOGS,
        **extra,
    )


@router.get("/jobs/{number}/logs")
def index(visit: Signed, number: str) -> HTMLResponse:
    return list_page(visit, visit.job(number))


@router.post("/jobs/{number}/logs")
def take_in(visit: Signed, number: str, form: SentFile) -> Response:
    def write(act: Act) -> str:
        log = logs.take_in(act, number, form.file_name, data=form.file)
        location = f"/jobs/{number}/logs/{log.id}"
        return location

    return visit.submit(
        form,
        write,
        to=f"/jobs/{number}/logs",
        shown=lambda faults: list_page(visit, visit.job(number), 422, faults=faults),
    )


def _stretches(visit: Visit, log: LogFile, form: Form | None) -> list[dict[str, Any]]:
    """Stretches with what a reader wants to know of each, typed ends after a fault."""
    trace = log_traces.trace_of(visit.db, log)
    shown = []
    for k, s in enumerate(log.segments):
        trims = [x.kind for x in log.segments[: k + 1]].count("trim")
        start = (form.text(f"start.{k}") if form else "") or f"{s.start_s:g}"
        end = (form.text(f"end.{k}") if form else "") or f"{s.end_s:g}"
        means = [
            (CHANNELS[c], m)
            for c in ("rpm", "maf_g_s", "map_kpa")
            if (m := trace.mean(c, s.start_s, s.end_s)) is not None
        ]
        trim = (
            trace.mean("trim_percent", s.start_s, s.end_s) if s.kind in ("idle", "trim") else None
        )
        shown.append(
            {
                **asdict(s),
                "start": start,
                "end": end,
                "title": STRETCH_WORDS[s.kind] + (f" {trims}" if s.kind == "trim" else ""),
                "letter": {"idle": "I", "closed": "S", "open": "O"}.get(s.kind, f"T{trims}"),
                "means": means,
                "trim": trim,
            }
        )
    return shown


def _columns(log: LogFile, form: Form | None) -> list[dict[str, Any]]:
    """Every column of the file with the channel that it stands for, as chosen after a fault."""
    by_column = {m.column: (channel, m.unit) for channel, m in log.mapping.channels.items()}
    shown = []
    for i, column in enumerate(log.columns):
        channel, unit = by_column.get(i, ("", ""))
        if form:
            channel, unit = form.text(f"channel.{i}"), form.text(f"unit.{i}")
        shown.append(
            {
                **{k: v for k, v in asdict(column).items() if v is not None},
                "position": i,
                "channel": channel,
                "chosen_unit": unit,
                "own_unit": unit_word(column.unit) or "",
                "is_time": log.mapping.time is not None and log.mapping.time.column == i,
            }
        )
    return shown


def page(
    visit: Visit,
    job: Job,
    log: LogFile,
    *,
    status: int = 200,
    form: Form | None = None,
    **extra: Any,
) -> HTMLResponse:
    """One log; `form` gives back what was typed."""
    family = family_of(job)
    trace, mended = log_traces.opened(visit.db, log) if log.mapped else (None, ())
    strips: list[dict[str, Any]] = []
    previews: dict[str, Any] = {}
    if trace is not None:
        for channel_id in [
            *log.mapping.channels,
            *(["trim_percent"] if "trim_percent" in trace.channels else []),
        ]:
            channel = CHANNELS.get(channel_id)
            quantity = QUANTITIES[channel.quantity if channel else "share"]
            strips.append(
                {
                    "id": channel_id,
                    "label": channel.label if channel else "Total trim",
                    "unit": in_system(quantity, visit.shop.system).id,
                }
            )
        order = [
            "rpm",
            "map_kpa",
            "maf_g_s",
            "trim_percent",
            "egr_command_percent",
            "o2_v",
            "before_catalyst_c",
            "before_filter_c",
            "after_filter_c",
        ]
        strips.sort(key=lambda s: order.index(s["id"]) if s["id"] in order else len(order))
        for kind in ("idle", "trim"):
            if kind in reading_channels.CHANNELS and any(s.kind == kind for s in log.segments):
                values, times = logs.reading_rows(log, trace, family, kind=kind)
                previews[kind] = {
                    "channels": [
                        c for c in reading_channels.channels_of(family, kind) if c.id in values
                    ],
                    "values": values,
                    "times": times,
                    "saved": evidence.set_of(job, _phase(job), kind),
                    "seen": revision(job, f"readings_{_phase(job)}_{kind}"),
                }
    return visit.page(
        "log.html",
        status,
        job=job,
        stage="prove" if _phase(job) == "after" else "evidence",
        log=log,
        family=family,
        columns=_columns(log, form if form and form.text("what") == "mapping" else None),
        channels=[CHANNELS[c] for c in logs.channels_for(family)],
        time_units=list(TIME_UNITS),
        trace=trace,
        mended=mended,
        strips=strips,
        shown_first=SHOWN_FIRST,
        stretches=(
            _stretches(visit, log, form if form and form.text("what") == "stretches" else None)
            if trace is not None
            else []
        ),
        length=float(trace.time_s[-1]) if trace is not None else 0.0,
        previews=previews,
        phase=_phase(job),
        loads=reading_channels.loads_of(family_of(job)),
        seen=revision(job, f"log {log.id}"),
        checks=[KNOWLEDGE.checks[c] for c in log_checks.trace_checks(log)],
        entered=form,
        system=visit.shop.system,
        **extra,
    )


@router.get("/jobs/{number}/logs/{log_id}")
def show(visit: Signed, number: str, log_id: int) -> HTMLResponse:
    job = visit.job(number)
    return page(visit, job, logs.find_log(visit.db, job, log_id))


@router.get("/jobs/{number}/logs/{log_id}/strip/{channel_id}")
def strip(
    visit: Signed,
    number: str,
    log_id: int,
    *,
    channel_id: str,
    start: float = 0.0,
    end: float = 1e9,
) -> Response:
    """One channel between two seconds, thinned to what a strip can show, in the workshop's unit."""
    job = visit.job(number)
    log = logs.find_log(visit.db, job, log_id)
    trace = log_traces.trace_of(visit.db, log) if log.mapped else None
    if trace is None or channel_id not in trace.channels:
        return JSONResponse({"error": "The log has no such channel"}, 404)
    quantity = QUANTITIES[CHANNELS[channel_id].quantity if channel_id in CHANNELS else "share"]
    unit = in_system(quantity, visit.shop.system)
    times, values = downsample_minmax(
        trace.time_s, trace.channels[channel_id], start, end_s=end, points=PLOT_POINTS
    )
    return JSONResponse(
        {
            "time": [round(t, 3) for t in times],
            "values": [
                (
                    None
                    if v is None
                    else round(convert(quantity, v, quantity.kept.id, target=unit.id), 4)
                )
                for v in values
            ],
        }
    )


@router.get("/jobs/{number}/logs/{log_id}/rows.csv")
def rows(visit: Signed, number: str, log_id: int) -> Response:
    """The named channels over the mended time, kept units in the headings."""
    import io

    import numpy as np

    job = visit.job(number)
    log = logs.find_log(visit.db, job, log_id)
    if not log.mapped:
        raise Refused("The columns are not named yet", ["say first what each column is"])
    trace = log_traces.trace_of(visit.db, log)
    out = io.StringIO()
    np.savetxt(
        out,
        np.column_stack([trace.time_s, *trace.channels.values()]),
        fmt="%.6g",
        delimiter=",",
        header=",".join(["time_s", *trace.channels]),
        comments="",
    )
    return Response(
        out.getvalue().replace("nan", ""),
        media_type="text/csv",
        headers={"content-disposition": f'attachment; filename="log-{number}-{log.id}.csv"'},
    )


def _mapping(form: Form, log: LogFile) -> ColumnMapping:
    time = form.text("time")
    channels: dict[str, ColumnPlace] = {}
    faults: dict[str, str] = {}
    for i in range(len(log.columns)):
        channel = form.text(f"channel.{i}")
        if not channel:
            continue
        if channel in channels:
            faults[f"channel.{i}"] = "This channel is named twice: one column only."
            continue
        unit = form.text(f"unit.{i}")
        if not unit and channel in CHANNELS:
            quantity, own = (
                QUANTITIES[CHANNELS[channel].quantity],
                unit_word(log.columns[i].unit),
            )
            unit = own if own in {u.id for u in quantity.units} else quantity.kept.id
        channels[channel] = ColumnPlace(column=i, unit=unit)
    if faults:
        raise Invalid(faults)
    return ColumnMapping(
        time=ColumnPlace(column=int(time), unit=form.text("time_unit") or "s")
        if digits(time)
        else None,
        channels=channels,
    )


@router.post("/jobs/{number}/logs/{log_id}/mapping")
def mapping(visit: Signed, number: str, log_id: int, *, form: Sent) -> Response:
    location = f"/jobs/{number}/logs/{log_id}"

    def write(act: Act) -> None:
        chosen = _mapping(form, logs.find_log(visit.db, visit.job(number), log_id))
        logs.save_mapping(act, number, log_id, mapping=chosen, seen=form.integer("seen"))

    def shown(faults: dict[str, str]) -> HTMLResponse:
        job = visit.job(number)
        return page(
            visit,
            job,
            logs.find_log(visit.db, job, log_id),
            status=422,
            form=form,
            faults=faults,
        )

    return visit.submit(form, write, to=location, shown=shown)


@router.post("/jobs/{number}/logs/{log_id}/stretches")
def stretches(visit: Signed, number: str, log_id: int, *, form: Sent) -> Response:
    location = f"/jobs/{number}/logs/{log_id}#stretches"
    job = visit.job(number)
    log = logs.find_log(visit.db, job, log_id)
    ends: list[tuple[float, float]] = []

    def write(act: Act) -> None:
        for k, s in enumerate(log.segments):
            start, end = form.number(f"start.{k}", "From"), form.number(f"end.{k}", "To")
            ends.append((s.start_s if start is None else start, s.end_s if end is None else end))
        form.check()
        logs.save_segments(act, number, log_id, ends=ends, seen=form.integer("seen"))

    return visit.submit(
        form,
        write,
        to=location,
        shown=lambda faults: page(
            visit, visit.job(number), log, status=422, form=form, faults=faults
        ),
    )


@router.post("/jobs/{number}/logs/{log_id}/readings")
def readings(visit: Signed, number: str, log_id: int, *, form: Sent) -> Response:
    phase, kind = form.text("phase"), form.text("kind")
    if phase not in ("before", "after"):
        raise Refused("This table is not known", ["Load the page again."])
    location = f"/jobs/{number}/" + ("prove#after" if phase == "after" else f"evidence#{kind}")

    def write(act: Act) -> None:
        logs.take_readings(
            act,
            number,
            log_id,
            phase=phase,
            kind=kind,
            load=form.texts("load"),
            warm=form.text("warm") == "yes",
            protective_mode=form.text("protective_mode") == "yes",
            seen=form.integer("seen"),
        )

    def shown(faults: dict[str, str]) -> HTMLResponse:
        job = visit.job(number)
        return page(
            visit,
            job,
            logs.find_log(visit.db, job, log_id),
            status=422,
            form=form,
            faults={f"{kind}": "; ".join(dict.fromkeys(faults.values()))},
        )

    return visit.submit(form, write, to=location, shown=shown)


@router.post("/jobs/{number}/logs/{log_id}/away")
def away(visit: Signed, number: str, log_id: int, *, form: Sent) -> Response:
    def write(act: Act) -> None:
        logs.take_away(act, number, log_id)

    return visit.submit(form, write, to=f"/jobs/{number}/logs")
