"""How long a wetted part must stand: `drying-time`."""

import math
from dataclasses import dataclass, field
from typing import Any, ClassVar

from galene.core.calculations.declaring import Calculation, asked, check_ranges
from galene.core.errors import require, require_range
from galene.core.flow import KELVIN

GAS_CONSTANT = 8.314462
"""J/(mol K)."""
REFERENCE_K = 293.15
VAPORISATION_KJ_MOL = {
    "alkane": 36.6,
    "alkanes": 36.6,
    "2-propanol": 45.4,
    "isopropanol": 45.4,
    "acetone": 32.0,
    "aromatic": 38.0,
    "aromatics": 38.0,
    "water": 44.0,
    "maf_cleaner": 36.6,
    "contact_cleaner": 36.6,
    "throttle_cleaner": 38.0,
    "soap_and_water": 44.0,
}
"""Heat of vaporisation near 20 C by substance, and by agent class through its main part."""
WATER_BASED = {"water", "soap_and_water"}


AGENT_CHOICES = (
    ("maf_cleaner", "Meter cleaner (alkanes)"),
    ("contact_cleaner", "Contact cleaner (alkanes)"),
    ("isopropanol", "Isopropanol"),
    ("throttle_cleaner", "Throttle cleaner (aromatics)"),
    ("acetone", "Acetone"),
    ("water", "Water-based"),
)


@dataclass(frozen=True, kw_only=True)
class DryingTimeInput:
    """Label minutes at 20 C and the bay's air; give `class` or `vaporisation_kj_mol`."""

    base_minutes: float = field(metadata=asked(label="Minutes by label, at 20 °C", start="15"))
    temperature_c: float = field(
        metadata=asked(
            label="Bay", quantity="temperature", start="8", low=-20, high=60, unit="degC"
        )
    )
    class_: str | None = field(
        default=None, metadata=asked(label="Agent", start="maf_cleaner", choices=AGENT_CHOICES)
    )
    vaporisation_kj_mol: float | None = None
    relative_humidity: float | None = field(
        default=None,
        metadata=asked(label="Humidity, a share", hint="water-based only, 0.5 is usual"),
    )
    __pydantic_config__: ClassVar[dict[str, Any]] = {
        "extra": "forbid",
        "alias_generator": lambda name: name.rstrip("_"),
        "validate_by_name": True,
        "validate_by_alias": True,
    }


@dataclass(frozen=True, kw_only=True)
class DryingTimeResult:
    """`factor` is the bare physics; `minutes` never fall below the base."""

    minutes: float
    factor: float
    held_at_base: bool
    verdict: str
    sentence: str


def drying_time(given: DryingTimeInput) -> DryingTimeResult:
    """Minutes a part must dry in the bay's air.

    Parameters
    ----------
    given.base_minutes : float, above 0 to 1440, at 20 C and half-saturated air
    given.temperature_c : float, -20 to 60 degrees C
    given.class : str, optional
        alkane, 2-propanol, acetone, aromatics, water, or an agent class.
    given.vaporisation_kj_mol : float, optional, 5 to 100 kJ/mol
    given.relative_humidity : float, optional, share 0 to 0.98; water-based only, 0.5 where not
        given

    Raises
    ------
    InputError
        Neither or an unknown class, humidity for a solvent, or a figure out of range.

    Notes
    -----
    Clausius-Clapeyron from 20 C: exp(dH/R (1/T - 1/293.15)); water also divides by (1 - RH)/(1 -
    0.5). Warm air never shortens the base: the label's minutes stand.

    Examples
    --------
    >>> given = DryingTimeInput(base_minutes=15, temperature_c=5, class_="alkane")
    >>> round(drying_time(given).factor, 3)
    2.247
    """
    check_ranges(given)
    require(
        0 < given.base_minutes <= 1440,
        "base_minutes",
        given.base_minutes,
        allowed="above 0 to 1440 minutes",
    )
    if given.vaporisation_kj_mol is not None:
        require_range("vaporisation_kj_mol", given.vaporisation_kj_mol, 5, high=100, unit="kJ/mol")
        heat = given.vaporisation_kj_mol
    else:
        require(
            given.class_ is not None,
            "class",
            None,
            allowed="an agent class, or vaporisation_kj_mol",
        )
        require(
            given.class_ in VAPORISATION_KJ_MOL,
            "class",
            given.class_,
            allowed=", ".join(VAPORISATION_KJ_MOL),
        )
        heat = VAPORISATION_KJ_MOL[given.class_ or ""]
    factor = math.exp(
        heat * 1e3 / GAS_CONSTANT * (1 / (given.temperature_c + KELVIN) - 1 / REFERENCE_K)
    )
    if given.class_ in WATER_BASED:
        humidity = 0.5 if given.relative_humidity is None else given.relative_humidity
        require_range("relative_humidity", humidity, 0, high=0.98, unit="(a share)")
        factor /= (1 - humidity) / 0.5
    elif given.relative_humidity is not None:
        require_range("relative_humidity", given.relative_humidity, 0, high=0.98, unit="(a share)")
    held = factor < 1
    minutes = given.base_minutes * max(1.0, factor)
    if held:
        sentence = f"{minutes:.0f} min: the warm bay would allow less, the label's time stands."
        verdict = "label_time"
    else:
        sentence = (
            f"{minutes:.0f} min: {given.base_minutes:g} min by label, {factor:.2f} times at"
            f" {given.temperature_c:g} °C."
        )
        verdict = "longer_than_label" if factor > 1.005 else "label_time"
    return DryingTimeResult(
        minutes=minutes, factor=factor, held_at_base=held, verdict=verdict, sentence=sentence
    )


CALCULATION = Calculation(
    name="drying-time",
    title="Drying time",
    question="How long must it stand in this bay's air?",
    takes=DryingTimeInput,
    run=drying_time,
    place=7,
)
