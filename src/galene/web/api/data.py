"""GET /api/v1/...: what the workshop knows, as JSON, for whoever is signed in. Kept units; each
answer is described by its record."""

from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from fastapi import APIRouter
from fastapi.responses import JSONResponse

from galene.core.calculations.fuel_economy_change import EconomyResult
from galene.core.calculations.payback import PaybackResult
from galene.core.calculations.spares_level import SparesResult
from galene.core.learning.due_vehicle import DueVehicle
from galene.core.learning.fuel import Leg, Use
from galene.core.learning.growth import Due, Rate, Visit
from galene.jobs import bands, bundles_out, fleet, fuel, growth, minutes, spares
from galene.jobs.act import family_in
from galene.jobs.errors import Missing
from galene.jobs.families import current_version, families
from galene.jobs.intake import plate_key
from galene.store.models import Vehicle
from galene.store.repositories import jobs as job_rows
from galene.store.repositories import vehicles as vehicle_rows
from galene.store.repositories.minutes import JobTimes
from galene.web.shared.visit import Signed, VisitRoute

router = APIRouter(prefix="/api/v1", route_class=VisitRoute, tags=["The workshop's own data"])
MOST_JOBS = 60


@router.get("/fleet", summary="Which vehicle is due when")
def fleet_due(visit: Signed, keeper: str = "") -> list[DueVehicle]:
    """Every vehicle with a date, overdue first; of one keeper where one is named."""
    return fleet.due_vehicles(visit.db, visit.now.date(), keeper[:200])


@dataclass(frozen=True, kw_only=True)
class BandAnswer:
    """A known-good band: the entry's ends, those in force, and what they are made of."""

    metric: str
    entry_low: float | None
    entry_high: float | None
    low: float | None
    high: float | None
    counted: int
    set_aside: int
    odd: int


@router.get("/families/{family_id}/bands", summary="Known-good bands of a family")
def family_bands(visit: Signed, family_id: str) -> list[BandAnswer]:
    """Every band of the family in force, moved by own proven jobs."""
    family = family_in(current_version(visit.db, family_id[:80]))
    return [
        BandAnswer(
            metric=story.metric,
            entry_low=story.entry.low if story.entry else None,
            entry_high=story.entry.high if story.entry else None,
            low=story.now.low if story.now else None,
            high=story.now.high if story.now else None,
            counted=len(story.counted),
            set_aside=len(story.samples) - len(story.counted),
            odd=len(story.odd),
        )
        for story in bands.stories_of(visit.db, family)
    ]


def _vehicle(visit: Signed, plate: str) -> Vehicle:
    found = vehicle_rows.by_key(visit.db, plate_key(plate))
    if found is None:
        raise Missing(f"vehicle {plate[:20]}")
    return found


@dataclass(frozen=True, kw_only=True)
class GrowthAnswer:
    """A part of a vehicle: its visits, its log growth rate, and when it is due, in km or hours."""

    part: str
    label: str
    visits: tuple[Visit, ...]
    rate: Rate
    due: Due
    cured: bool
    hours: bool


@router.get("/vehicles/{plate}/growth", summary="Deposits on a vehicle's parts")
def vehicle_growth(visit: Signed, plate: str) -> list[GrowthAnswer]:
    """Each part that was cleaned here, the first due first."""
    vehicle = _vehicle(visit, plate)
    found = job_rows.of_vehicle(visit.db, vehicle.id, limit=MOST_JOBS)
    visited = [j for j in reversed(found) if j.state == "finished"]
    family = family_in(current_version(visit.db, vehicle.family_id))
    life = growth.life_of(visit.db, visited, family) if visited else None
    if life is None:
        return []
    return [
        GrowthAnswer(
            part=line.part,
            label=line.label,
            visits=line.visits,
            rate=line.rate,
            due=line.due,
            cured=line.cured,
            hours=life.hours,
        )
        for line in life.lines
    ]


@dataclass(frozen=True, kw_only=True)
class FuelByLoad:
    """Fuel of one load."""

    load: str
    use: Use


@dataclass(frozen=True, kw_only=True)
class FuelOfJob:
    """What a job changed of the fuel."""

    number: str
    change: EconomyResult
    saves: PaybackResult | None


@dataclass(frozen=True, kw_only=True)
class FuelAnswer:
    """Fuel of a vehicle: legs between full tanks (days count from the year 1), use per 100 km or
    hour, by load, and what each job changed."""

    fills: int
    hours: bool
    use: Use | None
    by_load: list[FuelByLoad]
    flat: bool | None
    legs: tuple[Leg, ...]
    jobs: list[FuelOfJob]


@router.get("/vehicles/{plate}/fuel", summary="Fuel of a vehicle")
def vehicle_fuel(visit: Signed, plate: str) -> FuelAnswer:
    """Fuel as its fills tell it."""
    vehicle = _vehicle(visit, plate)
    book = fuel.book_of(visit.db, vehicle.id)
    found = job_rows.begun_of_vehicle(visit.db, vehicle.id, limit=12) if book.legs else []
    began = [(j.id, j.work_began_at) for j in found if j.work_began_at]
    changes = ((j.number, fuel.change_in(book, j, began, visit.shop)) for j in found)
    return FuelAnswer(
        fills=len(book.fills),
        hours=book.hours,
        use=book.use,
        by_load=[FuelByLoad(load=load, use=use) for load, use in book.by_load],
        flat=book.flat,
        legs=book.legs,
        jobs=[
            FuelOfJob(number=number, change=c.change, saves=c.saves)
            for number, c in changes
            if c is not None
        ],
    )


@dataclass(frozen=True, kw_only=True)
class StepMinutes:
    """A step of a family: minutes of the book, own ones with the interval of four in five, how
    often it was timed, minutes lost in all."""

    family: str
    step: str
    book: float
    own: float
    low: float
    high: float
    timed: int
    lost: float


@dataclass(frozen=True, kw_only=True)
class MinutesAnswer:
    """Steps by the minutes that they lose, and the newest jobs."""

    steps: list[StepMinutes]
    jobs: list[JobTimes]


@router.get("/minutes", summary="Minutes of own work")
def own_minutes(visit: Signed) -> MinutesAnswer:
    """What steps take here beside the book."""
    return MinutesAnswer(
        steps=[
            StepMinutes(
                family=s.family,
                step=s.title,
                book=s.book,
                own=s.own.expected,
                low=s.own.low,
                high=s.own.high,
                timed=s.own.count,
                lost=s.lost,
            )
            for s in minutes.steps_told(visit.db, families(visit.db))
        ],
        jobs=minutes.jobs_told(visit.db),
    )


@dataclass(frozen=True, kw_only=True)
class PartAnswer:
    """A part on the shelf, and how many are worth keeping where price and lead time are known."""

    number: str
    name: str
    pieces: int
    reserved: int
    least: int
    on_order: int
    expected_on: datetime | None
    place: str
    use_per_year: float
    worth_keeping: SparesResult | None


@router.get("/parts", summary="Parts on the shelf")
def parts(visit: Signed) -> list[PartAnswer]:
    """Every part with what open jobs hold of it."""
    return [
        PartAnswer(
            number=line.stock.number,
            name=line.stock.name,
            pieces=line.stock.pieces,
            reserved=line.reserved,
            least=line.stock.least,
            on_order=line.stock.on_order,
            expected_on=line.stock.expected_on,
            place=line.stock.place,
            use_per_year=line.use_per_year,
            worth_keeping=line.level,
        )
        for line in spares.stock_lines(visit.db, visit.shop, visit.now)
    ]


@dataclass(frozen=True, kw_only=True)
class JobAnswer:
    """A job of the list."""

    number: str
    plate: str
    family: str
    stage: str
    state: str
    opened: date
    verdict: str


@router.get("/jobs", summary="Jobs")
def jobs(visit: Signed, plate: str = "") -> list[JobAnswer]:
    """The jobs of a vehicle, the newest first; without a plate those that stand open."""
    if plate:
        found = job_rows.of_vehicle(visit.db, _vehicle(visit, plate).id, limit=MOST_JOBS)
    else:
        found = job_rows.open_by_due(visit.db, limit=200)
    return [
        JobAnswer(
            number=job.number,
            plate=job.vehicle.plate,
            family=job.family_id,
            stage=job.stage,
            state=job.state,
            opened=job.opened_at.date(),
            verdict=job.proof.verdict,
        )
        for job in found
    ]


@router.get("/jobs/{number}", summary="A whole job", response_model=None)
def job(visit: Signed, number: str) -> Any:
    """The job as its bundle has it (`job.json`), without pictures and logs."""
    one = bundles_out.bundled(visit.db, number, visit.request.app.state.pictures)
    return JSONResponse(one.document)
