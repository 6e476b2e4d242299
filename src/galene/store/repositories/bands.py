"""Samples of known-good bands."""

from sqlalchemy import select
from sqlalchemy.orm import Session

from galene.store.models import BandSample


def of_family(db: Session, family_id: str) -> list[BandSample]:
    """All samples of a family, by metric, the oldest first."""
    asked = (
        select(BandSample)
        .where(BandSample.family_id == family_id)
        .order_by(BandSample.metric, BandSample.at, BandSample.id)
    )
    return list(db.scalars(asked))


def of_job(db: Session, job_id: int) -> dict[str, BandSample]:
    """The samples that came of a job, by metric."""
    asked = select(BandSample).where(BandSample.job_id == job_id)
    return {s.metric: s for s in db.scalars(asked)}


def by_id(db: Session, sample_id: int) -> BandSample | None:
    """One sample."""
    return db.get(BandSample, sample_id)
