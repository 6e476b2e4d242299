"""Vehicles as CSV: one a line under a heading, out and in."""

import csv
import io
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from galene.core.errors import InputError

FIELDS: tuple[str, ...] = ("plate", "maker", "model", "year", "family", "keeper")
WORDS: dict[str, tuple[str, ...]] = {
    "plate": ("plate", "registration", "number plate"),
    "maker": ("maker", "make"),
    "model": ("model", "vehicle"),
    "year": ("year",),
    "family": ("family", "engine family", "engine"),
    "keeper": ("keeper", "owner", "depot"),
}
"""Words of a heading for each field."""
MOST_ROWS = 5000
LONGEST_BYTES = 2_000_000
LONGEST_CELL = 120


@dataclass(frozen=True, kw_only=True)
class VehicleLine:
    """A line of the file: its number, and its fields as typed, empty where it has none."""

    line: int
    plate: str
    maker: str
    model: str
    year: str
    family: str
    keeper: str


def read_vehicles(text: str) -> list[VehicleLine]:
    """The lines of a file.

    Parameters
    ----------
    text : CSV with comma, semicolon or tab, its first line a heading

    Raises
    ------
    InputError
        Naming the line: no heading with plate, model and family, a column twice, too many lines, a
        cell that is too long or holds what no text has.
    """
    if len(text.encode("utf-8", "replace")) > LONGEST_BYTES:
        raise InputError("file", len(text), f"up to {LONGEST_BYTES} bytes")
    if "\x00" in text or any("\ud800" <= c <= "\udfff" for c in text):
        raise InputError("file", "a character that no text has", "a CSV of vehicles")
    lines = text.lstrip("\ufeff").splitlines()
    heading = next((line for line in lines if line.strip()), "")
    separator = max("\t;,", key=heading.count)
    rows = csv.reader(io.StringIO("\n".join(lines)), delimiter=separator, strict=True)
    try:
        numbered = [(rows.line_num, row) for row in rows if any(c.strip() for c in row)]
    except csv.Error as fault:
        raise InputError(f"line {rows.line_num}", str(fault), "a line of a CSV file") from fault
    if not numbered:
        raise InputError("file", "nothing", "a heading, and a vehicle a line")
    places = _places([c.strip().casefold() for c in numbered[0][1]])
    if len(numbered) - 1 > MOST_ROWS:
        raise InputError("file", len(numbered) - 1, f"up to {MOST_ROWS} vehicles")
    return [_line(number, row, places) for number, row in numbered[1:]]


def _places(headings: Sequence[str]) -> dict[str, int]:
    places: dict[str, int] = {}
    for i, heading in enumerate(headings):
        field = next((f for f, words in WORDS.items() if heading in words), None)
        if field is None:
            continue
        if field in places:
            raise InputError("line 1", heading, f"one column of {field}")
        places[field] = i
    lacking = [f for f in ("plate", "model", "family") if f not in places]
    if lacking:
        raise InputError("line 1", ", ".join(headings)[:80], f"a column of {lacking[0]}")
    return places


def _line(number: int, row: Sequence[str], places: dict[str, int]) -> VehicleLine:
    cells = {f: row[i].strip() if i < len(row) else "" for f, i in places.items()}
    for field, cell in cells.items():
        if len(cell) > LONGEST_CELL:
            raise InputError(f"line {number}, {field}", cell[:40], f"up to {LONGEST_CELL} signs")
        if not cell.isprintable():
            raise InputError(f"line {number}, {field}", cell[:40], "plain words")
    return VehicleLine(line=number, **{f: cells.get(f, "") for f in FIELDS})


def write_vehicles(rows: Iterable[Sequence[object]]) -> str:
    """Vehicles as CSV, each row in the order of `FIELDS`."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(FIELDS)
    writer.writerows(rows)
    return out.getvalue()
