"""The car itself in a job's pages: the stream of figures, pairing, what is taken, what is asked."""

import time
from collections import Counter
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from functools import partial
from threading import Lock

from fastapi import APIRouter, FastAPI
from fastapi.responses import HTMLResponse, JSONResponse, Response, StreamingResponse
from sqlalchemy.exc import DBAPIError
from sqlalchemy.exc import TimeoutError as PoolTimeout

from galene.core.errors import InputError
from galene.exchange.live import LINE_WORDS, Do
from galene.jobs import (
    live,
    live_codes,
    live_relearn,
    live_road,
    live_routine,
    live_taking,
    live_tests,
    prove,
)
from galene.jobs.act import Act
from galene.jobs.errors import Invalid, Missing, Refused
from galene.jobs.live_stands import standing_of
from galene.knowledge.live_channels import TRACES
from galene.knowledge.reading_channels import CHANNELS
from galene.store.models import Job, LiveCommand
from galene.web.card.routes import still_lives
from galene.web.checks.routes import page, phase_of
from galene.web.evidence.routes import ConditionsForm
from galene.web.evidence.routes import page as evidence_page
from galene.web.live.bridges import EVENTS
from galene.web.proof.routes import page as proof_page
from galene.web.shared.forms import Form
from galene.web.shared.live_strip import guards_shown, stands_shown, strip_of
from galene.web.shared.visit import Awaits, Sent, Signed, Visit, VisitRoute

router = APIRouter(route_class=VisitRoute, include_in_schema=False)
ANSWER_S = 8.0
"""How long a page waits for the car's answer."""
ASKED_A_JOB = 2
"""Questions that wait for one car."""
_waiting: Counter[str] = Counter()
_waiting_lock = Lock()


@contextmanager
def turn_to_ask(number: str) -> Iterator[None]:
    """Take one of the turns to wait for a car.

    Raises
    ------
    Refused
        Two wait already.
    """
    with _waiting_lock:
        if _waiting[number] >= ASKED_A_JOB:
            why = "two questions wait for its answer: wait a moment"
            raise Refused("The car is being asked already", [why])
        _waiting[number] += 1
    try:
        yield
    finally:
        with _waiting_lock:
            _waiting[number] -= 1
            if not _waiting[number]:
                del _waiting[number]


@router.get("/jobs/{number}/live/events")
def events(visit: Signed, number: str) -> StreamingResponse:
    """What the car says, as it comes."""
    app, session, job_id = visit.request.app, visit.session.id, visit.job(number).id
    live.look(visit.db, job_id, visit.now)
    visit.db.commit()
    stream = app.state.news.live(
        live.topic_of_job(job_id), session, partial(_still_looks, app, session, job_id)
    )
    return StreamingResponse(stream, media_type="text/event-stream", headers=EVENTS)


def _still_looks(app: FastAPI, session: str, job_id: int) -> bool:
    """Whether a page's session still counts; then its car is read on at full pace."""
    if not still_lives(app, session):
        return False
    with suppress(DBAPIError, PoolTimeout), app.state.sessions() as db:
        live.look(db, job_id, app.state.clock())
        db.commit()
    return True


@router.get("/jobs/{number}/live/stands")
def stands(visit: Signed, number: str) -> HTMLResponse:
    """What the newest figures say of the parts."""
    job = visit.job(number)
    found = standing_of(visit.db, job, visit.now)
    return visit.part(
        "_stands.html",
        "stands",
        job=job,
        idles=found.idles,
        stands=stands_shown(visit, job, found.stands),
    )


# ---- pairing


def _bridge_page(visit: Visit, job: Job, *, code: str = "") -> HTMLResponse:
    line = live.line_of_job(visit.db, job, visit.now)
    return visit.page(
        "bridge.html",
        job=job,
        stage=job.stage,
        line=line,
        says={**LINE_WORDS, line.state: line.words},
        code=code,
        minutes=live.CODE_KEPT.total_seconds() / 60,
        address=str(visit.request.base_url).rstrip("/"),
        live=strip_of(visit, job, ""),
    )


@router.get("/jobs/{number}/bridge")
def bridge(visit: Signed, number: str) -> HTMLResponse:
    return _bridge_page(visit, visit.job(number))


@router.post("/jobs/{number}/bridge")
def offer(visit: Signed, number: str, form: Sent) -> Response:
    """Show a code: the answer is the page itself, as the code is shown only once."""
    made: list[str] = []

    def write(act: Act) -> None:
        made.append(live.offer_code(act, number))

    answer = visit.submit(form, write, to=f"/jobs/{number}/bridge")
    return _bridge_page(visit, visit.job(number), code=made[0]) if made else answer


@router.post("/jobs/{number}/bridge/end")
def end(visit: Signed, number: str, form: Sent) -> Response:
    return visit.submit(form, lambda act: live.unpair(act, number), to=f"/jobs/{number}/bridge")


@router.post("/jobs/{number}/bridge/same")
def same(visit: Signed, number: str, form: Sent) -> Response:
    """The car on the line is the job's, whatever number it tells."""
    return visit.submit(form, lambda act: live.same_car(act, number), to=f"/jobs/{number}/bridge")


# ---- taking


@router.post("/jobs/{number}/live/take")
def take(visit: Signed, number: str, form: Sent) -> Response:
    """Take the idle set or the trim points out of what was just read."""
    phase = "after" if form.text("phase") == "after" else "before"
    kind = form.text("kind")
    if kind not in CHANNELS:
        raise Refused("This table is not known", ["Load the page again."])

    def write(act: Act) -> None:
        given = form.read(ConditionsForm)
        live_taking.take_set(
            act,
            number,
            phase=phase,
            kind=kind,
            load=given.load,
            warm=given.warm,
            protective_mode=given.protective_mode,
            seen=given.seen,
        )

    there = "prove#after" if phase == "after" else f"evidence#{kind}"
    return visit.submit(
        form, write, to=f"/jobs/{number}/{there}", shown=_shown(visit, number, phase, form)
    )


@router.post("/jobs/{number}/live/key-on")
def key_on(visit: Signed, number: str, form: Sent) -> Response:
    phase = "after" if form.text("phase") == "after" else "before"

    def write(act: Act) -> None:
        live_taking.take_key_on(act, number, phase=phase, seen=form.integer("seen"))

    there = "prove#after" if phase == "after" else "evidence#key_on"
    return visit.submit(
        form, write, to=f"/jobs/{number}/{there}", shown=_shown(visit, number, phase, form)
    )


def _shown(
    visit: Visit, number: str, phase: str, form: Form
) -> Callable[[dict[str, str]], Response]:
    """The page with what was wrong, on the side that was asked."""

    def show(faults: dict[str, str]) -> Response:
        at = proof_page if phase == "after" else evidence_page
        return at(visit, visit.job(number), 422, form=form, faults=faults)

    return show


# ---- codes


def _asked(visit: Visit, number: str, do: Do) -> Awaits[LiveCommand]:
    """Ask the car, and wait for its answer."""
    with turn_to_ask(number):
        with visit.setting() as act:
            command = live.ask(act, act.job(number), do)
        yield from _answered(visit, command)
    return command


def _answered(visit: Visit, command: LiveCommand) -> Awaits[None]:
    """Wait for the car's answer outside of any write, with no connection held."""
    ends = time.monotonic() + ANSWER_S

    def over() -> bool:
        visit.db.refresh(command)
        answered = command.answered_at is not None
        visit.db.rollback()
        return answered or time.monotonic() >= ends

    yield over
    visit.db.refresh(visit.session)


@router.post("/jobs/{number}/live/codes")
def codes(visit: Signed, number: str, form: Sent) -> Awaits[Response]:
    """Read the codes into the intake."""
    command = yield from _asked(visit, number, "codes")

    def write(act: Act) -> None:
        live_codes.take_codes(act, number, command)

    return visit.submit(form, write, to=f"/jobs/{number}/intake#codes")


@router.post("/jobs/{number}/live/pending")
def pending(visit: Signed, number: str, form: Sent) -> Awaits[Response]:
    """Read the codes after the road, and whether the monitors have run."""
    command = yield from _asked(visit, number, "codes")
    readiness = yield from _asked(visit, number, "readiness")
    ready = live_codes.answer_of(readiness).ready

    def write(act: Act) -> None:
        live_codes.take_pending(act, number, command, ready=ready, seen=form.integer("seen"))

    return visit.submit(form, write, to=f"/jobs/{number}/prove#pending")


@router.post("/jobs/{number}/live/clear")
def clear(visit: Signed, number: str, form: Sent) -> Awaits[Response]:
    """Clear the codes on the car, by the same gate as by hand, and read again."""
    job = visit.job(number)
    if job.codes_cleared_at is None:
        prove.require_clearable(job)
        command = yield from _asked(visit, number, "clear")

        def write(act: Act) -> None:
            live_codes.cleared(act, number, command)

        return visit.submit(form, write, to=f"/jobs/{number}/prove#relearn")
    return visit.go(f"/jobs/{number}/prove#relearn")


@router.post("/jobs/{number}/live/trace/{check_id}")
def trace(visit: Signed, number: str, check_id: str, *, form: Sent) -> Response:
    """Keep what was just read as a check's trace, and open the check with it."""
    if check_id not in TRACES:
        raise Missing(f"trace of check {check_id[:40]}")
    there = f"/jobs/{number}/checks/{check_id}"

    def write(act: Act) -> str:
        return f"{there}?log={live_taking.keep_trace(act, number, check_id).id}"

    return visit.submit(form, write, to=there)


# ---- relearns


@router.post("/jobs/{number}/live/relearn")
def hold(visit: Signed, number: str) -> HTMLResponse:
    """The present hold as the car tells it; the page asks every second."""
    with visit.setting() as act:
        told = live_relearn.listen(act, number)
    if told is None:
        return HTMLResponse("", headers={"HX-Refresh": "true"})
    return visit.part(
        "live_hold.html", "hold", job=visit.job(number), told=told, guards=guards_shown(visit, told)
    )


@router.post("/jobs/{number}/live/routine")
def routine(visit: Signed, number: str, form: Sent) -> Awaits[Response]:
    """Begin the routine of the present hold on the control unit."""
    asked: list[LiveCommand] = []

    def write(act: Act) -> None:
        shown = (form.text("template"), form.text("hold"))
        asked.append(live_routine.begin(act, number, shown=shown, asked=form.texts("asked")))

    answer = visit.submit(
        form,
        write,
        to=f"/jobs/{number}/prove#relearn",
        shown=lambda faults: proof_page(visit, visit.job(number), 422, form=form, faults=faults),
    )
    if asked:
        # It has begun: who has no turn to wait for it sees on the page how it goes on.
        with suppress(Refused), turn_to_ask(number):
            yield from _answered(visit, asked[0])
    return answer


@router.post("/jobs/{number}/live/learned")
def learned(visit: Signed, number: str, form: Sent) -> Awaits[Response]:
    """Measure on the car whether it has learned."""
    command = yield from _asked(visit, number, "codes")

    def write(act: Act) -> None:
        found = live_relearn.measured(act, act.job(number), command)
        prove.relearn_finish(
            act, number, found.learned, shown=form.text("template"), measured=found
        )

    return visit.submit(
        form,
        write,
        to=f"/jobs/{number}/prove#relearn",
        shown=lambda faults: proof_page(visit, visit.job(number), 422, form=form, faults=faults),
    )


# ---- the road


@router.post("/jobs/{number}/live/road/begin")
def road_begin(visit: Signed, number: str, form: Sent) -> Response:
    def write(act: Act) -> None:
        live_road.begin(act, number)

    return visit.submit(form, write, to=f"/jobs/{number}/prove#road")


@router.post("/jobs/{number}/live/road/end")
def road_end(visit: Signed, number: str, form: Sent) -> Awaits[Response]:
    """End the run; the monitors are asked where the car still answers."""
    ready: dict[str, bool] | None = None
    with suppress(Refused):
        readiness = yield from _asked(visit, number, "readiness")
        ready = live_codes.answer_of(readiness).ready

    def write(act: Act) -> None:
        live_road.end(act, number, ready=ready)

    return visit.submit(form, write, to=f"/jobs/{number}/prove#road")


# ---- commanded tests


def _told(words: str, reasons: list[str], status: int) -> JSONResponse:
    return JSONResponse({"error": words, "detail": reasons}, status)


@router.post("/jobs/{number}/live/press/{check_id}")
def press(visit: Signed, number: str, check_id: str, *, form: Sent) -> Response:
    """Begin to hold: the page's script reads the answer."""
    try:
        with visit.setting() as act:
            command = live_tests.press(act, number, check_id, asked=form.texts("asked"))
    except Refused as fault:
        return _told(fault.title, fault.reasons, 409)
    except Invalid as fault:
        return _told("Not this test", list(fault.fields.values()), 422)
    return JSONResponse({"id": command.id})


@router.post("/jobs/{number}/live/held")
def held(visit: Signed, number: str, form: Sent) -> Response:
    """The hand is still on the control."""
    job = visit.job(number)
    live.still_held(visit.db, job, form.integer("id", 10**15), visit.now)
    visit.db.commit()
    return Response(status_code=204)


@router.post("/jobs/{number}/live/let-go")
def let_go(visit: Signed, number: str, form: Sent) -> Response:
    """The hand is off."""
    live.let_go(visit.db, visit.job(number), visit.now)
    visit.db.commit()
    return Response(status_code=204)


@router.post("/jobs/{number}/live/run/{check_id}")
def run(visit: Signed, number: str, check_id: str, *, form: Sent) -> Response:
    """Cut the window of a hold and keep what its check says."""
    after = form.text("phase") == "after"

    def write(act: Act) -> None:
        phase = phase_of(act.job(number), after=after)
        try:
            live_tests.keep_run(act, number, check_id, form.integer("command", 10**15), phase=phase)
        except InputError as fault:
            raise Invalid({fault.field: f"{fault.field}: allowed is {fault.allowed}."}) from fault

    asked = "?after=true" if after else ""
    return visit.submit(
        form,
        write,
        to=f"/jobs/{number}/checks/{check_id}{asked}#kept",
        shown=lambda faults: page(
            visit, visit.job(number), check_id, status=422, after=after, faults=faults
        ),
    )
