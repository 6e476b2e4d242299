"""Every calculation by its contract name: each module here that declares one is in it."""

from dataclasses import fields, is_dataclass
from functools import cache
from importlib import import_module
from pkgutil import iter_modules
from typing import Any

from galene.core import calculations
from galene.core.calculations.declaring import Calculation
from galene.core.errors import InputError


def _modules() -> dict[str, str]:
    """The modules that may declare a calculation, by the name that it has in the contract."""
    names = (m.name for m in iter_modules(calculations.__path__) if m.name != "catalogue")
    return {name.replace("_", "-"): f"{calculations.__name__}.{name}" for name in names}


def calculation(name: str) -> Calculation:
    """One calculation; only its own module is loaded.

    Raises
    ------
    InputError
        None has that name.
    """
    module = _modules().get(name)
    found = getattr(import_module(module), "CALCULATION", None) if module else None
    if found is None:
        raise InputError("name", name, ", ".join(every()))
    assert isinstance(found, Calculation)
    return found


@cache
def every() -> dict[str, Calculation]:
    """All of them in the order of their places."""
    found = (getattr(import_module(m), "CALCULATION", None) for m in _modules().values())
    known = sorted((c for c in found if c is not None), key=lambda c: c.place)
    return {c.name: c for c in known}


def as_plain(value: Any) -> Any:
    """A result as dicts, lists and numbers with its contract field names, ready for JSON."""
    if is_dataclass(value) and not isinstance(value, type):
        return {f.name.rstrip("_"): as_plain(getattr(value, f.name)) for f in fields(value)}
    if isinstance(value, dict):
        return {k: as_plain(v) for k, v in value.items()}
    if isinstance(value, (list, tuple)):
        return [as_plain(v) for v in value]
    if isinstance(value, bool) or value is None or isinstance(value, (str, int)):
        return value
    return float(value)
