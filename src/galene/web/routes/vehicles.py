"""Vehicles and their lives."""

from fastapi import APIRouter
from fastapi.responses import HTMLResponse
from sqlalchemy import func, select
from sqlalchemy.orm import selectinload

from galene.jobs.errors import Missing
from galene.jobs.handover import verdict_of
from galene.jobs.intake import find_vehicles, plate_key
from galene.knowledge.families import FAMILIES
from galene.store.models import Job, Vehicle
from galene.web.visit import Signed

router = APIRouter(include_in_schema=False)


@router.get("/vehicles")
def index(visit: Signed, plate: str = "") -> HTMLResponse:
    every = select(Vehicle).order_by(Vehicle.plate_key).limit(40)
    vehicles = find_vehicles(visit.db, plate, 40) if plate.strip() else list(visit.db.scalars(every))
    newest = visit.db.execute(
        select(Job.vehicle_id, func.max(Job.id), func.count()).where(Job.vehicle_id.in_([v.id for v in vehicles])).group_by(Job.vehicle_id)
    ).all()
    jobs = {j.vehicle_id: j for j in visit.db.scalars(select(Job).where(Job.id.in_([n[1] for n in newest]))).unique()}
    return visit.page(
        "vehicles.html",
        vehicles=vehicles,
        jobs=jobs,
        counts={n[0]: n[2] for n in newest},
        families=FAMILIES,
        typed=plate[:20],
        place="vehicles",
    )


@router.get("/vehicles/{plate}")
def show(visit: Signed, plate: str) -> HTMLResponse:
    vehicle = visit.db.scalar(select(Vehicle).where(Vehicle.plate_key == plate_key(plate)))
    if vehicle is None:
        raise Missing(f"vehicle {plate[:20]}")
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
    return visit.page("vehicle.html", vehicle=vehicle, jobs=jobs, verdicts=finished, family=FAMILIES[vehicle.family_id], place="vehicles")
