"""POST /api/v1/calculations/NAME, one route a calculation."""

from collections.abc import Callable
from functools import partial
from typing import Any

from fastapi import APIRouter, Body, Request
from fastapi.responses import JSONResponse

from galene.core.calculations.catalogue import as_plain
from galene.core.calculations.catalogue import every as every_calculation
from galene.core.calculations.declaring import Calculation
from galene.core.calculations.forms import example_of
from galene.exchange.calculations import calculate
from galene.web.api.answers import answered
from galene.web.api.bodies import BodyOf
from galene.web.shared.visit import VisitRoute

router = APIRouter(prefix="/api/v1/calculations", route_class=VisitRoute, tags=["Calculations"])


@router.get("")
def names() -> list[dict[str, str]]:
    """Every calculation with its question."""
    return [
        {"name": c.name, "title": c.title, "question": c.question}
        for c in every_calculation().values()
    ]


def _route(calculation: Calculation) -> Callable[..., JSONResponse]:
    def run(request: Request, given: Any = Body()) -> JSONResponse:
        return answered(request, calculate, calculation.name, given)

    return run


def _example(calculation: Calculation) -> Any:
    return as_plain(example_of(calculation))


for one in every_calculation().values():
    router.add_api_route(
        f"/{one.name}",
        _route(one),
        methods=["POST"],
        name=one.name,
        summary=one.title,
        description=one.question,
        openapi_extra=BodyOf(one.takes, partial(_example, one)),
    )


@router.post("/{name}", include_in_schema=False)
def unknown(name: str) -> JSONResponse:
    return JSONResponse(
        {"error": f"unknown calculation {name!r}", "allowed": list(every_calculation())}, 404
    )
