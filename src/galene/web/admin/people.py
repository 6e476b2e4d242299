"""The workshop's people, shared tablets, and how people get in; a foreman's pages."""

from typing import Annotated, Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from galene.core.errors import InputError
from galene.core.workshop.hours import DAYS, WeekHours, hours_text, read_hours
from galene.jobs import people, signing_in
from galene.jobs.act import Act
from galene.jobs.rights import TECHNICIAN
from galene.store.models import Person
from galene.store.repositories import people as people_rows
from galene.store.repositories import sessions
from galene.web.shared.caller import DEVICE, DEVICE_SECONDS, caller_of, set_cookie
from galene.web.shared.forms import Form, FormModel, Yes, whole
from galene.web.shared.visit import Sent, Signed, Visit, VisitRoute

router = APIRouter(route_class=VisitRoute, include_in_schema=False)
DAY_WORDS = dict(
    zip(
        DAYS,
        ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"),
        strict=True,
    )
)


def page(visit: Visit, status: int = 200, **extra: Any) -> HTMLResponse:
    """Everybody, the shared tablets, and the policy."""
    return visit.page(
        "people.html",
        status,
        place="people",
        everybody=people_rows.everybody(visit.db),
        heard=people.last_heard(visit.db),
        tablets=sessions.shared_devices(visit.db),
        skills=people.SKILLS,
        days=DAY_WORDS,
        **{"code": "", "coded": None, **extra},
    )


def person_page(visit: Visit, person: Person, status: int = 200, **extra: Any) -> HTMLResponse:
    """One of the people."""
    return visit.page(
        "person.html",
        status,
        place="people",
        person=person,
        sessions=sessions.of_person(visit.db, person.id, visit.now),
        skills=people.SKILLS,
        days=DAY_WORDS,
        hours=dict(zip(DAYS, map(hours_text, person.hours.days), strict=True)),
        **{"code": "", **extra},
    )


def _hours(form: Form) -> WeekHours:
    """The week of a form; faults are gathered."""
    found = []
    for day in DAYS:
        try:
            found.append(read_hours(day, form.text(f"hours_{day}")))
        except InputError as fault:
            form.faults[f"hours_{day}"] = f"{DAY_WORDS[day]}: {fault.allowed}."
            found.append(None)
    return WeekHours(days=tuple(found))


def _person(form: Form) -> people.PersonForm:
    found = people.PersonForm(
        sign_in=form.text("sign_in"),
        name=form.text("name"),
        role=form.text("role") or TECHNICIAN,
        bay=form.text("bay"),
        skills=tuple(form.texts("skills")),
        hours=_hours(form),
    )
    form.check()
    return found


@router.get("/people")
def show(visit: Signed) -> HTMLResponse:
    return page(visit)


@router.post("/people")
def add(visit: Signed, form: Sent) -> Response:
    """Add somebody: the answer is the page itself, as the code is shown once."""
    made: list[tuple[Person, str]] = []

    def write(act: Act) -> None:
        made.append(people.new_person(act, _person(form)))

    answer = visit.submit(
        form,
        write,
        to="/people",
        shown=lambda faults: page(visit, 422, faults=faults, entered=form),
    )
    return page(visit, coded=made[0][0], code=made[0][1]) if made else answer


@router.post("/people/policy")
def policy(visit: Signed, form: Sent) -> Response:
    def write(act: Act) -> None:
        given = form.read(PolicyForm)
        people.save_policy(
            act,
            people.AccessPolicy(
                session_hours=given.session_hours,
                idle_minutes=given.idle_minutes,
                shared_idle_minutes=given.shared_idle_minutes,
                second_factor=given.second_factor,
            ),
        )

    return visit.submit(
        form,
        write,
        to="/people#policy",
        shown=lambda faults: page(visit, 422, faults=faults, entered=form, at="policy"),
    )


class PolicyForm(FormModel):
    """How long sessions last, and the second factor."""

    session_hours: Annotated[int, whole("A session lasts", 1, 1000)]
    idle_minutes: Annotated[int, whole("Without a word", 1, 10_000)]
    shared_idle_minutes: Annotated[int, whole("On a shared tablet", 1, 10_000)]
    second_factor: Yes = False


@router.post("/people/tablets")
def share(visit: Signed, form: Sent) -> Response:
    """Make the browser that asks a shared tablet: it gets a cookie of its own."""
    made: list[str] = []

    def write(act: Act) -> None:
        caller = caller_of(visit.request)
        made.append(signing_in.share_device(act, caller, form.text("device")))

    answer = visit.submit(
        form,
        write,
        to="/people#tablets",
        shown=lambda faults: page(visit, 422, faults=faults, entered=form, at="tablets"),
    )
    if made:
        set_cookie(visit.request, answer, DEVICE, value=made[0], seconds=DEVICE_SECONDS)
    return answer


@router.post("/people/tablets/{device_id}/end")
def end_tablet(visit: Signed, device_id: int, form: Sent) -> Response:
    def write(act: Act) -> None:
        signing_in.end_device(act, device_id)

    return visit.submit(form, write, to="/people#tablets")


@router.get("/people/{person_id}")
def one(visit: Signed, person_id: int) -> HTMLResponse:
    return person_page(visit, people.find(visit.db, person_id))


@router.post("/people/{person_id}")
def change(visit: Signed, person_id: int, form: Sent) -> Response:
    def write(act: Act) -> None:
        people.change_person(act, person_id, _person(form), seen=form.integer("seen"))

    return visit.submit(
        form,
        write,
        to=f"/people/{person_id}",
        shown=lambda faults: person_page(
            visit, people.find(visit.db, person_id), 422, faults=faults, entered=form
        ),
    )


def _coded(visit: Visit, person_id: int, form: Form, give: Any) -> Response:
    """An act whose answer is the page with a code that is shown once."""
    made: list[str] = []

    def write(act: Act) -> None:
        made.append(give(act, person_id))

    answer = visit.submit(
        form,
        write,
        to=f"/people/{person_id}",
        shown=lambda faults: person_page(
            visit, people.find(visit.db, person_id), 422, faults=faults
        ),
    )
    found = [code for code in made if code]
    return person_page(visit, people.find(visit.db, person_id), code=found[0]) if found else answer


@router.post("/people/{person_id}/code")
def code(visit: Signed, person_id: int, form: Sent) -> Response:
    return _coded(visit, person_id, form, people.give_code)


@router.post("/people/{person_id}/open")
def open_again(visit: Signed, person_id: int, form: Sent) -> Response:
    return _coded(visit, person_id, form, people.open_account)


@router.post("/people/{person_id}/close")
def close(visit: Signed, person_id: int, form: Sent) -> Response:
    def write(act: Act) -> None:
        people.close_account(act, person_id)

    return visit.submit(
        form,
        write,
        to=f"/people/{person_id}",
        shown=lambda faults: person_page(
            visit, people.find(visit.db, person_id), 422, faults=faults
        ),
    )


@router.post("/people/{person_id}/sessions/end")
def end_sessions(visit: Signed, person_id: int, form: Sent) -> Response:
    def write(act: Act) -> None:
        people.end_sessions(act, person_id)

    return visit.submit(form, write, to=f"/people/{person_id}#sessions")
