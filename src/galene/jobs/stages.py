"""The seven stages in their order, what each still lacks, and moving between them."""

from collections.abc import Sequence
from dataclasses import dataclass

from galene.jobs.act import Act
from galene.jobs.errors import Invalid, Refused
from galene.jobs.rounds import rows_of_round
from galene.store.models import Job

STAGES: tuple[str, ...] = ("intake", "evidence", "diagnosis", "plan", "work", "prove", "handover")


@dataclass(frozen=True)
class Lack:
    """Something that a stage still needs: what, the job's page and the place on it where it is
    entered, and what to do about it."""

    text: str
    place: str
    do: str = ""


def _intake(job: Job) -> list[Lack]:
    found = []
    if not job.complaint.strip():
        found.append(Lack("the complaint in the owner's words", "intake#complaint"))
    if job.distance_km is None and job.hours is None:
        found.append(Lack("odometer or engine hours", "intake#distance"))
    return found


def _evidence(job: Job) -> list[Lack]:
    if job.before_missing_reason:
        return []
    kinds = {s.kind for s in job.sets if s.phase == "before"}
    return (
        []
        if "idle" in kinds
        else [Lack("idle readings of the before set, or why there are none", "evidence#idle")]
    )


def _plan(job: Job) -> list[Lack]:
    found = []
    if not job.plans or job.plans[0].approved_at is None:
        found.append(Lack("an approved plan", "plan#approve" if job.plans else "plan#scope"))
    if not job.bulletins.outcome:
        found.append(
            Lack(
                "bulletins and recalls looked up before any tool is lifted",
                "intake#bulletins_source",
            )
        )
    return found


PROVEN = frozenset({"start", "relearn", "prove"})
"""Phases of the card that belong to the stage of proof."""


def _work(job: Job) -> list[Lack]:
    found = [] if job.steps else [Lack("the card: begin the work", "work#card")]
    if job.card.held:
        found.append(
            Lack(
                f"the job is held: {job.card.held.why.rstrip('.')}",
                "work#held",
                "Resolve what holds it",
            )
        )
    left = sum(
        1 for s in rows_of_round(job) if s.done_at is None and s.document.phase not in PROVEN
    )
    # Power-on steps that stand behind the first start are done in the stage of proof.
    start = next((s.position for s in rows_of_round(job) if s.document.act == "start"), None)
    if start is not None:
        left = sum(
            1
            for s in rows_of_round(job)
            if s.done_at is None and s.document.phase not in PROVEN and s.position < start
        )
    if left:
        found.append(Lack(f"{left} step{'s' if left > 1 else ''} of the card", "work#card"))
    if any(i.closed_at is None and i.before == "start" for i in job.items):
        found.append(Lack("everything that must go back before the start", "work#strip"))
    return found


def _prove(job: Job) -> list[Lack]:
    found = []
    rows = [s for s in rows_of_round(job) if s.done_at is None]
    if job.codes_cleared_at is None:
        found.append(Lack("the codes cleared", "prove#relearn", "Clear the codes"))
    if job.engine_started_at is None:
        found.append(Lack("the first start", "prove#start", "Start the engine for the first time"))
    if any(s.document.relearn for s in rows):
        found.append(
            Lack("the relearn, or why it is not needed", "prove#relearn", "Run the relearn")
        )
    if not any(s.phase == "after" and s.kind == "idle" for s in job.sets):
        found.append(
            Lack("idle readings of the after set", "prove#after", "Take the same readings again")
        )
    if not job.road_test.done:
        found.append(Lack("the road test", "prove#road", "Drive the road test"))
    if job.pending_read_at is None:
        found.append(
            Lack(
                "pending codes read after the road test", "prove#pending", "Read the pending codes"
            )
        )
    ticks = [s.document.text for s in rows if s.document.act == "tick"]
    if ticks:
        found.append(Lack(f"on the card: {ticks[0]}", "work#card", ticks[0]))
    return found


def _nothing(job: Job) -> list[Lack]:
    """Diagnosis and handover ask for nothing: a cleaning may be upkeep, without any fault."""
    return []


LACKS = {
    "intake": _intake,
    "evidence": _evidence,
    "diagnosis": _nothing,
    "plan": _plan,
    "work": _work,
    "prove": _prove,
    "handover": _nothing,
}


def lacks(job: Job, stage: str) -> list[Lack]:
    """What `stage` still needs before the job may leave it."""
    return LACKS[stage](job)


def lacking(title: str, job: Job, missing: Sequence[Lack]) -> Refused:
    """The refusal that says what is missing, each with the way to it."""
    at = {lack.text: f"/jobs/{job.number}/{lack.place}" for lack in missing}
    return Refused(title, list(at), at=at)


def advance(act: Act, number: str, stage: str) -> Job:
    """Move the job from `stage` to the next one. A job that is already past it stays where it is.

    Raises
    ------
    Refused
        With everything that is still missing.
    """
    job = act.job(number)
    position = STAGES.index(stage)
    if STAGES.index(job.stage) > position:
        return job
    missing = [lack for s in STAGES[: position + 1] for lack in lacks(job, s)]
    if missing:
        raise lacking(f"Not ready to leave {stage}", job, missing)
    job.stage = STAGES[position + 1]
    act.trace(job, "stage", to=job.stage)
    return job


def go_back(act: Act, number: str, stage: str, *, reason: str) -> Job:
    """Send the job back to an earlier stage, with the reason in the trace. Nothing that was entered
    is lost."""
    job = act.job(number)
    if stage not in STAGES or STAGES.index(stage) >= STAGES.index(job.stage):
        raise Refused("Not an earlier stage", [f"the job stands at {job.stage}"])
    if len(reason.strip()) < 3:
        raise Invalid({"reason": "Say in a few words why the job goes back."})
    act.trace(job, "stage_back", to=stage, was=job.stage, reason=reason.strip())
    job.stage = stage
    return job
