"""Jobs that came in by bundles."""

from collections.abc import Collection, Iterator

from sqlalchemy import select
from sqlalchemy.orm import Session

from galene.store.models import BundleIn, FamilyVersion, Job, LogValues, Person, Vehicle


def came_in(db: Session, digest: str) -> Job | None:
    """The job that came in with this content."""
    asked = select(Job).join(BundleIn, BundleIn.job_id == Job.id).where(BundleIn.digest == digest)
    return db.scalars(asked).unique().one_or_none()


def names(db: Session) -> dict[int, str]:
    """Everybody's name, guests too."""
    return {person.id: person.name for person in db.scalars(select(Person))}


def person_named(db: Session, name: str, *, guest: bool) -> Person | None:
    """The first person of this name, of the workshop or a guest."""
    kind = Person.role == "guest" if guest else Person.role != "guest"
    return db.scalars(select(Person).where(Person.name == name, kind).order_by(Person.id)).first()


def family_version(db: Session, family_id: str, digest: str) -> FamilyVersion | None:
    """The version of a family with this content."""
    asked = select(FamilyVersion).where(
        FamilyVersion.family_id == family_id, FamilyVersion.digest == digest
    )
    return db.scalars(asked).first()


def numbers(
    db: Session, *, vehicle_key: str = "", only: Collection[str] = (), finished: bool = False
) -> list[str]:
    """Numbers of jobs, the oldest first: all, of a vehicle, or those named."""
    asked = select(Job.number).order_by(Job.id)
    if vehicle_key:
        asked = asked.join(Vehicle, Vehicle.id == Job.vehicle_id)
        asked = asked.where(Vehicle.plate_key == vehicle_key)
    if only:
        asked = asked.where(Job.number.in_(only))
    if finished:
        asked = asked.where(Job.state == "finished")
    return list(db.scalars(asked))


def log_columns(db: Session, log_id: int) -> Iterator[bytes]:
    """The deflated columns of a log, in their order."""
    asked = select(LogValues.data).where(LogValues.log_id == log_id).order_by(LogValues.position)
    yield from db.scalars(asked)
