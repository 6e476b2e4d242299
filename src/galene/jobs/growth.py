"""How deposits grow on a vehicle's parts, by its own visits and those of its family, and when each
is due."""

from collections.abc import Container, Iterable, Mapping, Sequence
from dataclasses import dataclass

from sqlalchemy.orm import Session

from galene.core.airpath.family import EngineFamily
from galene.core.jobcard.job_records import NextLook
from galene.core.learning.fuel import per_month
from galene.core.learning.growth import (
    DUTY_WORDS,
    Due,
    Rate,
    Visit,
    due,
    duty_prior,
    learned_rate,
    pace_per_day,
    pooled,
)
from galene.core.learning.waiting import WaitingCost, limit_by_cost
from galene.jobs.act import family_of
from galene.jobs.diagnosis import DUTY
from galene.jobs.fuel import book_of
from galene.store.models import Job
from galene.store.repositories import growth as rows
from galene.store.repositories import jobs, people

LIMIT_GRADE = 2.0
"""Grade at which a part is due: from there a deposit is a finding (the grades' own scale)."""
UNSEEN_LEFT = 1.0
"""Grade that a part cleaned in place is taken to be left with at best, where nobody looked: one
better than it was found, never clean (this project's judgement)."""
NEAR_SHARE = 0.25
"""Parts whose date comes within this share of the first one's interval are done together: what is
opened once costs the next part nothing (this project's judgement)."""


@dataclass(frozen=True, kw_only=True)
class PartLine:
    """One part's life.

    Parameters
    ----------
    part, label : of the family
    visits : where it was looked at, as grades found and left
    rate : grades per km or hour, as long as it is fed
    due : when it reaches the limit
    cured : whether what fed it is mended since
    limit : grade at which it is due
    unseen : whether it was cleaned last with nothing taken off, and nobody has looked since
    """

    part: str
    label: str
    visits: tuple[Visit, ...]
    rate: Rate
    due: Due
    cured: bool
    limit: float = LIMIT_GRADE
    unseen: bool = False


@dataclass(frozen=True, kw_only=True)
class Life:
    """The parts of a vehicle, the first due first; `hours`: its exposure is engine hours."""

    lines: tuple[PartLine, ...]
    hours: bool
    now: float
    duty: tuple[str, ...]
    family_vehicles: int


def duty_of(job: Job) -> tuple[str, ...]:
    """Duty words that were said of a job's vehicle."""
    return tuple(
        o.evidence for o in job.observations if o.evidence in DUTY and o.state == "present"
    )


USUAL_HOURS = 1.5
"""Hours that a cleaning takes where no plan of the vehicle has a price (project default)."""


@dataclass(frozen=True, kw_only=True)
class WaitingOf:
    """What waiting costs at one vehicle, for the shops that go by it."""

    per_week: float
    cleaning: float
    fuel_a_week: float
    off_road_a_day: float

    def limit(self, rate: Rate) -> float:
        """The grade at which a part that grows so is due."""
        return limit_by_cost(
            WaitingCost(
                grades_a_week=min(1e3, max(1e-9, rate.usual * self.per_week)),
                cleaning=self.cleaning,
                fuel_a_week=self.fuel_a_week,
                off_road_a_day=self.off_road_a_day,
            )
        )


def _waiting_of(db: Session, visited: Sequence[Job], *, hours: bool) -> WaitingOf | None:
    """None where the shop goes by the grade."""
    shop = people.workshop(db)
    if shop.due_by != "cost":
        return None
    reached = [
        (j.opened_at.timestamp() / 86400, e)
        for j in visited
        if (e := _exposure(j, hours)) is not None
    ]
    prices = [p.document.price for j in reversed(visited) for p in j.plans if p.approved_at]
    book = book_of(db, visited[-1].vehicle_id)
    month = per_month(book.legs)
    litres = 0.0
    if month is not None and book.use is not None:
        litres = month * book.use.value / (1.0 if book.hours else 100.0)
    return WaitingOf(
        per_week=7 * pace_per_day(reached[0], reached[-1], hours=hours),
        cleaning=prices[0] if prices else USUAL_HOURS * shop.hourly_rate,
        fuel_a_week=litres * 7 / 30.44 * (shop.fuel_price or 0.0),
        off_road_a_day=shop.off_road_per_day,
    )


def _exposure(job: Job, hours: bool) -> float | None:
    return job.hours if hours else job.distance_km


def _left(job: Job, part: str) -> list[int]:
    """Grades that were seen after the work."""
    return [k.grade for k in job.looks if k.part == part and k.phase == "after"]


def _visits(
    visited: Sequence[Job],
    part: str,
    *,
    hours: bool,
    fed_now: bool | None,
    drawn: Mapping[int, Container[str]],
) -> tuple[Visit, ...]:
    """A part over the jobs of its vehicle, the oldest first. `fed_now` stands for what the newest
    job has not said yet, `drawn` says what was cleaned in place."""
    found: list[Visit] = []
    fed_before = False
    for job in visited:
        fed = fed_now if job is visited[-1] and fed_now is not None else job.handover.fed
        cured, fed_before = fed_before and not fed, fed
        at = _exposure(job, hours)
        looks = [k for k in job.looks if k.part == part]
        if at is None or not looks or (found and at <= found[-1].at):
            continue
        seen = max((k.grade for k in looks if k.phase in ("before", "work")), default=None)
        if seen is None:
            continue
        # What was looked at and not cleaned is left as it was found.
        left = float(min(_left(job, part), default=seen))
        if part in drawn.get(job.id, ()) and not _left(job, part):
            left = max(UNSEEN_LEFT, seen - 1.0)
        found.append(Visit(at=at, found=float(seen), left=min(float(left), seen), cured=cured))
    return tuple(found)


def family_rates(db: Session, family_id: str, *, hours: bool) -> dict[str, tuple[Rate, int]]:
    """The usual rate of each part of a family by its vehicles, and how many of them say so."""
    prior = duty_prior([], "grade", hours)
    rates: dict[str, list[Rate]] = {}
    for series in rows.series_of_family(db, family_id, hours=hours):
        visits = [
            Visit(at=v.at, found=float(v.found), left=float(min(v.left, v.found)))
            for v in series.visits
        ]
        rates.setdefault(series.part, []).append(learned_rate(prior, visits, "grade"))
    return {part: (pooled(prior, found), len(found)) for part, found in rates.items()}


def life_of(
    db: Session,
    visited: Sequence[Job],
    family: EngineFamily,
    *,
    fed_now: bool | None = None,
) -> Life | None:
    """The parts of a vehicle over its jobs.

    Parameters
    ----------
    visited : jobs of one vehicle, the oldest first
    family : its engine
    fed_now : whether what feeds the deposit is still there, where the newest job has not said it

    Returns
    -------
    Life or None
        None where no visit has an odometer or hours.
    """
    hours = all(j.distance_km is None for j in visited) and any(j.hours for j in visited)
    reached = [e for j in visited if (e := _exposure(j, hours)) is not None]
    if not reached:
        return None
    duty = duty_of(visited[-1])
    known = family_rates(db, family.id, hours=hours)
    usual, hard = duty_prior([], "grade", hours), duty_prior(duty, "grade", hours)
    # What was never cleaned here is no upkeep of ours: it stands in the advice, not on a date.
    parts = dict.fromkeys(k.part for j in visited for k in j.looks if k.phase == "after")
    drawn = rows.drawn_in(db, [j.id for j in visited])
    parts |= dict.fromkeys(p for j in visited for p in sorted(drawn.get(j.id, ())))
    labels = {p.id: p.label for p in family.parts}
    waiting = _waiting_of(db, visited, hours=hours)
    lines: list[PartLine] = []
    for part in parts:
        visits = _visits(visited, part, hours=hours, fed_now=fed_now, drawn=drawn)
        if part not in labels or not visits:
            continue
        rate_of_family, _ = known.get(part, (usual, 0))
        # The family's own rate, and by how much this duty is harder than the usual one.
        prior = Rate(
            mean=rate_of_family.mean + hard.mean - usual.mean,
            variance=rate_of_family.variance,
            intervals=0,
        )
        rate = learned_rate(prior, visits, "grade")
        fed = fed_now if fed_now is not None else visited[-1].handover.fed
        cured = any(v.cured for v in visits) and not fed
        last = visits[-1]
        limit = waiting.limit(rate) if waiting else LIMIT_GRADE
        lines.append(
            PartLine(
                part=part,
                label=labels[part],
                visits=visits,
                rate=rate,
                due=due(rate, since=last.at, left=last.left, limit=limit, cured=cured),
                cured=cured,
                limit=limit,
                unseen=part in drawn.get(visited[-1].id, ()) and not _left(visited[-1], part),
            )
        )
    return Life(
        lines=tuple(sorted(lines, key=lambda line: line.due.at)),
        hours=hours,
        now=reached[-1],
        duty=duty,
        family_vehicles=max((n for _, n in known.values()), default=0),
    )


def next_look_for(db: Session, job: Job, fed: bool) -> NextLook | None:
    """When to look again at a job's vehicle: the first of its parts that will be due."""
    earlier = [j for j in jobs.of_vehicle(db, job.vehicle_id, limit=60) if j.id < job.id]
    visited = [*reversed([j for j in earlier if j.state == "finished"]), job]
    life = life_of(db, visited, family_of(job), fed_now=fed)
    return next_look_of(life) if life else None


def next_look_of(life: Life) -> NextLook | None:
    """The first due part of a vehicle's life, with those that are done together with it."""
    if not life.lines:
        return None
    first = life.lines[0]
    interval = max(first.due.at - life.now, 0.0)
    together = tuple(
        line.part for line in life.lines[1:] if line.due.at <= first.due.at + NEAR_SHARE * interval
    )
    return NextLook(
        part=first.part,
        at=stepped(first.due.at, life.hours),
        low=stepped(first.due.low, life.hours),
        high=stepped(first.due.high, life.hours),
        hours=life.hours,
        reason=reason_of(life, first),
        together=together,
    )


def stepped(value: float, hours: bool) -> float:
    """A figure no finer than it is known."""
    step = 10.0 if hours else 500.0
    return round(value / step) * step


def reason_of(life: Life, line: PartLine) -> str:
    """Why a part is due then, in one sentence without its stop."""
    own = line.rate.intervals
    words = [DUTY_WORDS[d] for d in life.duty] or [DUTY_WORDS[""]]
    said = [f"{own} interval{'s' if own != 1 else ''} of this vehicle's own"] if own else []
    if life.family_vehicles > 1:
        said.append(f"{life.family_vehicles} vehicles of its engine family")
    said.append(f"what is usual for {' and '.join(words)}")
    at = f"grade {line.limit:g}"
    if line.limit != LIMIT_GRADE:
        at += ", where waiting costs more than cleaning,"
    text = f"{line.label.lower()} will be at {at} then, by {_and(said)}"
    if line.cured:
        text += "; slower since what feeds it was mended"
    if line.unseen:
        text += "; cleaned in place and not looked at, it is taken to be one grade better"
    return text


def _and(words: Iterable[str]) -> str:
    told = list(words)
    return told[0] if len(told) == 1 else ", ".join(told[:-1]) + " and " + told[-1]
