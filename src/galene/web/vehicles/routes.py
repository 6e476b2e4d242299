"""Vehicles and their lives."""

from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from galene.jobs import vehicles, vehicles_in
from galene.jobs.act import Act, family_in
from galene.jobs.errors import Invalid
from galene.jobs.families import add_bulletin, bulletins_for, current_version, families
from galene.jobs.fleet import due_vehicle
from galene.jobs.growth import life_of
from galene.jobs.intake import find_vehicles
from galene.jobs.proof import kept_proof
from galene.store.repositories import jobs as job_rows
from galene.store.repositories import vehicles as vehicle_rows
from galene.web.shared.airpath import picture_of
from galene.web.shared.forms import Form
from galene.web.shared.visit import Sent, SentFile, Signed, Visit, VisitRoute
from galene.web.vehicles.life import drawing_of

router = APIRouter(route_class=VisitRoute, include_in_schema=False)


@router.get("/vehicles")
def index(visit: Signed, plate: str = "") -> HTMLResponse:
    shown = (
        find_vehicles(visit.db, plate, 40) if plate.strip() else vehicle_rows.first(visit.db, 40)
    )
    jobs, counts = job_rows.newest_of_vehicles(visit.db, [v.id for v in shown])
    return visit.page(
        "vehicles.html",
        vehicles=shown,
        jobs=jobs,
        counts=counts,
        families=families(visit.db),
        typed=plate[:20],
        place="vehicles",
    )


def take_in_page(
    visit: Visit, *, status: int = 200, entered: Form | None = None, **extra: Any
) -> HTMLResponse:
    """The page on which a file of vehicles is looked at before it comes in."""
    return visit.page(
        "vehicles_in.html",
        status,
        entered=entered,
        families=families(visit.db),
        place="vehicles",
        **{"preview": None, **extra},
    )


@router.get("/vehicles/take-in")
def take_in_form(visit: Signed) -> HTMLResponse:
    return take_in_page(visit)


@router.post("/vehicles/take-in/preview")
def take_in_preview(visit: Signed, form: SentFile) -> HTMLResponse:
    """What the file, or the pasted lines, would bring. Nothing is kept."""
    try:
        text = form.file.decode("utf-8-sig") if form.file else form.text("lines")
        shown = vehicles_in.preview(visit.db, text, visit.now.year)
    except UnicodeDecodeError:
        return take_in_page(
            visit, status=422, entered=form, faults={"file": "That is no text in UTF-8."}
        )
    except Invalid as fault:
        return take_in_page(visit, status=422, entered=form, faults=fault.fields)
    return take_in_page(visit, entered=form, preview=shown, lines=text)


@router.post("/vehicles/take-in")
def take_in(visit: Signed, form: Sent) -> Response:
    def write(act: Act) -> None:
        vehicles_in.take_in(act, form.text("lines"))

    return visit.submit(
        form,
        write,
        to="/vehicles",
        shown=lambda faults: take_in_page(visit, status=422, entered=form, faults=faults),
    )


@router.get("/vehicles.csv")
def export(visit: Signed) -> Response:
    """Every vehicle as CSV."""
    return Response(
        vehicles_in.exported(visit.db),
        media_type="text/csv",
        headers={"content-disposition": 'attachment; filename="vehicles.csv"'},
    )


MOST_LINES = 6
"""Parts whose lines a vehicle's page draws: the first due."""


def page(
    visit: Visit, plate: str, status: int = 200, *, entered: Form | None = None, **extra: Any
) -> HTMLResponse:
    """A vehicle's life: visits on a line, bulletins and recalls."""
    vehicle = vehicles.find(visit.db, plate)
    jobs = job_rows.of_vehicle(visit.db, vehicle.id, limit=60)
    finished = {j.id: kept_proof(visit.db, j, visit.shop) for j in jobs if j.state == "finished"}
    family = family_in(current_version(visit.db, vehicle.family_id))
    visited = [j for j in reversed(jobs) if j.state == "finished"]
    life = life_of(visit.db, visited, family) if visited else None
    return visit.page(
        "vehicle.html",
        status,
        vehicle=vehicle,
        picture=picture_of(family, jobs[0] if jobs else None),
        life=life,
        drawings=[drawing_of(life, line) for line in life.lines[:MOST_LINES]] if life else [],
        due=due_vehicle(
            visit.db,
            vehicle,
            visit.now.date(),
            family=family,
            here=any(j.state == "open" for j in jobs),
        ),
        jobs=jobs,
        verdicts=finished,
        family=family,
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
    vehicle = vehicles.find(visit.db, plate)
    location = f"/vehicles/{vehicle.plate_key}#bulletins"

    def write(act: Act) -> None:
        add_bulletin(
            act,
            form.text("kind"),
            form.text("title"),
            source=form.text("source"),
            outcome=form.text("outcome"),
            family_id=None,
            vehicle=vehicle,
        )

    return visit.submit(
        form,
        write,
        to=location,
        shown=lambda faults: page(visit, plate, 422, entered=form, faults=faults),
    )
