"""A job's rows as one plain document and back. Every column is known by its table; people are named
by their place in a list, rows by their order.

What belongs to the workshop and not to the job stays out: stock, held parts, learned samples,
addresses, forms' tokens.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, date, datetime
from typing import Any

from pydantic import ValidationError
from sqlalchemy import (
    ARRAY,
    BigInteger,
    Boolean,
    Date,
    DateTime,
    Float,
    Integer,
    Text,
    inspect,
    select,
)
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Session
from sqlalchemy.sql.elements import NamedColumn

from galene.core.errors import InputError
from galene.store.codec import Recorded
from galene.store.models import (
    Acknowledgement,
    AuditEntry,
    Base,
    CheckResult,
    Inspection,
    ItemRow,
    Job,
    JobCode,
    JobPicture,
    LogFile,
    ObservationRow,
    Plan,
    Reading,
    ReadingSet,
    Section,
    StepRow,
    Vehicle,
    WaitRow,
)

LONGEST_TEXT, MOST_ITEMS, DEEPEST = 20_000, 20_000, 24
MOST_ROWS = 20_000
LARGEST = 1e12
"""Of a figure with a point: far beyond every kilometre, pascal and amount of money."""
INTEGERS = {True: 2**63 - 1, False: 2**31 - 1}
"""The largest whole number of a wide (True) and of a usual column."""


@dataclass(frozen=True, kw_only=True)
class JobTable:
    """A table whose rows belong to a job.

    Parameters
    ----------
    name : of the list in the document
    model : the table
    order : attributes that put its rows in order
    """

    name: str
    model: type[Base]
    order: tuple[str, ...] = ("id",)


TABLES: tuple[JobTable, ...] = (
    JobTable(name="sections", model=Section, order=("name",)),
    JobTable(name="evidence", model=ObservationRow, order=("evidence",)),
    JobTable(name="codes", model=JobCode),
    JobTable(name="sets", model=ReadingSet),
    JobTable(name="looks", model=Inspection),
    JobTable(name="plans", model=Plan, order=("version",)),
    JobTable(name="steps", model=StepRow, order=("position",)),
    JobTable(name="must_go_back", model=ItemRow),
    JobTable(name="waits", model=WaitRow),
    JobTable(name="pictures", model=JobPicture),
    JobTable(name="cautions", model=Acknowledgement, order=("caution",)),
    JobTable(name="checks", model=CheckResult),
    JobTable(name="logs", model=LogFile),
    JobTable(name="trace", model=AuditEntry),
)
LEFT_OUT = frozenset({"id", "job_id", "set_id", "vehicle_id", "family_version_id", "passing"})
"""Keys that are this database's own, and to whom a job is offered here."""


def columns_of(model: type[Base]) -> dict[str, NamedColumn[Any]]:
    """The columns of a table that a document holds, by attribute."""
    mapper = inspect(model)
    return {
        attribute.key: attribute.columns[0]
        for attribute in mapper.column_attrs
        if attribute.key not in LEFT_OUT
    }


def names_person(column: NamedColumn[Any]) -> bool:
    """Whether a column names a person."""
    return any(key.column.table.name == "person" for key in column.foreign_keys)


class People:
    """Names of people by their place, in the order in which they are met."""

    def __init__(self, names: Mapping[int, str]) -> None:
        self._names, self._places = names, dict[int, int]()

    def place(self, person_id: int | None) -> int | None:
        """The place of a person."""
        if person_id is None:
            return None
        return self._places.setdefault(person_id, len(self._places))

    @property
    def listed(self) -> list[str]:
        """Names in the order of their places."""
        return [self._names[i] for i in self._places]


def row_document(row: Base, people: People) -> dict[str, Any]:
    """A row as plain data."""
    return {
        key: _plain(getattr(row, key), column, people)
        for key, column in columns_of(type(row)).items()
    }


def _plain(value: Any, column: NamedColumn[Any], people: People) -> Any:
    if names_person(column):
        return people.place(value)
    if value is None:
        return None
    if isinstance(column.type, Recorded):
        return column.type.document(value)
    if isinstance(value, datetime):
        return value.astimezone(UTC).isoformat()
    if isinstance(value, date):
        return value.isoformat()
    return list(value) if isinstance(column.type, ARRAY) else value


def rows_of(db: Session, table: JobTable, job_id: int) -> list[Base]:
    """The rows of a job in a table, in their order."""
    model: Any = table.model
    asked = select(model).where(model.job_id == job_id)
    return list(db.scalars(asked.order_by(*(getattr(model, key) for key in table.order))).unique())


def document_of(db: Session, job: Job, people: People) -> dict[str, Any]:
    """A job with everything that belongs to it, but the family, as plain data."""
    lists: dict[str, Any] = {}
    for table in TABLES:
        lists[table.name] = [row_document(row, people) for row in rows_of(db, table, job.id)]
    sets = [s for s in rows_of(db, TABLES[3], job.id) if isinstance(s, ReadingSet)]
    for document, row in zip(lists["sets"], sets, strict=True):
        document["readings"] = [row_document(reading, people) for reading in row.readings]
    return {
        "job": row_document(job, people),
        "vehicle": {k: v for k, v in row_document(job.vehicle, people).items() if k != "plate_key"},
        **lists,
    }


def row_from(
    model: type[Base], document: Any, place: str, *, people: Mapping[int, int]
) -> dict[str, Any]:
    """The values of a row out of plain data, every one checked.

    Parameters
    ----------
    place : where it stands, for faults
    people : ids of people here by their place in the document

    Raises
    ------
    InputError
        Naming place and field: one that lacks, one too many, a value that the column can not hold.
    """
    wanted = columns_of(model)
    if not isinstance(document, dict):
        raise InputError(place, type(document).__name__, "an object")
    for name in document.keys() ^ wanted.keys():
        allowed = "no such field" if name in document else "a value: this field is needed"
        raise InputError(f"{place}.{str(name)[:60]}", None, allowed)
    return {
        key: _value(document[key], column, f"{place}.{key}", people)
        for key, column in wanted.items()
    }


def _value(value: Any, column: NamedColumn[Any], place: str, people: Mapping[int, int]) -> Any:
    if value is None:
        if not column.nullable:
            raise InputError(place, None, "a value")
        return None
    if names_person(column):
        if not isinstance(value, int) or isinstance(value, bool) or value not in people:
            raise InputError(place, str(value)[:40], "a place in the list of people")
        return people[value]
    gate(value, place)
    kind = column.type
    if isinstance(kind, Recorded):
        return _record(kind, value, place)
    if isinstance(kind, DateTime):
        return moment(value, place)
    if isinstance(kind, Date):
        return moment(f"{value}T00:00:00+00:00", place).date()
    wide = isinstance(kind, BigInteger)
    fits = {
        Boolean: isinstance(value, bool),
        Integer: isinstance(value, int)
        and not isinstance(value, bool)
        and abs(value) <= INTEGERS[wide],
        Float: isinstance(value, int | float) and not isinstance(value, bool),
        ARRAY: isinstance(value, list) and all(isinstance(x, str) for x in value),
        JSONB: isinstance(value, dict | list),
        Text: isinstance(value, str),
    }
    for known, right in fits.items():
        if isinstance(kind, known):
            if not right:
                raise InputError(place, str(value)[:40], f"a value of {known.__name__.lower()}")
            return float(value) if known is Float else value
    raise InputError(place, type(kind).__name__, "a column of a known kind")


def _record(kind: Recorded[Any], value: Any, place: str) -> Any:
    try:
        record = kind.record(value)
        again = kind.document(record)
    except (ValidationError, KeyError, TypeError, ValueError, AttributeError) as fault:
        raise InputError(place, str(fault)[:120], "a record as Galene writes it") from fault
    if again != value:
        raise InputError(place, "other fields", "a record as Galene writes it")
    return record


def moment(value: Any, place: str) -> datetime:
    """A moment with its zone.

    Raises
    ------
    InputError
    """
    try:
        found = datetime.fromisoformat(value)
        if found.tzinfo is None or not 1980 <= found.year <= 2200:
            raise ValueError("a moment with its zone from 1980 on")
        return found.astimezone(UTC)
    except (TypeError, ValueError, OverflowError) as fault:
        raise InputError(place, str(value)[:40], "a moment with its zone") from fault


def gate(value: Any, place: str, depth: int = 0) -> None:
    """Refuse texts, numbers and lists that nothing here may hold.

    Raises
    ------
    InputError
    """
    if depth > DEEPEST:
        raise InputError(place, "too deep", f"at most {DEEPEST} levels")
    if isinstance(value, str):
        if (
            len(value) > LONGEST_TEXT
            or "\x00" in value
            or any("\ud800" <= c <= "\udfff" for c in value)
        ):
            raise InputError(place, value[:40], f"a text of up to {LONGEST_TEXT} signs")
    elif isinstance(value, float):
        if not math.isfinite(value) or abs(value) > LARGEST:
            raise InputError(place, value, f"a number up to {LARGEST:g}")
    elif isinstance(value, int):
        if abs(value) > 2**63 - 1:
            raise InputError(place, "a huge number", "a number up to 2^63")
    elif isinstance(value, list | dict):
        if len(value) > MOST_ITEMS:
            raise InputError(place, len(value), f"up to {MOST_ITEMS} items")
        for key, one in value.items() if isinstance(value, dict) else enumerate(value):
            gate(key, place, depth + 1)
            gate(one, f"{place}.{key}"[:120], depth + 1)
    elif value is not None:
        raise InputError(place, type(value).__name__, "plain JSON")


def lists_from(document: Any) -> dict[str, list[Any]]:
    """The lists of a document, none missing, none too long.

    Raises
    ------
    InputError
    """
    names = {table.name for table in TABLES}
    if not isinstance(document, dict):
        raise InputError("job.json", type(document).__name__, "an object")
    for name in document.keys() ^ {
        *names,
        "format",
        "version",
        "job",
        "vehicle",
        "family",
        "people",
    }:
        allowed = "no such field" if name in document else "a value: this field is needed"
        raise InputError(str(name)[:60], None, allowed)
    found: dict[str, list[Any]] = {}
    for name in names:
        rows = document[name]
        if not isinstance(rows, list) or len(rows) > MOST_ROWS:
            raise InputError(name, type(rows).__name__, f"a list of up to {MOST_ROWS}")
        found[name] = rows
    return found


def reading_values(document: Any, place: str) -> list[dict[str, Any]]:
    """The readings of a set out of plain data.

    Raises
    ------
    InputError
    """
    if not isinstance(document, list) or len(document) > MOST_ROWS:
        raise InputError(place, type(document).__name__, f"a list of up to {MOST_ROWS}")
    return [row_from(Reading, one, f"{place}[{i}]", people={}) for i, one in enumerate(document)]


def vehicle_values(document: Any) -> dict[str, Any]:
    """The values of a vehicle out of plain data.

    Raises
    ------
    InputError
    """
    whole = {**document, "plate_key": "-"} if isinstance(document, dict) else document
    return row_from(Vehicle, whole, "vehicle", people={})
