"""Fuel of a vehicle: fills typed, pasted or out of a file; what it uses, by load, before and after
each job."""

from datetime import datetime
from typing import Annotated, Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from galene.core.learning.fuel import LOADS
from galene.exchange.fills import FillLine
from galene.jobs import fuel
from galene.jobs.act import Act
from galene.jobs.errors import Invalid, Missing
from galene.jobs.intake import plate_key
from galene.store.models import Vehicle
from galene.store.repositories import jobs as job_rows
from galene.store.repositories import vehicles as vehicle_rows
from galene.web.fuel.drawing import drawing_of
from galene.web.shared.forms import Day, FormModel, Yes, number, quantity
from galene.web.shared.visit import Sent, SentFile, Signed, Visit, VisitRoute

router = APIRouter(route_class=VisitRoute, include_in_schema=False)
SHOWN = 30
"""Fills on the page, the newest; the file has them all."""
MOST_JOBS = 12


def _vehicle(visit: Visit, plate: str) -> Vehicle:
    vehicle = vehicle_rows.by_key(visit.db, plate_key(plate))
    if vehicle is None:
        raise Missing(f"vehicle {plate[:20]}")
    return vehicle


def page(visit: Visit, vehicle: Vehicle, status: int = 200, **extra: Any) -> HTMLResponse:
    """What the fills say, the newest first, and the forms that take more in."""
    book = fuel.book_of(visit.db, vehicle.id)
    jobs = job_rows.begun_of_vehicle(visit.db, vehicle.id, MOST_JOBS)
    began = [(j.id, j.work_began_at) for j in jobs if j.work_began_at]
    changes = [(j, fuel.change_in(book, j, began, visit.shop)) for j in jobs] if book.legs else []
    works = [(j.work_began_at.date(), j.number) for j in jobs if j.work_began_at]
    return visit.page(
        "fuel.html",
        status,
        vehicle=vehicle,
        book=book,
        newest=list(reversed(book.fills))[:SHOWN],
        drawing=drawing_of(book.legs, works, hours=book.hours),
        changes=[(j, c) for j, c in changes if c is not None],
        place="vehicles",
        **{"preview": None, **extra},
    )


@router.get("/vehicles/{plate}/fuel")
def show(visit: Signed, plate: str) -> HTMLResponse:
    return page(visit, _vehicle(visit, plate))


@router.get("/vehicles/{plate}/fuel.csv")
def export(visit: Signed, plate: str) -> Response:
    """Every fill of the vehicle as CSV."""
    vehicle = _vehicle(visit, plate)
    return Response(
        fuel.exported(visit.db, vehicle),
        media_type="text/csv",
        headers={"content-disposition": f'attachment; filename="fuel-{vehicle.plate_key}.csv"'},
    )


class FillForm(FormModel):
    """A fill as it is typed."""

    day: Day = None
    amount: Annotated[float | None, quantity("fuel", "Filled")] = None
    odometer: Annotated[float | None, quantity("distance", "Odometer")] = None
    hours: Annotated[float | None, number("Engine hours", least=0, most=200_000)] = None
    full: Yes = False
    load: str = ""

    def line(self, today: datetime) -> FillLine:
        """The fill in kept units.

        Raises
        ------
        Invalid
        """
        if self.amount is None:
            raise Invalid({"amount": "How much was filled?"})
        if (self.odometer is None) == (self.hours is None):
            raise Invalid({"odometer": "The odometer, or engine hours: one of them."})
        load = next((x for x in LOADS if x == self.load), None)
        if load is None:
            raise Invalid({"load": "Choose one."})
        return FillLine(
            line=0,
            day=(self.day or today).date(),
            litres=self.amount,
            km=self.odometer,
            hours=self.hours,
            full=self.full,
            load=load,
        )


@router.post("/vehicles/{plate}/fuel")
def add(visit: Signed, plate: str, form: Sent) -> Response:
    vehicle = _vehicle(visit, plate)

    def write(act: Act) -> None:
        fuel.add(act, vehicle, form.read(FillForm).line(act.now))

    return visit.submit(
        form,
        write,
        to=f"/vehicles/{vehicle.plate_key}/fuel",
        shown=lambda faults: page(visit, vehicle, 422, faults=faults, entered=form),
    )


@router.post("/vehicles/{plate}/fuel/preview")
def preview(visit: Signed, plate: str, form: SentFile) -> HTMLResponse:
    """What a file, or pasted lines, would bring. Nothing is kept."""
    vehicle = _vehicle(visit, plate)
    try:
        text = form.file.decode("utf-8-sig") if form.file else form.text("lines")
        found = fuel.preview(visit.db, vehicle, text, visit.now.date())
    except UnicodeDecodeError:
        faults = {"file": "That is no text in UTF-8."}
        return page(visit, vehicle, 422, entered=form, faults=faults)
    except Invalid as fault:
        return page(visit, vehicle, 422, entered=form, faults=fault.fields)
    return page(visit, vehicle, entered=form, preview=found, lines=text)


@router.post("/vehicles/{plate}/fuel/take-in")
def take_in(visit: Signed, plate: str, form: Sent) -> Response:
    vehicle = _vehicle(visit, plate)

    def write(act: Act) -> None:
        fuel.take_in(act, vehicle, form.text("lines"))

    return visit.submit(
        form,
        write,
        to=f"/vehicles/{vehicle.plate_key}/fuel",
        shown=lambda faults: page(visit, vehicle, 422, faults=faults, entered=form),
    )


@router.post("/vehicles/{plate}/fuel/{fill_id}/remove")
def remove(visit: Signed, plate: str, fill_id: int, form: Sent) -> Response:
    vehicle = _vehicle(visit, plate)

    def write(act: Act) -> None:
        fuel.remove(act, vehicle, fill_id)

    return visit.submit(form, write, to=f"/vehicles/{vehicle.plate_key}/fuel")
