"""The gap round a nearly closed throttle plate, and what a deposit does to it: `idle-gap`."""

from dataclasses import dataclass, field
from typing import Any, ClassVar

import numpy as np

from galene.core.calculations.declaring import Calculation, asked, check_ranges
from galene.core.calculations.strict import STRICT
from galene.core.errors import require, require_range
from galene.core.flow import orifice_area_mm2

QUARTER = np.linspace(0.0, np.pi / 2, 2049)
COS2, SIN2 = np.cos(QUARTER) ** 2, np.sin(QUARTER) ** 2


@dataclass(frozen=True, kw_only=True)
class IdleGapInput:
    """Throttle, idle air and deposit; `deposit_mm` is bore and plate edge together."""

    bore_mm: float = field(
        metadata=asked(
            label="Throttle bore", quantity="length", start="52", low=15, high=150, unit="mm"
        )
    )
    closed_angle_deg: float = field(
        metadata=asked(
            label="Plate angle when closed", quantity="angle", start="6", low=0, high=30, unit="deg"
        )
    )
    idle_air_g_s: float = field(
        metadata=asked(
            label="Air at idle", quantity="airflow", start="2.6", low=0.05, high=60, unit="g/s"
        )
    )
    intake_kpa: float = field(
        metadata=asked(
            label="Pressure before the plate",
            quantity="pressure",
            start="100.2",
            low=40,
            high=120,
            unit="kPa",
        )
    )
    intake_c: float = field(
        metadata=asked(
            label="Intake air",
            quantity="temperature",
            start="24",
            measured=True,
            low=-40,
            high=100,
            unit="degC",
        )
    )
    manifold_kpa: float = field(
        metadata=asked(label="Pressure behind the plate", quantity="pressure", start="33")
    )
    discharge_coefficient: float = field(
        default=0.82,
        metadata=asked(
            label="Discharge coefficient",
            start="0.82",
            hint="0.82 for a sharp plate edge",
            low=0.3,
            high=1,
        ),
    )
    deposit_mm: float = field(
        default=0.0,
        metadata=asked(label="Deposit, bore and edge together", quantity="length", start="0.04"),
    )
    deposit_tolerance_mm: float = field(
        default=0.0, metadata=asked(label="How sure, ±", quantity="length", start="0.01")
    )
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True, kw_only=True)
class IdleGapResult:
    """Angles in degrees from square across the bore; the offset is what the control unit has
    learned to add."""

    area_needed_mm2: float
    mean_gap_um: float
    angle_clean_deg: float
    angle_fouled_deg: float
    learned_offset_deg: float
    learned_offset_low_deg: float
    learned_offset_high_deg: float
    airflow_ratio_without_relearn: float
    verdict: str
    sentence: str


def plate_open_area_mm2(
    bore_mm: float, closed_angle_deg: float, angle_deg: float, *, deposit_mm: float = 0.0
) -> float:
    """Open area in mm2 between plate and bore seen along the flow.

    The plate is the ellipse that closes the clean bore at `closed_angle_deg`; at `angle_deg` its
    projection has half axes (D/2) cos a / cos a0 and D/2. The deposit narrows the bore evenly by
    `deposit_mm`. Trapezoid over a quarter turn in 2048 steps, error below 1e-4 of the area at idle
    angles.

    Parameters
    ----------
    bore_mm : throttle bore, mm
    closed_angle_deg : the plate's angle when closed, degrees from square across the bore
    angle_deg : the plate's angle, degrees from square across the bore
    deposit_mm : deposit of bore and edge together, mm
    """
    radius = bore_mm / 2
    short = radius * np.cos(np.radians(angle_deg)) / np.cos(np.radians(closed_angle_deg))
    edge_squared = (short * radius) ** 2 / (radius**2 * COS2 + short**2 * SIN2)
    gap = np.maximum(0.0, (radius - deposit_mm) ** 2 - edge_squared)
    return float(2.0 * np.trapezoid(gap, QUARTER))


def _angle_for_area(given: IdleGapInput, area_mm2: float, deposit_mm: float) -> float:
    """Plate angle whose open area is `area_mm2`: bisection, as the area only grows with the
    angle."""
    low, high = given.closed_angle_deg, 89.9
    widest = plate_open_area_mm2(given.bore_mm, given.closed_angle_deg, high, deposit_mm=deposit_mm)
    require(
        area_mm2 <= widest,
        "idle_air_g_s",
        given.idle_air_g_s,
        allowed=f"an airflow whose area ({area_mm2:.0f} mm2) the bore can open ({widest:.0f} mm2)",
    )
    for _ in range(48):
        middle = (low + high) / 2
        if (
            plate_open_area_mm2(
                given.bore_mm, given.closed_angle_deg, middle, deposit_mm=deposit_mm
            )
            < area_mm2
        ):
            low = middle
        else:
            high = middle
    return (low + high) / 2


def idle_gap(given: IdleGapInput) -> IdleGapResult:
    """The plate angle that idles the engine clean and fouled, and the airflow if the plate is
    cleaned but not relearned.

    Parameters
    ----------
    given.bore_mm : float, 15 to 150 mm
    given.closed_angle_deg : float, 0 to 30 degrees
    given.idle_air_g_s : float, 0.05 to 60 g/s
    given.intake_kpa, given.manifold_kpa : float, kPa absolute, manifold below intake
    given.intake_c : float, -40 to 100 degrees C
    given.discharge_coefficient : float, 0.3 to 1
    given.deposit_mm : float, 0 to a tenth of the bore
    given.deposit_tolerance_mm : float, 0 or more; carried into the offset's low and high

    Raises
    ------
    InputError
        A figure out of range, a pressure ratio of 1 or more, or more air than the bore passes.

    Notes
    -----
    Orifice flow (Heywood, app. C) gives the area, plane geometry the angle.

    Examples
    --------
    >>> r = idle_gap(
    ...     IdleGapInput(
    ...         bore_mm=58,
    ...         closed_angle_deg=6,
    ...         idle_air_g_s=2.6,
    ...         intake_kpa=100.2,
    ...         intake_c=24,
    ...         manifold_kpa=33,
    ...         discharge_coefficient=0.82,
    ...         deposit_mm=0.04,
    ...     )
    ... )
    >>> round(r.area_needed_mm2, 3), round(r.learned_offset_deg, 3)
    (13.497, 0.84)
    >>> round(r.airflow_ratio_without_relearn, 3)
    1.439
    """
    check_ranges(given)
    require(
        5 <= given.manifold_kpa < given.intake_kpa,
        "manifold_kpa",
        given.manifold_kpa,
        allowed=f"5 to under the intake's {given.intake_kpa:g} kPa, as air must flow inward",
    )
    require_range("deposit_mm", given.deposit_mm, 0, high=given.bore_mm / 10, unit="mm")
    require_range(
        "deposit_tolerance_mm", given.deposit_tolerance_mm, 0, high=given.bore_mm / 10, unit="mm"
    )
    area = orifice_area_mm2(
        given.idle_air_g_s,
        given.intake_kpa,
        given.manifold_kpa,
        up_c=given.intake_c,
        discharge_coefficient=given.discharge_coefficient,
    )
    clean = _angle_for_area(given, area, 0.0)
    fouled = _angle_for_area(given, area, given.deposit_mm)
    if given.deposit_tolerance_mm:
        thin = max(0.0, given.deposit_mm - given.deposit_tolerance_mm)
        low = _angle_for_area(given, area, thin) - clean
        high = _angle_for_area(given, area, given.deposit_mm + given.deposit_tolerance_mm) - clean
    else:
        low = high = fouled - clean
    ratio = plate_open_area_mm2(given.bore_mm, given.closed_angle_deg, fouled) / area
    offset = fouled - clean
    if ratio >= 1.2:
        verdict = "relearn_needed"
        sentence = (
            f"The control unit has learned {offset:.2f} deg to get past the deposit. Cleaned and"
            f" not relearned, the engine gets {ratio:.2f} times its idle air: high idle until it"
            " learns again."
        )
    elif ratio > 1.02:
        verdict = "relearn_advised"
        sentence = (
            f"A small offset of {offset:.2f} deg: idle may stand a little high until it has learned"
            " again."
        )
    else:
        verdict = "nothing_to_learn"
        sentence = "No deposit worth an offset: the plate idles where it did when clean."
    return IdleGapResult(
        area_needed_mm2=area,
        mean_gap_um=area / (np.pi * given.bore_mm) * 1000,
        angle_clean_deg=clean,
        angle_fouled_deg=fouled,
        learned_offset_deg=offset,
        learned_offset_low_deg=low,
        learned_offset_high_deg=high,
        airflow_ratio_without_relearn=ratio,
        verdict=verdict,
        sentence=sentence,
    )


CALCULATION = Calculation(
    name="idle-gap",
    title="Idle gap",
    question="What has the control unit learned to get past the deposit?",
    takes=IdleGapInput,
    run=idle_gap,
    place=5,
)
