"""A road run that the bridge records: begun and ended on the page, read by the program."""

from dataclasses import replace
from datetime import timedelta

from galene.core.proof.road_run import RoadRun, read_road
from galene.exchange.live import LINE_WORDS
from galene.jobs import live, log_traces
from galene.jobs.act import Act
from galene.jobs.errors import Refused
from galene.jobs.live_taking import LONGEST_S, keep_window, window_of
from galene.store.models import Job

LEAST_S = 20.0


def begin(act: Act, number: str) -> Job:
    """Mark where the run begins; begun again, it begins there.

    Raises
    ------
    Refused
        The engine was not started since the work, or no bridge reads the car.
    """
    job = act.job(number)
    if job.engine_started_at is None:
        raise Refused("Not on the road yet", ["the first start is not recorded"])
    if live.line_of_job(act.db, job, act.now).state == "none":
        raise Refused("The car is not on the line", [LINE_WORDS["none"]])
    job.road_test = replace(job.road_test, run_began=act.now)
    act.trace(job, "road_run_began")
    return job


def end(act: Act, number: str, *, ready: dict[str, bool] | None) -> Job:
    """Read the run that was begun, and keep it as a log. Ended twice, it is read once.

    Parameters
    ----------
    ready : the monitors as the car told them, None where it did not

    Raises
    ------
    Refused
        It is shorter than what can be read, or nothing was read in it.
    """
    job = act.job(number)
    began = job.road_test.run_began
    if began is None:
        return job
    start = max(began, act.now - timedelta(seconds=LONGEST_S))
    window = window_of(act.db, job, start, act.now)
    if window.seconds < LEAST_S:
        raise Refused(
            "Too short", [f"only {window.seconds:.0f} s were read since it began: drive on"]
        )
    log = keep_window(act, job, window, "Road run")
    found: RoadRun = read_road(log_traces.trace_of(act.db, log))
    found = replace(found, log_id=log.id, ready=ready or {})
    job.road_test = replace(job.road_test, run=found, run_began=None)
    act.trace(job, "road_run_read", km=found.km, minutes=found.minutes)
    return job
