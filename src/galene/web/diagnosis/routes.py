"""Stage 3: what is known, the causes with their reasons, the next best check."""

from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse

from galene.jobs import diagnosis
from galene.jobs.act import family_of
from galene.jobs.checks import why_not
from galene.jobs.intake import SOURCES
from galene.knowledge.base import KNOWLEDGE
from galene.knowledge.proving import proven_cause
from galene.store.models import Job
from galene.web.proof.proving import how_we_know
from galene.web.shared.airpath import chances_of, picture_of
from galene.web.shared.visit import Signed, Visit, VisitRoute

router = APIRouter(route_class=VisitRoute, include_in_schema=False)
WORKSHEET_OF = {
    "key_on_agreement": "evidence#key_on",
    "idle_readings": "evidence#idle",
    "trim_survey": "evidence#trim",
    "look_throttle": "evidence#looks",
    "look_maf": "evidence#looks",
    "look_filter": "evidence#looks",
    "pull_map_sensor": "evidence#looks",
    "look_manifold": "evidence#looks",
    "look_ports": "evidence#looks",
}
"""Checks whose readings are entered on the evidence page, so that the calculation reads them."""


def context(visit: Visit, job: Job) -> dict[str, Any]:
    """What the page shows of a job."""
    known = sorted(job.observations, key=lambda o: (o.state != "present", o.at))
    family = family_of(job)
    reasons = {c.id: why_not(c, family) for c in KNOWLEDGE.checks.values()}
    ranking = diagnosis.assess_job(job, visit.shop.hourly_rate)
    return {
        "job": job,
        "stage": "diagnosis",
        "family": family,
        "sources": SOURCES,
        "known": known,
        "absent": {o.evidence for o in known if o.state == "absent"},
        "ranking": ranking,
        "against": diagnosis.against_new_parts(job, ranking, visit.shop.hourly_rate),
        "known_by": {c.id: how_we_know(proven_cause(c.id, family)) for c in ranking.causes[:3]},
        "worksheets": WORKSHEET_OF,
        "parts_of": {
            c.id: " ".join(
                p.id for p in family.parts if p.component == KNOWLEDGE.causes[c.id].component
            )
            for c in ranking.causes[:4]
        },
        "picture": picture_of(family, job, chances=chances_of(family, ranking), before_only=True),
        "checks": [c for c in KNOWLEDGE.checks.values() if not reasons[c.id]],
        "barred": [(c, reasons[c.id]) for c in KNOWLEDGE.checks.values() if reasons[c.id]],
    }


@router.get("/jobs/{number}/diagnosis")
def show(visit: Signed, number: str) -> HTMLResponse:
    return visit.page("diagnosis.html", **context(visit, visit.job(number)))
