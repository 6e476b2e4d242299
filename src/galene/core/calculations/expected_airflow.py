"""What the air meter should read, and what the fuel trims say about it: `expected-airflow`,
`trim-split`."""

import math
from dataclasses import dataclass, field
from typing import Any, ClassVar

from galene.core.calculations.declaring import Calculation, asked, check_ranges
from galene.core.calculations.strict import STRICT
from galene.core.errors import require
from galene.core.flow import charge_flow_g_s

METER_SIGMA = 0.03
"""Relative standard deviation of a healthy hot-film meter with its plumbing (project default)."""


@dataclass(frozen=True, kw_only=True)
class ExpectedAirflowInput:
    """Engine, state and, where there is one, the meter's reading."""

    displacement_l: float = field(
        metadata=asked(label="Engine size", start="1.6", hint="litres", low=0.02, high=30, unit="l")
    )
    rpm: float = field(
        metadata=asked(
            label="Engine speed",
            start="740",
            hint="rpm",
            measured=True,
            low=50,
            high=20000,
            unit="1/min",
        )
    )
    map_kpa: float = field(
        metadata=asked(
            label="Manifold pressure",
            quantity="pressure",
            start="33",
            measured=True,
            low=5,
            high=600,
            unit="kPa",
        )
    )
    intake_c: float = field(
        metadata=asked(
            label="Air at the ports",
            quantity="temperature",
            start="38",
            measured=True,
            low=-40,
            high=200,
            unit="degC",
        )
    )
    volumetric_efficiency: float = field(
        metadata=asked(
            label="Volumetric efficiency", start="0.75", hint="a share", low=0.1, high=1.5
        )
    )
    strokes: int = field(
        default=4,
        metadata=asked(
            label="Strokes", start="4", choices=(("4", "four-stroke"), ("2", "two-stroke"))
        ),
    )
    measured_g_s: float | None = field(
        default=None,
        metadata=asked(
            label="Meter shows",
            quantity="airflow",
            start="2.6",
            measured=True,
            low=0,
            high=3000,
            unit="g/s",
        ),
    )
    volumetric_efficiency_tolerance: float = field(default=0.05, metadata=asked(low=0, high=0.3))
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True, kw_only=True)
class ExpectedAirflowResult:
    """`ratio` is measured over expected; `verdict` is agree, reads_low, reads_high or
    no_measurement."""

    expected_g_s: float
    expected_low_g_s: float
    expected_high_g_s: float
    ratio: float | None
    verdict: str
    sentence: str


def expected_airflow(given: ExpectedAirflowInput) -> ExpectedAirflowResult:
    """Air that the engine takes in by speed and density, against the meter.

    Parameters
    ----------
    given.displacement_l : float, litres, 0.02 to 30
    given.rpm : float, 1/min, 50 to 20000
    given.map_kpa : float, kPa absolute, 5 to 600
    given.intake_c : float, degrees C at the ports, -40 to 200
    given.volumetric_efficiency : float, 0.1 to 1.5
    given.strokes : int, 2 or 4
    given.measured_g_s : float, optional, 0 to 3000
    given.volumetric_efficiency_tolerance : float, relative standard deviation, 0 to 0.3

    Raises
    ------
    InputError
        A figure out of range.

    Notes
    -----
    m = VE p V N / (c 60 R T); `expected_low_g_s` and `_high_` are two standard deviations of the
    volumetric efficiency. The verdict needs a gap of two standard deviations of efficiency and
    meter together.

    Examples
    --------
    >>> given = ExpectedAirflowInput(
    ...     displacement_l=2.2, rpm=2500, map_kpa=100, intake_c=25, volumetric_efficiency=0.85
    ... )
    >>> round(expected_airflow(given).expected_g_s, 2)
    45.52
    """
    check_ranges(given)
    require(given.strokes in (2, 4), "strokes", given.strokes, allowed="2 or 4")
    expected = charge_flow_g_s(
        given.displacement_l,
        given.rpm,
        given.map_kpa,
        charge_c=given.intake_c,
        volumetric_efficiency=given.volumetric_efficiency,
        strokes=given.strokes,
    )
    spread = 2 * given.volumetric_efficiency_tolerance
    low, high = expected * (1 - spread), expected * (1 + spread)
    if given.measured_g_s is None:
        return ExpectedAirflowResult(
            expected_g_s=expected,
            expected_low_g_s=low,
            expected_high_g_s=high,
            ratio=None,
            verdict="no_measurement",
            sentence=f"Expect {expected:.2f} g/s ({low:.2f} to {high:.2f}).",
        )
    ratio = given.measured_g_s / expected
    allowed = 2 * math.hypot(given.volumetric_efficiency_tolerance, METER_SIGMA)
    verdict = "agree" if abs(ratio - 1) <= allowed else ("reads_low" if ratio < 1 else "reads_high")
    tail = {
        "agree": "the meter and the engine agree.",
        "reads_low": "the meter reads low, or air enters behind it.",
        "reads_high": "the meter reads high, or less reaches the cylinders than it counts.",
    }[verdict]
    return ExpectedAirflowResult(
        expected_g_s=expected,
        expected_low_g_s=low,
        expected_high_g_s=high,
        ratio=ratio,
        verdict=verdict,
        sentence=(
            f"{given.measured_g_s:.2f} g/s measured against {expected:.2f} g/s expected"
            f" ({ratio:.0%}): {tail}"
        ),
    )


CALCULATION = Calculation(
    name="expected-airflow",
    title="Expected airflow",
    question="How much air should the meter count?",
    takes=ExpectedAirflowInput,
    run=expected_airflow,
    place=3,
)
