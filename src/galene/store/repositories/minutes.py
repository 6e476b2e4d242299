"""Minutes that steps took."""

from collections.abc import Collection
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from galene.core.learning.minutes import Timed
from galene.store.models import Job, Person, StepTime, Vehicle


def timed(db: Session, family_id: str, step_ids: Collection[str]) -> dict[str, Timed]:
    """How often each step of a family was timed, and the sum of its logarithms."""
    rows = db.execute(
        select(StepTime.step_id, func.count(), func.sum(func.ln(StepTime.minutes)))
        .where(
            StepTime.family_id == family_id,
            StepTime.step_id.in_(step_ids),
            StepTime.minutes.is_not(None),
        )
        .group_by(StepTime.step_id)
    )
    return {step: Timed(count=count, log_sum=logs) for step, count, logs in rows}


def forget(db: Session, job_id: int) -> None:
    """A job's times count no more."""
    db.execute(delete(StepTime).where(StepTime.job_id == job_id))


@dataclass(frozen=True, kw_only=True)
class StepLoss:
    """A step of a family over all its doings: the book's minutes and what it took, in all."""

    family_id: str
    step_id: str
    title: str
    book: float
    timed: Timed
    lost: float


def losses(db: Session, limit: int) -> list[StepLoss]:
    """Steps by the minutes that they took beyond the book, most first."""
    lost = func.sum(StepTime.minutes - StepTime.book)
    rows = db.execute(
        select(
            StepTime.family_id,
            StepTime.step_id,
            func.max(StepTime.title),
            func.avg(StepTime.book),
            func.count(),
            func.sum(func.ln(StepTime.minutes)),
            lost,
        )
        .where(StepTime.minutes.is_not(None))
        .group_by(StepTime.family_id, StepTime.step_id)
        .order_by(lost.desc(), StepTime.family_id, StepTime.step_id)
        .limit(limit)
    )
    return [
        StepLoss(
            family_id=r[0],
            step_id=r[1],
            title=r[2],
            book=r[3],
            timed=Timed(count=r[4], log_sum=r[5]),
            lost=r[6],
        )
        for r in rows
    ]


@dataclass(frozen=True, kw_only=True)
class JobTimes:
    """A finished job: minutes of the book and true ones, over the steps that were timed."""

    number: str
    plate: str
    technician: str
    at: datetime
    book: float
    minutes: float
    steps: int
    paused: int


def by_job(db: Session, limit: int) -> list[JobTimes]:
    """Finished jobs with what they took, the newest first."""
    counted = StepTime.minutes.is_not(None)
    at = func.max(StepTime.at)
    rows = db.execute(
        select(
            Job.number,
            Vehicle.plate,
            Person.name,
            at,
            func.coalesce(func.sum(StepTime.book).filter(counted), 0.0),
            func.sum(StepTime.minutes),
            func.count().filter(counted),
            func.count().filter(StepTime.minutes.is_(None)),
        )
        .select_from(StepTime)
        .join(Job, StepTime.job_id == Job.id)
        .join(Vehicle, Vehicle.id == Job.vehicle_id)
        .join(Person, Person.id == Job.technician_id)
        .group_by(Job.id, Vehicle.plate, Person.name)
        .order_by(at.desc())
        .limit(limit)
    )
    return [
        JobTimes(
            number=r[0],
            plate=r[1],
            technician=r[2],
            at=r[3],
            book=r[4],
            minutes=r[5] or 0.0,
            steps=r[6],
            paused=r[7],
        )
        for r in rows
    ]
