"""How a calculation declares itself: its input's fields with words, quantity and range; its name
and question.

Worksheet, check form, command line, API schema and documentation are made of this alone.
"""

import dataclasses
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal

from galene.core.errors import InputError, require_range

MOST_IN_LIST = 1000
"""How many a list or a table by name may hold, where its field declares nothing else."""


@dataclass(frozen=True, kw_only=True)
class Asked:
    """How a field of an input is asked for.

    Parameters
    ----------
    label : its words on a page
    quantity : id in `galene.core.units.QUANTITIES`; empty for a plain number
    low, high : what is allowed, in the field's own unit
    unit : of a plain number, in words
    start : the example that a worksheet opens with
    hint : what helps to find the figure
    choices : values and their words, where only these are possible
    text : ``line`` or ``rows`` where words are typed, not a figure
    part : ``points`` or ``trace``, where one may stand in for the other
    measured : read on the vehicle: it opens empty on a job, an example would pass for a reading
    table : name of the table whose rows this list holds
    rows : the rows that its table opens with
    typed_as : its name in a form, where another field has the same
    most : how many a list may hold
    """

    label: str = ""
    quantity: str = ""
    low: float | None = None
    high: float | None = None
    unit: str = ""
    start: str = ""
    hint: str = ""
    choices: tuple[tuple[str, str], ...] = ()
    text: Literal["", "line", "rows"] = ""
    part: Literal["", "points", "trace"] = ""
    measured: bool = False
    table: str = ""
    rows: tuple[tuple[str, ...], ...] = ()
    typed_as: str = ""
    most: int = MOST_IN_LIST


def asked(**how: Any) -> dict[str, Asked]:
    """Metadata of a field of an input: how it is asked for, see `Asked`."""
    return {"asked": Asked(**how)}


def asked_of(one: "dataclasses.Field[Any]") -> Asked | None:
    """How a field is asked for, None where it is not declared."""
    found = one.metadata.get("asked")
    return found if isinstance(found, Asked) else None


def check_sizes(given: Any, where: str = "") -> None:
    """Hold the lists of a record, and of the records in it, against what their fields may hold.

    Raises
    ------
    InputError
        The first list that is too long.
    """
    for one in dataclasses.fields(given):
        value, how = getattr(given, one.name), asked_of(one)
        inner: list[tuple[str, Any]] = [(one.name, value)]
        if isinstance(value, (list, tuple, dict)):
            most = how.most if how else MOST_IN_LIST
            if len(value) > most:
                raise InputError(f"{where}{one.name}", f"{len(value)} entries", f"at most {most}")
            if not isinstance(value, dict):
                inner = [(f"{one.name}[{i}]", row) for i, row in enumerate(value)]
        for name, row in inner:
            if dataclasses.is_dataclass(row):
                check_sizes(row, f"{where}{name}.")


def check_ranges(given: Any, where: str = "") -> None:
    """Hold a record, and the rows in it, against the ranges that its fields declare.

    Parameters
    ----------
    given : a record whose fields declare how they are asked for
    where : path before its fields in the fault, such as ``points[2].``

    Raises
    ------
    InputError
        The first figure out of its range.
    """
    for one in dataclasses.fields(given):
        value, how = getattr(given, one.name), asked_of(one)
        if isinstance(value, list):
            for i, row in enumerate(value):
                if dataclasses.is_dataclass(row):
                    check_ranges(row, f"{where}{one.name}[{i}].")
        elif how and how.low is not None and how.high is not None and value is not None:
            require_range(f"{where}{one.name}", value, how.low, high=how.high, unit=how.unit)


@dataclass(frozen=True, kw_only=True)
class FormEntry:
    """A field of a form: its name there, how it is asked for, the type of its value."""

    name: str
    asked: Asked
    kind: Any = float
    optional: bool = False


@dataclass(frozen=True, kw_only=True)
class InputForm:
    """A form for an input: single entries, and a table whose rows repeat.

    Parameters
    ----------
    rows : the rows that the table opens with
    shape : from the fields as typed, by name, to the contract's shape
    """

    entries: tuple[FormEntry, ...]
    table: str = ""
    columns: tuple[FormEntry, ...] = ()
    rows: tuple[tuple[str, ...], ...] = ()
    shape: Callable[[dict[str, Any]], dict[str, Any]] = dict


@dataclass(frozen=True, kw_only=True)
class Calculation:
    """A pure function with the record that it takes.

    Parameters
    ----------
    name : in contracts and addresses
    place : where it stands in lists
    form : of its own, where the input's shape makes a poor form; else it is made of the fields
    """

    name: str
    title: str
    question: str
    takes: type[Any]
    run: Callable[[Any], Any]
    place: int
    form: InputForm | None = None
