"""Which checks a log feeds, and the rows that it gives them."""

import numpy as np
from sqlalchemy.orm import Session

from galene.core.logs.series import (
    TimeSeries,
)
from galene.core.logs.thinning import thinned
from galene.jobs.errors import Missing
from galene.jobs.log_traces import trace_of
from galene.jobs.logs import logs_of
from galene.store.models import Job, LogFile

TRACE_CHECKS: dict[str, tuple[tuple[str, ...], tuple[str, ...]]] = {
    "egr_flow_test": (("map_kpa", "rpm"), ("egr_command_percent",)),
    "oxygen_response": (("o2_v",), ()),
    "regeneration_trace": (("before_catalyst_c", "before_filter_c", "after_filter_c"), ()),
    "runner_sweep_commanded": (("runner_command_percent", "runner_position_percent"), ()),
    "throttle_sweep": (("pedal_percent", "throttle_percent"), ()),
}
"""Checks that read a trace: the log's channels that they need, and those that help."""


UNTIMED = ("runner_sweep_commanded", "throttle_sweep")
"""Checks whose trace has no time in it."""


TRACE_ROWS = 600


def trace_checks(log: LogFile) -> list[str]:
    """Checks that this log has the channels for."""
    return (
        [
            check
            for check, (needed, _) in TRACE_CHECKS.items()
            if set(needed) <= log.mapping.channels.keys()
        ]
        if log.mapped
        else []
    )


def feeding(db: Session, job: Job, check_id: str) -> list[LogFile]:
    """The logs of a job that a check can read."""
    return (
        [log for log in logs_of(db, job) if check_id in trace_checks(log)]
        if check_id in TRACE_CHECKS
        else []
    )


def rows_for_check(
    db: Session,
    log: LogFile,
    check_id: str,
    *,
    start_s: float | None = None,
    end_s: float | None = None,
) -> str:
    """A log's channels as the rows that a check's worksheet takes, between two seconds.

    Raises
    ------
    Missing
        A check that reads no trace, or channels that the log does not have.
    """
    if check_id not in trace_checks(log):
        raise Missing(f"trace of {check_id[:40]} in this log")
    trace = trace_of(db, log)
    needed, helpful = TRACE_CHECKS[check_id]
    names = [*needed, *(n for n in helpful if n in trace.channels)]
    first, last = window_for_check(trace, log, check_id)
    rows = thinned(
        trace.time_s,
        [trace.channels[n] for n in names],
        first if start_s is None else start_s,
        end_s=last if end_s is None else end_s,
        most=TRACE_ROWS,
    )
    return "\n".join(
        ",".join(f"{x:.3f}".rstrip("0").rstrip(".") for x in (r[1:] if check_id in UNTIMED else r))
        for r in rows
    )


def window_for_check(trace: TimeSeries, log: LogFile, check_id: str) -> tuple[float, float]:
    """The part of a log that a check reads: round the plateaus, half a minute of warm fast idle,
    the sweep, else all of it."""
    whole = float(trace.time_s[0]), float(trace.time_s[-1])
    if check_id == "egr_flow_test":
        marked = [s for s in log.segments if s.kind in ("closed", "open")]
        if marked:
            return max(whole[0], min(s.start_s for s in marked) - 3), min(
                whole[1], max(s.end_s for s in marked) + 3
            )
    if check_id in UNTIMED:
        command = trace.channels[TRACE_CHECKS[check_id][0][0]]
        known = np.flatnonzero(np.isfinite(command))
        moved = known[np.abs(command[known] - command[known[0]]) > 2] if len(known) else known
        if len(moved):
            return max(whole[0], float(trace.time_s[moved[0]]) - 1), min(
                whole[1], float(trace.time_s[moved[-1]]) + 1
            )
    if check_id == "oxygen_response":
        fast = [
            s
            for s in log.segments
            if s.kind == "trim" and 1300 <= (trace.mean("rpm", s.start_s, s.end_s) or 0) <= 3200
        ]
        if fast:
            return fast[0].start_s, min(fast[0].end_s, fast[0].start_s + 30)
    return whole
