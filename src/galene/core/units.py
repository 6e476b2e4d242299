"""Units at the edges. Inside, every quantity has one unit, the contract's; the others are straight
lines of it.

Factors are those of the international yard and pound (1959) and of NIST SP 811, appendix B; the
inch of mercury of workshop gauges and weather reports is the one at 0 C, that of water the one at
4 C.
"""

import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from galene.core.errors import InputError


@dataclass(frozen=True)
class Unit:
    """A unit as the technician reads it: `id` for forms, `decimals` for showing.

    A value of it is ``factor * value + offset`` in the kept unit of its quantity.
    """

    id: str
    factor: float
    decimals: int
    offset: float = 0.0


@dataclass(frozen=True, kw_only=True)
class Quantity:
    """A physical quantity: the first unit is the one kept inside; `metric` and `imperial` are the
    workshop's choices."""

    id: str
    units: tuple[Unit, ...]
    metric: str
    imperial: str

    @property
    def kept(self) -> Unit:
        """The unit that values are kept in."""
        return self.units[0]

    def unit(self, unit_id: str) -> Unit:
        """The unit named `unit_id`; spaces and case do not matter where no two units differ by case
        alone."""
        wanted = unit_id.strip().replace(" ", "").replace("°", "deg").casefold()
        for unit in self.units:
            if unit.id.replace(" ", "").casefold() == wanted:
                return unit
        raise InputError("unit", unit_id, ", ".join(u.id for u in self.units))


Given = tuple[str, float, int] | tuple[str, float, int, float]
"""A unit's id, factor, decimals and offset."""


UNIT_SIGNS: Mapping[str, str] = {"degC": "°C", "degF": "°F", "deg": "°", "mm2": "mm²"}
"""Units whose sign is not their id."""


def _quantity(id_: str, metric: str, imperial: str, *units: Given) -> Quantity:
    return Quantity(id=id_, units=tuple(Unit(*u) for u in units), metric=metric, imperial=imperial)


QUANTITIES: dict[str, Quantity] = {
    q.id: q
    for q in (
        _quantity(
            "pressure",
            "kPa",
            "inHg",
            ("kPa", 1, 1),
            ("bar", 100, 3),
            ("mbar", 0.1, 0),
            ("inHg", 3.386389, 2),
            ("psi", 6.894757293168361, 2),
        ),
        _quantity(
            "airflow",
            "g/s",
            "lb/min",
            ("g/s", 1, 2),
            ("kg/h", 1 / 3.6, 1),
            ("lb/min", 453.59237 / 60, 3),
        ),
        _quantity("temperature", "degC", "degF", ("degC", 1, 0), ("degF", 5 / 9, 0, -160 / 9)),
        _quantity("speed", "rpm", "rpm", ("rpm", 1, 0)),
        _quantity("share", "%", "%", ("%", 1, 1)),
        _quantity("angle", "deg", "deg", ("deg", 1, 2)),
        _quantity("length", "mm", "in", ("mm", 1, 2), ("in", 25.4, 4)),
        _quantity("area", "mm2", "mm2", ("mm2", 1, 1)),
        _quantity("distance", "km", "mi", ("km", 1, 0), ("mi", 1.609344, 0)),
        _quantity("height", "m", "ft", ("m", 1, 0), ("ft", 0.3048, 0)),
        _quantity("torque", "N m", "lb ft", ("N m", 1, 1), ("lb ft", 1.3558179483314004, 1)),
        _quantity("voltage", "V", "V", ("V", 1, 2), ("mV", 0.001, 0)),
        _quantity(
            "pressure_drop",
            "Pa",
            "inH2O",
            ("Pa", 1, 0),
            ("kPa", 1000, 2),
            ("mbar", 100, 1),
            ("inH2O", 249.089, 2),
        ),
        _quantity("road_speed", "km/h", "mph", ("km/h", 1, 0), ("mph", 1.609344, 0)),
        _quantity("volume", "ml", "fl oz", ("ml", 1, 0), ("fl oz", 29.5735295625, 1)),
        _quantity("fuel", "l", "gal", ("l", 1, 1), ("gal", 3.785411784, 1)),
        _quantity("engine_size", "l", "l", ("l", 1, 2)),
        _quantity(
            "economy",
            "l/100km",
            "mpg",
            ("l/100km", 1, 1),
            ("mpg", 1, 1),
        ),
    )
}

FIELD_SUFFIXES = {
    "_kpa": "pressure",
    "_pa": "pressure_drop",
    "_g_s": "airflow",
    "_c": "temperature",
    "_mm": "length",
    "_km": "distance",
    "_m": "height",
    "_l": "engine_size",
    "_deg": "angle",
    "_percent": "share",
    "_l_100km": "economy",
}
"""Endings of contract field names and the quantity that they stand for."""


def convert(quantity: Quantity, value: float, source: str, *, target: str) -> float:
    """`value` of `quantity` from unit id `source` to unit id `target`.

    Parameters
    ----------
    value : in the unit ``source``
    source, target : ids of units of the quantity

    Raises
    ------
    InputError
        Unknown unit, or a fuel economy of zero, which has no reciprocal.
    """
    a, b = quantity.unit(source), quantity.unit(target)
    if a is b:
        return value
    if quantity.id == "economy":
        if value <= 0:
            raise InputError("value", value, "above 0")
        return 235.214583 / value
    return (a.factor * value + a.offset - b.offset) / b.factor


def in_system(quantity: Quantity, system: str) -> Unit:
    """The unit that the workshop's choice (metric or imperial) shows for `quantity`."""
    return quantity.unit(quantity.imperial if system == "imperial" else quantity.metric)


def shown(quantity_id: str, value: float, system: str = "metric") -> str:
    """`value` (kept unit) as text with its unit in the workshop's choice."""
    quantity = QUANTITIES[quantity_id]
    unit = in_system(quantity, system)
    number = (
        round(convert(quantity, value, quantity.kept.id, target=unit.id), unit.decimals) + 0.0
    )  # no minus before a zero
    label = UNIT_SIGNS.get(unit.id, unit.id)
    space = "" if label == "°" else "\u202f"
    return (
        f"{number:,.{unit.decimals}f}".replace(",", "\u202f").replace("-", "\u2212") + space + label
    )


NUMBER = re.compile(r"^\s*([+\-\u2212]?(?:\d+(?:[.,]\d+)?|[.,]\d+)(?:[eE][+\-]?\d+)?)\s*(.*?)\s*$")


def parse_number(field: str, text: str) -> float:
    """A number as people type it: decimal comma or point, real minus sign, no unit.

    Raises
    ------
    InputError
        Anything else, also an empty field.
    """
    found = NUMBER.match(text)
    if not found or found[2]:
        raise InputError(field, text, "a number")
    return float(found[1].replace(",", ".").replace("\u2212", "-"))


def parse_quantity(field: str, text: str, quantity: Quantity, *, default_unit: str) -> float:
    """Typed text such as ``29,9 inHg`` in the kept unit; without a unit it is in `default_unit`.

    Raises
    ------
    InputError
        Not a number, or a unit that the quantity does not have.
    """
    found = NUMBER.match(text)
    if not found:
        raise InputError(
            field,
            text,
            f"a number, with or without one of {', '.join(u.id for u in quantity.units)}",
        )
    value = float(found[1].replace(",", ".").replace("\u2212", "-"))
    try:
        return convert(quantity, value, found[2] or default_unit, target=quantity.kept.id)
    except InputError as fault:
        raise InputError(field, text, f"a number with one of {fault.allowed}") from fault


def quantity_of_field(name: str) -> Quantity | None:
    """The quantity that a contract field's ending stands for, longest ending first; None where it
    has none."""
    for suffix in sorted(FIELD_SUFFIXES, key=len, reverse=True):
        if name.endswith(suffix):
            return QUANTITIES[FIELD_SUFFIXES[suffix]]
    return None


def with_contract_units(given: Any, path: str = "") -> Any:
    """Replace texts with a unit (``"29.9 inHg"``) in contract fields by numbers in the field's own
    unit, at any depth."""
    if isinstance(given, Mapping):
        done = {}
        for name, value in given.items():
            where = f"{path}.{name}" if path else str(name)
            quantity = quantity_of_field(str(name))
            if isinstance(value, str) and quantity is not None:
                done[name] = parse_quantity(where, value, quantity, default_unit=quantity.kept.id)
            else:
                done[name] = with_contract_units(value, where)
        return done
    if isinstance(given, list):
        return [with_contract_units(v, f"{path}[{i}]") for i, v in enumerate(given)]
    return given
