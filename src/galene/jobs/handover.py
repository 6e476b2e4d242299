"""Stage 7: what it was, next date, sign-off, the finished job and its opening again."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import timedelta

from sqlalchemy.orm import Session

from galene.core.jobcard.job_records import ConfirmedCause, EarlierSignature, Handover, KeptProof
from galene.core.proof.recheck import recheck_in_days
from galene.jobs import bands, minutes
from galene.jobs.act import Act, family_of
from galene.jobs.diagnosis import assess_job
from galene.jobs.errors import Invalid
from galene.jobs.gates import gate_blockers, pass_gate
from galene.jobs.growth import next_look_for
from galene.jobs.intake import check_text
from galene.jobs.proof import kept_checks, samples_of, told_of
from galene.jobs.rights import Right
from galene.jobs.stages import STAGES, Lack, lacking, lacks
from galene.knowledge.base import KNOWLEDGE, outline_of
from galene.knowledge.proving import title_of
from galene.store.models import Job
from galene.store.repositories import jobs, people

BROKEN = "the part was seen broken"
"""What confirms a cause where neither grade nor check did."""


def found_things(db: Session, job: Job) -> list[str]:
    """What was found on a job and may confirm a cause: grades, checks, what was seen broken."""
    family = family_of(job)
    found = [
        f"{family.part(k.part).label}: grade {k.grade}"
        for k in job.looks
        if k.phase in ("before", "work") and k.grade >= GRADE_FOUND
    ]
    found += [
        f"{title_of(row.check_id)}: {str(row.result['verdict']).replace('_', ' ')}"
        for row in jobs.check_results(db, job.id)
        if row.phase == "before" and row.result
    ]
    found += [
        f"seen: {KNOWLEDGE.evidence[o.evidence].text}"
        for o in job.observations
        if o.state == "present"
        and o.source in ("check", "look", "calculation")
        and o.evidence in KNOWLEDGE.evidence
    ]
    return [*dict.fromkeys(found), BROKEN]


GRADE_FOUND = 2
"""Grade from which a deposit is a finding and not a film (the grades' own scale)."""


LONGEST_WORDS = 200


@dataclass(frozen=True, kw_only=True)
class ItWas:
    """What it was: causes with what confirms each, free words, or that nobody knows."""

    causes: tuple[ConfirmedCause, ...] = ()
    words: str = ""
    unsure: bool = False


def _faults_of(it_was: ItWas, things: Sequence[str]) -> dict[str, str]:
    ids = [c.id for c in it_was.causes]
    if any(c not in KNOWLEDGE.causes for c in ids) or len(set(ids)) != len(ids):
        return {"cause": "Choose what it was, each once."}
    if not ids and not it_was.words and not it_was.unsure:
        return {"cause": "Choose what it was, say it in words, or that you are not sure."}
    if len(it_was.words) > LONGEST_WORDS:
        return {"words": f"Up to {LONGEST_WORDS} characters."}
    odd = next((c for c in it_was.causes if c.found and c.found not in things), None)
    if odd:
        return {"cause": f"“{odd.found[:60]}” was not found on this job."}
    return {}


def save_handover(
    act: Act, number: str, it_was: ItWas, *, advice: str, fed: bool, seen: int
) -> Job:
    """The technician's closing words: what it was, what was found and not done, whether the feed is
    mended.

    Raises
    ------
    Invalid, Stale, ReadOnly
    """
    job = act.job(number)
    faults = _faults_of(it_was, found_things(act.db, job))
    outline = outline_of(family_of(job))
    for cause in it_was.causes if not faults else ():
        if not KNOWLEDGE.causes[cause.id].possible_on(outline):
            faults = {"cause": f"{KNOWLEDGE.causes[cause.id].title}: this engine can not have it."}
    if faults:
        raise Invalid(faults)
    check_text({"advice": advice, "words": it_was.words})
    act.claim(job, "handover", seen)
    next_look = next_look_for(act.db, job, fed)
    # As it stood when the cause was confirmed: the workshop learns from what was said, not from
    # what would be said now.
    ranking = assess_job(job, people.workshop(act.db).hourly_rate)
    job.handover = Handover(
        causes=it_was.causes,
        words=it_was.words.strip(),
        unsure=it_was.unsure,
        advice=advice.strip(),
        fed=fed,
        ranking=tuple((c.id, round(c.probability, 4)) for c in ranking.causes),
        next_look=next_look,
        by=act.person.name,
        at=act.now,
    )
    act.trace(
        job,
        "handover_saved",
        causes={c.id: c.found for c in it_was.causes},
        words=it_was.words.strip(),
        unsure=it_was.unsure,
    )
    return job


def missing_of(job: Job) -> list[Lack]:
    """What an open job needs before it is signed."""
    missing = [lack for s in STAGES[:-1] for lack in lacks(job, s)]
    if not job.handover.said:
        missing.append(Lack("what it was, confirmed by the technician", "handover#sign"))
    return missing


def sign(act: Act, number: str, override_reason: str = "") -> Job:
    """The foreman's sign-off finishes the job. Twice is harmless.

    Raises
    ------
    NotAllowed
        Anybody but a foreman.
    Refused
        A stage that lacks something, or an item that is still open.
    """
    act.needs(Right.SIGN)
    act.proves()
    job = act.job(number, finished=True)
    if job.state == "finished":
        return job
    missing = missing_of(job)
    if missing:
        raise lacking("Not ready to sign", job, missing)
    why = [b for b in gate_blockers(job, "handover", act.now) if b.kind in ("item", "count")]
    pass_gate(act, job, "handover", why=why, reason=override_reason, title="Not ready to sign")
    job.state, job.stage = "finished", "handover"
    job.signed_at = job.finished_at = act.now
    job.signed_by_id = act.person.id
    keep_proof(act, job)
    minutes.learn_from(act, job)
    act.trace(job, "signed", verdict=job.proof.verdict)
    return job


def keep_proof(act: Act, job: Job) -> None:
    """Keep what a job proves as it is signed, and when what is still to come is looked at; a
    proven job moves its family's bands."""
    proof = told_of(act.db, job).proof
    days = recheck_in_days(proof.missing) if proof.verdict == "better_to_confirm" else None
    job.proof = KeptProof(
        verdict=proof.verdict,
        headline=proof.headline,
        missing=proof.missing,
        at=act.now,
        recheck_on=act.now + timedelta(days=days) if days is not None else None,
    )
    if proof.verdict == "proven":
        bands.learn_from(act, job, samples_of(job, "after", kept_checks(act.db, job)))


def reopen(act: Act, number: str, reason: str, *, stage: str = "evidence") -> Job:
    """Open a finished job again, with the reason in the trace. What was signed stays in the record.
    Twice is harmless.

    Raises
    ------
    NotAllowed
        Anybody but a foreman.
    Invalid
        ``reason``, ``stage``; or the own password did not come with it.
    """
    act.needs(Right.REOPEN)
    act.proves()
    job = act.job(number, finished=True)
    if job.state != "finished":
        return job
    check_text({"reason": reason})
    if len(reason.strip()) < 5:
        raise Invalid({"reason": "Say why the job is opened again."})
    if stage not in STAGES:
        raise Invalid({"stage": "A stage of the job."})
    if job.signed_at is not None:
        signed_by = people.by_id(act.db, job.signed_by_id or 0)
        signature = EarlierSignature(
            by=signed_by.name if signed_by else "",
            at=job.signed_at,
            verdict=job.proof.verdict,
            headline=job.proof.headline,
            opened_by=act.person.name,
            opened_at=act.now,
            reason=reason.strip(),
        )
        job.signatures = (*job.signatures, signature)
    job.state, job.stage, job.reopened_reason = "open", stage, reason.strip()
    job.signed_at = job.finished_at = job.signed_by_id = None
    job.proof = KeptProof()
    bands.forget(act, job)
    minutes.forget(act, job)
    act.trace(job, "reopened", reason=reason.strip(), stage=stage)
    return job
