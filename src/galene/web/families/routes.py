"""An engine family: its page, its file, its pictures, bulletins, copies; and files taken in."""

import json
import re

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from galene.core.airpath.family import Band
from galene.core.calculations.metrics import METRICS
from galene.core.errors import InputError
from galene.exchange.families import from_file, to_file
from galene.jobs import families
from galene.jobs.act import Act, family_in
from galene.jobs.bands import bands_of
from galene.jobs.errors import Invalid, Missing, Refused
from galene.web.practice.routes import page as reference_page
from galene.web.shared.airpath import picture_of
from galene.web.shared.forms import Form
from galene.web.shared.visit import Sent, SentFile, Signed, Visit, VisitRoute

router = APIRouter(route_class=VisitRoute, include_in_schema=False)


def family_page(
    visit: Visit,
    family_id: str,
    version: int = 0,
    *,
    status: int = 200,
    entered: Form | None = None,
    **extra: object,
) -> HTMLResponse:
    """A family in force, or an older version of it."""
    versions = families.versions_of(visit.db, family_id)
    current = families.current_version(visit.db, family_id)
    shown = next((v for v in versions if v.version == version), None) if version else current
    if shown is None:
        raise Missing(f"version {version} of engine family {family_id[:20]}")
    one = family_in(shown)
    # An older version shows its own entry; the one in force shows what own work made of it.
    in_force = bands_of(visit.db, one) if shown is current else one.bands
    bands: list[tuple[str, str, Band]] = [
        (METRICS[k].label, METRICS[k].quantity, b) for k, b in in_force.items()
    ]
    return visit.page(
        "family.html",
        status,
        family=one,
        picture=picture_of(one),
        bands=bands,
        versions=versions,
        shown=shown,
        current=current,
        draft=families.draft_of(visit.db, family_id),
        bulletins=families.bulletins_for(visit.db, family_id),
        kinds=families.KINDS,
        entered=entered,
        place="reference",
        **extra,
    )


@router.get("/reference/families/{family_id}")
def show(visit: Signed, family_id: str, version: int = 0) -> HTMLResponse:
    return family_page(visit, family_id, version)


@router.get("/reference/families/{family_id}/file")
def download(visit: Signed, family_id: str, version: int = 0) -> Response:
    rows = families.versions_of(visit.db, family_id)
    row = (
        next((v for v in rows if v.version == version), None)
        if version
        else families.current_version(visit.db, family_id)
    )
    if row is None:
        raise Missing(f"version {version} of engine family {family_id[:20]}")
    one = family_in(row)
    store = visit.request.app.state.pictures
    pictures = {
        p.picture: data
        for p in one.parts
        if p.picture and (data := store.read(p.picture)) is not None
    }
    text = json.dumps(to_file(one, pictures), ensure_ascii=False, indent=1)
    name = re.sub(r"[^A-Za-z0-9-]", "", one.id) or "family"
    return Response(
        text,
        media_type="application/json",
        headers={
            "content-disposition": (
                f'attachment; filename="engine-family-{name}-v{row.version}.json"'
            )
        },
    )


@router.post("/reference/families/{family_id}/bulletins")
def bulletin(visit: Signed, family_id: str, form: Sent) -> Response:
    location = f"/reference/families/{family_id}#bulletins"

    def write(act: Act) -> None:
        families.add_bulletin(
            act,
            form.text("kind"),
            form.text("title"),
            source=form.text("source"),
            outcome=form.text("outcome"),
            family_id=family_id,
        )

    return visit.submit(
        form,
        write,
        to=location,
        shown=lambda faults: family_page(
            visit, family_id, 0, status=422, entered=form, faults=faults
        ),
    )


@router.post("/reference/families")
def begin(visit: Signed, form: Sent) -> Response:
    """A family of one's own: a copy, or an empty one."""
    like = form.text("like")
    location = f"/reference/families/{form.text('id').strip().upper()}/edit"

    def write(act: Act) -> None:
        families.new_family(act, form.text("id"), form.text("name"), like=like)

    return visit.submit(
        form,
        write,
        to=location,
        shown=lambda faults: reference_page(
            visit, 422, faults={f"family_{k}": v for k, v in faults.items()}, entered=form
        ),
    )


@router.post("/reference/families/take-in")
def take_in(visit: Signed, form: SentFile) -> Response:
    """A family from a file becomes a draft, so that it is looked at before it is in force."""
    store = visit.request.app.state.pictures

    def write(act: Act) -> str:
        try:
            if not form.file:
                raise InputError("file", "nothing", "an engine family's JSON file")
            one, pictures = from_file(form.file)
            families.take_in(act, one)
        except InputError as fault:
            words = f"{fault.field}: {fault.value!r}. Wanted: {fault.allowed}."
            raise Invalid({"file": words}) from fault
        except Refused as fault:
            raise Invalid({"file": " · ".join(fault.reasons)}) from fault
        for name, data in pictures.items():
            store.keep_encoded(name, data)
        return f"/reference/families/{one.id}/edit"

    return visit.submit(
        form,
        write,
        to="/reference",
        shown=lambda faults: reference_page(visit, 422, faults=faults, entered=form),
    )


@router.get("/pictures/{name}.jpg")
def picture(visit: Signed, name: str) -> Response:
    data = visit.request.app.state.pictures.read(name)
    if data is None:
        raise Missing("picture")
    return Response(
        data,
        media_type="image/jpeg",
        headers={"cache-control": "private, max-age=31536000, immutable"},
    )
