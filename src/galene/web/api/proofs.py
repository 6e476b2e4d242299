"""POST /api/v1/proofs: a repair in, its verdict out."""

from typing import Any

from fastapi import APIRouter, Body, Request
from fastapi.responses import JSONResponse

from galene.exchange.proofs import ProofFile, prove_case
from galene.jobs.families import families
from galene.web.api.answers import answered
from galene.web.api.bodies import BodyOf
from galene.web.shared.visit import VisitRoute

router = APIRouter(prefix="/api/v1/proofs", route_class=VisitRoute, tags=["Proofs"])
EXAMPLE: dict[str, Any] = {
    "family": "B",
    "causes": ["egr_passage_plugged"],
    "tests": [
        {
            "test": "egr_flow_test",
            "before": {"verdict": "plugged", "passage_area_mm2": 0.8, "percent_of_reference": 3},
            "after": {"verdict": "stalled"},
        }
    ],
    "symptoms": {"rough_idle": "gone"},
    "codes": {
        "before": ["P0401"],
        "after_stored": [],
        "after_pending": [],
        "drive_done": True,
        "monitors_ready": True,
    },
}


@router.post("", summary="Proof of a repair", openapi_extra=BodyOf(ProofFile, lambda: EXAMPLE))
def run(request: Request, given: Any = Body()) -> JSONResponse:
    """The verdict of a repair."""
    with request.app.state.sessions() as db:
        known = families(db)
    return answered(request, prove_case, given, known)
