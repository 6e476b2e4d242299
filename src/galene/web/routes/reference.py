"""Reference: the workshop's own settings and its engine families."""

from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from galene.jobs import families
from galene.jobs.act import family_in
from galene.jobs.errors import Invalid, Missing, NotAllowed
from galene.jobs.learning import how_right
from galene.jobs.people import WorkshopForm, save_workshop
from galene.knowledge.components import COMPONENTS
from galene.knowledge.schools import SCHOOLS
from galene.knowledge.sources import KIND_WORDS, facts_of
from galene.web.forms import Form
from galene.web.visit import Sent, Signed, Visit, VisitRoute

router = APIRouter(route_class=VisitRoute, include_in_schema=False)


def page(visit: Visit, status: int = 200, **extra: Any) -> HTMLResponse:
    """Settings beside the families in force and the drafts that somebody works on."""
    return visit.page(
        "reference.html",
        status,
        versions=[(v, family_in(v)) for v in families.versions_in_force(visit.db)],
        drafts=[(d, families.family_in_draft(d)) for d in families.drafts(visit.db)],
        schools=SCHOOLS,
        place="reference",
        **extra,
    )


@router.get("/reference")
def index(visit: Signed) -> HTMLResponse:
    return page(visit)


@router.get("/reference/learning")
def learning(visit: Signed) -> HTMLResponse:
    """How often the rankings were right; a foreman's page."""
    if visit.person.role != "foreman":
        raise NotAllowed
    return visit.page("learning.html", found=how_right(visit.db), place="reference")


@router.get("/reference/facts")
def facts(visit: Signed, part: str = "egr_valve") -> HTMLResponse:
    """What is held true of a kind of part, and where it is from."""
    if part not in COMPONENTS:
        raise Missing(f"part {part[:40]}")
    known = {f.id: f for _, f in ((v, family_in(v)) for v in families.versions_in_force(visit.db))}
    return visit.page(
        "facts.html",
        kind=COMPONENTS[part],
        kinds=sorted(COMPONENTS.values(), key=lambda c: c.title),
        facts=facts_of(part, known),
        words=KIND_WORDS,
        place="reference",
    )


def _settings(form: Form) -> WorkshopForm:
    rate = form.number("hourly_rate", "Hourly rate")
    altitude = form.quantity("altitude", "height", "Height above the sea")
    temperature = form.quantity("temperature", "temperature", "Bay temperature")
    humidity = form.number("humidity", "Humidity")
    for name, value in (
        ("hourly_rate", rate),
        ("altitude", altitude),
        ("temperature", temperature),
        ("humidity", humidity),
    ):
        if value is None:
            form.faults.setdefault(name, "Enter a figure.")
    form.check()
    return WorkshopForm(
        system=form.text("system"),
        hourly_rate=rate or 0.0,
        altitude_m=altitude or 0.0,
        bay_temperature_c=temperature or 0.0,
        bay_humidity=(humidity or 0.0) / 100,
        policy={s.letter: form.text(f"school_{s.letter}") for s in SCHOOLS},
    )


@router.post("/reference")
def save(visit: Signed, form: Sent) -> Response:
    try:
        given = _settings(form)
        with visit.writing(form, "/reference#shop") as act:
            save_workshop(act, given, form.integer("seen"))
    except Invalid as fault:
        return page(visit, 422, faults=fault.fields, entered=form)
    return visit.go("/reference#shop")
