"""Vehicles by their plates."""

from sqlalchemy import delete, select, update
from sqlalchemy.orm import Session

from galene.store.models import Bulletin, FormerPlate, FuelFill, Job, Vehicle


def by_key(db: Session, key: str) -> Vehicle | None:
    """The vehicle of a plate without spaces and signs."""
    return db.scalar(select(Vehicle).where(Vehicle.plate_key == key))


def by_former(db: Session, key: str) -> Vehicle | None:
    """The vehicle that had a plate before."""
    asked = select(Vehicle).join(FormerPlate, FormerPlate.vehicle_id == Vehicle.id)
    return db.scalar(asked.where(FormerPlate.plate_key == key))


def former_plates(db: Session, vehicle_id: int) -> list[FormerPlate]:
    """Plates that a vehicle had, newest first."""
    asked = select(FormerPlate).where(FormerPlate.vehicle_id == vehicle_id)
    return list(db.scalars(asked.order_by(FormerPlate.until.desc())))


def forget_former(db: Session, key: str) -> None:
    """A plate leads nowhere else any more."""
    db.execute(delete(FormerPlate).where(FormerPlate.plate_key == key))


def move_all(db: Session, was: int, to: int) -> int:
    """Hang everything of one vehicle onto another; how many jobs."""
    for table in (Bulletin, FuelFill, FormerPlate):
        db.execute(update(table).where(table.vehicle_id == was).values(vehicle_id=to))
    moved = update(Job).where(Job.vehicle_id == was).values(vehicle_id=to).returning(Job.id)
    return len(db.scalars(moved).all())


def open_job_of(db: Session, vehicle_id: int) -> str | None:
    """Number of a job of the vehicle that is open."""
    asked = select(Job.number).where(Job.vehicle_id == vehicle_id, Job.state == "open")
    return db.scalar(asked.limit(1))


def of_keeper(db: Session, keeper: str) -> list[Vehicle]:
    """A keeper's vehicles by plate."""
    asked = select(Vehicle).where(Vehicle.keeper == keeper)
    return list(db.scalars(asked.order_by(Vehicle.plate_key)))


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
