"""POST /api/v1/scopes: parts in, access and minutes out."""

from typing import Any

from fastapi import APIRouter, Body, Request
from fastapi.responses import JSONResponse

from galene.exchange.scopes import ScopeFile, scope_of
from galene.jobs.families import families
from galene.web.api.answers import answered
from galene.web.api.bodies import BodyOf
from galene.web.shared.visit import VisitRoute

router = APIRouter(prefix="/api/v1/scopes", route_class=VisitRoute, tags=["Scopes"])
EXAMPLE: dict[str, Any] = {"family": "A", "components": ["throttle_body", "maf_sensor"]}


@router.post("", summary="Access to parts", openapi_extra=BodyOf(ScopeFile, lambda: EXAMPLE))
def run(request: Request, given: Any = Body()) -> JSONResponse:
    """Operations, minutes, marginal minutes and suggestions of a scope."""
    with request.app.state.sessions() as db:
        known = families(db)
    return answered(request, scope_of, given, known)
