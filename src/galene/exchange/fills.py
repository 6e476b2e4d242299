"""Fills of fuel as CSV: litres or gallons, km, miles or hours, full or not, how it was laden."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, datetime

from galene.core.errors import InputError
from galene.core.learning.fuel import Load
from galene.core.units import parse_number
from galene.exchange.csv_table import CsvLine, Table, read_table, write_table

LITRES_A_GALLON = 3.785411784
KM_A_MILE = 1.609344
FIELDS: tuple[str, ...] = ("date", "litres", "km", "hours", "full", "load")
FILLS = Table(
    what="fills",
    words={
        "date": ("date", "day", "when"),
        "litres": ("litres", "liters", "l", "fuel l", "litres filled"),
        "gallons": ("gallons", "gal", "us gallons"),
        "km": ("km", "odometer", "odometer km", "kilometres", "kilometers"),
        "miles": ("miles", "mi", "odometer mi", "odometer miles"),
        "hours": ("hours", "h", "engine hours"),
        "full": ("full", "filled up", "full tank"),
        "load": ("load", "laden"),
    },
    needed=("date", ("litres", "gallons"), ("km", "miles", "hours")),
    most=5000,
)
NO_WORDS = frozenset({"no", "n", "0", "false", "partial", "part"})
YES_WORDS = frozenset({"", "yes", "y", "1", "true", "full"})
LOAD_WORDS: dict[str, Load] = {
    "": "",
    "mixed": "",
    "light": "light",
    "empty": "light",
    "heavy": "heavy",
    "laden": "heavy",
    "loaded": "heavy",
}


@dataclass(frozen=True, kw_only=True)
class FillLine:
    """A fill of the file: its line, the day, litres, km or hours, whether the tank was full then,
    the load."""

    line: int
    day: date
    litres: float
    km: float | None
    hours: float | None
    full: bool
    load: Load


def read_fills(text: str) -> list[FillLine]:
    """The fills of a file.

    Raises
    ------
    InputError
        Naming the line and the column.
    """
    return [_fill(line) for line in read_table(text, FILLS)]


def _fill(line: CsvLine) -> FillLine:
    km = _number(line, "km")
    miles = _number(line, "miles")
    litres = _number(line, "litres")
    gallons = _number(line, "gallons")
    if litres is None and gallons is not None:
        litres = gallons * LITRES_A_GALLON
    if km is None and miles is not None:
        km = miles * KM_A_MILE
    hours = _number(line, "hours")
    if litres is None:
        raise InputError(f"line {line.line}, litres", "", "how much was filled")
    if km is None and hours is None:
        raise InputError(f"line {line.line}, km", "", "the odometer, or engine hours")
    full, load = line["full"].casefold(), line["load"].casefold()
    if full not in YES_WORDS | NO_WORDS:
        raise InputError(f"line {line.line}, full", line["full"], "yes or no")
    if load not in LOAD_WORDS:
        raise InputError(f"line {line.line}, load", line["load"], "light, heavy or nothing")
    return FillLine(
        line=line.line,
        day=_day(line),
        litres=litres,
        km=km,
        hours=hours,
        full=full in YES_WORDS,
        load=LOAD_WORDS[load],
    )


def _number(line: CsvLine, field: str) -> float | None:
    if not line[field]:
        return None
    try:
        return parse_number(field, line[field])
    except InputError as fault:
        raise InputError(f"line {line.line}, {field}", line[field], fault.allowed) from fault


def _day(line: CsvLine) -> date:
    for form in ("%Y-%m-%d", "%d.%m.%Y"):
        try:
            return datetime.strptime(line["date"], form).date()  # noqa: DTZ007 (a day has no zone)
        except ValueError:
            continue
    raise InputError(f"line {line.line}, date", line["date"], "a day such as 2026-11-24")


def write_fills(fills: Iterable[FillLine]) -> str:
    """Fills as CSV, which `read_fills` reads back."""
    return write_table(
        FIELDS,
        (
            (f.day.isoformat(), f.litres, f.km, f.hours, "yes" if f.full else "no", f.load)
            for f in fills
        ),
    )
