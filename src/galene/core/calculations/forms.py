"""The form of a calculation, made of the fields of its input; and typed texts as its values."""

import dataclasses
import re
from dataclasses import replace
from functools import lru_cache
from types import NoneType
from typing import Any, get_args, get_origin, get_type_hints

from galene.core.calculations.declaring import (
    Asked,
    Calculation,
    FormEntry,
    InputForm,
    asked_of,
)
from galene.core.errors import InputError
from galene.core.units import QUANTITIES, parse_number, parse_quantity

SIDE = "when"
"""Column that says which of two lists a row of a shared table belongs to."""


@lru_cache(maxsize=64)
def form_of(calculation: Calculation) -> InputForm:
    """The form of a calculation: its own, or one made of its input's fields.

    A field that holds a record is asked for by the record's fields, a list of records by the rows
    of a table; two lists of the same records share one, with a column for which is meant.
    """
    if calculation.form:
        return calculation.form
    entries: list[FormEntry] = []
    nested: dict[str, tuple[str, ...]] = {}
    lists: dict[str, type[Any]] = {}
    table: str = ""
    rows: tuple[tuple[str, ...], ...] = ()
    hints = get_type_hints(calculation.takes)
    for one in dataclasses.fields(calculation.takes):
        how = asked_of(one)
        if how is None or not (how.label or how.rows or how.table):
            continue
        kind, optional = _plain(hints[one.name])
        if how.rows or how.table:
            lists[one.name] = get_args(kind)[0]
            table, rows = table or how.table or one.name, rows or how.rows
        elif isinstance(kind, type) and dataclasses.is_dataclass(kind):
            inner = _nested(one.name, how, kind)
            nested[one.name] = tuple(e.name for e in inner)
            entries += inner
        else:
            entries.append(
                FormEntry(
                    name=one.name.rstrip("_"),
                    asked=how,
                    kind=kind,
                    optional=optional or _may_be_empty(one, how),
                )
            )
    columns = _columns(lists)
    typed = {c.asked.typed_as or c.name: c.name for c in columns}

    def shape(given: dict[str, Any]) -> dict[str, Any]:
        return _shaped(given, nested, lists, table=table, typed=typed)

    return InputForm(
        entries=tuple(entries),
        table=table if lists else "",
        columns=tuple(replace(c, name=c.asked.typed_as or c.name) for c in columns),
        rows=tuple(rows),
        shape=shape,
    )


def example_of(calculation: Calculation) -> dict[str, Any]:
    """An input that computes: the form as it opens, in the contract's shape."""
    form = form_of(calculation)
    given: dict[str, Any] = {
        e.name: value_of(e, e.name, e.asked.start) for e in form.entries if e.asked.start
    }
    if form.table:
        given[form.table] = [
            {
                c.name: value_of(c, c.name, cell)
                for c, cell in zip(form.columns, row, strict=True)
                if cell
            }
            for row in form.rows
        ]
    return form.shape(given)


def _may_be_empty(one: "dataclasses.Field[Any]", how: Asked) -> bool:
    """Whether a field may be left empty: what opens with an example is asked for all the same,
    where the contract has a figure in its place."""
    if one.default_factory is not dataclasses.MISSING:
        return True
    return one.default is not dataclasses.MISSING and not how.start


def _plain(kind: Any) -> tuple[Any, bool]:
    """A type without its None, and whether it had one."""
    found = [k for k in get_args(kind) if k is not NoneType]
    if NoneType in get_args(kind):
        return found[0], True
    return kind, False


def _nested(name: str, how: Asked, kind: type[Any]) -> list[FormEntry]:
    hints = get_type_hints(kind)
    starts = dict(zip((f.name for f in dataclasses.fields(kind)), how.start.split(), strict=False))
    found = []
    for one in dataclasses.fields(kind):
        inner = asked_of(one)
        if inner is None:
            continue
        words = replace(
            inner,
            label=f"{inner.label}, {how.label}",
            start=starts.get(one.name, ""),
            part=how.part,
            measured=how.measured,
        )
        found.append(
            FormEntry(name=f"{name}_{one.name}", asked=words, kind=hints[one.name], optional=True)
        )
    return found


def _columns(lists: dict[str, type[Any]]) -> list[FormEntry]:
    if not lists:
        return []
    row = next(iter(lists.values()))
    hints = get_type_hints(row)
    columns = []
    if len(lists) > 1:
        sides = Asked(label="When", choices=tuple((name, name) for name in lists))
        columns.append(FormEntry(name=SIDE, asked=sides, kind=str))
    for one in dataclasses.fields(row):
        how = asked_of(one)
        if how is None or not how.label:
            continue
        kind, optional = _plain(hints[one.name])
        optional = optional or _may_be_empty(one, how)
        columns.append(FormEntry(name=one.name, asked=how, kind=kind, optional=optional))
    return columns


def _shaped(
    given: dict[str, Any],
    nested: dict[str, tuple[str, ...]],
    lists: dict[str, type[Any]],
    *,
    table: str,
    typed: dict[str, str],
) -> dict[str, Any]:
    """What was typed, field by field, in the contract's shape."""
    inner = {name for names in nested.values() for name in names}
    found = {k: v for k, v in given.items() if k not in inner and k != table}
    for name, names in nested.items():
        values = {n.removeprefix(f"{name}_"): given[n] for n in names if n in given}
        if values:
            found[name] = values
    rows = [{typed[k]: v for k, v in row.items()} for row in given.get(table, ())]
    for name in lists:
        mine = rows if len(lists) == 1 else [r for r in rows if r.get(SIDE) == name]
        found[name] = [{k: v for k, v in row.items() if k != SIDE} for row in mine]
    return found


def value_of(entry: FormEntry, where: str, typed: str, *, unit: str = "") -> Any:
    """A typed text as the value of its entry.

    Parameters
    ----------
    where : the field's path in a fault
    unit : the unit that was chosen beside it; the kept one where it is empty

    Raises
    ------
    InputError
        No number, or none with such a unit.
    """
    kind, typed = entry.kind, typed.strip()
    if entry.asked.choices and typed not in dict(entry.asked.choices):
        allowed = ", ".join(value for value, _ in entry.asked.choices)
        raise InputError(where, typed, f"one of {allowed}")
    if kind is bool:
        return typed == "yes"
    if kind is str:
        return typed
    if get_origin(kind) is list:
        return _listed(get_args(kind)[0], where, typed)
    if get_origin(kind) is dict:
        return _pairs(where, typed)
    if entry.asked.quantity:
        quantity = QUANTITIES[entry.asked.quantity]
        return parse_quantity(where, typed, quantity, default_unit=unit or quantity.kept.id)
    number = parse_number(where, typed)
    return int(number) if kind is int and number == int(number) else number


def _listed(kind: Any, where: str, typed: str) -> list[Any]:
    if kind is int:
        return [int(n) for n in re.findall(r"\d{1,6}", typed)]
    if kind is float:
        return [parse_number(where, n) for n in typed.replace(";", " ").split()]
    return [word.strip() for word in typed.split(",") if word.strip()]


def _pairs(where: str, typed: str) -> dict[str, float]:
    """``name 0.7, other 0.2`` as a table."""
    found = {}
    for piece in filter(None, (p.strip() for p in typed.split(","))):
        name, _, number = piece.rpartition(" ")
        if not name:
            raise InputError(where, piece, "a name and a figure, such as: egr_passage 0.7")
        found[name.strip()] = parse_number(where, number)
    return found
