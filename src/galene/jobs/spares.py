"""Parts on the shelf: pieces, place, minimum; reserved when a plan is approved, taken when a step
fits them."""

from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy.orm import Session

from galene.core.planning.document import BilledSpare, PlanDocument
from galene.jobs.act import Act, family_of
from galene.jobs.errors import Invalid, Stale
from galene.jobs.intake import check_text
from galene.knowledge.bill import spare_of
from galene.store.models import Job, SpareStock
from galene.store.repositories import spares as rows

MOST_PIECES = 9_999


@dataclass(frozen=True, kw_only=True)
class Held:
    """A part of a pick list against the shelf: pieces there, held for other jobs, where they
    lie."""

    spare: BilledSpare
    pieces: int
    reserved: int
    place: str
    known: bool

    @property
    def short(self) -> bool:
        """Whether none is left for this job."""
        return self.known and self.pieces - self.reserved < 1


@dataclass(frozen=True, kw_only=True)
class StockLine:
    """A part on the shelf with what open jobs hold of it."""

    stock: SpareStock
    reserved: int

    @property
    def low(self) -> bool:
        """Whether what is free has fallen under what is to be held."""
        return self.stock.pieces - self.reserved < self.stock.least


def against_stock(db: Session, job: Job, spares: Sequence[BilledSpare]) -> list[Held]:
    """A pick list's parts against the shelf; what other open jobs hold is not there for this
    one."""
    numbers = [s.number for s in spares if s.number]
    stock = rows.stock_of(db, numbers)
    reserved = rows.reserved(db, numbers, but_job=job.id)
    return [
        Held(
            spare=s,
            pieces=stock[s.number].pieces if s.number in stock else 0,
            reserved=reserved.get(s.number, 0),
            place=stock[s.number].place if s.number in stock else "",
            known=s.number in stock,
        )
        for s in spares
    ]


def stock_lines(db: Session) -> list[StockLine]:
    """Every part on the shelf, by name, with what is reserved."""
    stock = rows.stock(db)
    reserved = rows.reserved(db, [s.number for s in stock], but_job=None)
    return [StockLine(stock=s, reserved=reserved.get(s.number, 0)) for s in stock]


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


def save_stock(
    act: Act,
    number: str,
    name: str,
    *,
    pieces: int | None,
    place: str,
    least: int | None,
    seen: int,
) -> SpareStock:
    """Put a part on the shelf or say anew how many there are.

    Raises
    ------
    Invalid
        ``number``, ``name``, ``pieces`` or ``least``.
    Stale
        Somebody counted it meanwhile.
    """
    check_text({"number": number, "name": name, "place": place})
    number, name = number.strip(), name.strip()
    faults = {}
    if not 1 <= len(number) <= 40:
        faults["number"] = "The workshop's number, up to 40 characters."
    if not 2 <= len(name) <= 80:
        faults["name"] = "A name from 2 to 80 characters."
    if pieces is None or not 0 <= pieces <= MOST_PIECES:
        faults["pieces"] = "From none to 9 999 pieces."
    if least is None or not 0 <= least <= MOST_PIECES:
        faults["least"] = "From none to 9 999 pieces."
    if len(place) > 80:
        faults["place"] = "At most 80 characters."
    if faults:
        raise Invalid(faults)
    row = _locked(act.db, number)
    if (row.revision if row else 0) != seen:
        raise Stale("the part's stock", "somebody", act.now)
    if row is None:
        row = SpareStock(number=number, name=name, revision=0)
        act.db.add(row)
    row.name, row.pieces, row.place, row.least = name, pieces or 0, place.strip(), least or 0
    row.revision = seen + 1
    act.db.flush()
    act.trace(None, "spare_counted", number=number, pieces=row.pieces, least=row.least)
    return row
