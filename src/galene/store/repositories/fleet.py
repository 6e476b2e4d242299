"""Vehicles with when they were here, for the list of what is due."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import func, select, type_coerce
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Session

from galene.core.jobcard.job_records import NextLook
from galene.store.codec import next_look_upgraded
from galene.store.models import CalendarFeed, Job, Vehicle


@dataclass(frozen=True, kw_only=True)
class FleetRow:
    """A vehicle with its last finished job, and its first and last readings of use."""

    plate: str
    plate_key: str
    model: str
    keeper: str
    family_id: str
    vehicle_id: int
    job_id: int
    number: str
    finished_at: datetime
    look: NextLook | None
    at: float | None
    hours: float | None
    first_at: datetime
    first_km: float | None
    first_hours: float | None


DOCUMENT = type_coerce(Job.handover, JSONB)
NEXT_LOOK = func.coalesce(DOCUMENT["next_look"], DOCUMENT["visit"])
"""What a list of many vehicles reads of a handover: the rest of it stays in the store."""


def _look(document: dict[str, Any] | None) -> NextLook | None:
    if not document:
        return None
    told = next_look_upgraded(document)
    return NextLook(**{**told, "together": tuple(told.get("together", ()))})


def due_rows(db: Session, keeper: str = "", *, vehicle_id: int | None = None) -> list[FleetRow]:
    """Every vehicle that was finished once, by its last finished job.

    Parameters
    ----------
    keeper : only vehicles of this keeper, empty for all
    vehicle_id : only this vehicle
    """
    newest = (
        select(Job.vehicle_id, func.max(Job.id).label("job_id"))
        .where(Job.state == "finished")
        .group_by(Job.vehicle_id)
        .subquery()
    )
    used = (
        select(
            Job.vehicle_id,
            func.min(Job.opened_at).label("first_at"),
            func.min(Job.distance_km).label("first_km"),
            func.min(Job.hours).label("first_hours"),
        )
        .group_by(Job.vehicle_id)
        .subquery()
    )
    asked = (
        select(
            Vehicle.plate,
            Vehicle.plate_key,
            Vehicle.model,
            Vehicle.keeper,
            Vehicle.family_id,
            Vehicle.id.label("vehicle_id"),
            Job.id.label("job_id"),
            Job.number,
            func.coalesce(Job.finished_at, Job.opened_at).label("finished_at"),
            NEXT_LOOK.label("look"),
            Job.distance_km.label("at"),
            Job.hours,
            used.c.first_at,
            used.c.first_km,
            used.c.first_hours,
        )
        .join(newest, newest.c.vehicle_id == Vehicle.id)
        .join(Job, Job.id == newest.c.job_id)
        .join(used, used.c.vehicle_id == Vehicle.id)
    )
    if keeper:
        asked = asked.where(Vehicle.keeper == keeper)
    if vehicle_id is None:
        asked = asked.where(Vehicle.retired_at.is_(None))
    if vehicle_id is not None:
        asked = asked.where(Vehicle.id == vehicle_id)
    rows = db.execute(asked).mappings()
    return [FleetRow(**{**row, "look": _look(row["look"])}) for row in rows]


def open_vehicles(db: Session) -> set[int]:
    """Vehicles that are in the workshop now."""
    return set(db.scalars(select(Job.vehicle_id).where(Job.state == "open")))


def keepers(db: Session) -> list[str]:
    """Every keeper of a vehicle, in order."""
    asked = select(Vehicle.keeper).where(Vehicle.keeper != "").distinct().order_by(Vehicle.keeper)
    return list(db.scalars(asked))


def feeds(db: Session) -> list[CalendarFeed]:
    """Calendars that are open, the newest first."""
    asked = (
        select(CalendarFeed)
        .where(CalendarFeed.closed_at.is_(None))
        .order_by(CalendarFeed.id.desc())
    )
    return list(db.scalars(asked))


def feed(db: Session, feed_id: int) -> CalendarFeed | None:
    """One calendar."""
    return db.get(CalendarFeed, feed_id)


def feed_by_hash(db: Session, secret_hash: str) -> CalendarFeed | None:
    """The open calendar whose secret has this hash."""
    asked = select(CalendarFeed).where(
        CalendarFeed.secret_hash == secret_hash, CalendarFeed.closed_at.is_(None)
    )
    return db.scalars(asked).one_or_none()
