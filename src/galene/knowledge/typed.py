"""Typed records as plain JSON data and back without loss: a slip in a name or a kind of value is
named with its place."""

import json
from functools import lru_cache
from typing import Any, TypeVar, cast

from pydantic import TypeAdapter, ValidationError

from galene.core.errors import InputError

T = TypeVar("T")


@lru_cache(maxsize=16)
def adapter(kind: Any) -> TypeAdapter[Any]:
    """Pydantic's reader and writer of a record type."""
    return TypeAdapter(kind)


def plain(kind: Any, record: Any) -> dict[str, Any]:
    """A record as plain data, the form that is kept and sent."""
    found: dict[str, Any] = adapter(kind).dump_python(record, mode="json")
    return found


def typed(kind: type[T], document: Any, name: str) -> T:
    """A record from plain data.

    Raises
    ------
    InputError
        Naming the place in the data and what is wrong there: a missing or unknown field, a value of
        the wrong kind.
    """
    try:
        record: T = adapter(cast(Any, kind)).validate_json(
            json.dumps(document, allow_nan=False), strict=True
        )
    except ValidationError as fault:
        first = fault.errors()[0]
        missing = first["type"] in ("missing", "missing_argument")
        raise InputError(
            _place(first["loc"], name),
            None if missing else short(first["input"]),
            "a value: this field is needed" if missing else first["msg"],
        ) from fault
    except (TypeError, ValueError, RecursionError) as fault:
        raise InputError(
            name, type(document).__name__, "plain JSON values, every number finite"
        ) from fault
    _unknown(document, plain(kind, record), "")
    return record


def _place(steps: tuple[int | str, ...], name: str) -> str:
    place = ""
    for step in steps:
        place += f"[{step}]" if isinstance(step, int) else f"{'.' if place else ''}{step}"
    return place or name


def short(value: Any) -> Any:
    """A value for a message, cut where it is long."""
    text = repr(value)
    return value if len(text) <= 60 else text[:57] + "…"


def _unknown(given: Any, kept: Any, place: str) -> None:
    """Refuse fields that reading dropped: a slip in a name must not pass unseen."""
    if isinstance(given, dict) and isinstance(kept, dict):
        for name, value in given.items():
            path = f"{place}.{name}" if place else str(name)
            if name not in kept:
                raise InputError(path, short(value), "no such field")
            _unknown(value, kept[name], path)
    elif isinstance(given, list) and isinstance(kept, list):
        for i, (a, b) in enumerate(zip(given, kept, strict=False)):
            _unknown(a, b, f"{place}[{i}]")
