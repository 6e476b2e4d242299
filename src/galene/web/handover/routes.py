"""Stage 7: verdict, report on screen and as PDF, sign-off, opening again."""

from datetime import datetime
from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response
from sqlalchemy.orm import Session

from galene.core.diagnosis.records import Assessment, Cause
from galene.core.jobcard.job_records import ConfirmedCause
from galene.core.jobcard.pick import pick_list
from galene.exchange.report import PAPERS, pdf_of
from galene.jobs import fuel, handover, minutes, pictures, proof, recheck
from galene.jobs.act import Act, family_of, revision
from galene.jobs.diagnosis import assess_job
from galene.jobs.errors import Invalid, Missing
from galene.jobs.gates import open_items
from galene.jobs.growth import next_look_for
from galene.jobs.report import told_of
from galene.jobs.work import parts_used
from galene.knowledge.agents import AGENTS
from galene.knowledge.base import KNOWLEDGE, outline_of
from galene.store.models import Job, Workshop
from galene.store.pictures import PictureStore
from galene.web.handover.insides import insides_of
from galene.web.proof.comparison import rows_of
from galene.web.shared.airpath import picture_of
from galene.web.shared.forms import Form
from galene.web.shared.templating import TEMPLATES
from galene.web.shared.visit import Sent, Signed, Visit, VisitRoute

router = APIRouter(route_class=VisitRoute, include_in_schema=False)


def context(db: Session, shop: Workshop, job: Job) -> dict[str, Any]:
    """What page and report show."""
    told = proof.told_of(db, job, shop)
    signed = proof.kept_proof(db, job, shop)
    used: dict[str, float] = {}
    for step in job.steps:
        agent = step.document.agent
        if agent and step.done_at and not step.records.left_out:
            used[agent.class_id] = used.get(agent.class_id, 0.0) + agent.ml
    findings: dict[str, dict[str, Any]] = {}
    new = set(parts_used(job))
    for row in job.looks:
        # What was left of a part that went out says nothing of the new one.
        if not (row.phase == "after" and row.part in new):
            findings.setdefault(row.part, {})[row.phase] = row
    return {
        "job": job,
        "stage": "handover",
        "family": family_of(job),
        "proof": told.proof,
        "signed": signed,
        "proven": [t for t in told.proof.tests if t.verdict != "not_comparable"],
        "plot": rows_of(job, told, system=shop.system),
        "used": used,
        "told": told_of(job),
        "times": minutes.told_of(job),
        "fuel": fuel.change_by(db, job, shop),
        "agents": AGENTS,
        "findings": findings,
        "insides": insides_of(family_of(job), findings),
        "pairs": pictures.pairs(pictures.pictures_of(db, job)),
        "plan": next((p.document for p in job.plans if p.approved_at), None),
        "picks": pick_list(job.plans[0].document.bill) if job.plans else {},
        "owner_reads": False,
        "open": open_items(job),
        "missing": handover.missing_of(job) if job.state == "open" else [],
    }


def page(visit: Visit, job: Job, status: int = 200, **extra: Any) -> HTMLResponse:
    working = job.state == "open"
    ranking = assess_job(job, visit.shop.hourly_rate) if working else None
    preview = next_look_for(visit.db, job, job.handover.fed) if working else None
    return visit.page(
        "handover.html",
        status,
        **{
            **context(visit.db, visit.shop, job),
            "ranking": ranking,
            "picture": picture_of(family_of(job), job),
            "preview": preview,
            "things": handover.found_things(visit.db, job) if working else [],
            "boxes": _boxes(job, ranking, extra.get("entered")) if ranking else [],
            "others": _others(job, ranking) if ranking else [],
            "seen": revision(job, "handover"),
            **extra,
        },
    )


OFFERED = 5
"""Causes of the ranking that stand as boxes; the rest of the vocabulary is in the list."""


def _boxes(
    job: Job, ranking: Assessment, entered: Form | None
) -> list[tuple[str, float | None, str | None]]:
    """The causes that stand as boxes: id, chance, and what confirms it (None: not marked)."""
    marked = {c.id: c.found for c in (_it_was(entered).causes if entered else job.handover.causes)}
    chances = {c.id: c.probability for c in ranking.causes}
    ids = dict.fromkeys([*(c.id for c in ranking.causes[:OFFERED]), *marked])
    return [(c, chances.get(c), marked.get(c)) for c in ids if c in KNOWLEDGE.causes]


def _others(job: Job, ranking: Assessment) -> list[Cause]:
    """Causes that this engine can have and the boxes do not name."""
    named = {c.id for c in ranking.causes[:OFFERED]} | {c.id for c in job.handover.causes}
    outline = outline_of(family_of(job))
    left = [c for c in KNOWLEDGE.causes.values() if c.id not in named and c.possible_on(outline)]
    return sorted(left, key=lambda c: c.title)


def _it_was(form: Form) -> handover.ItWas:
    """The causes that are marked, each with what confirms it."""
    marked = [v for k, v in form.pairs if k == "cause" and v]
    return handover.ItWas(
        causes=tuple(ConfirmedCause(id=c, found=form.text(f"found:{c}")) for c in marked),
        words=form.text("words"),
        unsure=form.text("unsure") == "yes",
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
            _it_was(form),
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


@router.post("/jobs/{number}/confirm")
def confirm(visit: Signed, number: str, form: Sent) -> Response:
    """What came of a signed job."""

    def write(act: Act) -> None:
        holds = {"yes": True, "no": False}.get(form.text("holds"))
        if holds is None:
            raise Invalid({"note": "Say whether it holds."})
        recheck.confirm(act, number, holds=holds, note=form.text("note"))

    return visit.submit(
        form,
        write,
        to=f"/jobs/{number}/handover",
        shown=lambda faults: page(visit, visit.job(number), 422, faults=faults, entered=form),
    )


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
    return visit.page(
        "report.html", paper=False, **context(visit.db, visit.shop, visit.job(number))
    )


def printed(
    db: Session,
    shop: Workshop,
    job: Job,
    *,
    paper: str,
    store: PictureStore,
    now: datetime,
    owner_reads: bool = False,
) -> bytes:
    """The report as PDF, pictures with it; the owner's own leaves out what only the shop asks."""

    def picture(name: str) -> bytes:
        data = store.read(name)
        if data is None:
            raise ValueError(f"no picture {name}")
        return data

    html = TEMPLATES.get_template("report.html").render(
        {
            "paper": True,
            "shop": shop,
            "system": shop.system,
            "now": now,
            "faults": {},
            "entered": None,
            **context(db, shop, job),
            "owner_reads": owner_reads,
        }
    )
    return pdf_of(html, paper=paper, picture=picture)


@router.get("/jobs/{number}/report.pdf")
def report_pdf(visit: Signed, number: str, paper: str = "") -> Response:
    """The report on paper; in letter where the shop measures so and nothing else is asked."""
    job = visit.job(number)
    chosen = paper or ("letter" if visit.shop.system == "imperial" else "A4")
    if chosen not in PAPERS:
        raise Missing(f"paper {paper[:20]}")
    made = printed(
        visit.db,
        visit.shop,
        job,
        paper=chosen,
        store=visit.request.app.state.pictures,
        now=visit.now,
    )
    name = f"report-{job.number}.pdf"
    return Response(
        made,
        media_type="application/pdf",
        headers={"content-disposition": f'inline; filename="{name}"'},
    )
