"""People, their sessions, and the workshop that they work in."""

from datetime import datetime

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from galene.store.models import AuditEntry, Person, WebSession, Workshop

THE_WORKSHOP = 1
"""Id of the one row."""


def by_id(db: Session, person_id: int) -> Person | None:
    """The person of this id."""
    return db.get(Person, person_id)


def by_sign_in(db: Session, sign_in: str) -> Person | None:
    """The person who signs in by this name."""
    return db.scalar(select(Person).where(Person.sign_in == sign_in))


def everybody(db: Session) -> list[Person]:
    """Everybody of the workshop, by name."""
    return list(db.scalars(select(Person).where(Person.role != "guest").order_by(Person.name)))


def session(db: Session, key: str) -> WebSession | None:
    """A signed-in browser."""
    return db.get(WebSession, key)


def session_and_workshop(db: Session, key: str) -> tuple[WebSession, Workshop] | None:
    """A signed-in browser and the workshop, in one question."""
    row = db.execute(
        select(WebSession, Workshop)
        .join(Workshop, Workshop.id == THE_WORKSHOP)
        .where(WebSession.id == key)
    ).first()
    return (row[0], row[1]) if row else None


def forget_sessions(db: Session, before: datetime) -> None:
    """Sessions that are over."""
    db.execute(delete(WebSession).where(WebSession.expires_at < before))


def end_session(db: Session, key: str) -> None:
    """Sign a browser out."""
    db.execute(delete(WebSession).where(WebSession.id == key))


def workshop(db: Session) -> Workshop:
    """The workshop."""
    return db.get_one(Workshop, THE_WORKSHOP)


def workshop_or_none(db: Session) -> Workshop | None:
    """The workshop, None before it is set up."""
    return db.get(Workshop, THE_WORKSHOP)


def workshop_locked(db: Session) -> Workshop:
    """The workshop, locked until the write ends."""
    asked = select(Workshop).where(Workshop.id == THE_WORKSHOP).with_for_update()
    return db.execute(asked).scalar_one()


def last_trace(db: Session, action: str) -> AuditEntry | None:
    """The newest record of an action."""
    asked = (
        select(AuditEntry)
        .where(AuditEntry.action == action)
        .order_by(AuditEntry.id.desc())
        .limit(1)
    )
    return db.scalar(asked)
