"""A CSV with a heading as lines of named cells, and back: the one reader of such files."""

import csv
import io
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from galene.core.errors import InputError

LONGEST_BYTES = 2_000_000
LONGEST_CELL = 120


@dataclass(frozen=True, kw_only=True)
class Table:
    """What a file of a kind holds.

    Parameters
    ----------
    what : its lines in words, such as "vehicles"
    words : each field with the headings that stand for it
    needed : fields that no file lacks; of a tuple one
    most : lines at most
    """

    what: str
    words: Mapping[str, tuple[str, ...]]
    needed: tuple[str | tuple[str, ...], ...]
    most: int = 5000


@dataclass(frozen=True, kw_only=True)
class CsvLine:
    """A line of the file: its number, and its cells by field, empty where it has none."""

    line: int
    cells: Mapping[str, str]

    def __getitem__(self, field: str) -> str:
        return self.cells.get(field, "")


def read_table(text: str, table: Table) -> list[CsvLine]:
    """The lines of a file.

    Parameters
    ----------
    text : CSV with comma, semicolon or tab, its first line a heading

    Raises
    ------
    InputError
        Naming the line: a heading that lacks a field, a column twice, too many lines, a cell that
        is too long or holds what no text has.
    """
    if len(text.encode("utf-8", "replace")) > LONGEST_BYTES:
        raise InputError("file", len(text), f"up to {LONGEST_BYTES} bytes")
    if "\x00" in text or any("\ud800" <= c <= "\udfff" for c in text):
        raise InputError("file", "a character that no text has", f"a CSV of {table.what}")
    lines = text.lstrip("\ufeff").splitlines()
    heading = next((line for line in lines if line.strip()), "")
    separator = max("\t;,", key=heading.count)
    rows = csv.reader(io.StringIO("\n".join(lines)), delimiter=separator, strict=True)
    try:
        numbered = [(rows.line_num, row) for row in rows if any(c.strip() for c in row)]
    except csv.Error as fault:
        raise InputError(f"line {rows.line_num}", str(fault), "a line of a CSV file") from fault
    if not numbered:
        raise InputError("file", "nothing", f"a heading, and lines of {table.what}")
    places = _places([c.strip().casefold() for c in numbered[0][1]], table)
    if len(numbered) - 1 > table.most:
        raise InputError("file", len(numbered) - 1, f"up to {table.most} {table.what}")
    return [_line(number, row, places) for number, row in numbered[1:]]


def _places(headings: Sequence[str], table: Table) -> dict[str, int]:
    places: dict[str, int] = {}
    for i, heading in enumerate(headings):
        field = next((f for f, words in table.words.items() if heading in words), None)
        if field is None:
            continue
        if field in places:
            raise InputError("line 1", heading, f"one column of {field}")
        places[field] = i
    for one in table.needed:
        wanted = (one,) if isinstance(one, str) else one
        if not any(f in places for f in wanted):
            words = " or ".join(wanted)
            raise InputError("line 1", ", ".join(headings)[:80], f"a column of {words}")
    return places


def _line(number: int, row: Sequence[str], places: Mapping[str, int]) -> CsvLine:
    cells = {f: row[i].strip() if i < len(row) else "" for f, i in places.items()}
    for field, cell in cells.items():
        if len(cell) > LONGEST_CELL:
            raise InputError(f"line {number}, {field}", cell[:40], f"up to {LONGEST_CELL} signs")
        if not cell.isprintable():
            raise InputError(f"line {number}, {field}", cell[:40], "plain words")
    return CsvLine(line=number, cells=cells)


FORMULA = ("=", "+", "-", "@", "\t", "\r")
"""Beginnings that a spreadsheet would run as a formula."""


def write_table(fields: Sequence[str], rows: Iterable[Sequence[object]]) -> str:
    """Rows as CSV under their heading; words that a spreadsheet would run stand behind a quote."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(fields)
    writer.writerows([cell(c) for c in row] for row in rows)
    return out.getvalue()


def cell(value: object) -> object:
    """A value as it stands in a CSV: numbers whole, nothing for None, no formula."""
    if value is None:
        return ""
    if isinstance(value, float):
        return f"{value:.12g}"
    return f"'{value}" if isinstance(value, str) and value.startswith(FORMULA) else value
