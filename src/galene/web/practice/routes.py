"""Reference: the workshop's own settings and its engine families."""

from typing import Annotated, Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from galene.core.airpath.natures import kind_is
from galene.jobs import families, minutes
from galene.jobs.act import Act, family_in
from galene.jobs.errors import Missing
from galene.jobs.learning import shop_calibration
from galene.jobs.workshop import WorkshopForm, bays_of, save_workshop
from galene.knowledge.components import COMPONENTS
from galene.knowledge.documents import shipped
from galene.knowledge.policy import POLICY_QUESTIONS
from galene.knowledge.sources import KIND_WORDS, facts_of
from galene.web.shared.forms import Form, FormModel, number, quantity
from galene.web.shared.visit import Sent, Signed, Visit, VisitRoute

FIRST_SHOWN = next(k for k in COMPONENTS if kind_is(k, "gas_valve"))
router = APIRouter(route_class=VisitRoute, include_in_schema=False)


def page(visit: Visit, status: int = 200, **extra: Any) -> HTMLResponse:
    """Settings beside the families in force and the drafts that somebody works on."""
    return visit.page(
        "reference.html",
        status,
        versions=[(v, family_in(v)) for v in families.versions_in_force(visit.db)],
        drafts=[(d, families.family_in_draft(d)) for d in families.drafts(visit.db)],
        schools=POLICY_QUESTIONS,
        place="reference",
        **extra,
    )


@router.get("/reference")
def index(visit: Signed) -> HTMLResponse:
    return page(visit)


@router.get("/reference/learning")
def learning(visit: Signed) -> HTMLResponse:
    """How often the rankings were right; a foreman's page."""
    return visit.page("learning.html", found=shop_calibration(visit.db), place="reference")


@router.get("/reference/minutes")
def minutes_learned(visit: Signed) -> HTMLResponse:
    """How long steps take here beside the book, and where the shop loses time."""
    return visit.page(
        "minutes.html",
        steps=minutes.steps_told(visit.db, families.families(visit.db)),
        jobs=minutes.jobs_told(visit.db),
        place="reference",
    )


@router.get("/reference/facts")
def facts(visit: Signed, part: str = FIRST_SHOWN) -> HTMLResponse:
    """What is held true of a kind of part, and where it is from."""
    if part not in COMPONENTS:
        raise Missing(f"part {part[:40]}")
    known = {f.id: f for _, f in ((v, family_in(v)) for v in families.versions_in_force(visit.db))}
    return visit.page(
        "facts.html",
        kind=COMPONENTS[part],
        kinds=sorted(COMPONENTS.values(), key=lambda c: c.title),
        own={k for k in COMPONENTS if shipped().is_own(f"kinds/{k}.toml")},
        facts=facts_of(part, known),
        words=KIND_WORDS,
        place="reference",
    )


class SettingsForm(FormModel):
    """The workshop's settings."""

    workshop: str = ""
    currency: str = ""
    bays: str = ""
    system: str = ""
    hourly_rate: Annotated[float, number("Hourly rate")]
    off_road_per_day: Annotated[float, number("A day off the road")]
    minutes_by: str = "book"
    due_by: str = "grade"
    fuel_price: Annotated[float | None, number("A litre of fuel")] = None
    altitude: Annotated[float, quantity("height", "Height above the sea")]
    temperature: Annotated[float, quantity("temperature", "Bay temperature")]
    humidity: Annotated[float, number("Humidity")]


def _settings(form: Form) -> WorkshopForm:
    given = form.read(SettingsForm)
    return WorkshopForm(
        name=given.workshop,
        currency=given.currency,
        bays=bays_of(given.bays),
        system=given.system,
        hourly_rate=given.hourly_rate,
        off_road_per_day=given.off_road_per_day,
        minutes_by=given.minutes_by,
        due_by=given.due_by,
        fuel_price=given.fuel_price,
        altitude_m=given.altitude,
        bay_temperature_c=given.temperature,
        bay_humidity=given.humidity / 100,
        policy={s.letter: form.text(f"school_{s.letter}") for s in POLICY_QUESTIONS},
    )


@router.post("/reference")
def save(visit: Signed, form: Sent) -> Response:
    def write(act: Act) -> None:
        given = _settings(form)
        save_workshop(act, given, form.integer("seen"))

    return visit.submit(
        form,
        write,
        to="/reference#shop",
        shown=lambda faults: page(visit, 422, faults=faults, entered=form),
    )
