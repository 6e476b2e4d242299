"""Rows for tables that go out as files."""

from collections.abc import Iterator
from typing import Any

from sqlalchemy import Row, Select, select
from sqlalchemy.orm import Session, aliased

from galene.store.models import (
    AuditEntry,
    BandSample,
    FuelFill,
    Inspection,
    Job,
    Lot,
    Person,
    Product,
    SpareStock,
    StepTime,
    Vehicle,
)

Line = Row[*tuple[Any, ...]]
PIECE = 1000
"""Rows that are fetched at a time."""


def _rows(db: Session, asked: Select[*tuple[Any, ...]]) -> Iterator[Line]:
    yield from db.execute(asked.execution_options(yield_per=PIECE))


def fills(db: Session) -> Iterator[Line]:
    """Every fill with its vehicle's plate."""
    return _rows(
        db,
        select(
            Vehicle.plate,
            FuelFill.day,
            FuelFill.litres,
            FuelFill.km,
            FuelFill.hours,
            FuelFill.full,
            FuelFill.load,
        )
        .join(Vehicle, Vehicle.id == FuelFill.vehicle_id)
        .order_by(Vehicle.plate_key, FuelFill.day, FuelFill.id),
    )


def stock(db: Session) -> Iterator[Line]:
    """Every lot on the shelf."""
    return _rows(
        db,
        select(
            Product.name,
            Product.class_id,
            Lot.number,
            Lot.left_ml,
            Product.least_ml,
            Lot.expires_on,
            Lot.opened_at,
            Product.place,
            Product.price,
        )
        .join(Lot, Lot.product_id == Product.id)
        .where(Product.retired_at.is_(None))
        .order_by(Product.name, Lot.id),
    )


def parts(db: Session) -> Iterator[Line]:
    """Every part on the shelf."""
    return _rows(
        db,
        select(
            SpareStock.number,
            SpareStock.name,
            SpareStock.pieces,
            SpareStock.least,
            SpareStock.on_order,
            SpareStock.expected_on,
            SpareStock.lead_days,
            SpareStock.price,
            SpareStock.place,
        ).order_by(SpareStock.number),
    )


def findings(db: Session) -> Iterator[Line]:
    """Every look at a part."""
    return _rows(
        db,
        select(
            Job.number,
            Vehicle.plate,
            Job.family_id,
            Job.distance_km,
            Job.hours,
            Inspection.at,
            Inspection.phase,
            Inspection.part,
            Inspection.grade,
            Inspection.deposit,
            Inspection.open_area_percent,
            Inspection.note,
        )
        .join(Job, Job.id == Inspection.job_id)
        .join(Vehicle, Vehicle.id == Job.vehicle_id)
        .order_by(Job.id, Inspection.id),
    )


def bands(db: Session) -> Iterator[Line]:
    """Every sample of a band."""
    return _rows(
        db,
        select(
            BandSample.family_id,
            BandSample.metric,
            BandSample.value,
            BandSample.at,
            BandSample.source,
            BandSample.set_aside_at,
            BandSample.set_aside_why,
        ).order_by(BandSample.family_id, BandSample.metric, BandSample.at, BandSample.id),
    )


def minutes(db: Session) -> Iterator[Line]:
    """Every timed step."""
    return _rows(
        db,
        select(
            Job.number,
            StepTime.family_id,
            StepTime.step_id,
            StepTime.book,
            StepTime.minutes,
            StepTime.at,
        )
        .join(Job, Job.id == StepTime.job_id)
        .order_by(StepTime.job_id, StepTime.position),
    )


def trace(db: Session) -> Iterator[Line]:
    """Who did what when, on jobs and without."""
    who = aliased(Person)
    return _rows(
        db,
        select(AuditEntry.at, who.name, Job.number, AuditEntry.action, AuditEntry.detail)
        .outerjoin(who, who.id == AuditEntry.person_id)
        .outerjoin(Job, Job.id == AuditEntry.job_id)
        .order_by(AuditEntry.id),
    )
