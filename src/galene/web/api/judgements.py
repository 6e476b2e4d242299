"""POST /api/v1/judgements: an agent, a way and a part in, the verdict with its reasons out."""

from typing import Any

from fastapi import APIRouter, Body, Request
from fastapi.responses import JSONResponse

from galene.core.errors import InputError
from galene.exchange.cases import judgement_of
from galene.jobs.families import families
from galene.jobs.shelf import agents_on_shelf

router = APIRouter(prefix="/api/v1/judgements")


@router.post("")
def run(request: Request, given: Any = Body()) -> JSONResponse:
    """The judgement of a situation; a product of the shelf may stand for a class."""
    try:
        with request.app.state.sessions() as db:
            known, named = agents_on_shelf(db), families(db)
        return JSONResponse(judgement_of(given, known, named))
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
