"""What was found and left on a family's parts, over its vehicles' finished jobs."""

from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy import select, type_coerce
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Session

from galene.store.models import Inspection, Job, StepRow

MOST_JOBS = 400
"""Finished jobs of a family that its usual rate is made of: the newest."""


@dataclass(frozen=True)
class SeenVisit:
    """A part at one visit: exposure, worst grade found, grade left."""

    at: float
    found: int
    left: int


@dataclass(frozen=True)
class Series:
    """One part of one vehicle, the oldest visit first."""

    part: str
    visits: tuple[SeenVisit, ...]


def series_of_family(db: Session, family_id: str, *, hours: bool) -> list[Series]:
    """Every part of every vehicle of a family that was looked at, by km or by hours."""
    exposure = Job.hours if hours else Job.distance_km
    newest = (
        select(Job.id, Job.vehicle_id, exposure.label("at"))
        .where(Job.family_id == family_id, Job.state == "finished", exposure.is_not(None))
        .order_by(Job.id.desc())
        .limit(MOST_JOBS)
        .subquery()
    )
    asked = (
        select(
            newest.c.vehicle_id,
            newest.c.id,
            newest.c.at,
            Inspection.part,
            Inspection.phase,
            Inspection.grade,
        )
        .join(Inspection, Inspection.job_id == newest.c.id)
        .order_by(newest.c.vehicle_id, newest.c.id)
    )
    seen: dict[tuple[int, str], dict[int, dict[str, int]]] = {}
    at: dict[int, float] = {}
    for vehicle, job, exposed, part, phase, grade in db.execute(asked):
        at[job] = exposed
        side = "left" if phase == "after" else "found"
        visit = seen.setdefault((vehicle, part), {}).setdefault(job, {})
        visit[side] = max(visit.get(side, 0), grade)
    found = []
    for (_, part), visits in seen.items():
        series: list[SeenVisit] = []
        for job, sides in sorted(visits.items()):
            if "found" in sides and (not series or at[job] > series[-1].at):
                left = sides.get("left", sides["found"])
                series.append(SeenVisit(at[job], sides["found"], left))
        if series:
            found.append(Series(part, tuple(series)))
    return found


def drawn_in(db: Session, job_ids: Sequence[int]) -> dict[int, frozenset[str]]:
    """Parts that each job let the running engine draw an agent into, from the steps that were
    done."""
    document = type_coerce(StepRow.document, JSONB)
    asked = select(StepRow.job_id, document["part"].astext, document["treats"]).where(
        StepRow.job_id.in_(job_ids),
        StepRow.done_at.is_not(None),
        document["agent"]["way"].astext == "running_ingestion",
    )
    found: dict[int, frozenset[str]] = {}
    for job, part, treats in db.execute(asked):
        found[job] = found.get(job, frozenset()) | frozenset(treats or [part])
    return found
