"""POST /api/v1/assessments: a case file in, the ranking out."""

from typing import Any

from fastapi import APIRouter, Body, Request
from fastapi.responses import JSONResponse

from galene.core.errors import InputError
from galene.exchange.cases import assess_case
from galene.jobs.families import families

router = APIRouter(prefix="/api/v1/assessments")


@router.post("")
def run(request: Request, given: Any = Body()) -> JSONResponse:
    """The ranking of a case."""
    try:
        with request.app.state.sessions() as db:
            known = families(db)
        return JSONResponse(assess_case(given, known))
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
