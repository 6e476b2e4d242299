"""Fills of fuel."""

from sqlalchemy import select
from sqlalchemy.orm import Session

from galene.store.models import FuelFill

MOST = 6000


def of_vehicle(db: Session, vehicle_id: int) -> list[FuelFill]:
    """All fills of a vehicle, the oldest first."""
    asked = (
        select(FuelFill)
        .where(FuelFill.vehicle_id == vehicle_id)
        .order_by(FuelFill.day, FuelFill.km, FuelFill.hours, FuelFill.id)
        .limit(MOST)
    )
    return list(db.scalars(asked))


def by_id(db: Session, vehicle_id: int, fill_id: int) -> FuelFill | None:
    """One fill of a vehicle."""
    asked = select(FuelFill).where(FuelFill.vehicle_id == vehicle_id, FuelFill.id == fill_id)
    return db.scalars(asked).one_or_none()
