"""Commanded tests on the car itself: what must hold first, the hold, and its window as the trace of
the check."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

import numpy as np
from sqlalchemy.orm import Session

from galene.core.diagnosis.live_stands import EXHAUST_OVER_KPA, GAS_C
from galene.core.logs.series import Segment
from galene.jobs import checks, live
from galene.jobs.act import Act, family_of
from galene.jobs.errors import Invalid, Refused
from galene.jobs.live_codes import answer_of
from galene.jobs.live_taking import Window, keep_window, window_of
from galene.knowledge.commanded_tests import CommandedTest, Lamp, test_of
from galene.store.models import Job, LiveCommand, LogFile
from galene.store.repositories import people

LAMP_S = 2.5
"""How far back a lamp looks: slow figures come in turns."""
STALLED_RPM = 150.0
"""Speed under which an engine turns no more by itself."""
SETTLED_S, OPEN_S, CLOSED_S, CLOSED_ENDS_S = 1.0, 6.0, 10.0, 0.8
"""What is left out after the valve opened, how long the open part is at most (until the idle
control has moved the throttle), how long the shut part is, and where it ends before the command."""


@dataclass(frozen=True, kw_only=True)
class LampRead:
    """A condition with what was read of it; None: it was not read."""

    lamp: Lamp
    value: float | None

    @property
    def lit(self) -> bool:
        """Whether it holds."""
        return self.value is not None and self.lamp.low <= self.value <= self.lamp.high


def commanded(job: Job, check_id: str) -> CommandedTest | None:
    """The commanded test of a check on this job's engine."""
    return test_of(family_of(job), check_id)


def lamps_of(window: Window, lamps: Sequence[Lamp]) -> list[LampRead]:
    """Every condition with what was read of it last."""
    found = []
    for lamp in lamps:
        values = window.last(lamp.column, LAMP_S)
        found.append(LampRead(lamp=lamp, value=float(np.mean(values)) if len(values) else None))
    return found


def protective_why(job: Job) -> str:
    """Why the control unit counts as protecting itself; empty where nothing says so."""
    if job.codes_cleared_at is not None:
        return ""
    if any(o.evidence == "reduced_power_mode" and o.state == "present" for o in job.observations):
        return "it came with its power taken back"
    if any(s.conditions.protective_mode for s in job.sets if s.phase == "before"):
        return "its set was taken in a protective mode"
    return ""


def press(act: Act, number: str, check_id: str, *, asked: Collection[str]) -> LiveCommand:
    """Begin to hold the output of a commanded test.

    Parameters
    ----------
    asked : what who stands there has seen to, by id

    Raises
    ------
    Refused
        The car is not on the line, a condition does not hold, something asked is not said, or the
        control unit protects itself; each reason in words.
    Invalid
        No such test on this engine.
    """
    job = act.job(number)
    test = commanded(job, check_id)
    if test is None:
        raise Invalid({"check": "This car's document names no output for this test."})
    why = protective_why(job)
    if why:
        raise Refused(
            "Not in a protective mode",
            [f"{why}: what it does then says nothing. Read the codes and mend that first."],
        )
    window = window_of(act.db, job, act.now - timedelta(seconds=LAMP_S), act.now)
    reasons = [
        f"{r.lamp.text}: {value_of(r)}, asked is {range_of(r.lamp)}"
        for r in lamps_of(window, test.lamps)
        if not r.lit
    ]
    reasons += [f"{text}: say that it is so" for id_, text in test.asks if id_ not in asked]
    if reasons:
        raise Refused("Not yet", reasons)
    return live.ask(
        act,
        job,
        "hold",
        actuator=test.output,
        value=test.value if test.value is not None else 0.0,
        longest_s=test.longest_s,
        sweep_s=test.longest_s if test.value is None else None,
        purpose=check_id,
    )


def value_of(read: LampRead) -> str:
    """What was read, for the reader."""
    return "not read" if read.value is None else f"{read.value:.1f}"


def range_of(lamp: Lamp) -> str:
    """What is asked, for the reader."""
    return f"{lamp.low:g} to {lamp.high:g}"


def keep_run(act: Act, number: str, check_id: str, command_id: int, *, phase: str) -> Job:
    """Cut the window of a hold out of what was read, and keep what the check says of it.

    Raises
    ------
    Refused
        The hold is not over, or it failed.
    Invalid
        It was too short, or nothing can be computed of it.
    """
    job = act.job(number)
    test = commanded(job, check_id)
    command = live.command_told(act.db, job, command_id)
    if test is None or command.fields.get("purpose") != check_id:
        raise Invalid({"check": "That was another test."})
    answer_of(command)
    if command.began_at is None or command.answered_at is None:
        raise Refused("Nothing was held", ["the output was not driven: press again"])
    held_s = (command.answered_at - command.began_at).total_seconds()
    if held_s < test.least_s:
        raise Invalid(
            {"check": f"Held for {held_s:.1f} s: it needs {test.least_s:g} s to say something."}
        )
    start = command.began_at - timedelta(seconds=test.before_s)
    end = command.answered_at + timedelta(seconds=test.after_s)
    window = window_of(act.db, job, start, min(end, act.now))
    segments = (
        _plateaus(window, test.before_s, test.before_s + held_s)
        if check_id == "egr_flow_test"
        else ()
    )
    log = keep_window(act, job, window, "Commanded test", segments=segments)
    given = _given(act.db, job, log, check_id, window=window)
    return checks.keep_check(act, number, check_id, given=given, form="live", phase=phase)


def _plateaus(window: Window, began_s: float, ended_s: float) -> tuple[Segment, Segment]:
    """The shut and the open part, by when the command was given and let go of."""
    # A log's time begins with its first row.
    first = float(window.time_s[0]) if len(window.time_s) else 0.0
    began_s, ended_s = began_s - first, ended_s - first
    opened, last = began_s + SETTLED_S, min(began_s + SETTLED_S + OPEN_S, ended_s)
    speed = window.columns.get("rpm", np.empty(0))
    at = window.time_s - first
    after = (at > began_s) & (at < ended_s + 2) if len(speed) else None
    if after is not None:
        with np.errstate(invalid="ignore"):
            stalled = np.flatnonzero(after & (speed < STALLED_RPM))
        if len(stalled):
            opened = float(at[stalled[0]])
            last = opened + 2.0
    return (
        Segment(
            kind="closed",
            start_s=round(max(0.0, began_s - CLOSED_S), 2),
            end_s=round(began_s - CLOSED_ENDS_S, 2),
            why="before the command",
            by_hand=True,
        ),
        Segment(
            kind="open",
            start_s=round(opened, 2),
            end_s=round(min(last, window.seconds), 2),
            why="while it was held",
            by_hand=True,
        ),
    )


def _given(db: Session, job: Job, log: LogFile, check_id: str, *, window: Window) -> dict[str, Any]:
    altitude_m = people.workshop(db).altitude_m
    given = checks.filled_from_log(db, job, log, check_id, altitude_m=altitude_m)
    if check_id == "egr_flow_test":
        barometer = window.last("baro_kpa", 60)
        if len(barometer):
            given["ambient_kpa"] = round(float(np.mean(barometer)), 2)
        gas = window.last("egr_gas_c", 8)
        given["exhaust_c"] = round(float(np.max(gas)), 0) if len(gas) else GAS_C
        given["exhaust_kpa"] = round(given["ambient_kpa"] + EXHAUST_OVER_KPA, 2)
        given.setdefault("intake_c", 40.0)
    return given
