"""POST /api/v1/plans: a case in, its proven plan out."""

from fastapi import APIRouter, Request
from fastapi.responses import JSONResponse

from galene.exchange.plans import ErrorAnswer, PlanAnswer, PlanFile, plan_of
from galene.jobs.families import families
from galene.web.api.answers import answered
from galene.web.shared.visit import VisitRoute

router = APIRouter(prefix="/api/v1/plans", route_class=VisitRoute, tags=["Plans"])
EXAMPLE = {"family": "A", "parts": [{"part": "throttle_body", "work": "clean", "grade": 2}]}


@router.post(
    "",
    summary="A proven plan",
    response_model=PlanAnswer,
    responses={422: {"model": ErrorAnswer}},
    openapi_extra={"requestBody": {"content": {"application/json": {"example": EXAMPLE}}}},
)
def run(request: Request, given: PlanFile) -> JSONResponse:
    """Steps in their order with what each needs and does, relearns, proof, minutes, price."""
    with request.app.state.sessions() as db:
        known = families(db)
    return answered(request, plan_of, given.model_dump(exclude_unset=True), known)
