"""POST /api/v1/plans: a case in, its proven plan out."""

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import JSONResponse

from galene.core.errors import InputError
from galene.exchange.plans import ErrorAnswer, PlanAnswer, PlanFile, plan_of
from galene.jobs.families import families

router = APIRouter(prefix="/api/v1/plans")


@router.post("", response_model=PlanAnswer, responses={422: {"model": ErrorAnswer}})
def run(request: Request, given: PlanFile) -> JSONResponse:
    """Steps in their order with what each needs and does, relearns, proof, minutes, price."""
    try:
        with request.app.state.sessions() as db:
            known = families(db)
        document: dict[str, Any] = plan_of(given.model_dump(exclude_unset=True), known)
        return JSONResponse(document)
    except InputError as fault:
        answer = {
            "error": str(fault),
            "field": fault.field,
            "value": str(fault.value),
            "allowed": fault.allowed,
        }
        return JSONResponse(answer, 422)
