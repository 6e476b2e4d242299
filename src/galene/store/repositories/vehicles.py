"""Vehicles by their plates."""

from sqlalchemy import select
from sqlalchemy.orm import Session

from galene.store.models import Vehicle


def by_key(db: Session, key: str) -> Vehicle | None:
    """The vehicle of a plate without spaces and signs."""
    return db.scalar(select(Vehicle).where(Vehicle.plate_key == key))


def containing(db: Session, key: str, limit: int) -> list[Vehicle]:
    """Vehicles whose plate holds `key`, those that begin with it first."""
    begins = Vehicle.plate_key.startswith(key, autoescape=True)
    return list(
        db.scalars(
            select(Vehicle)
            .where(Vehicle.plate_key.contains(key, autoescape=True))
            .order_by(begins.desc(), Vehicle.plate_key)
            .limit(limit)
        )
    )


def first(db: Session, limit: int) -> list[Vehicle]:
    """Vehicles by plate."""
    return list(db.scalars(select(Vehicle).order_by(Vehicle.plate_key).limit(limit)))


def keys(db: Session) -> frozenset[str]:
    """The plates of all vehicles, without spaces and signs."""
    return frozenset(db.scalars(select(Vehicle.plate_key)))


def every(db: Session) -> list[Vehicle]:
    """All vehicles by plate."""
    return list(db.scalars(select(Vehicle).order_by(Vehicle.plate_key)))


def locked(db: Session, vehicle_id: int) -> Vehicle | None:
    """One vehicle, locked until the write ends."""
    return db.scalar(select(Vehicle).where(Vehicle.id == vehicle_id).with_for_update())
