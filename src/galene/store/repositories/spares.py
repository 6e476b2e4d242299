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
