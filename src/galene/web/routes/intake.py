"""Stage 1: a new job, and its intake."""

from datetime import datetime, timedelta
from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from galene.core.codes import read_codes
from galene.core.diagnosis.assess import is_heard
from galene.jobs import intake, maker_codes
from galene.jobs.act import family_of, revision
from galene.jobs.errors import Invalid, Missing
from galene.jobs.families import bulletins_for, families
from galene.jobs.stages import advance, go_back, lacks
from galene.knowledge.base import KNOWLEDGE, outline_of
from galene.knowledge.evidence import EVIDENCE, WHEN
from galene.store.models import Job
from galene.store.repositories import jobs, vehicles
from galene.web.visit import Sent, Signed, Visit, VisitRoute

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


@router.post("/jobs/new")
def begin(visit: Signed, form: Sent) -> Response:
    key = intake.plate_key(form.text("plate"))
    vehicle = vehicles.by_key(visit.db, key) if key else None
    due = None
    if form.text("due"):
        try:
            due = datetime.fromisoformat(form.text("due")).astimezone()
        except ValueError:
            form.faults["due"] = "A day and time."
        if due and not visit.now - timedelta(hours=1) <= due <= visit.now + timedelta(days=365):
            form.faults["due"] = "From now to a year ahead."
    try:
        form.check()
        with visit.writing(form, "/") as act:
            if vehicle is None or form.text("new"):
                vehicle = intake.add_vehicle(
                    act,
                    intake.NewVehicle(
                        plate=form.text("plate"),
                        maker=form.text("maker"),
                        model=form.text("model"),
                        year=form.text("year"),
                        family=form.text("family"),
                        keeper=form.text("keeper"),
                        hazards=form.texts("hazards"),
                    ),
                )
            job = intake.open_job(
                act, vehicle, form.text("complaint"), bay=visit.person.bay, due_at=due
            )
            location = f"/jobs/{job.number}/intake"
            act.leads_to(form.token, location)
    except Invalid as fault:
        return new_page(
            visit,
            422,
            typed=form.text("plate"),
            vehicle=None if form.text("new") else vehicle,
            adding=bool(form.text("new")) or vehicle is None,
            faults=fault.fields,
            entered=form,
        )
    return visit.go(location)


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


@router.post("/jobs/{number}/intake")
def save(visit: Signed, number: str, form: Sent) -> Response:
    given = intake.IntakeForm(
        complaint=form.text("complaint"),
        recent_work=form.text("recent_work"),
        distance_km=form.quantity("distance", "distance", "Odometer"),
        hours=form.number("hours", "Engine hours"),
        coolant=form.text("coolant"),
        oil=form.text("oil"),
        bulletins_source=form.text("bulletins_source"),
        bulletins_outcome=form.text("bulletins_outcome"),
    )
    onward = bool(form.text("onward"))
    location = f"/jobs/{number}/" + ("evidence" if onward else "intake#saved")
    try:
        form.check()
        with visit.writing(form, location) as act:
            intake.save_intake(act, number, given, seen=form.integer("seen"))
            if onward:
                act.db.flush()
                advance(act, number, "intake")
    except Invalid as fault:
        return page(visit, visit.job(number), 422, faults=fault.fields, entered=form)
    return visit.go(location)


@router.post("/jobs/{number}/maker-code")
def maker_code(visit: Signed, number: str, form: Sent) -> Response:
    location = f"/jobs/{number}/intake#codes"
    try:
        with visit.writing(form, location) as act:
            maker_codes.name_code(
                act,
                form.text("maker_code"),
                form.text("maker_text"),
                evidence=form.text("maker_group"),
            )
    except Invalid as fault:
        return page(visit, visit.job(number), 422, faults=fault.fields, entered=form)
    return visit.go(location)


@router.post("/jobs/{number}/tap")
def tap(visit: Signed, number: str, form: Sent) -> HTMLResponse:
    with visit.setting() as act:
        state, note = intake.tap(
            act, number, form.text("evidence"), was=form.text("was"), state=form.text("state")
        )
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
    try:
        with visit.writing(form, f"/jobs/{number}/intake#codes") as act:
            intake.add_codes(act, number, form.text("codes"))
    except Invalid as fault:
        return page(visit, visit.job(number), 422, faults=fault.fields, entered=form)
    return visit.go(f"/jobs/{number}/intake#codes")


@router.post("/jobs/{number}/codes/remove")
def remove(visit: Signed, number: str, form: Sent) -> Response:
    with visit.writing(form, f"/jobs/{number}/intake#codes") as act:
        intake.remove_code(act, number, form.text("code"))
    return visit.go(f"/jobs/{number}/intake#codes")


@router.post("/jobs/{number}/advance")
def onward(visit: Signed, number: str, form: Sent) -> Response:
    stage = form.text("stage")
    if stage not in ("intake", "evidence", "diagnosis", "plan", "work", "prove"):
        raise Missing(f"stage {stage}")
    with visit.writing(form, f"/jobs/{number}") as act:
        job = advance(act, number, stage)
        location = f"/jobs/{number}/{job.stage}"
        act.leads_to(form.token, location)
    return visit.go(location)


@router.post("/jobs/{number}/back")
def back(visit: Signed, number: str, form: Sent) -> Response:
    with visit.writing(form, f"/jobs/{number}") as act:
        go_back(act, number, form.text("stage"), reason=form.text("reason"))
    return visit.go(f"/jobs/{number}/{form.text('stage')}")


@router.get("/jobs/{number}/trace")
def trace(visit: Signed, number: str) -> HTMLResponse:
    job = visit.job(number)
    rows = jobs.trace(visit.db, job.id, limit=300)
    return visit.page("trace.html", job=job, stage="", rows=rows)
