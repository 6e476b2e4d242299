"""Parts on the shelf: pieces, place, minimum, orders, how many are worth keeping; reserved when a
plan is approved, taken when a step fits them."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from sqlalchemy.orm import Session

from galene.core.calculations.spares_level import SparesInput, SparesResult, spares_level
from galene.core.planning.document import BilledSpare, PlanDocument
from galene.jobs.act import Act, family_of
from galene.jobs.errors import Invalid, Missing, Stale
from galene.jobs.intake import check_text
from galene.knowledge.bill import spare_of
from galene.store.models import Job, SpareStock, Workshop
from galene.store.repositories import spares as rows

MOST_PIECES = 9_999
MOST_DAYS = 730
USE_OVER = timedelta(days=3 * 365.25)
"""Over how long the use of a part is counted: three years, so that a rare part has a figure."""


@dataclass(frozen=True, kw_only=True)
class Held:
    """A part of a pick list against the shelf: pieces there, held for other jobs, on order, where
    they lie, how long they take to come."""

    spare: BilledSpare
    pieces: int
    reserved: int
    place: str
    known: bool
    on_order: int = 0
    expected_on: datetime | None = None
    lead_days: float | None = None

    @property
    def short(self) -> bool:
        """Whether none is left for this job."""
        return self.known and self.pieces - self.reserved < 1


@dataclass(frozen=True, kw_only=True)
class StockLine:
    """A part on the shelf with what open jobs hold of it, and how many are worth keeping."""

    stock: SpareStock
    reserved: int
    level: SparesResult | None = None
    use_per_year: float = 0.0

    @property
    def free(self) -> int:
        """Pieces that no job holds; below none where jobs hold more than there are."""
        return self.stock.pieces - self.reserved

    @property
    def low(self) -> bool:
        """Whether what is free has fallen under what is to be held."""
        return self.free < self.stock.least

    @property
    def to_order(self) -> int:
        """Pieces that are missing to the fewest to be held, beside what is on order."""
        return max(0, self.stock.least - self.free - self.stock.on_order)


def against_stock(db: Session, job: Job, spares: Sequence[BilledSpare]) -> list[Held]:
    """A pick list's parts against the shelf; what other open jobs hold is not there for this
    one."""
    numbers = [s.number for s in spares if s.number]
    if not numbers:
        return [_held(s, None, 0) for s in spares]
    stock = rows.stock_of(db, numbers)
    reserved = rows.reserved(db, numbers, but_job=job.id)
    return [_held(s, stock.get(s.number), reserved.get(s.number, 0)) for s in spares]


def _held(spare: BilledSpare, stock: SpareStock | None, reserved: int) -> Held:
    if stock is None:
        return Held(spare=spare, pieces=0, reserved=reserved, place="", known=False)
    return Held(
        spare=spare,
        pieces=stock.pieces,
        reserved=reserved,
        place=stock.place,
        known=True,
        on_order=stock.on_order,
        expected_on=stock.expected_on,
        lead_days=stock.lead_days,
    )


def use_per_year(used: int, days: float) -> float:
    """Pieces used a year, from those used in so many days.

    Notes
    -----
    The mean of a Poisson rate under Jeffreys' prior (half a piece before anything is known), over
    a quarter of a year at least: a shelf of one week has seen nothing yet.
    """
    return (used + 0.5) / (max(days, 91.0) / 365.25)


def stock_lines(db: Session, shop: Workshop, now: datetime) -> list[StockLine]:
    """Every part on the shelf, by name, with what is reserved and how many are worth keeping."""
    stock = rows.stock(db)
    numbers = [s.number for s in stock]
    reserved = rows.reserved(db, numbers, but_job=None)
    used = rows.used_since(db, numbers, now - USE_OVER)
    began = rows.began(db) or now
    days = min(now - began, USE_OVER).total_seconds() / 86400
    return [
        StockLine(
            stock=s,
            reserved=reserved.get(s.number, 0),
            use_per_year=(use := use_per_year(used.get(s.number, 0), days)),
            level=level_of(s, use, shop.off_road_per_day),
        )
        for s in stock
    ]


def level_of(stock: SpareStock, use: float, off_road_per_day: float) -> SparesResult | None:
    """How many of a part are worth keeping, None while its price or lead time is unknown."""
    if stock.price is None or stock.lead_days is None:
        return None
    return spares_level(
        SparesInput(
            use_per_year=use,
            lead_days=stock.lead_days,
            off_road_cost_per_day=off_road_per_day,
            price=stock.price,
            stock=stock.pieces + stock.on_order,
        )
    )


@dataclass(frozen=True, kw_only=True)
class PartLife:
    """A part on the shelf: its line, the jobs that hold it and those that fitted it."""

    line: StockLine
    holding: tuple[Job, ...]
    fitted: tuple[tuple[Job, datetime], ...]


def part_life(db: Session, part_id: int, shop: Workshop, now: datetime) -> PartLife:
    """One part with what it was used for.

    Raises
    ------
    Missing
    """
    line = next((x for x in stock_lines(db, shop, now) if x.stock.id == part_id), None)
    if line is None:
        raise Missing(f"part {part_id}")
    found = rows.uses(db, line.stock.number, limit=40)
    return PartLife(
        line=line,
        holding=tuple(job for job, taken in found if taken is None and job.state == "open"),
        fitted=tuple((job, taken) for job, taken in found if taken is not None),
    )


def reserve(act: Act, job: Job, document: PlanDocument) -> None:
    """Hold what a plan consumes for its job; what it no longer needs is let go."""
    act.db.flush()
    wanted = [s.number for s in document.bill.spares if s.number]
    for row in rows.reserved_for(act.db, job.id):
        if row.number not in wanted and row.taken_at is None:
            act.db.delete(row)
    for number in dict.fromkeys(wanted):
        rows.reserve(act.db, job.id, number, at=act.now, person_id=act.person.id)


def take(act: Act, job: Job, consumed: Sequence[str]) -> None:
    """A step fits these spares: they leave the shelf."""
    family = family_of(job)
    for spare_id in consumed:
        number = spare_of(family, spare_id).number
        stock = _locked(act.db, number)
        if stock is None:
            continue
        stock.pieces = max(0, stock.pieces - 1)
        row = rows.reservation(act.db, job.id, number)
        if row is not None and row.taken_at is None:
            row.taken_at = act.now


def give_back(act: Act, job: Job, consumed: Sequence[str]) -> None:
    """A tick that fitted these is undone: they are on the shelf again, held for the job."""
    family = family_of(job)
    for spare_id in consumed:
        number = spare_of(family, spare_id).number
        stock = _locked(act.db, number)
        if stock is None:
            continue
        stock.pieces += 1
        row = rows.reservation(act.db, job.id, number)
        if row is not None:
            row.taken_at = None


def _locked(db: Session, number: str) -> SpareStock | None:
    if not number:
        return None
    return rows.stock_locked(db, number)


@dataclass(frozen=True, kw_only=True)
class StockForm:
    """What is said of a part on the shelf; `pieces`, `least` None: not said, which is refused."""

    number: str
    name: str
    pieces: int | None
    place: str = ""
    least: int | None
    price: float | None = None
    lead_days: float | None = None
    on_order: int = 0
    expected_on: datetime | None = None


def _faults_of(form: StockForm) -> dict[str, str]:
    faults = {}
    if not 1 <= len(form.number.strip()) <= 40:
        faults["number"] = "The workshop's number, up to 40 characters."
    if not 2 <= len(form.name.strip()) <= 80:
        faults["name"] = "A name from 2 to 80 characters."
    if form.pieces is None or not 0 <= form.pieces <= MOST_PIECES:
        faults["pieces"] = "From none to 9 999 pieces."
    if form.least is None or not 0 <= form.least <= MOST_PIECES:
        faults["least"] = "From none to 9 999 pieces."
    if len(form.place) > 80:
        faults["place"] = "At most 80 characters."
    if form.price is not None and not 0 <= form.price <= 1_000_000:
        faults["price"] = "From nothing to a million."
    if form.lead_days is not None and not 0 <= form.lead_days <= MOST_DAYS:
        faults["lead_days"] = f"From none to {MOST_DAYS} days."
    if not 0 <= form.on_order <= MOST_PIECES:
        faults["on_order"] = "From none to 9 999 pieces."
    if form.expected_on is not None and not form.on_order:
        faults["expected_on"] = "Nothing is on order: leave the day empty, or say how many are."
    return faults


def save_stock(act: Act, form: StockForm, *, seen: int) -> SpareStock:
    """Put a part on the shelf or say anew how it stands.

    Raises
    ------
    Invalid
        The fields of the form.
    Stale
        Somebody counted it meanwhile.
    """
    check_text({"number": form.number, "name": form.name, "place": form.place})
    if faults := _faults_of(form):
        raise Invalid(faults)
    number = form.number.strip()
    row = _locked(act.db, number)
    if row is None:
        if seen:
            raise Stale("the part's stock", "somebody", act.now)
        row = SpareStock(number=number, revision=0, on_order=0)
        act.db.add(row)
    _check_seen(act, row, seen)
    if form.on_order and form.on_order > row.on_order:
        row.ordered_at = act.now
    row.name, row.pieces, row.least = form.name.strip(), form.pieces or 0, form.least or 0
    row.place, row.price, row.lead_days = form.place.strip(), form.price, form.lead_days
    row.on_order, row.expected_on = form.on_order, form.expected_on
    row.revision = seen + 1
    act.db.flush()
    act.trace(
        None,
        "spare_counted",
        number=number,
        pieces=row.pieces,
        least=row.least,
        on_order=row.on_order,
    )
    return row


def count(act: Act, part_id: int, pieces: int | None, *, seen: int) -> SpareStock:
    """Say anew how many pieces of a part are there.

    Raises
    ------
    Invalid, Missing, Stale
    """
    row = _by_id(act, part_id)
    if pieces is None or not 0 <= pieces <= MOST_PIECES:
        raise Invalid({"pieces": "From none to 9 999 pieces."})
    _check_seen(act, row, seen)
    row.pieces, row.revision = pieces, seen + 1
    act.trace(None, "spare_counted", number=row.number, pieces=pieces)
    return row


def arrive(act: Act, part_id: int, pieces: int | None, *, seen: int) -> SpareStock:
    """Pieces that were on order have come; what is still to come stays on order.

    Raises
    ------
    Invalid, Missing, Stale
    """
    row = _by_id(act, part_id)
    if pieces is None or not 1 <= pieces <= MOST_PIECES - row.pieces:
        raise Invalid({"came": "From one piece on."})
    _check_seen(act, row, seen)
    took = (act.now - row.ordered_at).total_seconds() / 86400 if row.ordered_at else None
    row.pieces += pieces
    row.on_order = max(0, row.on_order - pieces)
    if not row.on_order:
        row.ordered_at = row.expected_on = None
    row.revision = seen + 1
    act.trace(
        None,
        "spare_arrived",
        number=row.number,
        pieces=pieces,
        days=round(took, 1) if took is not None else None,
    )
    return row


def _by_id(act: Act, part_id: int) -> SpareStock:
    found = rows.by_id_locked(act.db, part_id)
    if found is None:
        raise Missing(f"part {part_id}")
    return found


def _check_seen(act: Act, row: SpareStock, seen: int) -> None:
    if row.revision != seen:
        raise Stale("the part's stock", "somebody", act.now)
