"""What is kept of the people whose vehicles these are."""

from sqlalchemy import select
from sqlalchemy.orm import Session

from galene.store.models import CalendarFeed, Job, OwnerLink, OwnerWord, Vehicle


def words_of(db: Session, keeper: str) -> list[tuple[str, OwnerWord]]:
    """What was said on the pages of a keeper's jobs, with the job's number."""
    asked = (
        select(Job.number, OwnerWord)
        .join(OwnerLink, OwnerLink.id == OwnerWord.link_id)
        .join(Job, Job.id == OwnerLink.job_id)
        .join(Vehicle, Vehicle.id == Job.vehicle_id)
        .where(Vehicle.keeper == keeper)
        .order_by(OwnerWord.at)
    )
    return [(row[0], row[1]) for row in db.execute(asked)]


def feeds_of(db: Session, keeper: str) -> list[CalendarFeed]:
    """Calendars of a keeper's vehicles."""
    return list(db.scalars(select(CalendarFeed).where(CalendarFeed.keeper == keeper)))
