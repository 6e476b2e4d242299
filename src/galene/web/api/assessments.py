"""POST /api/v1/assessments: a case file in, the ranking out."""

from typing import Any

from fastapi import APIRouter, Body, Request
from fastapi.responses import JSONResponse

from galene.exchange.cases import CaseFile, assess_case
from galene.jobs.families import families
from galene.web.api.answers import answered
from galene.web.api.bodies import BodyOf
from galene.web.shared.visit import VisitRoute

router = APIRouter(prefix="/api/v1/assessments", route_class=VisitRoute, tags=["Assessments"])
EXAMPLE: dict[str, Any] = {
    "engine": {"family": "A"},
    "evidence": {"rough_idle": "present", "learned_opening_high": "present"},
    "codes": ["P0507"],
    "distance_km": 140000,
}


@router.post("", summary="Ranking of causes", openapi_extra=BodyOf(CaseFile, lambda: EXAMPLE))
def run(request: Request, given: Any = Body()) -> JSONResponse:
    """The ranking of a case."""
    with request.app.state.sessions() as db:
        known = families(db)
    return answered(request, assess_case, given, known)
