"""Signed jobs of which something is still to be confirmed: when, and what came of it."""

from dataclasses import dataclass, replace
from datetime import datetime

from sqlalchemy.orm import Session

from galene.jobs import bands
from galene.jobs.act import Act
from galene.jobs.errors import Invalid, Refused
from galene.jobs.intake import check_text
from galene.jobs.proof import kept_checks, samples_of
from galene.store.models import Job
from galene.store.repositories import jobs

SHOWN = 8
LONGEST_NOTE = 300


@dataclass(frozen=True, kw_only=True)
class Recheck:
    """A signed job that is to be confirmed; `late`: its day has come."""

    job: Job
    on: datetime
    late: bool


def rechecks(db: Session, now: datetime) -> list[Recheck]:
    """What is to be confirmed, the first day first."""
    return [
        Recheck(job=job, on=job.proof.recheck_on, late=job.proof.recheck_on <= now)
        for job in jobs.to_be_confirmed(db, SHOWN)
        if job.proof.recheck_on
    ]


def confirm(act: Act, number: str, *, holds: bool, note: str) -> Job:
    """Say what came of a signed job: it holds, or it came back. Twice is harmless.

    Raises
    ------
    Refused
        Nothing is to be confirmed on it.
    Invalid
        ``note`` missing or too long.
    """
    job = act.job(number, finished=True)
    if job.state != "finished" or job.proof.recheck_on is None:
        raise Refused("Nothing to confirm", ["the job is not signed, or its proof is whole"])
    if job.proof.confirmed_at is not None:
        return job
    check_text({"note": note})
    if not 3 <= len(note.strip()) <= LONGEST_NOTE:
        raise Invalid({"note": "Say what was looked at, in up to 300 characters."})
    job.proof = replace(
        job.proof,
        holds=holds,
        confirmed_at=act.now,
        confirmed_by=act.person.name,
        note=note.strip(),
    )
    if holds:
        bands.learn_from(act, job, samples_of(job, "after", kept_checks(act.db, job)))
    act.trace(job, "confirmed", holds=holds, note=note.strip())
    return job
