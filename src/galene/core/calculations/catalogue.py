"""Every calculation by its contract name: each module here that declares one is in it."""

from dataclasses import fields, is_dataclass
from importlib import import_module
from pkgutil import iter_modules
from typing import Any

from galene.core import calculations
from galene.core.calculations.declaring import Calculation


def _declared() -> dict[str, Calculation]:
    modules = (
        import_module(f"{calculations.__name__}.{m.name}")
        for m in iter_modules(calculations.__path__)
        if m.name != "catalogue"
    )
    found = (getattr(module, "CALCULATION", None) for module in modules)
    known = sorted((c for c in found if c is not None), key=lambda c: c.place)
    return {c.name: c for c in known}


CALCULATIONS: dict[str, Calculation] = _declared()


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
