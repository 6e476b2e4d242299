"""A check as a worksheet on a job: needs, dangers, how, figures read live, the verdict, what it
changed."""

from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from galene.core.calculations.catalogue import every as every_calculation
from galene.core.diagnosis.assess import is_heard
from galene.core.errors import InputError
from galene.core.planning.policy_keys import ISOLATION
from galene.jobs import checks, diagnosis, live_taking, live_tests, log_checks, logs
from galene.jobs.act import Act, family_of, revision
from galene.jobs.bands import with_own_bands
from galene.jobs.errors import Invalid, Missing, Refused
from galene.jobs.planning import policy_of
from galene.knowledge.base import KNOWLEDGE, outline_of
from galene.knowledge.check_readings import READINGS
from galene.knowledge.live_channels import FIGURES, TRACES
from galene.store.models import Job
from galene.web.checks.probe import PROBES, parts_at
from galene.web.shared.airpath import picture_of
from galene.web.shared.forms import Form
from galene.web.shared.live_strip import lamps_shown, strip_of
from galene.web.shared.visit import Sent, Signed, Visit, VisitRoute
from galene.web.worksheets.routes import LINE_FIELDS, SHEETS, given_of, opening_form, outcome

router = APIRouter(route_class=VisitRoute, include_in_schema=False)


def phase_of(job: Job, *, after: bool = False) -> str:
    """Whether a check that is run now belongs to the diagnosis or proves the work: a job that is at
    its proof is diagnosed no more, one that went back is."""
    return "after" if after or job.stage in PROVING_STAGES else "before"


PROVING_STAGES = ("prove", "handover")


def page(
    visit: Visit,
    job: Job,
    check_id: str,
    *,
    status: int = 200,
    form: Form | None = None,
    after: bool = False,
    **extra: Any,
) -> HTMLResponse:
    """A check's page; `form` gives back what was typed, `after`: it is run again after the work."""
    check, reading = checks.find_check(check_id), READINGS.get(check_id)
    family = with_own_bands(visit.db, family_of(job))
    sheet = SHEETS[reading.calculation] if reading else None
    phase = phase_of(job, after=after)
    kept = checks.results_of(visit.db, job, check_id, phase=phase)
    earlier = checks.results_of(visit.db, job, check_id) if phase == "after" else []
    shown = form or (
        opening_form(visit, sheet, reading.fill(family)) if reading and sheet else None
    )
    way = checks.way_in(job, check, policy_of(job, visit.shop))
    by_hand = checks.hand_item(job, check)
    looked_at = [p for p in family.parts if p.component in check.components]
    return visit.page(
        "check.html",
        status,
        needs=check.needs,
        shows=check.shows,
        looked_at=looked_at,
        picture=picture_of(family, job, lit=parts_at(family, check), probe=PROBES[check.id]),
        job=job,
        stage="prove" if phase == "after" else "diagnosis",
        family=family,
        check=check,
        reading=reading,
        sheet=sheet,
        form=shown,
        kept=kept,
        phase=phase,
        earlier=earlier,
        way=way,
        to_list=[*([by_hand] if by_hand else []), *(i for s in way.steps for i in s.opens)],
        listed=checks.listed_for(job, check_id),
        stands_open=checks.stands_open(job),
        yields=[
            e
            for e in check.yields
            if is_heard(KNOWLEDGE.evidence[e], outline_of(family), KNOWLEDGE)
        ],
        why_not=checks.why_not(check, family),
        changed=(
            checks.what_it_changed(job, check, visit.shop.hourly_rate) if phase == "before" else []
        ),
        states=(
            {o.evidence: o.state for o in job.observations}
            if phase == "before"
            else {e: s[0] for e, s in kept[0].said.items()}
            if kept
            else {}
        ),
        seen_schools=revision(job, "schools"),
        jumper=checks.jumper_allowed(visit.db, job),
        isolates=policy_of(job, visit.shop).get(ISOLATION) == "timed",
        entered=form,
        line_fields=LINE_FIELDS,
        feeding=log_checks.feeding(visit.db, job, check_id),
        calculation=every_calculation()[reading.calculation] if reading else None,
        live=strip_of(visit, job, "diagnosis"),
        commanded=live_tests.commanded(job, check_id),
        by_trace=check_id in TRACES,
        by_figures=check_id in FIGURES,
        protective=live_tests.protective_why(job),
        lamps=lamps_shown(visit, job, check_id),
        **(
            outcome(sheet, shown)
            if sheet and shown
            else {"result": None, "fault": None, "drawing": None}
        ),
        **extra,
    )


def _from_log(visit: Visit, job: Job, check_id: str, *, log_id: int) -> Form:
    """The worksheet of a check with a log's rows in it, and what the log and the job know of the
    air."""
    log, sheet = logs.find_log(visit.db, job, log_id), SHEETS[READINGS[check_id].calculation]
    filled = checks.filled_from_log(visit.db, job, log, check_id, altitude_m=visit.shop.altitude_m)
    return opening_form(visit, sheet, filled)


def _from_car(visit: Visit, job: Job, check_id: str) -> Form:
    """The worksheet of a check with what the car tells just now.

    Raises
    ------
    Refused
        It tells nothing.
    """
    reading = READINGS[check_id]
    found = live_taking.figures_of(visit.db, job, check_id, visit.now)
    if not found:
        raise Refused("Nothing to take", ["the car was not read in the last seconds"])
    family = with_own_bands(visit.db, family_of(job))
    return opening_form(visit, SHEETS[reading.calculation], {**reading.fill(family), **found})


@router.post("/jobs/{number}/checks/{check_id}/opened")
def opened(visit: Signed, number: str, check_id: str, *, form: Sent) -> Response:
    """What was opened for the check goes on the must-go-back list."""

    def write(act: Act) -> None:
        checks.open_for(act, number, check_id)

    return visit.submit(form, write, to=f"/jobs/{number}/checks/{check_id}")


@router.post("/jobs/{number}/checks/{check_id}/closed")
def closed(visit: Signed, number: str, check_id: str, *, form: Sent) -> Response:
    """What was opened for checks is closed again."""

    def write(act: Act) -> None:
        checks.close_after(act, number)

    return visit.submit(form, write, to=f"/jobs/{number}/checks/{check_id}")


@router.get("/jobs/{number}/checks/{check_id}")
def show(
    visit: Signed,
    number: str,
    check_id: str,
    *,
    log: int | None = None,
    car: bool = False,
    after: bool = False,
) -> HTMLResponse:
    """The check; `log`: with a log's rows, `car`: with what the car tells just now."""
    job = visit.job(number)
    form = None
    if car and check_id in FIGURES:
        form = _from_car(visit, job, check_id)
    if log is not None and check_id in READINGS:
        form = _from_log(visit, job, check_id, log_id=log)
    return page(visit, job, check_id, form=form, after=after)


@router.post("/jobs/{number}/checks/{check_id}/live")
def live(visit: Signed, number: str, check_id: str, *, form: Sent) -> HTMLResponse:
    reading = READINGS.get(check_id)
    if reading is None:
        raise Missing(f"worksheet of check {check_id[:40]}")
    sheet = SHEETS[reading.calculation]
    return visit.part(
        "worksheet.html",
        "outcome",
        sheet=sheet,
        calculation=every_calculation()[sheet.name],
        **outcome(sheet, form),
    )


@router.post("/jobs/{number}/isolation")
def isolate(visit: Signed, number: str, form: Sent) -> Response:
    location = f"/jobs/{number}/checks/isolation_unplug"

    def write(act: Act) -> None:
        checks.begin_isolation(act, number, form.text("part"))

    return visit.submit(
        form,
        write,
        to=location,
        shown=lambda faults: page(
            visit, visit.job(number), "isolation_unplug", status=422, form=form, faults=faults
        ),
    )


@router.post("/jobs/{number}/checks/{check_id}")
def keep(visit: Signed, number: str, check_id: str, *, form: Sent) -> Response:
    reading = READINGS.get(check_id)

    after = form.text("phase") == "after"

    def write(act: Act) -> None:
        phase = phase_of(act.job(number), after=after)
        if reading is None:
            said = {k.removeprefix("result:"): v for k, v in form.pairs if k.startswith("result:")}
            if phase == "after":
                checks.look_after(act, number, check_id, results=said)
            else:
                diagnosis.record_check(act, number, check_id, results=said)
            return
        try:
            given = given_of(SHEETS[reading.calculation], form)
            checks.keep_check(
                act, number, check_id, given=given, form=form.text("form"), phase=phase
            )
        except InputError as fault:
            words = f"{fault.field}: allowed is {fault.allowed}."
            raise Invalid({fault.field: words}) from fault

    asked = "?after=true" if after else ""
    return visit.submit(
        form,
        write,
        to=f"/jobs/{number}/checks/{check_id}{asked}",
        shown=lambda faults: page(
            visit,
            visit.job(number),
            check_id,
            status=422,
            form=form,
            after=after,
            faults=faults,
        ),
    )
