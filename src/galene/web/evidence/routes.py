"""Stage 2: the before set. The after set's forms use the same parts."""

from collections.abc import Sequence
from typing import Annotated, Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response
from pydantic import Field

from galene.core.airpath.family import EngineFamily
from galene.core.airpath.natures import kind_is
from galene.core.diagnosis.measured import (
    bank_trims_of,
    key_on_of,
    outside_pressure_kpa,
    trim_split_of,
)
from galene.core.jobcard.job_records import SetConditions
from galene.core.units import QUANTITIES, in_system
from galene.jobs import evidence
from galene.jobs.act import Act, family_of, revision
from galene.jobs.errors import Refused
from galene.jobs.logs import count_logs
from galene.jobs.stages import lacks
from galene.knowledge import reading_channels
from galene.knowledge.reading_channels import Channel
from galene.store.models import Job
from galene.web.proof.routes import page as proof_page
from galene.web.shared.airpath import picture_of
from galene.web.shared.forms import Form, FormModel, Yes, quantity
from galene.web.shared.live_strip import strip_of
from galene.web.shared.reading_tables import key_on_of_job, table_of
from galene.web.shared.visit import Sent, Signed, Visit, VisitRoute

router = APIRouter(route_class=VisitRoute, include_in_schema=False)


def results_of(visit: Visit, job: Job) -> dict[str, Any]:
    """What the calculations say of the before set."""
    before = evidence.before_work(job, visit.shop.altitude_m)
    outside = outside_pressure_kpa(before.key_on, before.altitude_m)
    return {
        "key_on": key_on_of(before.key_on, before.altitude_m),
        "split": trim_split_of(before.trims, outside),
        "banks": bank_trims_of(before.trims),
    }


def page(
    visit: Visit, job: Job, status: int = 200, *, form: Form | None = None, **extra: Any
) -> HTMLResponse:
    family = family_of(job)
    lookable = [p for p in family.parts if not kind_is(p.component, "not_looked_into")]
    first = next((p.id for p in lookable if kind_is(p.component, "plate")), "")
    return visit.page(
        "evidence.html",
        status,
        job=job,
        stage="evidence",
        family=family,
        idle=table_of(visit, job, "before", kind="idle", form=form),
        trim=table_of(visit, job, "before", kind="trim", form=form),
        loads=reading_channels.loads_of(family),
        key_on=key_on_of_job(job, "before"),
        lookable=lookable,
        first=first,
        looks={k.part: k for k in job.looks if k.phase == "before"},
        results=results_of(visit, job),
        lacks=lacks(job, "evidence"),
        seen_missing=revision(job, "before_missing"),
        entered=form,
        picture=picture_of(family, job, before_only=True),
        logs=count_logs(visit.db, job),
        has_trims=reading_channels.has_trims(family),
        live=strip_of(visit, job, "evidence"),
        **extra,
    )


@router.get("/jobs/{number}/evidence")
def show(visit: Signed, number: str) -> HTMLResponse:
    return page(visit, visit.job(number))


class ConditionsForm(FormModel):
    """What held while a set was taken."""

    coolant_c: Annotated[float | None, quantity("temperature", "Coolant")] = None
    warm: Yes = False
    intake_c: Annotated[float | None, quantity("temperature", "Intake air")] = None
    load: list[str] = Field(default_factory=list)
    protective_mode: Yes = False

    def record(self, family: EngineFamily) -> SetConditions:
        """The conditions as they are kept."""
        return SetConditions(
            coolant_c=self.coolant_c,
            warm=None if family.cooling == "liquid" else self.warm,
            intake_c=self.intake_c,
            load=tuple(self.load),
            protective_mode=self.protective_mode,
        )


def _typed_columns(form: Form, channels: Sequence[Channel]) -> dict[str, list[float | None]]:
    """The table's columns as typed, a fault at its own cell."""
    columns: dict[str, list[float | None]] = {}
    for channel in channels:
        column = columns.setdefault(channel.id, [])
        for i, typed in enumerate(form.texts(channel.id)):
            before = dict(form.faults)
            column.append(form.quantity(channel.id, channel.quantity, channel.label, text=typed))
            if form.faults != before:
                form.faults = before | {f"{channel.id}.{i}": form.faults[channel.id]}
    return columns


def _pasted_columns(form: Form, family: EngineFamily, kind: str) -> dict[str, list[float | None]]:
    """The table's columns out of pasted rows.

    Raises
    ------
    Invalid
    """
    units = {
        c.id: form.text(f"{c.id}_unit") or in_system(QUANTITIES[c.quantity], form.system).id
        for c in reading_channels.channels_of(family, kind)
    }
    rows = evidence.read_pasted(family, kind, form.text("rows"), units=units)
    return {channel: list(values) for channel, values in rows.items()}


@router.post("/jobs/{number}/readings")
def readings(visit: Signed, number: str, form: Sent) -> Response:
    """Save a typed or pasted reading table."""
    phase, kind = form.text("phase"), form.text("kind")
    if phase not in ("before", "after") or kind not in reading_channels.CHANNELS:
        raise Refused("This table is not known", ["Load the page again."])
    pasted = bool(form.text("rows").strip())

    def write(act: Act) -> None:
        family = family_of(visit.job(number))
        if pasted:
            values = _pasted_columns(form, family, kind)
        else:
            values = _typed_columns(form, reading_channels.channels_of(family, kind))
        given = form.read(ConditionsForm)
        evidence.save_readings(
            act,
            number,
            phase,
            kind=kind,
            values=values,
            conditions=given.record(family),
            seen=given.seen,
            source="pasted" if pasted else "typed",
        )

    def shown(faults: dict[str, str]) -> HTMLResponse:
        at = proof_page if phase == "after" else page
        return at(visit, visit.job(number), 422, form=form, faults=faults)

    there = "prove#after" if phase == "after" else f"evidence#{kind}"
    return visit.submit(form, write, to=f"/jobs/{number}/{there}", shown=shown)


@router.post("/jobs/{number}/key-on")
def key_on(visit: Signed, number: str, form: Sent) -> Response:
    phase = "after" if form.text("phase") == "after" else "before"

    def write(act: Act) -> None:
        pressures = {
            p.id: form.quantity(p.id, "pressure", p.label)
            for p in family_of(visit.job(number)).parts
            if form.text(p.id)
        }
        barometer = form.quantity("barometer_kpa", "pressure", "Barometer")
        form.check()
        evidence.save_key_on(
            act,
            number,
            pressures,
            barometer_kpa=barometer,
            seen=form.integer("seen"),
            phase=phase,
        )

    def shown(faults: dict[str, str]) -> HTMLResponse:
        if phase == "after":
            return proof_page(visit, visit.job(number), 422, form=form, faults=faults)
        return page(visit, visit.job(number), 422, form=form, faults=faults)

    there = "prove#after" if phase == "after" else "evidence#key_on"
    return visit.submit(form, write, to=f"/jobs/{number}/{there}", shown=shown)


@router.post("/jobs/{number}/looks")
def look(visit: Signed, number: str, form: Sent) -> Response:
    def write(act: Act) -> None:
        evidence.save_inspection(
            act,
            number,
            "before",
            part_id=form.text("part"),
            deposit=form.text("deposit"),
            grade=form.integer("grade", 9),
            note=form.text("note"),
        )

    return visit.submit(
        form,
        write,
        to=f"/jobs/{number}/evidence#looks",
        shown=lambda faults: page(visit, visit.job(number), 422, form=form, faults=faults),
    )


@router.post("/jobs/{number}/before-missing")
def missing(visit: Signed, number: str, form: Sent) -> Response:
    def write(act: Act) -> None:
        evidence.set_before_missing(
            act, number, form.text("before_missing"), seen=form.integer("seen")
        )

    return visit.submit(
        form,
        write,
        to=f"/jobs/{number}/evidence",
        shown=lambda faults: page(visit, visit.job(number), 422, form=form, faults=faults),
    )
