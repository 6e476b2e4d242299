"""POST /api/v1/assessments: a case file in, the ranking out."""

from typing import Any

from fastapi import APIRouter, Body
from fastapi.responses import JSONResponse

from galene.core.errors import InputError
from galene.exchange.cases import assess_case

router = APIRouter(prefix="/api/v1/assessments")


@router.post("")
def run(given: Any = Body()) -> JSONResponse:
    """The ranking of a case."""
    try:
        return JSONResponse(assess_case(given))
    except InputError as fault:
        return JSONResponse({"error": str(fault), "field": fault.field, "value": str(fault.value), "allowed": fault.allowed}, 422)
