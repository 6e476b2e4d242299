"""Parts on the shelf: how many, where, how few may be left; counted anew by anybody of the shop."""

from typing import Annotated, Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from galene.jobs import spares
from galene.jobs.act import Act
from galene.web.shared.forms import FormModel, whole
from galene.web.shared.visit import Sent, Signed, Visit, VisitRoute

router = APIRouter(route_class=VisitRoute, include_in_schema=False)


def page(visit: Visit, status: int = 200, **extra: Any) -> HTMLResponse:
    """Every part that is kept, the short ones first."""
    lines = spares.stock_lines(visit.db)
    ordered = sorted(lines, key=lambda line: not line.low)
    return visit.page("spares.html", status, lines=ordered, place="shelf", **extra)


@router.get("/shelf/parts")
def show(visit: Signed) -> HTMLResponse:
    return page(visit)


class StockForm(FormModel):
    """A part on the shelf: how many, where, how few may be left."""

    number: str = ""
    name: str = ""
    pieces: Annotated[int | None, whole("Pieces", most=100_000)] = None
    least: Annotated[int | None, whole("Keep at least", most=100_000)] = None
    place: str = ""


@router.post("/shelf/parts")
def save(visit: Signed, form: Sent) -> Response:
    """Put a part there, or count it anew."""

    def write(act: Act) -> None:
        given = form.read(StockForm)
        spares.save_stock(
            act,
            given.number,
            given.name,
            pieces=given.pieces,
            place=given.place,
            least=given.least,
            seen=given.seen,
        )

    return visit.submit(
        form,
        write,
        to="/shelf/parts",
        shown=lambda faults: page(visit, 422, faults=faults, entered=form),
    )
