"""Reference: engine families with their known-good bands, and the workshop's own settings."""

from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from galene.core.airpath import Band
from galene.core.proving import METRICS
from galene.jobs.errors import Invalid, Missing
from galene.jobs.people import WorkshopForm, save_workshop
from galene.knowledge.families import FAMILIES
from galene.knowledge.schools import SCHOOLS
from galene.web.drawings.airpath import picture_of
from galene.web.forms import Form
from galene.web.visit import Sent, Signed, Visit

router = APIRouter(include_in_schema=False)


def page(visit: Visit, status: int = 200, **extra: Any) -> HTMLResponse:
    return visit.page("reference.html", status, families=FAMILIES, schools=SCHOOLS, place="reference", **extra)


@router.get("/reference")
def index(visit: Signed) -> HTMLResponse:
    return page(visit)


@router.get("/reference/families/{family_id}")
def family(visit: Signed, family_id: str) -> HTMLResponse:
    if family_id not in FAMILIES:
        raise Missing(f"engine family {family_id[:20]}")
    one = FAMILIES[family_id]
    bands: list[tuple[str, str, Band]] = [(METRICS[k].label, METRICS[k].quantity, b) for k, b in one.bands.items()]
    return visit.page("family.html", family=one, picture=picture_of(one), bands=bands, place="reference")


def _settings(form: Form) -> WorkshopForm:
    rate = form.number("hourly_rate", "Hourly rate")
    altitude = form.quantity("altitude", "height", "Height above the sea")
    temperature = form.quantity("temperature", "temperature", "Bay temperature")
    humidity = form.number("humidity", "Humidity")
    for name, value in (("hourly_rate", rate), ("altitude", altitude), ("temperature", temperature), ("humidity", humidity)):
        if value is None:
            form.faults.setdefault(name, "Enter a figure.")
    form.check()
    return WorkshopForm(
        form.text("system"), rate or 0.0, altitude or 0.0, temperature or 0.0, (humidity or 0.0) / 100,
        {s.letter: form.text(f"school_{s.letter}") for s in SCHOOLS},
    )  # fmt: skip


@router.post("/reference")
def save(visit: Signed, form: Sent) -> Response:
    try:
        given = _settings(form)
        with visit.writing(form, "/reference#shop") as act:
            save_workshop(act, given, form.integer("seen"))
    except Invalid as fault:
        return page(visit, 422, faults=fault.fields, entered=form)
    return visit.go("/reference#shop")
