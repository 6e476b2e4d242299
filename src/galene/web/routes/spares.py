"""Parts on the shelf: how many, where, how few may be left; counted anew by anybody of the shop."""

from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from galene.jobs import spares
from galene.jobs.errors import Invalid
from galene.web.visit import Sent, Signed, Visit, VisitRoute

router = APIRouter(route_class=VisitRoute, include_in_schema=False)


def page(visit: Visit, status: int = 200, **extra: Any) -> HTMLResponse:
    """Every part that is kept, the short ones first."""
    lines = spares.stock_lines(visit.db)
    ordered = sorted(lines, key=lambda line: not line.low)
    return visit.page("spares.html", status, lines=ordered, place="shelf", **extra)


def _whole(number: float | None) -> int | None:
    return int(number) if number is not None and number == int(number) else None


@router.get("/shelf/parts")
def show(visit: Signed) -> HTMLResponse:
    return page(visit)


@router.post("/shelf/parts")
def save(visit: Signed, form: Sent) -> Response:
    """Put a part there, or count it anew."""
    pieces = _whole(form.number("pieces", "Pieces"))
    least = _whole(form.number("least", "Keep at least"))
    try:
        with visit.writing(form, "/shelf/parts") as act:
            spares.save_stock(
                act,
                form.text("number"),
                form.text("name"),
                pieces=pieces,
                place=form.text("place"),
                least=least,
                seen=form.integer("seen"),
            )
    except Invalid as fault:
        return page(visit, 422, faults=fault.fields, entered=form)
    return visit.go("/shelf/parts")
