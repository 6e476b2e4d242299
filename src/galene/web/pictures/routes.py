"""Pictures of a job: from the tablet's camera or a file, paired, compared, drawn over."""

import json
from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, JSONResponse, Response

from galene.core.errors import InputError
from galene.jobs import pictures
from galene.jobs.act import Act, family_of
from galene.jobs.errors import AlreadyDone, Invalid
from galene.store.models import Job
from galene.web.shared.forms import Form
from galene.web.shared.visit import Sent, SentFile, Signed, Visit, VisitRoute

router = APIRouter(
    prefix="/jobs/{number}/pictures", route_class=VisitRoute, include_in_schema=False
)


def page(visit: Visit, job: Job, status: int = 200, **extra: Any) -> HTMLResponse:
    """All pictures, those of a part beside each other."""
    rows = pictures.pictures_of(visit.db, job)
    family = family_of(job)
    chosen = [p.part for p in job.plans[0].document.parts] if job.plans else []
    parts = [
        *(p for p in family.parts if p.id in chosen),
        *(p for p in family.parts if p.id not in chosen),
    ]
    return visit.page(
        "pictures.html",
        status,
        job=job,
        stage=job.stage,
        family=family,
        parts=parts,
        pairs=pictures.pairs(rows),
        labels={p.id: p.label for p in family.parts},
        phases=pictures.PHASES,
        **extra,
    )


@router.get("")
def show(visit: Signed, number: str) -> HTMLResponse:
    return page(visit, visit.job(number))


@router.post("")
def add(visit: Signed, number: str, form: SentFile) -> Response:
    """Keep the file first, then its record: a record never names a picture that is not there."""
    by_script = visit.request.headers.get("accept", "").startswith("application/json")
    if form.text("me") not in ("", str(visit.person.id)):
        # Taken by somebody else who is signed out now: it is not theirs who sends it, and waits for
        # its own.
        return JSONResponse({"lines": [], "other": visit.person.name}, 409)

    def write(act: Act) -> None:
        try:
            if not form.file:
                raise InputError("picture", "nothing", "a JPEG, PNG or WebP picture")
            kept = visit.request.app.state.pictures.keep_with_thumbnail(form.file)
        except InputError as fault:
            raise Invalid({"file": f"{fault.value}: wanted is {fault.allowed}."}) from fault
        pictures.add_picture(
            act,
            number,
            form.text("part"),
            phase=form.text("phase") or "before",
            note=form.text("note"),
            kept=kept,
        )

    def shown(faults: dict[str, str]) -> Response:
        if by_script:
            return JSONResponse({"lines": list(faults.values())}, 422)
        return page(visit, visit.job(number), 422, faults=faults, entered=form)

    try:
        answer = visit.submit(form, write, to=f"/jobs/{number}/pictures", shown=shown)
    except AlreadyDone:
        if not by_script:
            raise
        return JSONResponse({"outcome": "done"})
    done = by_script and answer.status_code < 400
    return JSONResponse({"outcome": "done"}) if done else answer


@router.get("/{picture_id}")
def one(visit: Signed, number: str, picture_id: int) -> HTMLResponse:
    job = visit.job(number)
    row = pictures.find_picture(visit.db, job, picture_id)
    return visit.page(
        "picture.html",
        job=job,
        stage=job.stage,
        picture=row,
        labels={p.id: p.label for p in family_of(job).parts},
    )


def _marks(form: Form) -> list[Any]:
    try:
        found = json.loads(form.text("marks") or "[]")
    except (json.JSONDecodeError, RecursionError) as fault:
        raise Invalid({"marks": "The marks can not be read."}) from fault
    if not isinstance(found, list):
        raise Invalid({"marks": "The marks can not be read."})
    return found


@router.post("/{picture_id}")
def mark(visit: Signed, number: str, picture_id: int, *, form: Sent) -> Response:
    location = f"/jobs/{number}/pictures/{picture_id}"

    def write(act: Act) -> None:
        pictures.mark_picture(
            act, number, picture_id, marks=_marks(form), seen=form.integer("seen")
        )

    return visit.submit(form, write, to=location)
