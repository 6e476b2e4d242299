"""Parts on the shelf: how many, where, how few may be left, what is on order; counted anew by
anybody of the shop."""

from typing import Annotated, Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from galene.jobs import spares
from galene.jobs.act import Act
from galene.web.shared.forms import Day, FormModel, whole
from galene.web.shared.forms import number as plain_number
from galene.web.shared.visit import Sent, Signed, Visit, VisitRoute

router = APIRouter(route_class=VisitRoute, include_in_schema=False)


def page(visit: Visit, status: int = 200, **extra: Any) -> HTMLResponse:
    """Every part that is kept, the short ones first."""
    lines = spares.stock_lines(visit.db, visit.shop, visit.now)
    ordered = sorted(lines, key=lambda line: not line.low)
    return visit.page("spares.html", status, lines=ordered, place="shelf", **extra)


def part_page(visit: Visit, part_id: int, status: int = 200, **extra: Any) -> HTMLResponse:
    """One part: how it stands, how many are worth keeping, what it was used for."""
    life = spares.part_life(visit.db, part_id, visit.shop, visit.now)
    return visit.page("spare.html", status, life=life, place="shelf", **extra)


@router.get("/shelf/parts")
def show(visit: Signed) -> HTMLResponse:
    return page(visit)


@router.get("/shelf/parts/{part_id}")
def show_part(visit: Signed, part_id: int) -> HTMLResponse:
    return part_page(visit, part_id)


class StockForm(FormModel):
    """A part on the shelf: how many, where, how few may be left, what it costs, what is to come."""

    id: Annotated[int | None, whole("Part")] = None
    number: str = ""
    name: str = ""
    pieces: Annotated[int | None, whole("Pieces", most=100_000)] = None
    least: Annotated[int | None, whole("Keep at least", most=100_000)] = None
    place: str = ""
    price: Annotated[float | None, plain_number("Price")] = None
    lead_days: Annotated[float | None, plain_number("Days until it comes")] = None
    on_order: Annotated[int, whole("On order", most=100_000)] = 0
    expected_on: Day = None


@router.post("/shelf/parts")
def save(visit: Signed, form: Sent) -> Response:
    """Put a part there, or say anew how it stands."""
    mine = form.integer("id")

    def write(act: Act) -> None:
        given = form.read(StockForm)
        spares.save_stock(
            act,
            spares.StockForm(
                number=given.number,
                name=given.name,
                pieces=given.pieces,
                place=given.place,
                least=given.least,
                price=given.price,
                lead_days=given.lead_days,
                on_order=given.on_order,
                expected_on=given.expected_on,
            ),
            seen=given.seen,
        )

    def shown(faults: dict[str, str]) -> Response:
        if mine:
            return part_page(visit, mine, 422, faults=faults, entered=form)
        return page(visit, 422, faults=faults, entered=form)

    return visit.submit(form, write, to=f"/shelf/parts/{mine}" if mine else LIST, shown=shown)


LIST = "/shelf/parts"


class CountForm(FormModel):
    """How many there are, or have come."""

    pieces: Annotated[int | None, whole("Pieces", most=100_000)] = None
    came: Annotated[int | None, whole("Pieces that came", most=100_000)] = None


@router.post("/shelf/parts/{part_id}/count")
def count(visit: Signed, part_id: int, form: Sent) -> Response:
    def write(act: Act) -> None:
        given = form.read(CountForm)
        spares.count(act, part_id, given.pieces, seen=given.seen)

    return visit.submit(
        form,
        write,
        to=LIST,
        shown=lambda faults: page(visit, 422, faults=faults, entered=form, counted=part_id),
    )


@router.post("/shelf/parts/{part_id}/arrived")
def arrived(visit: Signed, part_id: int, form: Sent) -> Response:
    def write(act: Act) -> None:
        given = form.read(CountForm)
        spares.arrive(act, part_id, given.came, seen=given.seen)

    return visit.submit(
        form,
        write,
        to=f"/shelf/parts/{part_id}",
        shown=lambda faults: part_page(visit, part_id, 422, faults=faults, entered=form),
    )
