"""Ambient pressure, and whether the absolute sensors agree with it: `isa-pressure`,
`key-on-agreement`."""

from dataclasses import dataclass, field
from typing import Any, ClassVar

from galene.core.calculations.declaring import Calculation, asked, check_ranges
from galene.core.calculations.strict import STRICT
from galene.core.flow import standard_pressure_kpa


@dataclass(frozen=True)
class IsaPressureInput:
    """Height above sea level, m."""

    altitude_m: float = field(
        metadata=asked(
            label="Height above the sea",
            quantity="height",
            start="640",
            low=-430,
            high=11000,
            unit="m",
        )
    )
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True)
class IsaPressureResult:
    """Standard pressure in kPa and what it is good for."""

    pressure_kpa: float
    verdict: str
    sentence: str


def isa_pressure(given: IsaPressureInput) -> IsaPressureResult:
    """Pressure of the standard atmosphere.

    Parameters
    ----------
    given.altitude_m : float
        Height above sea level in m, -430 to 11000 (the troposphere).

    Raises
    ------
    InputError
        Outside the troposphere.

    Notes
    -----
    ISO 2533: 101.325 (1 - 2.25577e-5 h)^5.25588. Weather moves the real figure by up to 3 kPa.

    Examples
    --------
    >>> round(isa_pressure(IsaPressureInput(640)).pressure_kpa, 3)
    93.869
    """
    check_ranges(given)
    kpa = standard_pressure_kpa(given.altitude_m)
    return IsaPressureResult(
        kpa,
        "standard",
        f"Standard air at {given.altitude_m:.0f} m is {kpa:.1f} kPa; weather moves it by up to 3"
        " kPa.",
    )


CALCULATION = Calculation(
    name="isa-pressure",
    title="Standard air pressure",
    question="What should an absolute sensor read up here?",
    takes=IsaPressureInput,
    run=isa_pressure,
    place=1,
)
