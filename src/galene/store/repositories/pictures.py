"""Pictures of jobs."""

from sqlalchemy import select
from sqlalchemy.orm import Session

from galene.store.models import JobPicture


def of_job(db: Session, job_id: int) -> list[JobPicture]:
    """A job's pictures in the order in which they were taken."""
    return list(
        db.scalars(
            select(JobPicture)
            .where(JobPicture.job_id == job_id)
            .order_by(JobPicture.at, JobPicture.id)
        )
    )


def by_id(db: Session, picture_id: int) -> JobPicture | None:
    """One picture."""
    return db.get(JobPicture, picture_id)


def file_names(db: Session) -> set[str]:
    """Names of all files that jobs' pictures are kept under."""
    rows = db.execute(select(JobPicture.digest, JobPicture.thumbnail))
    return {name for row in rows for name in row}
