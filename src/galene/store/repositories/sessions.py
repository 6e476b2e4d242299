"""Signed-in browsers, known devices, and wrong tries."""

from collections.abc import Sequence
from datetime import datetime

from sqlalchemy import delete, func, select, text
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from galene.store.models import Device, Tries, WebSession, Workshop
from galene.store.repositories.people import THE_WORKSHOP

ENDED = text("select pg_notify('galene_session', :id)")
"""Tells every process that a session is over, once the write is durable."""


def by_key(db: Session, key: str) -> WebSession | None:
    """A signed-in browser."""
    return db.get(WebSession, key)


def with_workshop(db: Session, key: str) -> tuple[WebSession, Workshop] | None:
    """A signed-in browser and the workshop, in one question."""
    row = db.execute(
        select(WebSession, Workshop)
        .join(Workshop, Workshop.id == THE_WORKSHOP)
        .where(WebSession.id == key)
    ).first()
    return (row[0], row[1]) if row else None


def of_person(db: Session, person_id: int, now: datetime) -> list[WebSession]:
    """A person's sessions that are not over, newest first."""
    asked = (
        select(WebSession)
        .where(
            WebSession.person_id == person_id,
            WebSession.expires_at > now,
            WebSession.idle_until > now,
        )
        .order_by(WebSession.seen_at.desc())
    )
    return list(db.scalars(asked))


def last_seen(db: Session) -> dict[int, datetime]:
    """When each person was last heard of, by id."""
    asked = select(WebSession.person_id, func.max(WebSession.seen_at)).group_by(
        WebSession.person_id
    )
    return {row[0]: row[1] for row in db.execute(asked)}


def forget_ended(db: Session, before: datetime) -> None:
    """Sessions that have been over for long."""
    db.execute(delete(WebSession).where(WebSession.expires_at < before))


def _end(db: Session, ids: Sequence[str]) -> None:
    if ids:
        db.execute(delete(WebSession).where(WebSession.id.in_(ids)))
    for one in ids:
        db.execute(ENDED, {"id": one})


def end(db: Session, key: str) -> None:
    """Sign a browser out."""
    _end(db, list(db.scalars(select(WebSession.id).where(WebSession.id == key))))


def end_of_person(db: Session, person_id: int, *, but: str = "") -> int:
    """Sign out all browsers of a person but one; how many."""
    asked = select(WebSession.id).where(WebSession.person_id == person_id, WebSession.id != but)
    found = list(db.scalars(asked))
    _end(db, found)
    return len(found)


def end_all(db: Session) -> None:
    """Sign everybody out."""
    _end(db, list(db.scalars(select(WebSession.id))))


def end_of_device(db: Session, device_id: int) -> None:
    """Sign out whoever is signed in on a device."""
    _end(db, list(db.scalars(select(WebSession.id).where(WebSession.device_id == device_id))))


def device(db: Session, secret_hash: str) -> Device | None:
    """A known browser by its secret's hash."""
    return db.scalar(select(Device).where(Device.secret_hash == secret_hash))


def device_by_id(db: Session, device_id: int) -> Device | None:
    """A known browser."""
    return db.get(Device, device_id)


def shared_devices(db: Session) -> list[Device]:
    """Shared tablets in use, by name."""
    asked = select(Device).where(Device.person_id.is_(None), Device.ended_at.is_(None))
    return list(db.scalars(asked.order_by(Device.name, Device.id)))


def tries_locked(db: Session, key: str, now: datetime) -> Tries:
    """The tries of a key, locked until the write ends; made at none."""
    db.execute(insert(Tries).values(key=key, count=0, last_at=now).on_conflict_do_nothing())
    asked = select(Tries).where(Tries.key == key).with_for_update()
    return db.execute(asked.execution_options(populate_existing=True)).scalar_one()


def forget_tries(db: Session, key: str) -> None:
    """Forget the tries of a key."""
    db.execute(delete(Tries).where(Tries.key == key))


def forget_old_tries(db: Session, before: datetime) -> None:
    """Forget tries that are long past."""
    db.execute(delete(Tries).where(Tries.last_at < before))
