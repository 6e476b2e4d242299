"""Stage 5: the job card, what it sends, what must go back, waits, the gate before the first
start."""

import json
from collections.abc import Callable
from dataclasses import asdict
from datetime import datetime
from functools import partial
from typing import Annotated, Any

from fastapi import APIRouter, FastAPI
from fastapi.responses import HTMLResponse, JSONResponse, Response, StreamingResponse
from pydantic import AwareDatetime, BaseModel, ConfigDict, Field
from sqlalchemy.exc import DBAPIError
from sqlalchemy.exc import TimeoutError as PoolTimeout

from galene.core.airpath.must_go_back import COUNTED, KINDS
from galene.core.chemistry.judge import WAYS
from galene.core.jobcard.checks import checks_of
from galene.core.jobcard.gates import gate_blockers
from galene.core.jobcard.moments import Away
from galene.core.jobcard.ready import PLACE_OF_ACT
from galene.jobs import diagnosis, gates, jobcard, signing_in, spares, waits, work
from galene.jobs.act import Act, family_of, revision
from galene.jobs.card import card_of, waits_for_approval
from galene.jobs.checks import drive_said
from galene.jobs.entries import Entry, take
from galene.jobs.errors import Invalid
from galene.jobs.found import report as report_find
from galene.jobs.people import everybody
from galene.jobs.plan import grades_seen
from galene.jobs.rounds import rows_of_round
from galene.jobs.stages import lacks
from galene.knowledge.agents import AGENTS
from galene.knowledge.bill import spare_of
from galene.knowledge.cautions import SERIOUS
from galene.knowledge.components import DEPOSIT_KINDS
from galene.knowledge.found import finds_of
from galene.store.models import Job
from galene.web.card.in_hand import fasteners_drawn, motion_of
from galene.web.shared.airpath import picture_of
from galene.web.shared.forms import Form, FormModel, number, quantity
from galene.web.shared.live_strip import strip_of
from galene.web.shared.visit import Sent, Signed, Visit, VisitRoute
from galene.web.worksheets.traces import crank_of

router = APIRouter(route_class=VisitRoute, include_in_schema=False)


def context(visit: Visit, job: Job) -> dict[str, Any]:
    """The card: every step that is left as a form of its own, so that the page goes on without the
    server."""
    rows = rows_of_round(job)
    left = [s for s in rows if s.done_at is None]
    family = family_of(job)
    plan = job.plans[0] if job.plans else None
    approved = plan is not None and plan.approved_at is not None
    last = max(
        (s for s in job.steps if s.done_at), key=lambda s: (s.done_at, s.position), default=None
    )
    drives = any(s.document.worksheet == "actuator-drive-check" for s in left)
    state = card_of(job, dangers=diagnosis.dangers_of(job))
    picking = bool(left) and state.to_pick and not state.touched
    held = (
        spares.against_stock(visit.db, job, plan.document.bill.spares) if plan and picking else []
    )
    scope = {w.part for w in (*job.card.works, *job.card.joined)}
    return {
        "job": job,
        "stage": "work",
        "family": family,
        "rows": rows,
        "left": left,
        "step": left[0] if left else None,
        "last": last if state.touched else None,
        "kinds": KINDS,
        "acknowledged": {a.caution for a in job.acknowledgements},
        "checks": {s.id: json.dumps(asdict(checks_of(s, state.left, SERIOUS))) for s in state.left},
        "cranks": {s.id: crank_of(family, s.document) for s in left},
        "fasteners": {s.id: fasteners_drawn(family, s.document) for s in left},
        "motions": {s.id: motion_of(s.document) for s in left},
        "drive": drive_said(visit.db, job) if drives else "",
        "running": waits.running_waits(job, visit.now),
        "blockers": gate_blockers(state, "start", visit.now) if job.work_began_at else (),
        "seen": revision(job, "work"),
        "lacks": lacks(job, "work"),
        "agents": AGENTS,
        "grades": grades_seen(job),
        "ready": approved,
        "counted": COUNTED,
        "round_two": (
            bool(job.steps)
            and approved
            and plan is not None
            and plan.version != job.bay_air.plan_version
        ),
        "pick": list(state.picks.items()) if picking else [],
        "shorts": {f"spare:{h.spare.id}": h for h in held if h.short},
        "stock_places": {f"spare:{h.spare.id}": h.place for h in held if h.known and h.place},
        "joinable": [
            p
            for p in family.parts
            if p.id not in scope
            and (any(p.id in o.reaches or p.id == o.removes for o in family.operations))
        ],
        "act_places": PLACE_OF_ACT,
        "ways": WAYS,
        "spare_of": spare_of,
        "items": {i.id: i for s in rows for i in s.document.opens},
        "skipped": {s.id for s in work.skipped(job)},
        "found_kinds": finds_of(family),
        "people": everybody(visit.db) if job.state == "open" else [],
        "held_by_approval": waits_for_approval(job),
        "picture": picture_of(family, job, lit=[left[0].document.part] if left else []),
    }


def card(visit: Visit, job: Job, status: int = 200, **extra: Any) -> HTMLResponse:
    """The card's page."""
    return visit.page(
        "work.html",
        status,
        **{**context(visit, job), "live": strip_of(visit, job, "work"), **extra},
    )


@router.get("/jobs/{number}/work")
def show(visit: Signed, number: str) -> HTMLResponse:
    return card(visit, visit.job(number))


@router.get("/jobs/{number}/events")
def events(visit: Signed, number: str) -> StreamingResponse:
    """The stream of this job's changes. Who may hear it is asked here; the stream itself holds no
    database session."""
    session = visit.session.id
    news = visit.request.app.state.news.of(
        visit.job(number).id, session, partial(still_lives, visit.request.app, session)
    )
    return StreamingResponse(
        news,
        media_type="text/event-stream",
        headers={"cache-control": "no-store", "x-accel-buffering": "no"},
    )


def still_lives(app: FastAPI, session: str) -> bool:
    """Whether a session still counts. A database that does not answer ends nobody's session."""
    try:
        with app.state.sessions() as db:
            return signing_in.listens(db, session, app.state.clock())
    except (DBAPIError, PoolTimeout):
        return True


class SentEntry(BaseModel):
    """One entry as a card sends it."""

    model_config = ConfigDict(extra="forbid")
    id: str = Field(pattern=r"^[A-Za-z0-9-]{8,64}$")
    kind: str = Field(max_length=20)
    at: AwareDatetime
    data: dict[str, str | int | float | None] = Field(default_factory=dict, max_length=80)


class SentEntries(BaseModel):
    """Entries in the order in which they were made. `me` is who made them: somebody else's are not
    taken under another name; `now` is what the card's clock says as it sends them."""

    model_config = ConfigDict(extra="forbid")
    me: int
    now: AwareDatetime | None = None
    entries: list[SentEntry] = Field(max_length=100)


@router.post("/jobs/{number}/entries")
def entries(visit: Signed, number: str, sent: SentEntries) -> JSONResponse:
    """Take entries one after another; each is durable by itself, and the answer says what became of
    each."""
    if sent.me != visit.person.id:
        return JSONResponse({"results": [], "other": visit.person.name}, 409)
    session = visit.session
    away = (
        Away(begin=session.away_from, end=session.away_until)
        if session.away_from and session.away_until
        else None
    )
    results = [
        take(
            visit.db,
            visit.person,
            visit.now,
            number=number,
            entry=Entry(id=e.id, kind=e.kind, at=e.at, data=e.data),
            sent=sent.now,
            away=away,
        )
        for e in sent.entries
    ]
    plain = [
        {
            "id": r.id,
            "outcome": r.outcome,
            "title": r.title,
            "lines": list(r.lines),
            "faults": dict(r.faults),
            "override": r.override,
        }
        for r in results
    ]
    for one in results:
        visit.request.app.state.watch.entries.labels(one.outcome).inc()
    # The moment after the last commit, by the clock that pages are dated by: a page that was made
    # before it may not know of these entries.
    after: datetime = visit.request.app.state.clock()
    return JSONResponse({"results": plain, "now": after.isoformat()})


HOW_THE_BAY_IS = "Say how warm and how damp the bay is: drying depends on it."


class BeginForm(FormModel):
    """The bay's air, and how the engine stands."""

    temperature: Annotated[float | None, quantity("temperature", "Bay temperature")] = None
    humidity: Annotated[float | None, number("Humidity")] = None
    heat: str = "warm"


@router.post("/jobs/{number}/work/begin")
def begin(visit: Signed, number: str, form: Sent) -> Response:
    def write(act: Act) -> None:
        given = form.read(BeginForm)
        if given.temperature is None or given.humidity is None:
            raise Invalid({"temperature": HOW_THE_BAY_IS})
        work.begin_work(
            act,
            number,
            given.temperature,
            humidity=given.humidity / 100,
            seen=given.seen,
            heat=given.heat,
        )

    return visit.submit(
        form,
        write,
        to=f"/jobs/{number}/work",
        shown=lambda faults: card(visit, visit.job(number), 422, faults=faults, entered=form),
    )


@router.post("/jobs/{number}/enter/{kind}")
def enter(visit: Signed, number: str, kind: str, *, form: Sent) -> Response:
    """One entry by a plain form: pages other than the card, and a browser without scripts."""
    back = (
        form.text("back")
        if form.text("back").startswith(f"/jobs/{number}/")
        else f"/jobs/{number}/work"
    )
    data = {k: v for k, v in form.pairs if k not in ("once", "back")}
    taken = take(
        visit.db,
        visit.person,
        visit.now,
        number=number,
        entry=Entry(id=form.idempotency_key, kind=kind, at=visit.now, data=data),
    )
    if taken.outcome == "refused":
        visit.db.refresh(visit.session)
        if taken.faults:
            return card(
                visit,
                visit.job(number),
                422,
                faults=dict(taken.faults),
                entered=form,
                said="; ".join(taken.lines),
            )
        return visit.page(
            "problem.html",
            409,
            title=taken.title,
            lines=list(taken.lines),
            status=409,
            path=visit.request.url.path,
            referer=back,
            again=list(form.shown()),
            told=_answers_told(visit.job(number), form),
            token="",
            seen_value="",
            override=False,
        )
    return visit.go(back)


def _answers_told(job: Job, form: Form) -> list[tuple[str, str]]:
    """What was answered, by the questions that were asked."""
    asked = {f"record:{r.id}": r.label for s in job.steps for r in s.document.records}
    answers = {k: v for k, v in form.shown() if k.startswith("record:")}
    said = []
    for name, value in answers.items():
        of_deposit = name.removesuffix("_deposit")
        if name in asked:
            said.append((asked[name], value.capitalize()))
        elif of_deposit in asked:
            kind = DEPOSIT_KINDS.get(value, value)
            said.append((f"{asked[of_deposit]}, kind", kind))
    others = (p for p in form.told() if not p[0].startswith(("Record:", "Step", "Position")))
    return [*said, *others]


def changed(visit: Visit, number: str, form: Form, *, change: Callable[[Act], object]) -> Response:
    """Change the card and show it again, with faults at their fields where it can not be."""

    def write(act: Act) -> None:
        change(act)

    return visit.submit(
        form,
        write,
        to=f"/jobs/{number}/work",
        shown=lambda faults: card(visit, visit.job(number), 422, faults=faults, entered=form),
    )


@router.post("/jobs/{number}/steps/{step_id}/leave-out")
def leave_out(visit: Signed, number: str, step_id: int, *, form: Sent) -> Response:
    return changed(
        visit,
        number,
        form,
        change=lambda act: jobcard.leave_out(act, number, step_id, reason=form.text("reason")),
    )


class EditStepForm(FormModel):
    """A step in other words."""

    edit_text: str = ""
    edit_minutes: Annotated[float | None, number("Minutes")] = None


@router.post("/jobs/{number}/steps/{step_id}/edit")
def edit_step(visit: Signed, number: str, step_id: int, *, form: Sent) -> Response:
    def change(act: Act) -> None:
        given = form.read(EditStepForm)
        work.edit_step(act, number, step_id, text=given.edit_text, minutes=given.edit_minutes)

    return changed(visit, number, form, change=change)


class AddStepForm(FormModel):
    """A step of one's own."""

    step_text: str = ""
    step_minutes: Annotated[float | None, number("Minutes")] = None


@router.post("/jobs/{number}/steps/{step_id}/add")
def add_step(visit: Signed, number: str, step_id: int, *, form: Sent) -> Response:
    def change(act: Act) -> None:
        given = form.read(AddStepForm)
        work.add_step(act, number, step_id, text=given.step_text, minutes=given.step_minutes)

    return changed(visit, number, form, change=change)


class FoundForm(FormModel):
    """Something found on the way."""

    found: str = ""
    found_where: str = ""
    found_note: str = ""
    found_cost: Annotated[float | None, number("Cost")] = None
    found_minutes: Annotated[float | None, number("Minutes")] = None
    found_retrieved: str = ""


@router.post("/jobs/{number}/found")
def found(visit: Signed, number: str, form: Sent) -> Response:
    def change(act: Act) -> None:
        given = form.read(FoundForm)
        report_find(
            act,
            number,
            given.found,
            part=given.found_where,
            note=given.found_note,
            cost=given.found_cost,
            retrieved={"yes": True, "no": False}.get(given.found_retrieved),
            minutes=given.found_minutes,
        )

    return changed(visit, number, form, change=change)


@router.post("/jobs/{number}/join")
def join(visit: Signed, number: str, form: Sent) -> Response:
    part, kind = form.text("join"), form.text("join_work") or "clean"
    return changed(visit, number, form, change=lambda act: work.join(act, number, part, work=kind))


@router.post("/jobs/{number}/resolve")
def resolve(visit: Signed, number: str, form: Sent) -> Response:
    reason = form.text("resolve_reason")
    return changed(visit, number, form, change=lambda act: work.resolve(act, number, reason))


@router.post("/jobs/{number}/start")
def start(visit: Signed, number: str, form: Sent) -> Response:
    def write(act: Act) -> None:
        gates.start_engine(act, number, form.text("override_reason"))

    return visit.submit(form, write, to=f"/jobs/{number}/prove#start")


@router.post("/jobs/{number}/pass-on")
def pass_on(visit: Signed, number: str, form: Sent) -> Response:
    return changed(
        visit, number, form, change=lambda act: gates.offer_job(act, number, form.text("to"))
    )


@router.post("/jobs/{number}/accept")
def accept(visit: Signed, number: str, form: Sent) -> Response:
    return changed(
        visit, number, form, change=lambda act: gates.accept_job(act, number, form.texts("read"))
    )
