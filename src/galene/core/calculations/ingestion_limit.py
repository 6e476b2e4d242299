"""Liquid into a running engine and media onto valves: `ingestion-limit`, `blast-positions`."""

from dataclasses import dataclass, field
from typing import Any, ClassVar

from galene.core.calculations.declaring import Calculation, asked, check_ranges
from galene.core.calculations.strict import STRICT
from galene.core.errors import require

WARN_SHARE, REFUSE_SHARE = 0.10, 0.30
"""Share of one cylinder's clearance volume that a burst may fill before it is warned of, before it
is refused."""
LEAST_PAUSE_S, PAUSE_PER_BURST = 10.0, 3.0
"""Pause on a diesel, in which its idle comes back: seconds at least, and in bursts (project
default)."""


def clearance_ml(displacement_l: float, cylinders: int, compression_ratio: float) -> float:
    """One cylinder's clearance volume V / (n (cr - 1)) in ml: what liquid must never come near, as
    it does not compress.

    Parameters
    ----------
    displacement_l : of the whole engine, litres
    cylinders : how many
    compression_ratio : 4 to 30
    """
    return displacement_l * 1000 / (cylinders * (compression_ratio - 1))


@dataclass(frozen=True, kw_only=True)
class IngestionInput:
    """Air and can flow in g/s; `trim_authority` is the share of fuel that the mixture control can
    take back."""

    airflow_g_s: float = field(
        metadata=asked(
            label="Air at the held speed",
            quantity="airflow",
            start="9.0",
            low=0.2,
            high=1000,
            unit="g/s",
        )
    )
    can_rate_g_s: float = field(
        metadata=asked(
            label="The can gives",
            start="1.8",
            hint="g/s: weigh it before and after ten seconds",
            low=0.01,
            high=100,
            unit="g/s",
        )
    )
    burst_s: float = field(
        metadata=asked(label="A burst lasts", start="1", hint="s", low=0.1, high=60, unit="s")
    )
    displacement_l: float = field(
        metadata=asked(
            label="Engine size", start="2.0", hint="litres", low=0.02, high=80, unit="litres"
        )
    )
    cylinders: int = field(metadata=asked(label="Cylinders", start="4", low=1, high=24))
    compression_ratio: float = field(
        metadata=asked(label="Compression ratio", start="10.5", low=4, high=30)
    )
    stoichiometric_ratio: float = field(default=14.2, metadata=asked(low=5, high=20))
    trim_authority: float = field(default=0.25, metadata=asked(low=0.01, high=0.6))
    density_g_ml: float = field(default=0.74, metadata=asked(low=0.4, high=1.8, unit="g/ml"))
    can_g: float | None = field(
        default=None, metadata=asked(label="The can holds", hint="g", low=1, high=20000, unit="g")
    )
    fuel: str = "petrol"
    water_based: bool = False
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True, kw_only=True)
class IngestionResult:
    """How fast, with which pauses, and how near one burst comes to a hydraulic lock."""

    sustained_g_s: float
    pause_s: float
    minutes_for_can: float | None
    burst_ml: float
    clearance_ml: float
    clearance_share: float
    verdict: str
    sentence: str


def ingestion_limit(given: IngestionInput) -> IngestionResult:
    """Bursts and pauses so that the mixture control keeps up and no cylinder fills.

    Raises
    ------
    InputError
        Figures outside of what engines and cans have.

    Notes
    -----
    Liquid that the control can take back on average = authority * air / stoichiometric ratio; the
    pause makes the average hold. A diesel has no such control: there the limit is the share of a
    clearance, and pauses in which the idle comes back, at least ten seconds and three times the
    burst (project default). One cylinder's clearance volume is V / (n (cr - 1)); all of a burst may
    end in one cylinder.
    """
    check_ranges(given)
    require(given.fuel in ("petrol", "diesel"), "fuel", given.fuel, allowed="petrol or diesel")
    require(
        given.fuel == "petrol" or given.water_based,
        "fuel",
        given.fuel,
        allowed=(
            "petrol: a diesel has no mixture control that takes anything back, and runs away on"
            " what burns; only a water-based agent is fed to it"
        ),
    )
    if given.fuel == "diesel":
        rest = max(LEAST_PAUSE_S, PAUSE_PER_BURST * given.burst_s)
        sustained = given.can_rate_g_s * given.burst_s / (given.burst_s + rest)
    else:
        sustained = given.trim_authority * given.airflow_g_s / given.stoichiometric_ratio
    pause = max(0.0, given.burst_s * (given.can_rate_g_s / sustained - 1))
    burst_ml = given.can_rate_g_s * given.burst_s / given.density_g_ml
    clearance = clearance_ml(given.displacement_l, given.cylinders, given.compression_ratio)
    share = burst_ml / clearance
    minutes = None if given.can_g is None else given.can_g / sustained / 60
    if share > REFUSE_SHARE:
        verdict, sentence = (
            "refuse",
            (
                f"One burst is {share:.0%} of a cylinder's clearance volume: it can lock and bend a"
                " rod. Shorter bursts."
            ),
        )
    elif share > WARN_SHARE:
        verdict, sentence = (
            "warn",
            (
                f"One burst is {share:.0%} of a cylinder's clearance volume: keep it shorter,"
                f" {pause:.0f} s between bursts."
            ),
        )
    else:
        verdict, sentence = "ok", f"Bursts of {given.burst_s:g} s, {pause:.0f} s between them."
    return IngestionResult(
        sustained_g_s=sustained,
        pause_s=pause,
        minutes_for_can=minutes,
        burst_ml=burst_ml,
        clearance_ml=clearance,
        clearance_share=share,
        verdict=verdict,
        sentence=sentence,
    )


CALCULATION = Calculation(
    name="ingestion-limit",
    title="Ingestion limit",
    question="How much may a running engine swallow, in which bursts?",
    takes=IngestionInput,
    run=ingestion_limit,
    place=12,
)
