"""A vehicle's record: added and changed outside a job, merged, retired; what is kept of keepers."""

from dataclasses import asdict
from typing import Any

from fastapi import APIRouter
from fastapi.encoders import jsonable_encoder
from fastapi.responses import HTMLResponse, JSONResponse, Response
from pydantic import Field

from galene.jobs import intake, keepers, vehicles
from galene.jobs.act import Act
from galene.jobs.families import families
from galene.store.models import Vehicle
from galene.store.repositories import fleet as fleet_rows
from galene.store.repositories import vehicles as rows
from galene.web.shared.forms import FormModel
from galene.web.shared.visit import Sent, Signed, Visit, VisitRoute

router = APIRouter(route_class=VisitRoute, include_in_schema=False)


class RecordForm(FormModel):
    """What is known of a vehicle."""

    plate: str = ""
    maker: str = ""
    model: str = ""
    year: str = ""
    family: str = ""
    keeper: str = ""
    contact: str = ""
    hazards: list[str] = Field(default_factory=list)

    def vehicle(self) -> intake.NewVehicle:
        """The vehicle as typed."""
        return intake.NewVehicle(**self.model_dump(exclude={"seen"}))


def page(visit: Visit, vehicle: Vehicle | None, status: int = 200, **extra: Any) -> HTMLResponse:
    """The record's form: of a vehicle, or of a new one."""
    return visit.page(
        "vehicle_record.html",
        status,
        vehicle=vehicle,
        former=rows.former_plates(visit.db, vehicle.id) if vehicle else [],
        families=families(visit.db),
        hazards=intake.HAZARDS,
        keepers=fleet_rows.keepers(visit.db),
        place="vehicles",
        **extra,
    )


@router.get("/vehicles/new")
def new(visit: Signed) -> HTMLResponse:
    return page(visit, None)


@router.post("/vehicles/new")
def add(visit: Signed, form: Sent) -> Response:
    def write(act: Act) -> str:
        made = intake.add_vehicle(act, form.read(RecordForm).vehicle())
        return f"/vehicles/{made.plate_key}"

    return visit.submit(
        form,
        write,
        to="/vehicles",
        shown=lambda faults: page(visit, None, 422, faults=faults, entered=form),
    )


@router.get("/vehicles/{plate}/record")
def show(visit: Signed, plate: str) -> HTMLResponse:
    return page(visit, vehicles.find(visit.db, plate))


@router.post("/vehicles/{plate}/record")
def change(visit: Signed, plate: str, form: Sent) -> Response:
    def write(act: Act) -> str:
        given = form.read(RecordForm)
        changed = vehicles.change(act, plate, given.vehicle(), seen=given.seen)
        return f"/vehicles/{changed.plate_key}"

    return visit.submit(
        form,
        write,
        to=f"/vehicles/{plate}",
        shown=lambda faults: page(
            visit, vehicles.find(visit.db, plate), 422, faults=faults, entered=form
        ),
    )


@router.post("/vehicles/{plate}/merge")
def merge(visit: Signed, plate: str, form: Sent) -> Response:
    def write(act: Act) -> None:
        vehicles.merge(act, plate, form.text("twin"))

    return visit.submit(
        form,
        write,
        to=f"/vehicles/{plate}",
        shown=lambda faults: page(
            visit, vehicles.find(visit.db, plate), 422, faults=faults, twin=form.text("twin")
        ),
    )


@router.post("/vehicles/{plate}/retire")
def retire(visit: Signed, plate: str, form: Sent) -> Response:
    return visit.submit(form, lambda act: vehicles.retire(act, plate), to=f"/vehicles/{plate}")


@router.post("/vehicles/{plate}/bring-back")
def bring_back(visit: Signed, plate: str, form: Sent) -> Response:
    return visit.submit(form, lambda act: vehicles.bring_back(act, plate), to=f"/vehicles/{plate}")


def keepers_page(visit: Visit, status: int = 200, **extra: Any) -> HTMLResponse:
    """Everybody who keeps a vehicle, and what an erasure leaves."""
    return visit.page(
        "keepers.html",
        status,
        place="vehicles",
        keepers=fleet_rows.keepers(visit.db),
        kept=keepers.KEPT,
        **{"chosen": "", **extra},
    )


@router.get("/keepers")
def keepers_show(visit: Signed, keeper: str = "") -> HTMLResponse:
    return keepers_page(visit, chosen=keeper[:200])


@router.get("/keepers/data.json")
def keepers_data(visit: Signed, keeper: str = "") -> JSONResponse:
    """Everything that is kept of a keeper, as JSON."""
    found = keepers.data_of(visit.db, keeper[:200])
    return JSONResponse(
        jsonable_encoder(asdict(found)),
        headers={"content-disposition": 'attachment; filename="keeper.json"'},
    )


@router.post("/keepers/erase")
def keepers_erase(visit: Signed, form: Sent) -> Response:
    def write(act: Act) -> None:
        keepers.erase(act, form.text("keeper"))

    return visit.submit(
        form,
        write,
        to="/keepers",
        shown=lambda faults: keepers_page(visit, 422, faults=faults, chosen=form.text("keeper")),
    )
