"""How much exhaust gas comes back: `egr-flow-test` by manifold pressure, `egr-flow-crosscheck` by
venturi against balance."""

import math
from dataclasses import dataclass, field
from typing import Any, ClassVar

from galene.core.calculations.declaring import Calculation, asked, check_ranges
from galene.core.calculations.strict import STRICT
from galene.core.errors import require
from galene.core.flow import KELVIN, R_AIR, charge_flow_g_s


@dataclass(frozen=True, kw_only=True)
class CrosscheckInput:
    """A steady load: speed-density and meter for the balance, differential pressure for the
    venturi. Tolerances are shares, one sigma."""

    rpm: float = field(
        metadata=asked(
            label="Engine speed",
            start="1200",
            hint="rpm",
            measured=True,
            low=100,
            high=8000,
            unit="rpm",
        )
    )
    map_kpa: float = field(
        metadata=asked(
            label="Manifold pressure",
            quantity="pressure",
            start="118",
            measured=True,
            low=10,
            high=600,
            unit="kPa",
        )
    )
    charge_c: float = field(
        metadata=asked(
            label="Charge",
            quantity="temperature",
            start="55",
            measured=True,
            low=-50,
            high=250,
            unit="degrees C",
        )
    )
    maf_g_s: float = field(
        metadata=asked(
            label="Meter shows",
            quantity="airflow",
            start="70",
            measured=True,
            low=0.1,
            high=3000,
            unit="g/s",
        )
    )
    dp_pa: float = field(
        metadata=asked(
            label="Differential pressure",
            quantity="pressure_drop",
            start="300",
            measured=True,
            low=0,
            high=100000,
            unit="Pa",
        )
    )
    gas_kpa: float = field(
        metadata=asked(
            label="Gas at the venturi",
            quantity="pressure",
            start="118",
            measured=True,
            low=10,
            high=800,
            unit="kPa",
        )
    )
    gas_c: float = field(
        metadata=asked(
            label="Gas",
            quantity="temperature",
            start="120",
            measured=True,
            low=-50,
            high=900,
            unit="degrees C",
        )
    )
    pipe_mm: float = field(
        metadata=asked(label="Pipe", quantity="length", start="50", low=3, high=300, unit="mm")
    )
    throat_mm: float = field(metadata=asked(label="Throat", quantity="length", start="28"))
    displacement_l: float = field(
        metadata=asked(
            label="Engine size", start="7.8", hint="litres", low=0.02, high=80, unit="litres"
        )
    )
    volumetric_efficiency: float = field(
        metadata=asked(
            label="Volumetric efficiency", start="0.88", hint="a share", low=0.05, high=1.5
        )
    )
    volumetric_efficiency_tolerance: float = field(default=0.05, metadata=asked(low=0, high=0.5))
    maf_tolerance: float = field(default=0.03, metadata=asked(low=0, high=0.5))
    throat_coefficient: float = field(default=0.98, metadata=asked(low=0.5, high=1))
    expected_g_s: float | None = field(
        default=None,
        metadata=asked(
            label="Due at this load",
            quantity="airflow",
            hint="from the family's own figures",
            measured=True,
        ),
    )
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True, kw_only=True)
class CrosscheckResult:
    """Recirculated mass two ways, g/s, and how sure the balance is (one sigma)."""

    balance_g_s: float
    balance_sigma_g_s: float
    dp_flow_g_s: float
    verdict: str
    sentence: str


def egr_flow_crosscheck(given: CrosscheckInput) -> CrosscheckResult:
    """Does the differential pressure sensor see the gas that must be there by balance?

    Raises
    ------
    InputError
        A throat as wide as its pipe, negative pressures, figures outside of what engines have.

    Notes
    -----
    Balance = speed-density minus meter; venturi m = C A2 sqrt(2 rho dp/(1 - beta^4)) (ISO 5167-4).
    A gap of two sigma decides, within one the two agree, between them nothing is said.
    """
    check_ranges(given)
    require(
        1 <= given.throat_mm < given.pipe_mm,
        "throat_mm",
        given.throat_mm,
        allowed=f"1 to below the pipe, {given.pipe_mm:g} mm",
    )
    pumped = charge_flow_g_s(
        given.displacement_l,
        given.rpm,
        given.map_kpa,
        charge_c=given.charge_c,
        volumetric_efficiency=given.volumetric_efficiency,
    )
    balance = pumped - given.maf_g_s
    sigma = math.hypot(
        pumped * given.volumetric_efficiency_tolerance, given.maf_g_s * given.maf_tolerance
    )
    density = given.gas_kpa * 1e3 / (R_AIR * (given.gas_c + KELVIN))
    throat = math.pi / 4 * (given.throat_mm * 1e-3) ** 2
    beta = given.throat_mm / given.pipe_mm
    seen = (
        given.throat_coefficient
        * throat
        * math.sqrt(2 * density * given.dp_pa / (1 - beta**4))
        * 1e3
    )
    verdict, sentence = _verdict(balance, seen, sigma, expected_g_s=given.expected_g_s)
    return CrosscheckResult(
        balance_g_s=balance,
        balance_sigma_g_s=sigma,
        dp_flow_g_s=seen,
        verdict=verdict,
        sentence=sentence,
    )


def _verdict(
    balance: float, seen: float, sigma: float, *, expected_g_s: float | None
) -> tuple[str, str]:
    """What the two flows, g/s, say together, and the sentence."""
    gap = balance - seen
    low = expected_g_s is not None and max(balance + sigma, seen) < 0.75 * expected_g_s
    if gap >= 2 * sigma:
        verdict, sentence = (
            "ports_blocked",
            (
                f"{balance:.1f} g/s must come by balance, the sensor sees {seen:.1f}: its ports are"
                " blocked."
            ),
        )
    elif gap <= -2 * sigma:
        verdict, sentence = (
            "sensor_high",
            (
                f"The sensor shows {seen:.1f} g/s where the balance leaves {balance:.1f}: it reads"
                " high, or one port only is open."
            ),
        )
    elif low:
        verdict, sentence = (
            "true_low_flow",
            (
                f"Both say little: {seen:.1f} and {balance:.1f} g/s where {expected_g_s:.1f}"
                " are due. Cooler or passage."
            ),
        )
    elif abs(gap) <= sigma:
        verdict, sentence = "agree", f"Sensor and balance agree: {seen:.1f} and {balance:.1f} g/s."
    else:
        verdict, sentence = (
            "inconclusive",
            (
                f"{seen:.1f} against {balance:.1f} g/s: the gap is within what the figures can be"
                " off. Test at a larger flow."
            ),
        )
    return verdict, sentence


CALCULATION = Calculation(
    name="egr-flow-crosscheck",
    title="Differential pressure against balance",
    question="Does the differential sensor see the gas that must be there?",
    takes=CrosscheckInput,
    run=egr_flow_crosscheck,
    place=9,
)
