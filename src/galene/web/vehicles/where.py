"""Where is it? Search by part or code on a vehicle, and on the job that stands open for it."""

from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse

from galene.core.airpath.whereabouts import find_parts, whereabouts
from galene.core.diagnosis.codes import read_codes
from galene.jobs.act import family_in, family_of
from galene.jobs.diagnosis import opened_of
from galene.jobs.errors import Missing
from galene.jobs.families import current_version
from galene.jobs.intake import plate_key
from galene.knowledge.codes import GROUPS, code_meaning
from galene.knowledge.components import COMPONENTS
from galene.store.repositories import jobs as job_rows
from galene.store.repositories import vehicles as vehicle_rows
from galene.web.shared.airpath import picture_of
from galene.web.shared.visit import Signed, Visit, VisitRoute

router = APIRouter(route_class=VisitRoute, include_in_schema=False)
KINDS = {c.id: (c.title, c.what) for c in COMPONENTS.values()}


def _context(visit: Visit, plate: str, typed: str, *, chosen: str) -> dict[str, Any]:
    vehicle = vehicle_rows.by_key(visit.db, plate_key(plate))
    if vehicle is None:
        raise Missing(f"vehicle {plate[:20]}")
    job = job_rows.open_of_vehicle(visit.db, vehicle.id)
    family = family_of(job) if job else family_in(current_version(visit.db, vehicle.family_id))
    codes = read_codes(typed).codes if typed.strip() else ()
    meaning = code_meaning(codes[0].code) if codes else None
    missing = ""
    if meaning is not None:
        group = GROUPS[meaning.group] if meaning.group else None
        parts = [p for p in family.parts if group and p.component == group.component]
        if not parts:
            missing = (
                f"{codes[0].code} points at no part of this engine's air path."
                if not group
                else (
                    f"This engine has no {KINDS[group.component][0].lower()}."
                    if group.component in KINDS
                    else ""
                )
            )
    else:
        parts = find_parts(family, typed, KINDS) if typed.strip() else []
        group = None
        if typed.strip() and not parts:
            missing = (
                "No part of this engine answers to that. Try a word of its name, its number, or a"
                " code."
            )
    if chosen and any(p.id == chosen for p in family.parts):
        parts = (
            sorted(parts, key=lambda p: p.id != chosen)
            if any(p.id == chosen for p in parts)
            else [family.part(chosen), *parts]
        )
    known = {o.id for o in family.operations}
    first = (
        whereabouts(
            family,
            parts[0].id,
            KINDS,
            done=[o for o in (opened_of(job) if job else ()) if o in known],
        )
        if parts
        else None
    )
    return {
        "vehicle": vehicle,
        "job": None,
        "open_job": job,
        "family": family,
        "typed": typed,
        "found": first,
        "others": parts[1:8],
        "missing": missing,
        "meaning": meaning,
        "group": group,
        "picture": picture_of(family, job, lit=[parts[0].id] if parts else []),
        "place": "vehicles",
    }


@router.get("/vehicles/{plate}/where")
def show(visit: Signed, plate: str, q: str = "", *, part: str = "") -> HTMLResponse:
    context = _context(visit, plate, q[:80], chosen=part[:60])
    if visit.by_htmx:
        return visit.part("where.html", "answer", **context)
    return visit.page("where.html", **context)
