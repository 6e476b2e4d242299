"""Jobs: by number, by standing, by vehicle."""

from collections.abc import Sequence
from datetime import datetime

from sqlalchemy import func, select, type_coerce
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Session, lazyload, load_only, selectinload, undefer

from galene.core.jobcard.job_records import Handover
from galene.store.models import AuditEntry, CheckResult, Job, JobCode, ReadingSet, StepRow

CHANGED = "galene_job"
"""Where the database tells the key of a job whose trace has grown."""
NUMBERS_LOCK = 8042
"""Advisory lock under which the next job's number is found."""


def by_number(db: Session, number: str) -> Job | None:
    """The job of this number."""
    return db.execute(select(Job).where(Job.number == number)).unique().scalar_one_or_none()


def by_number_locked(db: Session, number: str) -> Job | None:
    """The job as it is now, locked until the write ends."""
    asked = (
        select(Job)
        .where(Job.number == number)
        .with_for_update(of=Job, key_share=True)
        .execution_options(populate_existing=True)
    )
    return db.execute(asked).unique().scalar_one_or_none()


def last_number(db: Session, prefix: str) -> str | None:
    """The highest number that begins so; nobody else takes one before the write ends."""
    db.execute(select(func.pg_advisory_xact_lock(NUMBERS_LOCK)))
    return db.scalar(select(func.max(Job.number)).where(Job.number.startswith(prefix)))


def open_by_due(db: Session, limit: int) -> Sequence[Job]:
    """Open jobs with what the board shows of them, the first due first.

    Of the steps only their place and whether they are done is read, and the document of the first
    that is left, at the proof of those that are: a card's documents are most of a job.
    """
    asked = (
        select(Job)
        .where(Job.state == "open")
        .options(
            *(selectinload(x) for x in (Job.items, Job.waits)),
            selectinload(Job.sets).lazyload(ReadingSet.readings),
            selectinload(Job.steps).options(
                load_only(StepRow.job_id, StepRow.position, StepRow.done_at),
                lazyload(StepRow.done_by),
            ),
        )
        .order_by(Job.due_at.nulls_last(), Job.id)
        .limit(limit)
    )
    found = db.scalars(asked).unique().all()
    wanted: list[int] = []
    for job in found:
        left = [s.id for s in job.steps if s.done_at is None and s.position >= job.card.first]
        wanted += {"work": left[:1], "prove": left}.get(job.stage, [])
    if wanted:
        whole = select(StepRow).where(StepRow.id.in_(wanted)).options(undefer(StepRow.document))
        db.scalars(whole).unique().all()
    return found


def count_open(db: Session) -> int:
    """How many jobs are open."""
    return db.scalar(select(func.count()).select_from(Job).where(Job.state == "open")) or 0


def recently_finished(db: Session, limit: int) -> list[Job]:
    """Finished jobs, the newest first."""
    asked = select(Job).where(Job.state == "finished").order_by(Job.finished_at.desc())
    return list(db.scalars(asked.limit(limit)).unique())


def to_be_confirmed(db: Session, limit: int) -> list[Job]:
    """Signed jobs of which something is still to be confirmed, the first day first."""
    proof = type_coerce(Job.proof, JSONB)
    asked = (
        select(Job)
        .where(
            Job.state == "finished",
            proof["recheck_on"].astext.is_not(None),
            proof["confirmed_at"].astext.is_(None),
        )
        .order_by(proof["recheck_on"].astext, Job.id)
        .limit(limit)
    )
    return list(db.scalars(asked).unique())


def open_with_code(db: Session, code: str) -> list[Job]:
    """Open jobs on which a code was read before the work."""
    asked = (
        select(Job)
        .join(JobCode, JobCode.job_id == Job.id)
        .where(JobCode.code == code, JobCode.phase == "before", Job.state == "open")
    )
    return list(db.scalars(asked).unique())


def furthest_km_before(db: Session, job: Job) -> float | None:
    """The highest odometer of the vehicle's earlier jobs."""
    return db.scalar(
        select(func.max(Job.distance_km)).where(Job.vehicle_id == job.vehicle_id, Job.id < job.id)
    )


def open_of_vehicle(db: Session, vehicle_id: int) -> Job | None:
    """The vehicle's newest open job."""
    asked = (
        select(Job)
        .where(Job.vehicle_id == vehicle_id, Job.state == "open")
        .order_by(Job.id.desc())
        .limit(1)
    )
    return db.scalars(asked).unique().first()


def of_vehicle(db: Session, vehicle_id: int, limit: int) -> Sequence[Job]:
    """A vehicle's jobs with what its page shows of them, the newest first."""
    asked = (
        select(Job)
        .where(Job.vehicle_id == vehicle_id)
        .options(selectinload(Job.looks), selectinload(Job.sets), selectinload(Job.codes))
        .order_by(Job.id.desc())
        .limit(limit)
    )
    return db.scalars(asked).unique().all()


def works_of_vehicle(db: Session, vehicle_id: int) -> list[tuple[int, datetime]]:
    """Jobs of a vehicle whose work began, and when."""
    asked = select(Job.id, Job.work_began_at).where(
        Job.vehicle_id == vehicle_id, Job.work_began_at.is_not(None)
    )
    return [(job_id, at) for job_id, at in db.execute(asked) if at is not None]


def begun_of_vehicle(db: Session, vehicle_id: int, limit: int) -> Sequence[Job]:
    """A vehicle's jobs whose work began, without what was read and seen on them, the newest
    first."""
    asked = (
        select(Job)
        .where(Job.vehicle_id == vehicle_id, Job.work_began_at.is_not(None))
        .order_by(Job.id.desc())
        .limit(limit)
    )
    return db.scalars(asked).unique().all()


def newest_of_vehicles(
    db: Session, vehicle_ids: Sequence[int]
) -> tuple[dict[int, Job], dict[int, int]]:
    """The newest job of each vehicle, and how many it has had."""
    newest = db.execute(
        select(Job.vehicle_id, func.max(Job.id), func.count())
        .where(Job.vehicle_id.in_(vehicle_ids))
        .group_by(Job.vehicle_id)
    ).all()
    asked = select(Job).where(Job.id.in_([row[1] for row in newest]))
    jobs = {job.vehicle_id: job for job in db.scalars(asked).unique()}
    return jobs, {row[0]: row[2] for row in newest}


def handovers(db: Session, limit: int) -> Sequence[Handover]:
    """What was confirmed at the handover of finished jobs, the newest first."""
    return db.scalars(
        select(Job.handover)
        .where(Job.state == "finished")
        .order_by(Job.finished_at.desc())
        .limit(limit)
    ).all()


def check_results(db: Session, job_id: int, check_id: str = "") -> list[CheckResult]:
    """Runs of a check on a job, of every check where none is named, the newest first."""
    asked = select(CheckResult).where(CheckResult.job_id == job_id)
    if check_id:
        asked = asked.where(CheckResult.check_id == check_id)
    return list(db.scalars(asked.order_by(CheckResult.id.desc())))


def trace(db: Session, job_id: int, limit: int) -> Sequence[AuditEntry]:
    """Who did what on a job, the newest first."""
    asked = (
        select(AuditEntry)
        .where(AuditEntry.job_id == job_id)
        .order_by(AuditEntry.id.desc())
        .limit(limit)
    )
    return db.scalars(asked).unique().all()
