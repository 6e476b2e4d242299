"""POST /api/v1/judgements: an agent, a way and a part in, the verdict with its reasons out."""

from typing import Any

from fastapi import APIRouter, Body, Request
from fastapi.responses import JSONResponse

from galene.exchange.judgements import JudgementFile, judgement_of
from galene.jobs.families import families
from galene.jobs.shelf import agents_on_shelf
from galene.web.api.answers import answered
from galene.web.api.bodies import BodyOf
from galene.web.shared.visit import VisitRoute

router = APIRouter(prefix="/api/v1/judgements", route_class=VisitRoute, tags=["Judgements"])
EXAMPLE: dict[str, Any] = {
    "class": "throttle_cleaner",
    "application": "direct_spray",
    "component": "maf_sensor",
    "features": ["hot_element"],
}


@router.post(
    "",
    summary="Whether an agent may touch a part",
    openapi_extra=BodyOf(JudgementFile, lambda: EXAMPLE),
)
def run(request: Request, given: Any = Body()) -> JSONResponse:
    """The judgement of a situation; a product of the shelf may stand for a class."""
    with request.app.state.sessions() as db:
        known, named = agents_on_shelf(db), families(db)
    return answered(request, judgement_of, given, known, named)
