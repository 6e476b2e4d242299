"""Spare parts in stock, and those kept for a job."""

from collections.abc import Sequence
from datetime import datetime

from sqlalchemy import func, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from galene.store.models import Job, SpareReserved, SpareStock


def stock(db: Session) -> list[SpareStock]:
    """Everything in stock, by name."""
    return list(db.scalars(select(SpareStock).order_by(SpareStock.name, SpareStock.number)))


def stock_of(db: Session, numbers: Sequence[str]) -> dict[str, SpareStock]:
    """What is in stock of these numbers."""
    rows = db.scalars(select(SpareStock).where(SpareStock.number.in_(numbers)))
    return {row.number: row for row in rows}


def stock_locked(db: Session, number: str) -> SpareStock | None:
    """One number's stock, locked until the write ends."""
    return db.scalars(
        select(SpareStock).where(SpareStock.number == number).with_for_update()
    ).first()


def reserved(db: Session, numbers: Sequence[str], *, but_job: int | None) -> dict[str, int]:
    """Pieces kept for open jobs and not taken yet, by number; one job may be left out."""
    rows = db.execute(
        select(SpareReserved.number, func.sum(SpareReserved.pieces))
        .join(Job, Job.id == SpareReserved.job_id)
        .where(
            SpareReserved.number.in_(numbers),
            SpareReserved.taken_at.is_(None),
            SpareReserved.job_id != (but_job or 0),
            Job.state == "open",
        )
        .group_by(SpareReserved.number)
    )
    return {number: int(pieces) for number, pieces in rows}


def reserved_for(db: Session, job_id: int) -> Sequence[SpareReserved]:
    """What is kept for a job."""
    return db.scalars(select(SpareReserved).where(SpareReserved.job_id == job_id)).all()


def reservation(db: Session, job_id: int, number: str) -> SpareReserved | None:
    """One number kept for a job."""
    return db.get(SpareReserved, (job_id, number))


def reserve(db: Session, job_id: int, number: str, *, at: datetime, person_id: int) -> None:
    """Keep a piece for a job, unless one is kept already."""
    db.execute(
        insert(SpareReserved)
        .values(job_id=job_id, number=number, pieces=1, at=at, person_id=person_id)
        .on_conflict_do_nothing()
    )


def by_id_locked(db: Session, part_id: int) -> SpareStock | None:
    """One part, locked until the write ends."""
    return db.scalars(select(SpareStock).where(SpareStock.id == part_id).with_for_update()).first()


def used_since(db: Session, numbers: Sequence[str], since: datetime) -> dict[str, int]:
    """Pieces that steps have fitted since a moment, by number."""
    rows = db.execute(
        select(SpareReserved.number, func.sum(SpareReserved.pieces))
        .where(SpareReserved.number.in_(numbers), SpareReserved.taken_at >= since)
        .group_by(SpareReserved.number)
    )
    return {number: int(pieces) for number, pieces in rows}


def began(db: Session) -> datetime | None:
    """When the first job was opened."""
    return db.scalar(select(func.min(Job.opened_at)))


def uses(db: Session, number: str, *, limit: int) -> list[tuple[Job, datetime | None]]:
    """Jobs that hold or have fitted a part, the newest first, with when it was fitted."""
    rows = db.execute(
        select(Job, SpareReserved.taken_at)
        .join(SpareReserved, SpareReserved.job_id == Job.id)
        .where(SpareReserved.number == number)
        .order_by(SpareReserved.at.desc())
        .limit(limit)
    )
    return [(job, taken) for job, taken in rows.unique()]
