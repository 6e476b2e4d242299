"""Stage 3: what is known, the causes with their reasons, the next best check."""

from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from galene.jobs import diagnosis
from galene.jobs.act import family_of
from galene.jobs.errors import Invalid
from galene.knowledge.base import KNOWLEDGE
from galene.store.models import Job
from galene.web.drawings.airpath import picture_of
from galene.web.visit import Sent, Signed, Visit, VisitRoute

router = APIRouter(route_class=VisitRoute, include_in_schema=False)
WORKSHEET_OF = {"key_on_agreement": "evidence#key_on", "idle_readings": "evidence#idle", "trim_survey": "evidence#trim",
                "airflow_against_expected": "evidence#idle", "look_throttle": "evidence#looks", "look_maf": "evidence#looks",
                "look_filter": "evidence#looks", "pull_map_sensor": "evidence#looks", "look_manifold": "evidence#looks",
                "look_ports": "evidence#looks"}  # fmt: skip
"""Checks whose readings are entered on the evidence page, so that the calculation reads them."""


def context(visit: Visit, job: Job) -> dict[str, Any]:
    """What the page shows of a job."""
    known = sorted(job.observations, key=lambda o: (o.state != "present", o.at))
    family = family_of(job)
    open_checks = [
        c for c in KNOWLEDGE.checks.values()
        if set(c.components) <= family.components and c.id not in WORKSHEET_OF and c.id not in job.done_checks
        and any(set(KNOWLEDGE.evidence[e].needs) <= family.components for e in c.yields)
    ]  # fmt: skip
    return {
        "job": job, "stage": "diagnosis", "family": family, "known": known, "absent": {o.evidence for o in known if o.state == "absent"}, "ranking": diagnosis.assess_job(job, visit.shop.hourly_rate),
        "worksheets": WORKSHEET_OF, "picture": picture_of(family, job), "checks": open_checks,
    }  # fmt: skip


@router.get("/jobs/{number}/diagnosis")
def show(visit: Signed, number: str) -> HTMLResponse:
    return visit.page("diagnosis.html", **context(visit, visit.job(number)))


@router.post("/jobs/{number}/checks")
def check(visit: Signed, number: str, form: Sent) -> Response:
    results = {k.removeprefix("result:"): v for k, v in form.pairs if k.startswith("result:")}
    try:
        with visit.writing(form, f"/jobs/{number}/diagnosis") as act:
            diagnosis.record_check(act, number, form.text("check"), results)
    except Invalid as fault:
        return visit.page("diagnosis.html", 422, faults=fault.fields, **context(visit, visit.job(number)))
    return visit.go(f"/jobs/{number}/diagnosis")
