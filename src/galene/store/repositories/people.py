"""People, and the workshop that they work in."""

from datetime import datetime

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from galene.store.models import AuditEntry, Person, SetUpAddress, Workshop

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


def locked(db: Session, person_id: int) -> Person:
    """The person of this id, locked until the write ends."""
    asked = select(Person).where(Person.id == person_id).with_for_update(of=Person)
    return db.execute(asked.execution_options(populate_existing=True)).scalar_one()


def with_pin(db: Session) -> list[Person]:
    """Who may change on a shared tablet by PIN, by name."""
    return [p for p in everybody(db) if p.left_at is None and p.pin_hash]


SET_UP_LOCK = 0x67616C656E65
"""Number of the lock that lets one set-up through at a time."""


def lock_set_up(db: Session) -> None:
    """Hold off every other set-up until this one is done."""
    db.execute(select(func.pg_advisory_xact_lock(SET_UP_LOCK)))


def put_set_up_address(db: Session, secret_hash: str, now: datetime) -> None:
    """The one address at which a set-up is open."""
    db.execute(delete(SetUpAddress))
    db.add(SetUpAddress(secret_hash=secret_hash, made_at=now))


def is_set_up_address(db: Session, secret_hash: str) -> bool:
    """Whether it is the open address."""
    return db.get(SetUpAddress, secret_hash) is not None


def forget_set_up_address(db: Session) -> None:
    """No set-up is open any more."""
    db.execute(delete(SetUpAddress))


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
