"""The shed as it is now: each job with what it waits for and what comes next, the most pressing
first."""

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy.orm import Session

from galene.core.jobcard.ready import PLACE_OF_ACT
from galene.jobs.evidence import set_of
from galene.jobs.gates import open_items
from galene.jobs.prove import relearn_state
from galene.jobs.rounds import rows_of_round
from galene.jobs.stages import STAGES, lacks
from galene.jobs.waits import running_waits
from galene.jobs.work import current_step
from galene.store.models import Job, WaitRow
from galene.store.repositories import jobs

BOARD_LIMIT = 16


@dataclass(frozen=True, kw_only=True)
class Standing:
    """One job on the board. `urgency`: 0 now, 1 can be done now, 2 waits, 3 for somebody else."""

    job: Job
    do: str
    why: str
    place: str
    urgency: int
    wait: WaitRow | None
    open_count: int
    steps_done: int
    steps_all: int


def standing(job: Job, now: datetime) -> Standing:
    """What a job asks for next, in one line, and where that is done."""
    waits = running_waits(job, now)
    wait = waits[0] if waits else None
    items = open_items(job)
    steps = rows_of_round(job) if job.stage == "work" else []
    done, total = sum(1 for s in steps if s.done_at), len(steps)
    do, why, place, urgency = _next(job, now, wait)
    return Standing(
        job=job,
        do=do,
        why=why,
        place=place,
        urgency=urgency,
        wait=wait,
        open_count=len(items),
        steps_done=done,
        steps_all=total,
    )


BEFORE_READINGS = (
    "Take the before readings",
    "before any code is cleared and anything is moved",
    "evidence",
    1,
)


def _next(job: Job, now: datetime, wait: WaitRow | None) -> tuple[str, str, str, int]:
    """What to do, why, where, and how urgent."""
    if job.card.held:
        return f"Held: {job.card.held.why}", "a foreman or a new plan resolves it", "work#held", 0
    if job.stage == "work":
        return _next_step(job, wait)
    by_stage = {
        "intake": _next_at_intake,
        "evidence": _next_of_evidence,
        "diagnosis": lambda _: (
            "Decide the cause, or do the next check",
            "causes are ranked",
            "diagnosis",
            1,
        ),
        "plan": _next_of_plan,
        "prove": _next_of_proof,
    }
    return by_stage.get(job.stage, _next_of_handover)(job)


def _next_at_intake(job: Job) -> tuple[str, str, str, int]:
    missing = lacks(job, "intake")
    if missing:
        return "Finish the intake", "missing: " + missing[0].text, "intake", 1
    return BEFORE_READINGS


def _next_of_evidence(job: Job) -> tuple[str, str, str, int]:
    if set_of(job, "before", "idle") is None:
        return BEFORE_READINGS
    return "Weigh the evidence", "the before set is in", "diagnosis", 1


def _next_of_plan(job: Job) -> tuple[str, str, str, int]:
    if not job.plans:
        return "Plan the scope", "no plan yet", "plan", 1
    newest = job.plans[0]
    if newest.approved_at is None:
        why = f"plan {newest.version} waits for a yes"
        return "Ask the owner for approval", why, "plan", 2
    return "Begin the work", "the plan is approved", "plan", 1


def _next_step(job: Job, wait: WaitRow | None) -> tuple[str, str, str, int]:
    step = current_step(job)
    if not job.steps:
        return "Begin the work", "the plan is approved", "work", 1
    if step is None:
        return "Go on to relearn and proof", "every step is ticked", "work", 1
    document = step.document
    if wait and wait.name in document.waits_for:
        waits = f"Wait: {wait.name[0].lower()}{wait.name[1:]}"
        return waits, "then: " + document.text, "work", 2
    place = "work" if document.act == "tick" else PLACE_OF_ACT[document.act]
    of_all = f"step {step.position - job.card.first + 1} of {len(rows_of_round(job))}"
    return document.text, of_all, place, 0


def _next_of_proof(job: Job) -> tuple[str, str, str, int]:
    state = relearn_state(job)
    if state and state.outcome == "running":
        return "Watch the relearn", "a hold runs", "prove", 0
    missing = lacks(job, "prove")
    if missing:
        return missing[0].do, "what proves it is not all in yet", "prove", 1
    return "Hand over", "the proof is whole", "prove", 1


def _next_of_handover(job: Job) -> tuple[str, str, str, int]:
    if not job.handover.said:
        return "Confirm what it was", "the proof is whole", "handover", 1
    return "Foreman: look at it and sign", "everything else is done", "handover", 3


def board(db: Session, now: datetime) -> list[Standing]:
    """Open jobs with their standing: what is due and urgent first. Steps and plans are read only
    where a stage asks for them."""
    found = [standing(j, now) for j in jobs.open_by_due(db, BOARD_LIMIT)]
    far = datetime.max.replace(tzinfo=now.tzinfo)
    found.sort(key=lambda s: (s.urgency, s.job.due_at or far, -STAGES.index(s.job.stage)))
    return found


def open_count(db: Session) -> int:
    """How many jobs are open, also those that do not fit on the board."""
    return jobs.count_open(db)


def recently_finished(db: Session, limit: int = 4) -> list[Job]:
    """The newest finished jobs."""
    return jobs.recently_finished(db, limit)
