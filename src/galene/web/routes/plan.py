"""Stage 4: scope, method, pick list, time, price."""

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, Response

from galene.core.procedures import Air, Policy
from galene.jobs import plan
from galene.jobs.act import family_of, revision
from galene.jobs.diagnosis import assess_job
from galene.jobs.errors import Invalid, Missing, Refused
from galene.jobs.families import bulletins_for
from galene.jobs.intake import save_bulletins
from galene.jobs.stages import lacks
from galene.knowledge.base import KNOWLEDGE
from galene.knowledge.components import COMPONENTS
from galene.knowledge.schools import BY_LETTER
from galene.store.models import Job
from galene.web.drawings.airpath import picture_of
from galene.web.drawings.layers import stack_of
from galene.web.visit import Sent, Signed, Visit, VisitRoute

router = APIRouter(route_class=VisitRoute, include_in_schema=False)


def context(visit: Visit, job: Job, parts: list[str] | None = None, new_parts: list[str] | None = None) -> dict[str, Any]:
    """The plan page for a scope; without one, the newest plan's, else the one that the causes suggest."""
    family = family_of(job)
    ranking = assess_job(job, visit.shop.hourly_rate)
    newest = job.plans[0] if job.plans else None
    if parts is None:
        parts = [p["part"] for p in newest.document["parts"]] if newest else plan.suggested_parts(family, ranking)
        new_parts = list(newest.document["new_parts"]) if newest else []
    parts = [p.id for p in family.parts if p.id in parts]
    new_parts = [s.id for s in family.spares if s.id in (new_parts or [])]
    document = plan.document_for(job, parts, new_parts, visit.shop) if parts else None
    access = plan.plan_scope(family, job, parts, plan.policy_of(job, visit.shop)) if parts else None
    reachable = [p for p in family.parts if any(p.id in o.reaches for o in family.operations)]
    same = (
        newest is not None
        and sorted(p["part"] for p in newest.document["parts"]) == sorted(parts)
        and newest.document["new_parts"] == new_parts
    )
    chance: dict[str, float] = {}
    for cause in ranking.causes:
        for part in family.parts:
            if part.component == KNOWLEDGE.causes[cause.id].component:
                chance[part.id] = max(chance.get(part.id, 0.0), cause.probability)
    return {
        "job": job, "stage": "plan", "family": family, "parts": parts, "document": document, "access": access, "reachable": reachable, "newest": newest,
        "same": same, "chance": chance, "suggested": {s.component: s for s in access.suggested} if access else {}, "seen": revision(job, "plan"), "seen_schools": revision(job, "schools"),
        "lacks": lacks(job, "plan"), "picture": picture_of(family, job, scope=parts), "components": COMPONENTS,
        "stack": stack_of(family, access.operations, parts) if access else None, "known_bulletins": bulletins_for(visit.db, job.family_id, job.vehicle),
        "optional": [s for s in family.spares if s.id in {p.id for p in family.parts} | {"hose_clamp"}], "new_parts": new_parts,
        "letters": [BY_LETTER[x] for x in sorted({s["letter"] for p in document["parts"] for s in p["schools"]} | {"H", *job.schools})] if document else [],
        "policy": plan.policy_of(job, visit.shop), "sources": plan.school_sources(job, visit.shop),
    }  # fmt: skip


@router.get("/jobs/{number}/plan")
def show(visit: Signed, number: str) -> HTMLResponse:
    return visit.page("plan.html", **context(visit, visit.job(number)))


@router.get("/jobs/{number}/plan/draft")
def draft(visit: Signed, number: str, request: Request) -> HTMLResponse:
    query = request.query_params
    extra = context(visit, visit.job(number), query.getlist("parts"), query.getlist("new_parts"))
    return visit.part("plan.html", "draft", **extra)


@router.post("/jobs/{number}/plan")
def save(visit: Signed, number: str, form: Sent) -> Response:
    try:
        with visit.writing(form, f"/jobs/{number}/plan#approve") as act:
            plan.save_plan(act, number, form.texts("parts"), form.texts("new_parts"), form.integer("seen"))
    except Invalid as fault:
        return visit.page("plan.html", 422, **{**context(visit, visit.job(number), form.texts("parts")), "faults": fault.fields})
    return visit.go(f"/jobs/{number}/plan#approve")


@router.get("/jobs/{number}/plan/compare")
def compare(visit: Signed, number: str, request: Request) -> HTMLResponse:
    """The same scope under another school, side by side with the job's own."""
    job = visit.job(number)
    family, query = family_of(job), request.query_params
    letter, choice = query.get("letter", ""), query.get("choice", "")
    school = BY_LETTER.get(letter)
    if school is None or choice not in dict(school.choices):
        raise Missing(f"school {letter[:4]} {choice[:20]}")
    newest = job.plans[0] if job.plans else None
    asked = query.getlist("parts") or (
        [p["part"] for p in newest.document["parts"]] if newest else plan.suggested_parts(family, assess_job(job, visit.shop.hourly_rate))
    )
    parts = [p.id for p in family.parts if p.id in asked]
    if not parts:
        raise Refused("Nothing to compare", ["choose a part of the scope first"])
    own = plan.policy_of(job, visit.shop)
    sides: list[dict[str, Any]] = []
    for policy in (own, Policy({**own.choices, letter: choice})):
        air = Air(visit.shop.bay_temperature_c, visit.shop.bay_humidity)
        sides.append(
            {
                "choice": policy.of(letter),
                "document": plan.document_for(job, parts, [], visit.shop, policy),
                "steps": plan.steps_for(job, parts, visit.shop, air, policy),
            }
        )
    texts = [{s.text for s in side["steps"]} for side in sides]
    for i, side in enumerate(sides):
        side["only"] = [s for s in side["steps"] if s.text not in texts[1 - i]]
    return visit.page(
        "compare.html",
        job=job,
        stage="plan",
        school=school,
        sides=sides,
        parts=parts,
        family=family,
        letter=letter,
        choice=choice,
        seen_schools=revision(job, "schools"),
    )


@router.post("/jobs/{number}/plan/school")
def school(visit: Signed, number: str, form: Sent) -> Response:
    location = f"/jobs/{number}/checks/isolation_unplug" if form.text("back") == "check" else f"/jobs/{number}/plan#schools"
    try:
        with visit.writing(form, location) as act:
            plan.override_school(act, number, form.text("letter"), form.text("choice"), form.text("reason"), form.integer("seen_schools"))
    except Invalid as fault:
        return visit.page("plan.html", 422, faults=fault.fields, **context(visit, visit.job(number)))
    return visit.go(location)


@router.post("/jobs/{number}/plan/approve")
def approve(visit: Signed, number: str, form: Sent) -> Response:
    try:
        up_to = form.number("agreed_up_to", "Up to")
        form.check()
        with visit.writing(form, f"/jobs/{number}/plan#approve") as act:
            plan.approve_plan(act, number, form.integer("version"), form.text("approved_by"), up_to)
    except Invalid as fault:
        return visit.page("plan.html", 422, faults=fault.fields, **context(visit, visit.job(number)))
    return visit.go(f"/jobs/{number}/plan#approve")


@router.post("/jobs/{number}/bulletins")
def bulletins(visit: Signed, number: str, form: Sent) -> Response:
    try:
        with visit.writing(form, f"/jobs/{number}/plan#approve") as act:
            save_bulletins(act, number, form.text("bulletins_source"), form.text("bulletins_outcome"))
    except Invalid as fault:
        return visit.page("plan.html", 422, faults=fault.fields, **context(visit, visit.job(number)))
    return visit.go(f"/jobs/{number}/plan#approve")
