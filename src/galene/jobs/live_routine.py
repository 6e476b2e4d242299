"""Routines of the control unit, begun from the hold of a relearn that they belong to."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from sqlalchemy.orm import Session

from galene.jobs import live, prove
from galene.jobs.act import Act, family_of
from galene.jobs.errors import Invalid
from galene.jobs.live_taking import window_of
from galene.jobs.live_tests import LAMP_S, lamps_of, protective_why, range_of, value_of
from galene.knowledge.live_routines import LiveRoutine, routine_of
from galene.store.models import Job, LiveCommand
from galene.store.repositories import live as rows

ANSWER = timedelta(seconds=8)
"""How long an answer may take."""


@dataclass(frozen=True, kw_only=True)
class RoutineNow:
    """The routine of the present hold, and the last time that it was asked for in it."""

    routine: LiveRoutine
    asked: LiveCommand | None

    @property
    def begun(self) -> bool:
        """Whether the control unit said that it has begun."""
        return bool(self.asked and self.asked.answer and self.asked.answer.get("done"))

    def waits(self, now: datetime) -> bool:
        """Whether it was just asked for and nothing came of it yet."""
        asked = self.asked
        return asked is not None and asked.answered_at is None and now - asked.at < ANSWER

    @property
    def refused(self) -> str:
        """What the control unit said against it, empty where nothing."""
        if self.asked is None or self.begun:
            return ""
        if self.asked.answer is None:
            return "The car did not answer: look at the line, ask again."
        return str(self.asked.answer.get("words", ""))


def routine_now(db: Session, job: Job) -> RoutineNow | None:
    """The routine of the hold that runs; None where it has none."""
    template, state = prove.template_of(job), prove.relearn_state(job)
    if template is None or state is None or state.outcome != "running":
        return None
    phase = template.phases[state.phase]
    found = routine_of(family_of(job), template.id, phase.id)
    if found is None:
        return None
    purpose = _purpose(template.id, phase.id)
    return RoutineNow(
        routine=found,
        asked=rows.last_command(db, job.id, purpose, since=state.phase_began),
    )


def _purpose(template_id: str, phase_id: str) -> str:
    return f"relearn:{template_id}:{phase_id}"


def begin(act: Act, number: str, *, shown: Sequence[str], asked: Collection[str]) -> LiveCommand:
    """Ask the control unit to begin the routine of the present hold.

    Parameters
    ----------
    shown : the relearn and the hold that the page showed
    asked : what who stands there has seen to, by id

    Raises
    ------
    Invalid
        ``routine``: it is another hold by now, a condition does not hold, something asked is not
        said, or the control unit protects itself.
    Refused
        The car is not on the line.
    """
    job = act.job(number)
    now = routine_now(act.db, job)
    template, state = prove.template_of(job), prove.relearn_state(job)
    if now is None or template is None or state is None:
        raise Invalid({"routine": "This hold begins no routine of the control unit."})
    phase = template.phases[state.phase]
    if list(shown) != [template.id, phase.id]:
        raise Invalid({"routine": "Another hold runs by now: look at it first."})
    if now.asked is not None and (now.begun or now.waits(act.now)):
        return now.asked  # sent twice
    why = protective_why(job)
    window = window_of(act.db, job, act.now - timedelta(seconds=LAMP_S), act.now)
    reasons = [f"not in a protective mode: {why}"] if why else []
    reasons += [
        f"{r.lamp.text}: {value_of(r)}, asked is {range_of(r.lamp)}"
        for r in lamps_of(window, now.routine.lamps)
        if not r.lit
    ]
    reasons += [f"{text}: say that it is so" for id_, text in now.routine.asks if id_ not in asked]
    if reasons:
        raise Invalid({"routine": "Not yet. " + "; ".join(reasons) + "."})
    return live.ask(
        act,
        job,
        "routine",
        routine=now.routine.routine,
        purpose=_purpose(template.id, phase.id),
    )
