"""Stage 7: verdict, report on screen and as PDF, sign-off, opening again."""

from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from galene.exchange.report import pdf_of
from galene.jobs import handover
from galene.jobs.act import Act, family_of, revision
from galene.jobs.diagnosis import assess_job
from galene.jobs.gates import open_items
from galene.jobs.prove import compare
from galene.jobs.report import told_of
from galene.jobs.stages import STAGES, lacks
from galene.knowledge.agents import AGENTS
from galene.store.models import Job
from galene.web.proof.comparison import rows_of
from galene.web.shared.templating import TEMPLATES
from galene.web.shared.visit import Sent, Signed, Visit, VisitRoute

router = APIRouter(route_class=VisitRoute, include_in_schema=False)


def context(visit: Visit, job: Job) -> dict[str, Any]:
    """What page and report show."""
    result = compare(job)
    used: dict[str, float] = {}
    for step in job.steps:
        agent = step.document.agent
        if agent and step.done_at and not step.records.left_out:
            used[agent.class_id] = used.get(agent.class_id, 0.0) + agent.ml
    findings: dict[str, dict[str, Any]] = {}
    for row in job.looks:
        findings.setdefault(row.part, {})[row.phase] = row
    return {
        "job": job,
        "stage": "handover",
        "family": family_of(job),
        "verdict": handover.verdict_of(job, result),
        "result": result,
        "plot": rows_of(job, result, family_of(job), system=visit.shop.system) if result else [],
        "used": used,
        "told": told_of(job),
        "agents": AGENTS,
        "findings": findings,
        "plan": next((p.document for p in job.plans if p.approved_at), None),
        "open": open_items(job),
        "missing": (
            [x.text for s in STAGES[:-1] for x in lacks(job, s)] if job.state == "open" else []
        ),
    }


def page(visit: Visit, job: Job, status: int = 200, **extra: Any) -> HTMLResponse:
    working = job.state == "open"
    ranking = assess_job(job, visit.shop.hourly_rate) if working else None
    preview = (
        handover.visit_for(
            Act(db=visit.db, person=visit.person, now=visit.now), job, job.handover.fed
        )
        if working
        else None
    )
    return visit.page(
        "handover.html",
        status,
        **{
            **context(visit, job),
            "ranking": ranking,
            "preview": preview,
            "seen": revision(job, "handover"),
            **extra,
        },
    )


@router.get("/jobs/{number}/handover")
def show(visit: Signed, number: str) -> HTMLResponse:
    return page(visit, visit.job(number))


@router.post("/jobs/{number}/handover")
def save(visit: Signed, number: str, form: Sent) -> Response:
    def write(act: Act) -> None:
        handover.save_handover(
            act,
            number,
            form.text("cause"),
            advice=form.text("advice"),
            fed=form.text("fed") == "yes",
            seen=form.integer("seen"),
        )

    return visit.submit(
        form,
        write,
        to=f"/jobs/{number}/handover#sign",
        shown=lambda faults: page(visit, visit.job(number), 422, faults=faults, entered=form),
    )


@router.post("/jobs/{number}/sign")
def sign(visit: Signed, number: str, form: Sent) -> Response:
    def write(act: Act) -> None:
        handover.sign(act, number, form.text("override_reason"))

    return visit.submit(form, write, to=f"/jobs/{number}/handover")


@router.post("/jobs/{number}/reopen")
def reopen(visit: Signed, number: str, form: Sent) -> Response:
    def write(act: Act) -> str:
        stage = form.text("stage") or "evidence"
        job = handover.reopen(act, number, form.text("reason"), stage=stage)
        return f"/jobs/{number}/{job.stage}"

    return visit.submit(
        form,
        write,
        to=f"/jobs/{number}",
        shown=lambda faults: page(visit, visit.job(number), 422, faults=faults, entered=form),
    )


@router.get("/jobs/{number}/report")
def report(visit: Signed, number: str) -> HTMLResponse:
    return visit.page("report.html", paper=False, **context(visit, visit.job(number)))


@router.get("/jobs/{number}/report.pdf")
def report_pdf(visit: Signed, number: str) -> Response:
    job = visit.job(number)
    html = TEMPLATES.get_template("report.html").render(
        visit.context(paper=True, **context(visit, job))
    )
    name = f"report-{job.number}.pdf"
    return Response(
        pdf_of(html),
        media_type="application/pdf",
        headers={"content-disposition": f'inline; filename="{name}"'},
    )
