"""Fuel of a vehicle: fills taken in, use by load, what a job changed and what it saves."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime
from itertools import pairwise

from sqlalchemy.orm import Session

from galene.core.calculations.fuel_economy_change import EconomyResult
from galene.core.calculations.payback import PaybackInput, PaybackResult, payback
from galene.core.errors import InputError
from galene.core.learning.fuel import (
    LOADS,
    Leg,
    Load,
    TankFill,
    Use,
    change_at,
    flat_whatever_the_load,
    legs_of,
    per_month,
    use_of,
)
from galene.exchange.fills import FillLine, read_fills, write_fills
from galene.jobs.act import Act
from galene.jobs.errors import Invalid, Missing
from galene.jobs.intake import observe
from galene.store.models import FuelFill, Job, Vehicle, Workshop
from galene.store.repositories import fuel as rows
from galene.store.repositories import jobs, vehicles

MOST_LITRES = 2000.0
MOST_KM = 5_000_000.0
MOST_HOURS = 200_000.0
FLAT = "fuel_economy_flat"


@dataclass(frozen=True, kw_only=True)
class FuelBook:
    """A vehicle's fills as they are told.

    Parameters
    ----------
    fills : all of them, the oldest first
    legs : from full tank to full tank
    by_load : use of each load that was noted
    use : of all legs together
    hours : whether hours count and not km
    flat : whether a heavy load takes no more than a light one, None: not known
    """

    fills: tuple[FuelFill, ...]
    legs: tuple[Leg, ...]
    by_load: tuple[tuple[Load, Use], ...]
    use: Use | None
    hours: bool
    flat: bool | None


def book_of(db: Session, vehicle_id: int) -> FuelBook:
    """What the fills of a vehicle say."""
    fills = rows.of_vehicle(db, vehicle_id)
    hours = bool(fills) and all(f.km is None for f in fills)
    legs = legs_of(_tank_fills(fills, hours=hours))
    by_load = ((load, use_of([x for x in legs if x.load == load], hours=hours)) for load in LOADS)
    return FuelBook(
        fills=tuple(fills),
        legs=legs,
        by_load=tuple((load, use) for load, use in by_load if use is not None),
        use=use_of(legs, hours=hours),
        hours=hours,
        flat=flat_whatever_the_load(legs),
    )


def _tank_fills(fills: Sequence[FuelFill], *, hours: bool) -> list[TankFill]:
    found: list[TankFill] = []
    for fill in fills:
        reading = fill.hours if hours else fill.km
        if reading is None:
            continue
        load: Load = next((x for x in LOADS if x == fill.load), "")
        found.append(
            TankFill(
                day=float(fill.day.toordinal()),
                litres=fill.litres,
                reading=reading,
                full=fill.full,
                load=load,
            )
        )
    return found


@dataclass(frozen=True, kw_only=True)
class FuelChange:
    """What a job changed of the fuel, and what that saves a month (None where it is not shown or
    a litre's price is not known)."""

    change: EconomyResult
    saves: PaybackResult | None
    hours: bool


def change_by(db: Session, job: Job, shop: Workshop) -> FuelChange | None:
    """Fuel before a job's work against after it, between the works before and behind; None where
    the fills do not reach that far."""
    if job.work_began_at is None:
        return None
    book = book_of(db, job.vehicle_id)
    if not book.legs:
        return None
    return change_in(book, job, jobs.works_of_vehicle(db, job.vehicle_id), shop)


def change_in(
    book: FuelBook, job: Job, works: Sequence[tuple[int, datetime]], shop: Workshop
) -> FuelChange | None:
    """The same out of a book that is read already.

    Parameters
    ----------
    works : every job of the vehicle whose work began, by id, and when
    """
    if job.work_began_at is None:
        return None
    day = float(job.work_began_at.date().toordinal())
    others = [float(at.date().toordinal()) for job_id, at in works if job_id != job.id]
    first = max((d for d in others if d < day), default=float("-inf"))
    last = min((d for d in others if d > day), default=float("inf"))
    legs = [leg for leg in book.legs if leg.began >= first and leg.ended <= last]
    change = change_at(legs, day)
    if change is None:
        return None
    return FuelChange(
        change=change, saves=_saves(job, change, legs, shop=shop, book=book), hours=book.hours
    )


def _saves(
    job: Job, change: EconomyResult, legs: Sequence[Leg], *, shop: Workshop, book: FuelBook
) -> PaybackResult | None:
    """Money a month, only where the change is beyond the scatter of the fills."""
    month = per_month(legs)
    plan = next((p.document for p in job.plans if p.approved_at), None)
    ends = (change.before_low, change.before_high, change.after_low, change.after_high)
    if change.verdict != "improved" or month is None or not shop.fuel_price or book.hours:
        return None
    saved = change.before_l_100km - change.after_l_100km
    before_low, _, _, after_high = ends
    half = (
        (change.before_l_100km - (before_low or 0)) ** 2
        + ((after_high or 0) - change.after_l_100km) ** 2
    ) ** 0.5
    try:
        return payback(
            PaybackInput(
                cost=plan.price if plan else 0.0,
                before_l_100km=change.before_l_100km,
                after_l_100km=change.after_l_100km,
                saved_low_l_100km=saved - half,
                saved_high_l_100km=saved + half,
                km_per_month=month,
                price_per_litre=shop.fuel_price,
            )
        )
    except InputError:
        return None


@dataclass(frozen=True, kw_only=True)
class FillsPreview:
    """What a file would bring: fills that are new, and those that are here already."""

    new: tuple[FillLine, ...]
    known: int


def preview(db: Session, vehicle: Vehicle, text: str, today: date) -> FillsPreview:
    """What a file would bring; nothing is kept.

    Raises
    ------
    Invalid
        ``file``: naming the line.
    """
    try:
        lines = read_fills(text)
    except InputError as fault:
        words = f"{fault.field}: {str(fault.value)[:60]!r}. Wanted: {fault.allowed}."
        raise Invalid({"file": words}) from fault
    return _checked(db, vehicle, lines, today, named="file")


def _checked(
    db: Session, vehicle: Vehicle, lines: Sequence[FillLine], today: date, *, named: str
) -> FillsPreview:
    here = [_line_of(f) for f in rows.of_vehicle(db, vehicle.id)]
    known = {(f.km, f.hours): f for f in here}
    new: list[FillLine] = []
    for line in lines:
        _check_line(line, today, named)
        same = known.get((line.km, line.hours))
        if same is None:
            new.append(line)
        elif (same.day, same.litres) != (line.day, line.litres):
            words = "another fill stands at this reading already"
            raise Invalid({named: f"{_where(line)}{words}."})
    if len(here) + len(new) > rows.MOST:
        raise Invalid({named: f"More than {rows.MOST} fills."})
    kinds = {(f.km is None) for f in (*here, *new)}
    if len(kinds) > 1:
        raise Invalid({named: "Some fills have km and some only hours: one kind for one vehicle."})
    _check_order(sorted((*here, *new), key=_by_reading), named)
    return FillsPreview(new=tuple(new), known=len(lines) - len(new))


def _where(line: FillLine) -> str:
    return f"Line {line.line}: " if line.line else ""


def _by_reading(line: FillLine) -> float:
    reading = line.km if line.km is not None else line.hours
    return reading if reading is not None else 0.0


def _check_line(line: FillLine, today: date, named: str) -> None:
    reading = line.km if line.km is not None else line.hours
    most = MOST_KM if line.km is not None else MOST_HOURS
    words = ""
    if not 0.1 <= line.litres <= MOST_LITRES:
        words = f"{line.litres:g} litres; allowed are 0.1 to {MOST_LITRES:g}"
    elif reading is None or not 0 <= reading <= most:
        words = f"a reading of {reading if reading is not None else 'nothing'}"
    elif line.day > today or line.day.year < 1980:
        words = f"{line.day.isoformat()} is no day of a fill"
    if words:
        raise Invalid({named: f"{_where(line)}{words}."})


def _check_order(lines: Sequence[FillLine], named: str) -> None:
    """Readings must grow with the days."""
    for one, two in pairwise(lines):
        if two.day < one.day or _by_reading(two) <= _by_reading(one):
            unit = "km" if two.km is not None else "h"
            text = (
                f"{_where(two) or _where(one)}{_by_reading(two):g} {unit} on {two.day.isoformat()}"
                f" does not follow {_by_reading(one):g} {unit} on {one.day.isoformat()}"
            )
            raise Invalid({named: f"{text}."})


def _line_of(fill: FuelFill) -> FillLine:
    load: Load = next((x for x in LOADS if x == fill.load), "")
    return FillLine(
        line=0,
        day=fill.day,
        litres=fill.litres,
        km=fill.km,
        hours=fill.hours,
        full=fill.full,
        load=load,
    )


def take_in(act: Act, vehicle: Vehicle, text: str) -> int:
    """Take the new fills of a file in. The same file twice is harmless.

    Raises
    ------
    Invalid
        ``file``: then nothing is taken in.
    """
    locked = _locked(act, vehicle)
    found = preview(act.db, locked, text, act.now.date())
    return _keep(act, locked, found)


def add(act: Act, vehicle: Vehicle, line: FillLine) -> int:
    """Take one fill in that somebody typed.

    Raises
    ------
    Invalid
        ``fill``
    """
    locked = _locked(act, vehicle)
    found = _checked(act.db, locked, [line], act.now.date(), named="fill")
    return _keep(act, locked, found)


def _locked(act: Act, vehicle: Vehicle) -> Vehicle:
    found = vehicles.locked(act.db, vehicle.id)
    if found is None:
        raise Missing(f"vehicle {vehicle.plate}")
    return found


def _keep(act: Act, vehicle: Vehicle, found: FillsPreview) -> int:
    act.db.add_all(
        FuelFill(
            vehicle_id=vehicle.id,
            day=line.day,
            litres=line.litres,
            km=line.km,
            hours=line.hours,
            full=line.full,
            load=line.load,
            at=act.now,
            person_id=act.person.id,
        )
        for line in found.new
    )
    act.db.flush()
    act.trace(None, "fills_taken_in", plate=vehicle.plate, fills=len(found.new), known=found.known)
    job = jobs.open_of_vehicle(act.db, vehicle.id)
    if job is not None:
        say_flat(act, job)
    return len(found.new)


def say_flat(act: Act, job: Job) -> None:
    """What the fills say of the use at light and heavy load is evidence of an open job, unless
    somebody has said it."""
    flat = book_of(act.db, job.vehicle_id).flat
    said = next((o for o in job.observations if o.evidence == FLAT), None)
    if flat is None or (said is not None and said.source == "tap" and said.state != "unknown"):
        return
    observe(act, job, FLAT, state="present" if flat else "absent", source="calculation")


def remove(act: Act, vehicle: Vehicle, fill_id: int) -> None:
    """Take a fill out again that was typed wrong; what it was stays in the trace.

    Raises
    ------
    Missing
    """
    fill = rows.by_id(act.db, vehicle.id, fill_id)
    if fill is None:
        raise Missing(f"fill {fill_id}")
    act.trace(
        None,
        "fill_removed",
        plate=vehicle.plate,
        day=fill.day.isoformat(),
        litres=fill.litres,
        km=fill.km,
        hours=fill.hours,
    )
    act.db.delete(fill)


def exported(db: Session, vehicle: Vehicle) -> str:
    """The fills of a vehicle as CSV."""
    return write_fills(_line_of(f) for f in rows.of_vehicle(db, vehicle.id))
