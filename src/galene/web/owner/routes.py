"""The owner's page at its secret address, and the page on which the workshop opens and answers
it."""

import secrets
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Annotated, Any

from fastapi import APIRouter, Depends, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from sqlalchemy.orm import Session

from galene.exchange.report import PAPERS
from galene.jobs import diagnosis, owner, pictures
from galene.jobs.act import Act, family_of
from galene.jobs.errors import Invalid, Refused
from galene.jobs.plan import agreed_before
from galene.knowledge.base import KNOWLEDGE
from galene.store.models import Job, OwnerLink, Workshop
from galene.store.repositories import people
from galene.web.handover.routes import context as report_context
from galene.web.handover.routes import printed
from galene.web.shared.forms import Form
from galene.web.shared.limits import Limits
from galene.web.shared.templating import TEMPLATES
from galene.web.shared.visit import Sent, Signed, Visit, VisitRoute, form_data

router = APIRouter(route_class=VisitRoute, include_in_schema=False)
public = APIRouter(prefix="/o", route_class=VisitRoute, include_in_schema=False)
HEADERS = {
    "x-robots-tag": "noindex, nofollow",
    "cache-control": "no-store",
}
CAUSES_TOLD, TOLD_FROM = 3, 0.1
"""Causes that an owner is told of, and from which chance on."""


def page(visit: Visit, job: Job, status: int = 200, **extra: Any) -> HTMLResponse:
    """The addresses of a job, what was said there, and the answers."""
    return visit.page(
        "owner_links.html",
        status,
        job=job,
        stage=job.stage,
        links=owner.links_of(visit.db, job),
        words=owner.words_of(visit.db, job),
        is_open=owner.is_open,
        **{"address": "", **extra},
    )


@router.get("/jobs/{number}/owner")
def show(visit: Signed, number: str) -> HTMLResponse:
    return page(visit, visit.job(number))


@router.post("/jobs/{number}/owner")
def open_link(visit: Signed, number: str, form: Sent) -> Response:
    """Open an address: the answer is the page itself, as the address is shown only once."""
    made: list[str] = []

    def write(act: Act) -> None:
        made.append(owner.open_link(act, number, form.integer("days", 0)))

    answer = visit.submit(
        form,
        write,
        to=f"/jobs/{number}/owner",
        shown=lambda faults: page(visit, visit.job(number), 422, faults=faults, entered=form),
    )
    if not made:
        return answer
    return page(visit, visit.job(number), address=f"{visit.request.base_url}o/{made[0]}")


@router.post("/jobs/{number}/owner/{link_id}/close")
def close_link(visit: Signed, number: str, link_id: int, *, form: Sent) -> Response:
    def write(act: Act) -> None:
        owner.close_link(act, number, link_id)

    return visit.submit(form, write, to=f"/jobs/{number}/owner")


@router.post("/jobs/{number}/owner/words/{word_id}")
def reply(visit: Signed, number: str, word_id: int, *, form: Sent) -> Response:
    def write(act: Act) -> None:
        owner.reply(act, number, word_id, form.text("reply"))

    return visit.submit(
        form,
        write,
        to=f"/jobs/{number}/owner",
        shown=lambda faults: page(visit, visit.job(number), 422, faults=faults, entered=form),
    )


class Turned(Exception):
    """This address of the net or this secret gets nothing."""

    def __init__(self, answer: Response) -> None:
        self.answer = answer


@contextmanager
def reading(request: Request, secret: str) -> Iterator[tuple[Session, OwnerLink]]:
    """The open address of a secret.

    Raises
    ------
    Turned
        Asked too often, or no such secret: nothing tells a closed one from one that never was.
    """
    limits: Limits = request.app.state.owner_limits
    address = request.client.host if request.client else ""
    now = request.app.state.clock()
    # A secret that can not be guessed needs no count of guesses: whoever shares an address of the
    # net with somebody who tries would be shut out by it.
    if seconds := limits.wait(address):
        words = "Asked too often. Please wait a minute."
        raise Turned(_told(words, 429, {"retry-after": str(seconds)}))
    with request.app.state.sessions() as db:
        link = owner.link_of(db, secret, now)
        if link is None:
            words = "There is nothing here: the address is wrong, or its time is over. The workshop"
            raise Turned(_told(f"{words} gladly sends a new one.", 404))
        yield db, link


def _told(words: str, status: int, more: dict[str, str] | None = None) -> HTMLResponse:
    html = TEMPLATES.get_template("owner_nothing.html").render(words=words)
    return HTMLResponse(html, status, {**HEADERS, **(more or {})})


def _shown(
    request: Request,
    db: Session,
    link: OwnerLink,
    *,
    status: int = 200,
    **extra: Any,
) -> HTMLResponse:
    job, shop = link.job, people.workshop(db)
    told: dict[str, Any] = {
        "request": request,
        "base": str(request.url.path).removesuffix("/answer"),
        "job": job,
        "shop": shop,
        "system": shop.system,
        "family": family_of(job),
        "link": link,
        "now": request.app.state.clock(),
        "words": owner.words_of(db, job),
        "pairs": pictures.pairs(pictures.pictures_of(db, job)),
        "labels": {p.id: p.name for p in family_of(job).parts},
        "once": lambda: secrets.token_urlsafe(12),
        "faults": {},
        "refused": [],
        "entered": None,
        "theme": "device",
        "layout": "desk",
        **(_finished(db, job, shop) if job.state == "finished" else _open(db, job, shop)),
        **extra,
    }
    return HTMLResponse(TEMPLATES.get_template("owner.html").render(told), status, HEADERS)


def _finished(db: Session, job: Job, shop: Workshop) -> dict[str, Any]:
    return {**report_context(db, shop, job), "done": True, "owner_reads": True}


def _open(db: Session, job: Job, shop: Workshop) -> dict[str, Any]:
    ranking = diagnosis.assess_job(job, shop.hourly_rate)
    return {
        "done": False,
        "newest": job.plans[0] if job.plans else None,
        "agreed": agreed_before(job),
        "causes": [
            (KNOWLEDGE.causes[c.id].title, c.probability)
            for c in ranking.causes[:CAUSES_TOLD]
            if c.probability >= TOLD_FROM
        ],
        "dangers": diagnosis.dangers_of(job),
        "looks": [k for k in job.looks if k.phase == "before"],
        "undone": owner.left_undone(db, job, shop),
    }


@public.get("/{secret}")
def read(request: Request, secret: str) -> Response:
    """What the owner reads: the offer, and later the report."""
    try:
        with reading(request, secret) as (db, link):
            owner.seen(link, request.app.state.clock())
            answer = _shown(request, db, link)
            db.commit()
            return answer
    except Turned as turned:
        return turned.answer


@public.get("/{secret}/pictures/{name}.jpg")
def picture(request: Request, secret: str, name: str) -> Response:
    """A picture of this job and of no other."""
    try:
        with reading(request, secret) as (db, link):
            rows = pictures.pictures_of(db, link.job)
            known = name in {n for row in rows for n in (row.digest, row.thumbnail)}
            data = request.app.state.pictures.read(name) if known else None
    except Turned as turned:
        return turned.answer
    if data is None:
        return _told("There is no such picture.", 404)
    return Response(data, media_type="image/jpeg", headers=HEADERS)


@public.get("/{secret}/report.pdf")
def report(request: Request, secret: str, paper: str = "A4") -> Response:
    """The signed report on paper."""
    try:
        with reading(request, secret) as (db, link):
            if link.job.state != "finished" or paper not in PAPERS:
                return _told("There is no report yet.", 404)
            made = printed(
                db,
                people.workshop(db),
                link.job,
                paper=paper,
                store=request.app.state.pictures,
                now=request.app.state.clock(),
                owner_reads=True,
            )
    except Turned as turned:
        return turned.answer
    return Response(made, media_type="application/pdf", headers=HEADERS)


@public.post("/{secret}/answer")
def answer(request: Request, secret: str, data: Annotated[Any, Depends(form_data)]) -> Response:
    """Agree, decline or ask."""
    form = Form(data, lambda: "metric")
    try:
        with reading(request, secret) as (db, link):
            now = request.app.state.clock()
            try:
                owner.answer(db, link, _answer_of(form), now)
                db.commit()
            except Invalid as fault:
                db.rollback()
                return _shown(request, db, link, status=422, faults=fault.fields, entered=form)
            except Refused as fault:
                db.rollback()
                lines = [fault.title, *fault.reasons]
                return _shown(request, db, link, status=409, refused=lines, entered=form)
    except Turned as turned:
        return turned.answer
    return RedirectResponse(f"/o/{secret}#said", 303, HEADERS)


def _answer_of(form: Form) -> owner.OwnerAnswer:
    version = form.integer("version", 0)
    return owner.OwnerAnswer(
        once=form.text("once"),
        plan_version=version or None,
        kind=form.text("kind"),
        name=form.text("name"),
        words=form.text("words"),
    )
