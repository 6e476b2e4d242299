"""The one error that the core raises about its inputs, and faults that are gathered so that all are
shown at once."""

from dataclasses import dataclass

UNIT_SUFFIXES = {
    "_g_s": "g/s",
    "_kpa": "kPa",
    "_rpm": "rpm",
    "_percent": "%",
    "_minutes": "min",
    "_mm": "mm",
    "_km": "km",
    "_ml": "ml",
    "_deg": "°",
    "_c": "°C",
    "_s": "s",
    "_v": "V",
    "_m": "m",
    "_l": "l",
}
"""How the names of fields end that have a unit."""


class InputError(ValueError):
    """A value that can not be right: names the field, the value given and what is allowed.

    Parameters
    ----------
    field : str
        Contract name of the field, with an index where it stands in a list
        (``points[2].airflow_g_s``).
    value : object
        What was given.
    allowed : str
        What would have been accepted, in words.
    """

    def __init__(self, field: str, value: object, allowed: str) -> None:
        self.field, self.value, self.allowed = field, value, allowed
        super().__init__(f"{field}: {value!r} is not possible; allowed: {allowed}")

    @property
    def words(self) -> str:
        """The same for who reads a page and not a contract: ``exhaust_kpa`` is "Exhaust, kPa"."""
        name, unit = self.field, ""
        for suffix, sign in UNIT_SUFFIXES.items():
            if name.endswith(suffix):
                name, unit = name.removesuffix(suffix), f", {sign}"
                break
        plain = name.replace("_", " ").replace(".", " ").strip().capitalize()
        return f"{plain}{unit}: {self.value} is not possible. Allowed: {self.allowed}."


def require(ok: bool, field: str, value: object, *, allowed: str) -> None:
    """Raise `InputError` unless `ok`."""
    if not ok:
        raise InputError(field, value, allowed)


def require_range(field: str, value: float, low: float, *, high: float, unit: str = "") -> None:
    """Raise `InputError` unless ``low <= value <= high`` (NaN fails too)."""
    require(
        low <= value <= high,
        field,
        value,
        allowed=f"{low:g} to {high:g}{' ' + unit if unit else ''}",
    )


@dataclass(frozen=True)
class Fault:
    """A fault with the path of the place in the document where it is mended, such as
    ``pipes[3].target``."""

    place: str
    text: str

    def __str__(self) -> str:
        return f"{self.place}: {self.text}"
