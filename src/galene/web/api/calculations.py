"""POST /api/v1/calculations/NAME."""

from typing import Any

from fastapi import APIRouter, Body
from fastapi.responses import JSONResponse

from galene.core.calculations.catalogue import CALCULATIONS
from galene.core.errors import InputError
from galene.exchange.cases import calculate

router = APIRouter(prefix="/api/v1/calculations")


@router.get("")
def names() -> list[dict[str, str]]:
    """Every calculation with its question."""
    return [
        {"name": c.name, "title": c.title, "question": c.question} for c in CALCULATIONS.values()
    ]


@router.post("/{name}")
def run(name: str, given: Any = Body()) -> JSONResponse:
    """The result of a calculation."""
    if name not in CALCULATIONS:
        return JSONResponse(
            {"error": f"unknown calculation {name!r}", "allowed": list(CALCULATIONS)}, 404
        )
    try:
        return JSONResponse(calculate(name, given))
    except InputError as fault:
        return JSONResponse(
            {
                "error": str(fault),
                "field": fault.field,
                "value": str(fault.value),
                "allowed": fault.allowed,
            },
            422,
        )
