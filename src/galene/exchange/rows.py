"""Rows pasted from a spreadsheet as columns of numbers."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from galene.core.errors import InputError
from galene.core.units import QUANTITIES, parse_quantity


@dataclass(frozen=True, kw_only=True)
class Column:
    """A column that may come: its channel, quantity, unit where the header names none, and words of
    its heading."""

    channel: str
    quantity: str
    unit: str
    words: tuple[str, ...]


MAX_ROWS = 500


def _cells(line: str) -> list[str]:
    separator = "\t" if "\t" in line else ";" if ";" in line else None
    if separator is None:
        # A comma parts columns only where no decimal comma is meant: "750, 33,1" stays ambiguous
        # and is refused below.
        return [
            c.strip()
            for c in (
                re.split(r",\s+|\s+", line.strip())
                if ", " in line or "," not in line
                else line.split(",")
            )
        ]
    return [c.strip() for c in line.split(separator)]


def _matches(column: Column, heading: str) -> bool:
    plain = heading.casefold()
    return any(re.search(rf"\b{re.escape(w)}", plain) for w in column.words)


def _by_heading(
    headings: Sequence[str], columns: Sequence[Column]
) -> list[tuple[int, Column, str]]:
    """Where each column stands by the words of its heading, and in which unit."""
    chosen: list[tuple[int, Column, str]] = []
    for i, heading in enumerate(headings):
        taken = {c.channel for _, c, _ in chosen}
        column = next((c for c in columns if _matches(c, heading) and c.channel not in taken), None)
        if column is not None:
            chosen.append((i, column, _unit_of(column, heading, i)))
    return chosen


def _unit_of(column: Column, heading: str, position: int) -> str:
    """The unit in a heading's brackets, else the column's own."""
    bracket = re.search(r"[(\[]\s*([^)\]]+?)\s*[)\]]", heading)
    if not bracket:
        return column.unit
    try:
        return QUANTITIES[column.quantity].unit(bracket[1]).id
    except InputError as fault:
        raise InputError(
            f"line 1, column {position + 1}", heading, f"a unit of {fault.allowed}"
        ) from fault


def parse_rows(text: str, columns: Sequence[Column]) -> Mapping[str, list[float]]:
    """Columns of numbers in kept units.

    Parameters
    ----------
    text : str
        Tab, semicolon, comma or blanks between cells; decimal comma or point; an optional heading
        row whose words choose the columns and whose brackets may name units. Without headings the
        columns come in the given order.
    columns : sequence of Column

    Raises
    ------
    InputError
        Naming line and column of what can not be read; also no rows, or more than 500.
    """
    lines = [line for line in text.replace("\r", "").split("\n") if line.strip()]
    if not lines:
        raise InputError("rows", "", "rows copied from a spreadsheet")
    first = _cells(lines[0])
    chosen: list[tuple[int, Column, str]]
    if any(re.search(r"[A-Za-z]{2}", c) for c in first) and not any(
        re.match(r"^[-+\d]", c) for c in first
    ):
        chosen = _by_heading(first, columns)
        if not chosen:
            raise InputError(
                "line 1",
                lines[0],
                "headings with the words " + ", ".join(c.words[0] for c in columns),
            )
        body, offset = lines[1:], 2
    else:
        chosen = [(i, c, c.unit) for i, c in enumerate(columns[: len(first)])]
        body, offset = lines, 1
    if not body:
        raise InputError("rows", lines[0], "at least one row of numbers below the headings")
    if len(body) > MAX_ROWS:
        raise InputError(
            "rows", len(body), f"at most {MAX_ROWS} rows; longer logs come in as files"
        )
    found: dict[str, list[float]] = {c.channel: [] for _, c, _ in chosen}
    for number, line in enumerate(body, offset):
        cells = _cells(line)
        for i, column, unit in chosen:
            cell = cells[i] if i < len(cells) else ""
            found[column.channel].append(
                parse_quantity(
                    f"line {number}, column {i + 1}",
                    cell,
                    QUANTITIES[column.quantity],
                    default_unit=unit,
                )
            )
    return found
