"""Tables that go out as CSV, each line by line."""

import csv
import io
import json
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from sqlalchemy.orm import Session

from galene.exchange.csv_table import cell
from galene.exchange.vehicles import FIELDS as VEHICLE_FIELDS
from galene.jobs.families import families
from galene.jobs.growth import family_rates
from galene.store.repositories import tables as rows
from galene.store.repositories import vehicles

Rows = Iterable[Sequence[object]]


@dataclass(frozen=True, kw_only=True)
class ExportedTable:
    """A table: its heading, and where its lines are from."""

    fields: tuple[str, ...]
    rows: Callable[[Session], Rows]


def _vehicles(db: Session) -> Rows:
    return ((v.plate, v.maker, v.model, v.year, v.family_id, v.keeper) for v in vehicles.every(db))


def _growth(db: Session) -> Rows:
    """The usual rate of each part of each family, by km and by hours."""
    for family in families(db).values():
        for hours in (False, True):
            for part, (rate, count) in sorted(family_rates(db, family.id, hours=hours).items()):
                yield (
                    family.id,
                    part,
                    "h" if hours else "km",
                    count,
                    rate.usual,
                    rate.mean,
                    rate.variance,
                )


TABLES: Mapping[str, ExportedTable] = {
    "vehicles": ExportedTable(fields=VEHICLE_FIELDS, rows=_vehicles),
    "fills": ExportedTable(
        fields=("plate", "date", "litres", "km", "hours", "full", "load"), rows=rows.fills
    ),
    "stock": ExportedTable(
        fields=(
            "product",
            "class",
            "lot",
            "left_ml",
            "least_ml",
            "expires",
            "opened",
            "place",
            "price",
        ),
        rows=rows.stock,
    ),
    "parts": ExportedTable(
        fields=(
            "number",
            "name",
            "pieces",
            "least",
            "on_order",
            "expected",
            "lead_days",
            "price",
            "place",
        ),
        rows=rows.parts,
    ),
    "findings": ExportedTable(
        fields=(
            "job",
            "plate",
            "family",
            "km",
            "hours",
            "at",
            "phase",
            "part",
            "grade",
            "deposit",
            "open_area_percent",
            "note",
        ),
        rows=rows.findings,
    ),
    "growth": ExportedTable(
        fields=("family", "part", "per", "vehicles", "grades_usual", "log_mean", "log_variance"),
        rows=_growth,
    ),
    "bands": ExportedTable(
        fields=("family", "metric", "value", "at", "source", "set_aside", "why"), rows=rows.bands
    ),
    "minutes": ExportedTable(
        fields=("job", "family", "step", "book", "minutes", "at"), rows=rows.minutes
    ),
    "trace": ExportedTable(fields=("at", "who", "job", "action", "detail"), rows=rows.trace),
}


def lines_of(db: Session, name: str) -> Iterator[str]:
    """A table as CSV, line by line.

    Raises
    ------
    KeyError
        No such table.
    """
    table = TABLES[name]
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(table.fields)
    for row in table.rows(db):
        writer.writerow([_plain(value) for value in row])
        if out.tell() > 60_000:
            yield out.getvalue()
            out.seek(0)
            out.truncate()
    yield out.getvalue()


def _plain(value: Any) -> object:
    if isinstance(value, datetime | date):
        return value.isoformat()
    if isinstance(value, dict):
        return json.dumps(value, ensure_ascii=False, sort_keys=True)
    if isinstance(value, bool):
        return "yes" if value else "no"
    return cell(value)
