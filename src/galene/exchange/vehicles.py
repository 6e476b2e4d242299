"""Vehicles as CSV: one a line under a heading, out and in."""

from collections.abc import Iterable, Sequence

from galene.exchange.csv_table import CsvLine, Table, read_table, write_table

FIELDS: tuple[str, ...] = ("plate", "maker", "model", "year", "family", "keeper")
VEHICLES = Table(
    what="vehicles",
    words={
        "plate": ("plate", "registration", "number plate"),
        "maker": ("maker", "make"),
        "model": ("model", "vehicle"),
        "year": ("year",),
        "family": ("family", "engine family", "engine"),
        "keeper": ("keeper", "owner", "depot"),
    },
    needed=("plate", "model", "family"),
)


def read_vehicles(text: str) -> list[CsvLine]:
    """The lines of a file of vehicles.

    Raises
    ------
    InputError
        As `read_table`.
    """
    return read_table(text, VEHICLES)


def write_vehicles(rows: Iterable[Sequence[object]]) -> str:
    """Vehicles as CSV, each row in the order of `FIELDS`."""
    return write_table(FIELDS, rows)
