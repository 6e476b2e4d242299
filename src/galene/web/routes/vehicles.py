"""Vehicles and their lives."""

from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response
from sqlalchemy import func, select
from sqlalchemy.orm import selectinload

from galene.jobs.act import family_in
from galene.jobs.errors import Invalid, Missing
from galene.jobs.families import add_bulletin, bulletins_for, current_version, families
from galene.jobs.handover import verdict_of
from galene.jobs.intake import find_vehicles, plate_key
from galene.store.models import Job, Vehicle
from galene.web.forms import Form
from galene.web.visit import Sent, Signed, Visit, VisitRoute

router = APIRouter(route_class=VisitRoute, include_in_schema=False)


@router.get("/vehicles")
def index(visit: Signed, plate: str = "") -> HTMLResponse:
    every = select(Vehicle).order_by(Vehicle.plate_key).limit(40)
    vehicles = (
        find_vehicles(visit.db, plate, 40) if plate.strip() else list(visit.db.scalars(every))
    )
    newest = visit.db.execute(
        select(Job.vehicle_id, func.max(Job.id), func.count())
        .where(Job.vehicle_id.in_([v.id for v in vehicles]))
        .group_by(Job.vehicle_id)
    ).all()
    jobs = {
        j.vehicle_id: j
        for j in visit.db.scalars(select(Job).where(Job.id.in_([n[1] for n in newest]))).unique()
    }
    return visit.page(
        "vehicles.html",
        vehicles=vehicles,
        jobs=jobs,
        counts={n[0]: n[2] for n in newest},
        families=families(visit.db),
        typed=plate[:20],
        place="vehicles",
    )


def _vehicle(visit: Visit, plate: str) -> Vehicle:
    vehicle = visit.db.scalar(select(Vehicle).where(Vehicle.plate_key == plate_key(plate)))
    if vehicle is None:
        raise Missing(f"vehicle {plate[:20]}")
    return vehicle


def page(
    visit: Visit, plate: str, status: int = 200, *, entered: Form | None = None, **extra: Any
) -> HTMLResponse:
    """A vehicle's life: visits on a line, bulletins and recalls."""
    vehicle = _vehicle(visit, plate)
    jobs = (
        visit.db.scalars(
            select(Job)
            .where(Job.vehicle_id == vehicle.id)
            .options(selectinload(Job.looks), selectinload(Job.sets), selectinload(Job.codes))
            .order_by(Job.id.desc())
            .limit(60)
        )
        .unique()
        .all()
    )
    finished = {j.id: verdict_of(j) for j in jobs if j.state == "finished"}
    return visit.page(
        "vehicle.html",
        status,
        vehicle=vehicle,
        jobs=jobs,
        verdicts=finished,
        family=family_in(current_version(visit.db, vehicle.family_id)),
        bulletins=bulletins_for(visit.db, vehicle.family_id, vehicle),
        entered=entered,
        place="vehicles",
        **extra,
    )


@router.get("/vehicles/{plate}")
def show(visit: Signed, plate: str) -> HTMLResponse:
    return page(visit, plate)


@router.post("/vehicles/{plate}/bulletins")
def bulletin(visit: Signed, plate: str, form: Sent) -> Response:
    vehicle = _vehicle(visit, plate)
    location = f"/vehicles/{vehicle.plate_key}#bulletins"
    try:
        with visit.writing(form, location) as act:
            add_bulletin(
                act,
                form.text("kind"),
                form.text("title"),
                source=form.text("source"),
                outcome=form.text("outcome"),
                family_id=None,
                vehicle=vehicle,
            )
    except Invalid as fault:
        return page(visit, plate, 422, entered=form, faults=fault.fields)
    return visit.go(location)
