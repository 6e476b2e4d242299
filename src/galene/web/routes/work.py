"""Stage 5: the job card, must-go-back list, waits, the gate before the first start."""

from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from galene.core.must_go_back import KINDS
from galene.jobs import work
from galene.jobs.act import family_of, revision
from galene.jobs.checks import drive_said
from galene.jobs.errors import Invalid
from galene.jobs.plan import grades_seen
from galene.jobs.stages import lacks
from galene.knowledge.agents import AGENTS
from galene.store.models import Job
from galene.web.drawings.traces import crank_of
from galene.web.visit import Sent, Signed, Visit, VisitRoute

router = APIRouter(route_class=VisitRoute, include_in_schema=False)


def context(visit: Visit, job: Job) -> dict[str, Any]:
    """The card: the step now, the next two, what was done."""
    step = work.current_step(job)
    waits = {w.name: w for w in work.running_waits(job, visit.now)}
    holding = [waits[n] for n in (step.document["after_waits"] if step else ()) if n in waits]
    acknowledged = {a.caution for a in job.acknowledgements}
    # With a step at hand, plan, revision and looks are read only where that step shows them: a tick waits for this page.
    plan = job.plans[0] if step is None and job.plans else None
    approved = plan is not None and plan.approved_at is not None
    graded = step is not None and any(r["id"] == "grade_before" for r in step.document["records"])
    last = next((s for s in reversed(job.steps) if s.done_at), None)
    return {
        "job": job, "stage": "work", "family": family_of(job), "step": step, "holding": holding, "acknowledged": acknowledged,
        "upcoming": [s for s in job.steps if step and s.position > step.position][:2], "last": last, "kinds": KINDS,
        "blockers": work.start_blockers(job, "start", visit.now) if job.work_began_at else (), "seen": revision(job, "work") if step is None else 0,
        "lacks": lacks(job, "work"), "agents": AGENTS, "crank": crank_of(family_of(job), step.document) if step else None,
        "drive": drive_said(visit.db, job) if step and step.document.get("worksheet") == "actuator-drive-check" else None, "grades": grades_seen(job) if graded else {},
        "ready": approved, "round_two": bool(job.steps) and approved and plan is not None and plan.version != job.bay_air.get("plan_version"),
    }  # fmt: skip


def card(visit: Visit, job: Job, status: int = 200, **extra: Any) -> HTMLResponse:
    """The card as a page, or as the part that htmx swaps."""
    if visit.by_htmx:
        return visit.part("work.html", "swap", status, **{**context(visit, job), **extra})
    return visit.page("work.html", status, **{**context(visit, job), **extra})


@router.get("/jobs/{number}/work")
def show(visit: Signed, number: str) -> HTMLResponse:
    return card(visit, visit.job(number))


@router.post("/jobs/{number}/work/begin")
def begin(visit: Signed, number: str, form: Sent) -> Response:
    temperature = form.quantity("temperature", "temperature", "Bay temperature")
    humidity = form.number("humidity", "Humidity")
    try:
        if temperature is None or humidity is None:
            form.faults.setdefault("temperature", "Say how warm and how damp the bay is: drying depends on it.")
        form.check()
        with visit.writing(form, f"/jobs/{number}/work") as act:
            work.begin_work(act, number, float(temperature or 0), float(humidity or 0) / 100, form.integer("seen"))
    except Invalid as fault:
        return card(visit, visit.job(number), 422, faults=fault.fields, entered=form)
    return visit.go(f"/jobs/{number}/work")


@router.post("/jobs/{number}/steps/{step_id}/tick")
def tick(visit: Signed, number: str, step_id: int, form: Sent) -> HTMLResponse:
    records = {k.removeprefix("record:"): v for k, v in form.pairs if k.startswith("record:")}
    try:
        with visit.setting() as act:
            job, fresh = work.tick(act, number, step_id, records, form.text("early_reason"))
    except Invalid as fault:
        return card(visit, visit.job(number), 422, faults=fault.fields, entered=form)
    row = next((s for s in job.steps if s.id == step_id), None)
    said = (
        ""
        if fresh or row is None or row.done_by is None or row.done_by.id == visit.person.id
        else f"{row.done_by.name} had ticked that step already."
    )
    return card(visit, job, said=said)


@router.post("/jobs/{number}/steps/{step_id}/untick")
def untick(visit: Signed, number: str, step_id: int) -> HTMLResponse:
    with visit.setting() as act:
        job = work.untick(act, number, step_id)
    return card(visit, job)


@router.post("/jobs/{number}/steps/{step_id}/leave-out")
def leave_out(visit: Signed, number: str, step_id: int, form: Sent) -> Response:
    try:
        with visit.writing(form, f"/jobs/{number}/work") as act:
            work.leave_out(act, number, step_id, form.text("reason"))
    except Invalid as fault:
        return card(visit, visit.job(number), 422, faults=fault.fields, entered=form)
    return visit.go(f"/jobs/{number}/work")


@router.post("/jobs/{number}/steps/{step_id}/edit")
def edit_step(visit: Signed, number: str, step_id: int, form: Sent) -> Response:
    try:
        minutes = form.number("edit_minutes", "Minutes")
        form.check()
        with visit.writing(form, f"/jobs/{number}/work") as act:
            work.edit_step(act, number, step_id, form.text("edit_text"), minutes)
    except Invalid as fault:
        return card(visit, visit.job(number), 422, faults=fault.fields, entered=form)
    return visit.go(f"/jobs/{number}/work")


@router.post("/jobs/{number}/steps/{step_id}/add")
def add_step(visit: Signed, number: str, step_id: int, form: Sent) -> Response:
    try:
        minutes = form.number("step_minutes", "Minutes")
        form.check()
        with visit.writing(form, f"/jobs/{number}/work") as act:
            work.add_step(act, number, step_id, form.text("step_text"), minutes)
    except Invalid as fault:
        return card(visit, visit.job(number), 422, faults=fault.fields, entered=form)
    return visit.go(f"/jobs/{number}/work")


@router.post("/jobs/{number}/cautions/{caution}")
def read_caution(visit: Signed, number: str, caution: str) -> HTMLResponse:
    with visit.setting() as act:
        job = work.acknowledge(act, number, caution)
    return card(visit, job)


@router.post("/jobs/{number}/items")
def add_item(visit: Signed, number: str, form: Sent) -> Response:
    with visit.writing(form, f"/jobs/{number}/work") as act:
        work.add_item(act, number, form.text("what"), form.text("kind"), form.text("before") or "start")
    return visit.go(form.text("back") if form.text("back").startswith(f"/jobs/{number}/") else f"/jobs/{number}/work")


@router.post("/jobs/{number}/items/{item_id}/close")
def close_item(visit: Signed, number: str, item_id: int, form: Sent) -> Response:
    with visit.setting() as act:
        work.close_item(act, number, item_id)
    return visit.go(form.text("back") if form.text("back").startswith(f"/jobs/{number}/") else f"/jobs/{number}/work")


@router.post("/jobs/{number}/start")
def start(visit: Signed, number: str, form: Sent) -> Response:
    with visit.writing(form, f"/jobs/{number}/prove#start") as act:
        work.start_engine(act, number, form.text("override_reason"))
    return visit.go(f"/jobs/{number}/prove#start")
