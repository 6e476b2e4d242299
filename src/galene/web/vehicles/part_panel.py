"""Everything that a job knows of one part, for the panel beside the drawing."""

from dataclasses import dataclass

from fastapi import APIRouter
from fastapi.responses import HTMLResponse

from galene.core.airpath.family import EngineFamily
from galene.core.airpath.whereabouts import Found, whereabouts
from galene.core.diagnosis.records import Assessment, RankedCause
from galene.jobs import diagnosis
from galene.jobs.act import family_of
from galene.jobs.diagnosis import opened_of
from galene.jobs.errors import Missing
from galene.knowledge.base import KNOWLEDGE
from galene.knowledge.components import COMPONENTS
from galene.store.models import Job
from galene.web.shared.airpath import chances_of, picture_of
from galene.web.shared.visit import Signed, VisitRoute

router = APIRouter(route_class=VisitRoute, include_in_schema=False)
KINDS = {c.id: (c.title, c.what) for c in COMPONENTS.values()}


@dataclass(frozen=True, kw_only=True)
class ToDo:
    """What can be done about a part now: words, where it leads, minutes where they are known."""

    text: str
    to: str
    minutes: float | None = None


def causes_of(family: EngineFamily, part_id: str, ranking: Assessment) -> list[RankedCause]:
    """The causes that lie in a part, likeliest first."""
    component = family.part(part_id).component
    return [c for c in ranking.causes if KNOWLEDGE.causes[c.id].component == component]


def to_do(job: Job, family: EngineFamily, part_id: str, ranking: Assessment) -> list[ToDo]:
    """What the stage that the job stands at can do about a part."""
    if job.state != "open":
        return []
    part, at = family.part(part_id), f"/jobs/{job.number}"
    found = []
    if job.stage in ("evidence", "diagnosis"):
        found += [
            ToDo(text=KNOWLEDGE.checks[n.id].title, to=f"{at}/checks/{n.id}", minutes=n.minutes)
            for n in ranking.next_checks
            if part.component in KNOWLEDGE.checks[n.id].components
        ][:2]
        if not any(look.part == part_id for look in job.looks):
            found.append(ToDo(text="Look at it and say the grade", to=f"{at}/evidence#looks"))
    if part.bore_mm and job.stage in ("evidence", "diagnosis", "work", "prove"):
        found.append(ToDo(text="Measure its bore", to=f"{at}/bores/{part_id}"))
    if job.stage == "plan":
        found.append(ToDo(text="Its line in the plan", to=f"{at}/plan#part-{part_id}"))
    if job.stage == "work":
        row = next((r for r in job.steps if r.done_at is None and r.document.part == part_id), None)
        if row is not None:
            found.append(ToDo(text=f"Still to do: {row.document.text}", to=f"{at}/work"))
    return found


def _found(job: Job, family: EngineFamily, part_id: str) -> Found:
    known = {o.id for o in family.operations}
    done = [o for o in opened_of(job) if o in known]
    return whereabouts(family, part_id, KINDS, done=done)


@router.get("/jobs/{number}/parts/{part}")
def show(visit: Signed, number: str, part: str) -> HTMLResponse:
    job = visit.job(number)
    family = family_of(job)
    if not any(p.id == part for p in family.parts):
        raise Missing(f"part {part[:40]} of this engine")
    ranking = diagnosis.assess_job(job, visit.shop.hourly_rate)
    picture = picture_of(family, job, chances=chances_of(family, ranking))
    context = {
        "job": job,
        "stage": job.stage,
        "family": family,
        "mark": picture.marks[part],
        "found": _found(job, family, part),
        "causes": [c for c in causes_of(family, part, ranking) if c.probability >= 0.02][:3],
        "to_do": to_do(job, family, part, ranking),
        "whole": not visit.by_htmx,
    }
    if visit.by_htmx:
        return visit.part("part_panel.html", "main", **context)
    return visit.page("part_panel.html", **context)
