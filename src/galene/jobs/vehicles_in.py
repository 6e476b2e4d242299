"""Many vehicles at once: what a file would bring, and bringing it."""

from dataclasses import dataclass

from sqlalchemy.orm import Session

from galene.core.errors import InputError
from galene.exchange.csv_table import CsvLine
from galene.exchange.vehicles import read_vehicles, write_vehicles
from galene.jobs.act import Act
from galene.jobs.errors import Invalid
from galene.jobs.families import families
from galene.jobs.intake import NewVehicle, plate_key, vehicle_faults
from galene.store.models import Vehicle
from galene.store.repositories import vehicles


@dataclass(frozen=True, kw_only=True)
class Coming:
    """A line of a file: the vehicle, and whether it is new, known or can not be taken in."""

    line: int
    vehicle: NewVehicle
    standing: str
    fault: str = ""


@dataclass(frozen=True, kw_only=True)
class Preview:
    """What a file would bring."""

    lines: tuple[Coming, ...]

    def count(self, standing: str) -> int:
        """How many lines stand so: new, known, wrong."""
        return sum(one.standing == standing for one in self.lines)


def preview(db: Session, text: str, year: int) -> Preview:
    """What a file would bring; nothing is kept.

    Raises
    ------
    Invalid
        ``file``: a file that can not be read, naming the line.
    """
    try:
        lines = read_vehicles(text)
    except InputError as fault:
        words = f"{fault.field}: {str(fault.value)[:60]!r}. Wanted: {fault.allowed}."
        raise Invalid({"file": words}) from fault
    known = vehicles.keys(db)
    ids = families(db).keys()
    seen: dict[str, int] = {}
    return Preview(
        lines=tuple(
            _coming(line, known, seen, families=frozenset(ids), year=year) for line in lines
        )
    )


def _coming(
    line: CsvLine,
    known: frozenset[str],
    seen: dict[str, int],
    *,
    families: frozenset[str],
    year: int,
) -> Coming:
    vehicle = NewVehicle(
        plate=line["plate"],
        maker=line["maker"],
        model=line["model"],
        year=line["year"],
        family=line["family"],
        keeper=line["keeper"],
    )
    key = plate_key(line["plate"])
    faults = vehicle_faults(vehicle, known_families=families, year=year)
    if key in seen:
        faults["plate"] = f"Stands on line {seen[key]} already."
    seen.setdefault(key, line.line)
    if faults:
        field, words = next(iter(faults.items()))
        return Coming(line=line.line, vehicle=vehicle, standing="wrong", fault=f"{field}: {words}")
    return Coming(line=line.line, vehicle=vehicle, standing="known" if key in known else "new")


def take_in(act: Act, text: str) -> int:
    """Take every new vehicle of a file in; those that are known stay as they are. The same file
    twice is harmless.

    Returns
    -------
    int
        Vehicles that were new.

    Raises
    ------
    Invalid
        A file that can not be read, or a line that can not be taken in: then nothing is.
    """
    coming = preview(act.db, text, act.now.year)
    wrong = next((one for one in coming.lines if one.standing == "wrong"), None)
    if wrong:
        raise Invalid({"file": f"Line {wrong.line}, {wrong.fault} Nothing was taken in."})
    new = [one.vehicle for one in coming.lines if one.standing == "new"]
    act.db.add_all(
        Vehicle(
            plate=v.plate.strip().upper(),
            plate_key=plate_key(v.plate),
            maker=v.maker,
            model=v.model,
            year=int(v.year) if v.year else None,
            family_id=v.family,
            keeper=v.keeper,
            hazards=[],
        )
        for v in new
    )
    act.db.flush()
    act.trace(None, "vehicles_taken_in", vehicles=len(new), known=coming.count("known"))
    return len(new)


def exported(db: Session) -> str:
    """Every vehicle as CSV."""
    return write_vehicles(
        (v.plate, v.maker, v.model, v.year or "", v.family_id, v.keeper) for v in vehicles.every(db)
    )
