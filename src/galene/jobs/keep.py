"""Whether a part is better cleaned or fitted new, by own returns, by how soon it clogs again and by
what either costs on this job."""

from dataclasses import dataclass
from itertools import pairwise

from sqlalchemy.orm import Session

from galene.core.calculations.keep_or_replace import KeepInput, KeepResult, keep_or_replace
from galene.core.errors import InputError
from galene.core.learning.growth import KM_PER_HOUR, Due, due, duty_prior
from galene.core.planning.records import PartWork
from galene.core.planning.words import Work
from galene.jobs.act import family_of
from galene.jobs.errors import Refused
from galene.jobs.growth import LIMIT_GRADE, duty_of, family_rates
from galene.jobs.planning import planned
from galene.store.models import Job, Workshop
from galene.store.repositories import growth as rows


@dataclass(frozen=True, kw_only=True)
class KeepTold:
    """A part cleaned once more or fitted new.

    Parameters
    ----------
    clean, replace : price of the whole plan of that part alone, either way
    cleanings, returns : own cleanings of it that were followed, and those that came back too early
    holds_km : how far it goes from clean to the limit
    result : None where no price of the new part is known
    """

    label: str
    clean: float
    replace: float | None
    cleanings: int
    returns: int
    holds_km: float
    result: KeepResult | None


def kept_or_replaced(db: Session, job: Job, shop: Workshop, part: str) -> KeepTold | None:
    """What own work says of a part; None where it can not be cleaned or not be replaced.

    Notes
    -----
    Deposit grows on a new part as on a clean one: a new one lasts as long as a cleaning that holds,
    so that replacing pays only where cleanings come back or cost as much.
    """
    clean, replaced = (_priced(job, shop, part, work) for work in ("clean", "replace"))
    if clean is None or replaced is None:
        return None
    family = family_of(job)
    hours = job.distance_km is None and job.hours is not None
    known = family_rates(db, family.id, hours=hours)
    rate = known[part][0] if part in known else duty_prior(duty_of(job), "grade", hours)
    interval = due(rate, since=0.0, left=0.0, limit=LIMIT_GRADE)
    cleanings, returns = _followed(db, family.id, part, hours=hours, interval=interval)
    holds_km = min(1e6, max(100.0, interval.at * (KM_PER_HOUR if hours else 1.0)))
    result = None
    if replaced.price is not None:
        result = keep_or_replace(
            KeepInput(
                cleanings=cleanings,
                returns=returns,
                clean_cost=clean.price or 0.0,
                replace_cost=replaced.price,
                return_cost=shop.off_road_per_day,
                clean_holds_km=holds_km,
                new_holds_km=holds_km,
            )
        )
    return KeepTold(
        label=family.part(part).label,
        clean=clean.price or 0.0,
        replace=replaced.price,
        cleanings=cleanings,
        returns=returns,
        holds_km=holds_km,
        result=result,
    )


@dataclass(frozen=True, kw_only=True)
class _Price:
    """Price of a plan, None where a part of it has none."""

    price: float | None


def _priced(job: Job, shop: Workshop, part: str, work: Work) -> _Price | None:
    try:
        document = planned(job, (PartWork(part=part, work=work),), shop).document
    except (InputError, Refused):
        return None
    if work == "clean":
        return _Price(price=document.price)
    # Ports belong to the head: a plan that fits no new part replaces nothing.
    if not any(s.id == part for s in document.bill.spares):
        return None
    asked = any(s.price is None for s in document.bill.spares)
    return _Price(price=None if asked else document.price)


def _followed(
    db: Session, family_id: str, part: str, *, hours: bool, interval: Due
) -> tuple[int, int]:
    """Cleanings of a part on this family that a later visit followed, and those that had clogged
    before the early end of their due window."""
    cleanings = returns = 0
    for series in rows.series_of_family(db, family_id, hours=hours):
        if series.part != part:
            continue
        for one, later in pairwise(series.visits):
            if one.left >= one.found:
                continue
            cleanings += 1
            returns += later.found >= LIMIT_GRADE and later.at - one.at < interval.low
    return cleanings, returns
