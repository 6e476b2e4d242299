"""Logs taken in: files, their columns, and how headings were named before."""

from collections.abc import Sequence
from datetime import datetime

from sqlalchemy import func, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from galene.core.logs.series import ColumnMapping
from galene.store.models import LogFile, LogMapping, LogValues


def of_job(db: Session, job_id: int) -> list[LogFile]:
    """A job's logs, the newest first."""
    return list(
        db.scalars(select(LogFile).where(LogFile.job_id == job_id).order_by(LogFile.id.desc()))
    )


def count(db: Session, job_id: int) -> int:
    """How many logs a job has."""
    asked = select(func.count()).select_from(LogFile).where(LogFile.job_id == job_id)
    return db.scalar(asked) or 0


def by_id(db: Session, log_id: int) -> LogFile | None:
    """One log."""
    return db.get(LogFile, log_id)


def by_digest(db: Session, job_id: int, digest: str) -> LogFile | None:
    """A job's log of this content."""
    return db.scalar(select(LogFile).where(LogFile.job_id == job_id, LogFile.digest == digest))


def columns(db: Session, log_id: int, positions: Sequence[int]) -> dict[int, bytes]:
    """Deflated values of some columns, by position."""
    rows = db.execute(
        select(LogValues.position, LogValues.data).where(
            LogValues.log_id == log_id, LogValues.position.in_(positions)
        )
    )
    return {row.position: row.data for row in rows}


def add_columns(db: Session, log_id: int, data: Sequence[bytes]) -> None:
    """Keep the deflated values of all columns in their order."""
    db.execute(
        insert(LogValues),
        [{"log_id": log_id, "position": i, "data": values} for i, values in enumerate(data)],
    )


def mapping(db: Session, heading_key: str) -> LogMapping | None:
    """How the columns of these headings were named last."""
    return db.get(LogMapping, heading_key)


def remember_mapping(
    db: Session, heading_key: str, named: ColumnMapping, *, at: datetime, person_id: int
) -> None:
    """Keep how the columns of these headings are named."""
    keep = insert(LogMapping).values(
        heading_key=heading_key, mapping=named, at=at, person_id=person_id
    )
    db.execute(
        keep.on_conflict_do_update(
            index_elements=["heading_key"],
            set_={"mapping": keep.excluded.mapping, "at": at, "person_id": person_id},
        )
    )
