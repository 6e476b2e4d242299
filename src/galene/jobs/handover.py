"""Stage 7: verdict, next date, sign-off, the finished job and its opening again."""

from dataclasses import dataclass

from galene.core.calculations.before_after import BeforeAfterResult
from galene.core.jobcard.job_records import Handover
from galene.core.proof.next_visit import Visit, next_visit
from galene.jobs.act import Act
from galene.jobs.diagnosis import DUTY, assess_job
from galene.jobs.errors import Invalid, Refused
from galene.jobs.gates import gate_blockers, pass_gate
from galene.jobs.intake import check_text
from galene.jobs.prove import after_codes, compare
from galene.jobs.stages import STAGES, lacks
from galene.knowledge.base import KNOWLEDGE
from galene.store.models import Job
from galene.store.repositories import jobs, people


@dataclass(frozen=True)
class Verdict:
    """What the owner is told: word, sentence, and what stands against it."""

    word: str
    sentence: str
    against: tuple[str, ...]


def verdict_of(job: Job, result: BeforeAfterResult | None = None) -> Verdict:
    """The job's verdict from the comparison (made here where it is not given), the complaint on the
    road and the codes."""
    result = result or compare(job)
    against = []
    codes = after_codes(job)
    if codes:
        against.append("codes after the road test: " + ", ".join(c.code for c in codes))
    if job.road_test.complaint == "there":
        against.append("the complaint is still there")
    if job.card.held:
        against.append(f"held: {job.card.held.why}")
    if job.relearn.outcome == "failed":
        against.append("the relearn failed")
    if result is None:
        word, sentence = (
            "not_shown",
            "No figures before and after"
            + (f": {job.before_missing_reason}" if job.before_missing_reason else "")
            + ".",
        )
    else:
        word, sentence = result.verdict, result.sentence
    if against and word == "improved":
        word, sentence = "mixed", sentence + " But not everything is well."
    return Verdict(word, sentence, tuple(against))


def visit_for(act: Act, job: Job, fed: bool) -> Visit | None:
    """When to look again, from this vehicle's own history where it has one."""
    if job.distance_km is None:
        return None
    earlier = jobs.finished_before(act.db, job)
    since = (
        job.distance_km - earlier.distance_km
        if earlier and earlier.distance_km is not None
        else None
    )
    grades = [k.grade for k in job.looks if k.phase in ("before", "work")]
    duty = tuple(
        o.evidence for o in job.observations if o.evidence in DUTY and o.state == "present"
    )
    return next_visit(
        job.distance_km, duty, max(grades, default=None), km_since_cleaning=since or None, fed=fed
    )


def save_handover(act: Act, number: str, cause: str, *, advice: str, fed: bool, seen: int) -> Job:
    """The technician's closing words: what it was, what was found and not done, whether the feed is
    mended.

    Raises
    ------
    Invalid, Stale, ReadOnly
    """
    job = act.job(number)
    if cause not in KNOWLEDGE.causes:
        raise Invalid({"cause": "Choose what it was."})
    check_text({"advice": advice})
    act.claim(job, "handover", seen)
    visit = visit_for(act, job, fed)
    # As it stood when the cause was confirmed: the workshop learns from what was said, not from
    # what would be said now.
    ranking = assess_job(job, people.workshop(act.db).hourly_rate)
    job.handover = Handover(
        cause=cause,
        advice=advice.strip(),
        fed=fed,
        ranking=tuple((c.id, round(c.probability, 4)) for c in ranking.causes),
        visit=visit,
        by=act.person.name,
        at=act.now,
    )
    act.trace(job, "handover_saved", cause=cause)
    return job


def sign(act: Act, number: str, override_reason: str = "") -> Job:
    """The foreman's sign-off finishes the job. Twice is harmless.

    Raises
    ------
    NotAllowed
        Anybody but a foreman.
    Refused
        A stage that lacks something, or an item that is still open.
    """
    act.foreman()
    job = act.job(number, finished=True)
    if job.state == "finished":
        return job
    missing = [lack.text for s in STAGES[:-1] for lack in lacks(job, s)]
    if not job.handover.cause:
        missing.append("what it was, confirmed by the technician")
    if job.card.held:
        missing.insert(0, f"the job is held: {job.card.held.why.rstrip('.')}")
    if missing:
        raise Refused("Not ready to sign", missing)
    why = [b for b in gate_blockers(job, "handover", act.now) if b.kind in ("item", "count")]
    pass_gate(act, job, "handover", why=why, reason=override_reason, title="Not ready to sign")
    job.state, job.stage = "finished", "handover"
    job.signed_at = job.finished_at = act.now
    job.signed_by_id = act.person.id
    act.trace(job, "signed", verdict=verdict_of(job).word)
    return job


def reopen(act: Act, number: str, reason: str, *, stage: str = "evidence") -> Job:
    """Open a finished job again, with the reason in the trace. Twice is harmless."""
    job = act.job(number, finished=True)
    if job.state != "finished":
        return job
    check_text({"reason": reason})
    if len(reason.strip()) < 5:
        raise Invalid({"reason": "Say why the job is opened again."})
    if stage not in STAGES:
        raise Invalid({"stage": "A stage of the job."})
    job.state, job.stage, job.reopened_reason = "open", stage, reason.strip()
    job.signed_at = job.finished_at = job.signed_by_id = None
    act.trace(job, "reopened", reason=reason.strip(), stage=stage)
    return job
