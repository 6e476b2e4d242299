"""POST /api/v1/scopes: parts in, access and minutes out."""

from typing import Any

from fastapi import APIRouter, Body
from fastapi.responses import JSONResponse

from galene.core.errors import InputError
from galene.exchange.cases import scope_of

router = APIRouter(prefix="/api/v1/scopes")


@router.post("")
def run(given: Any = Body()) -> JSONResponse:
    """Operations, minutes, marginal minutes and suggestions of a scope."""
    try:
        return JSONResponse(scope_of(given))
    except InputError as fault:
        return JSONResponse({"error": str(fault), "field": fault.field, "value": str(fault.value), "allowed": fault.allowed}, 422)
