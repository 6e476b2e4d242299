"""POST /api/v1/scopes: parts in, access and minutes out."""

from typing import Any

from fastapi import APIRouter, Body, Request
from fastapi.responses import JSONResponse

from galene.core.errors import InputError
from galene.exchange.cases import scope_of
from galene.jobs.families import families

router = APIRouter(prefix="/api/v1/scopes")


@router.post("")
def run(request: Request, given: Any = Body()) -> JSONResponse:
    """Operations, minutes, marginal minutes and suggestions of a scope."""
    try:
        with request.app.state.sessions() as db:
            known = families(db)
        return JSONResponse(scope_of(given, known))
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
