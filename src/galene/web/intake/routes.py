"""Stage 1: a new job, and its intake."""

from datetime import datetime, timedelta
from functools import partial
from typing import Annotated, Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response
from pydantic import Field

from galene.core.diagnosis.assess import is_heard
from galene.core.diagnosis.codes import read_codes
from galene.core.diagnosis.freeze_frame import FreezeFrame
from galene.jobs import fuel, intake, maker_codes
from galene.jobs.act import Act, family_of, revision
from galene.jobs.errors import Invalid, Missing
from galene.jobs.families import bulletins_for, families
from galene.jobs.stages import advance, go_back, lacks
from galene.knowledge.base import KNOWLEDGE, outline_of
from galene.knowledge.evidence import EVIDENCE, WHEN
from galene.store.models import Job
from galene.store.repositories import jobs, vehicles
from galene.web.intake.trace_words import told_of
from galene.web.shared.forms import FormModel, Moment, number, quantity
from galene.web.shared.live_strip import strip_of
from galene.web.shared.visit import Sent, Signed, Visit, VisitRoute

router = APIRouter(route_class=VisitRoute, include_in_schema=False)


def new_page(visit: Visit, status: int = 200, **extra: Any) -> HTMLResponse:
    base: dict[str, Any] = {
        "typed": "",
        "vehicle": None,
        "found": [],
        "families": families(visit.db),
        "hazards": intake.HAZARDS,
        "place": "new",
    }
    return visit.page("new_job.html", status, **{**base, **extra})


@router.get("/jobs/new")
def new(visit: Signed, plate: str = "", add: str = "") -> HTMLResponse:
    found = intake.find_vehicles(visit.db, plate)
    exact = next((v for v in found if v.plate_key == intake.plate_key(plate)), None)
    return new_page(visit, typed=plate[:20], vehicle=exact, found=found, adding=bool(add))


@router.get("/jobs/new/found")
def found(visit: Signed, plate: str = "") -> HTMLResponse:
    return visit.part(
        "new_job.html", "found_list", typed=plate[:20], found=intake.find_vehicles(visit.db, plate)
    )


class NewJobForm(FormModel):
    """A vehicle by its plate, or a new one, and the complaint."""

    plate: str = ""
    new: str = ""
    maker: str = ""
    model: str = ""
    year: str = ""
    family: str = ""
    keeper: str = ""
    hazards: list[str] = Field(default_factory=list)
    complaint: str = ""
    due: Moment = None

    def vehicle(self) -> intake.NewVehicle:
        """The vehicle as typed."""
        return intake.NewVehicle(
            plate=self.plate,
            maker=self.maker,
            model=self.model,
            year=self.year,
            family=self.family,
            keeper=self.keeper,
            hazards=self.hazards,
        )


@router.post("/jobs/new")
def begin(visit: Signed, form: Sent) -> Response:
    key = intake.plate_key(form.text("plate"))
    known = vehicles.by_key(visit.db, key) if key and not form.text("new") else None

    def write(act: Act) -> str:
        given = form.read(NewJobForm)
        if given.due and not in_a_year(given.due, visit.now):
            raise Invalid({"due": "From now to a year ahead."})
        vehicle = known or intake.add_vehicle(act, given.vehicle())
        job = intake.open_job(act, vehicle, given.complaint, bay=visit.person.bay, due_at=given.due)
        fuel.say_flat(act, job)
        return f"/jobs/{job.number}/intake"

    def shown(faults: dict[str, str]) -> HTMLResponse:
        return new_page(
            visit,
            422,
            typed=form.text("plate"),
            vehicle=known,
            adding=known is None,
            faults=faults,
            entered=form,
        )

    return visit.submit(form, write, to="/", shown=shown)


def in_a_year(due: datetime, now: datetime) -> bool:
    """Whether a day that a job is due lies ahead, and not too far."""
    return now - timedelta(hours=1) <= due <= now + timedelta(days=365)


def page(visit: Visit, job: Job, status: int = 200, **extra: Any) -> HTMLResponse:
    states = {o.evidence: o.state for o in job.observations}
    engine = outline_of(family_of(job))
    heard = [e for e in EVIDENCE if is_heard(e, engine, KNOWLEDGE)]
    earlier = [j for j in job.vehicle.jobs if j.id < job.id]
    return visit.page(
        "intake.html",
        status,
        job=job,
        stage="intake",
        live=strip_of(visit, job, "intake"),
        states=states,
        when=WHEN,
        earlier=earlier,
        symptoms={g: [e for e in heard if e.group == g] for g in WHEN},
        histories=[e for e in heard if e.group in ("history", "duty")],
        lacks=lacks(job, "intake"),
        seen=revision(job, "intake"),
        maker=maker_codes.words_of(visit.db),
        makers_own=maker_codes.is_makers_own,
        known_bulletins=bulletins_for(visit.db, job.family_id, job.vehicle),
        **extra,
    )


@router.get("/jobs/{number}")
def enter(visit: Signed, number: str) -> Response:
    return visit.go(f"/jobs/{number}/{visit.job(number).stage}")


@router.get("/jobs/{number}/intake")
def show(visit: Signed, number: str) -> HTMLResponse:
    return page(visit, visit.job(number))


class IntakeFields(FormModel):
    """The intake's fields; `onward` goes on to the evidence."""

    complaint: str = ""
    recent_work: str = ""
    distance: Annotated[float | None, quantity("distance", "Odometer")] = None
    hours: Annotated[float | None, number("Engine hours")] = None
    coolant: str = ""
    oil: str = ""
    bulletins_source: str = ""
    bulletins_outcome: str = ""
    onward: str = ""


@router.post("/jobs/{number}/intake")
def save(visit: Signed, number: str, form: Sent) -> Response:
    onward = bool(form.text("onward"))

    def write(act: Act) -> None:
        given = form.read(IntakeFields)
        kept = intake.IntakeForm(
            complaint=given.complaint,
            recent_work=given.recent_work,
            distance_km=given.distance,
            hours=given.hours,
            coolant=given.coolant,
            oil=given.oil,
            bulletins_source=given.bulletins_source,
            bulletins_outcome=given.bulletins_outcome,
        )
        intake.save_intake(act, number, kept, seen=given.seen)
        if onward:
            act.db.flush()
            advance(act, number, "intake")

    return visit.submit(
        form,
        write,
        to=f"/jobs/{number}/" + ("evidence" if onward else "intake#saved"),
        shown=lambda faults: page(visit, visit.job(number), 422, faults=faults, entered=form),
    )


@router.post("/jobs/{number}/maker-code")
def maker_code(visit: Signed, number: str, form: Sent) -> Response:
    location = f"/jobs/{number}/intake#codes"

    def write(act: Act) -> None:
        maker_codes.name_code(
            act,
            form.text("maker_code"),
            form.text("maker_text"),
            evidence=form.text("maker_group"),
        )

    return visit.submit(
        form,
        write,
        to=location,
        shown=lambda faults: page(visit, visit.job(number), 422, faults=faults, entered=form),
    )


@router.post("/jobs/{number}/tap")
def tap(visit: Signed, number: str, form: Sent) -> Response:
    with visit.setting() as act:
        state, note = intake.tap(
            act, number, form.text("evidence"), was=form.text("was"), state=form.text("state")
        )
    if not visit.by_htmx:  # without scripts the tap is a plain form
        return visit.go(f"/jobs/{number}/intake#symptoms")
    return visit.part(
        "fragments.html",
        "tap",
        job_number=number,
        evidence_id=form.text("evidence"),
        state=state,
        tap_note=note,
    )


@router.post("/jobs/{number}/codes/preview")
def preview(visit: Signed, number: str, form: Sent) -> HTMLResponse:
    read = read_codes(form.text("codes")[:4000])
    return visit.part("fragments.html", "codes_preview", read=read)


@router.post("/jobs/{number}/codes")
def codes(visit: Signed, number: str, form: Sent) -> Response:
    def write(act: Act) -> None:
        intake.add_codes(act, number, form.text("codes"))

    return visit.submit(
        form,
        write,
        to=f"/jobs/{number}/intake#codes",
        shown=lambda faults: page(visit, visit.job(number), 422, faults=faults, entered=form),
    )


@router.post("/jobs/{number}/codes/remove")
def remove(visit: Signed, number: str, form: Sent) -> Response:
    def write(act: Act) -> None:
        intake.remove_code(act, number, form.text("code"))

    return visit.submit(form, write, to=f"/jobs/{number}/intake#codes")


class FrameForm(FormModel):
    """The frame of a code."""

    code: str = ""
    frame_coolant_c: Annotated[float | None, quantity("temperature", "Coolant")] = None
    frame_rpm: Annotated[float | None, number("Engine speed")] = None
    frame_load_percent: Annotated[float | None, number("Load")] = None
    frame_speed_km_h: Annotated[float | None, quantity("road_speed", "Road speed")] = None


@router.post("/jobs/{number}/codes/frame")
def frame(visit: Signed, number: str, form: Sent) -> Response:
    """Keep the frame that was stored with a code."""

    def write(act: Act) -> None:
        given = form.read(FrameForm)
        intake.save_frame(
            act,
            number,
            given.code,
            FreezeFrame(
                coolant_c=given.frame_coolant_c,
                rpm=given.frame_rpm,
                load_percent=given.frame_load_percent,
                speed_km_h=given.frame_speed_km_h,
            ),
        )

    return visit.submit(
        form,
        write,
        to=f"/jobs/{number}/intake#codes",
        shown=lambda faults: page(visit, visit.job(number), 422, faults=faults, entered=form),
    )


@router.post("/jobs/{number}/advance")
def onward(visit: Signed, number: str, form: Sent) -> Response:
    stage = form.text("stage")
    if stage not in ("intake", "evidence", "diagnosis", "plan", "work", "prove"):
        raise Missing(f"stage {stage}")

    def write(act: Act) -> str:
        job = advance(act, number, stage)
        location = f"/jobs/{number}/{job.stage}"
        return location

    return visit.submit(form, write, to=f"/jobs/{number}")


@router.post("/jobs/{number}/back")
def back(visit: Signed, number: str, form: Sent) -> Response:
    def write(act: Act) -> str:
        job = go_back(act, number, form.text("stage"), reason=form.text("reason"))
        return f"/jobs/{number}/{job.stage}"

    return visit.submit(form, write, to=f"/jobs/{number}")


@router.get("/jobs/{number}/trace")
def trace(visit: Signed, number: str) -> HTMLResponse:
    job = visit.job(number)
    rows = jobs.trace(visit.db, job.id, limit=300)
    return visit.page(
        "trace.html", job=job, stage="", rows=rows, told=partial(told_of, job=job, shop=visit.shop)
    )
