"""What a trace over time or command shows: `regeneration-trace`, `runner-sweep`,
`oxygen-response`."""

from collections.abc import Sequence
from itertools import pairwise
from typing import Any

from galene.core.errors import InputError, require
from galene.core.units import parse_number


def read_columns(
    csv: str, columns: Sequence[str], more: Sequence[str] = ()
) -> list[tuple[float, ...]]:
    """Rows of a trace: numbers by comma, semicolon or tab, decimal comma where the parting sign is
    none; a heading line may stand first.

    Every row has `columns`; those of `more` may follow, in all rows or in none.

    Raises
    ------
    InputError
        Naming line and column of what is no number.
    """
    lines = [line for line in csv.replace("\r", "").split("\n") if line.strip()]
    require(bool(lines), "csv", "", allowed="rows of " + ", ".join(columns))
    sign = "\t" if "\t" in lines[0] else ";" if ";" in lines[0] else ","
    rows: list[tuple[float, ...]] = []
    for number, line in enumerate(lines, 1):
        cells = [c.strip() for c in line.split(sign)]
        try:
            values = tuple(
                parse_number(f"csv line {number}, column {i}", c) for i, c in enumerate(cells, 1)
            )
        except InputError:
            if number == 1:
                continue
            raise
        width = (
            len(rows[0]) if rows else min(max(len(values), len(columns)), len(columns) + len(more))
        )
        require(
            len(values) == width,
            f"csv line {number}",
            len(values),
            allowed=f"{width} columns: {', '.join((*columns, *more)[:width])}",
        )
        rows.append(values)
    return rows


def _rows(
    csv: str | None, typed: Sequence[Any], columns: Sequence[str], *, name: str, least: int
) -> list[tuple[float, ...]]:
    require(
        (csv is None) != (not typed),
        "csv",
        "both" if csv is not None else "neither",
        allowed=f"either csv or {name}",
    )
    rows = (
        read_columns(csv, columns)
        if csv is not None
        else [tuple(float(getattr(p, c)) for c in columns) for p in typed]
    )
    require(
        len(rows) >= least,
        "csv" if csv is not None else name,
        len(rows),
        allowed=f"at least {least} rows",
    )
    return rows


def in_time(rows: Sequence[tuple[float, ...]], where: str) -> None:
    """Raise `InputError` where the first column, the time, does not run forward."""
    for i, (a, b) in enumerate(pairwise(rows)):
        require(
            b[0] > a[0],
            f"{where}[{i + 1}].time_s",
            b[0],
            allowed=f"later than the row before, {a[0]:g} s",
        )
