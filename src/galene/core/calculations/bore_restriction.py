"""A bore with its deposit, measured round the clock: `bore-restriction`."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any, ClassVar

from galene.core.calculations.declaring import Calculation, asked, check_ranges
from galene.core.errors import require, require_range

GRADE_AT_PERCENT: tuple[float, ...] = (99.0, 97.0, 93.0, 80.0)
"""Open area, in percent of the clean bore, at and above which the deposit is grade 0, 1, 2, 3;
below the last, 4. Project default: a film of 0.3 mm in a 40 mm bore leaves 97 %, a layer whose
edges round off takes a tenth of the area."""
WORDS = ("clear", "clear", "narrowed", "restricted", "nearly_closed")


@dataclass(frozen=True)
class BoreInput:
    """A bore (mm) and its deposit's thickness (mm) at equally spaced points, clockwise from 12 as
    seen along the flow."""

    bore_mm: float = field(
        metadata=asked(label="Bore", quantity="length", start="52", low=2, high=400, unit="mm")
    )
    thickness_mm: list[float] = field(
        metadata=asked(
            label="Thickness round the clock, mm", start="0.4 0.6 1.1 1.6 1.9 1.2 0.7 0.5"
        )
    )
    tolerance_mm: float = 0.0
    __pydantic_config__: ClassVar[dict[str, Any]] = {"extra": "forbid"}


@dataclass(frozen=True, kw_only=True)
class BoreResult:
    """Areas in mm2; `pressure_loss_ratio` is the loss against the clean bore's at equal flow;
    `grade` 0 to 4."""

    open_area_mm2: float
    open_area_percent: float
    open_area_percent_low: float
    open_area_percent_high: float
    equivalent_diameter_mm: float
    pressure_loss_ratio: float
    grade: int
    verdict: str
    sentence: str


def open_area_mm2(bore_mm: float, thickness_mm: Sequence[float]) -> float:
    """Open area in mm2, thickness linear in angle between the points.

    A = 1/2 sum dphi/3 (u1^2 + u1 u2 + u2^2) with u = D/2 - t, the exact integral of u^2/2 over each
    sector.

    >>> round(open_area_mm2(50, [5, 5, 5, 5]), 1)
    1256.6

    Parameters
    ----------
    bore_mm : clean diameter, mm, above 0
    thickness_mm : deposit at points equally spaced round the clock, mm, three or more
    """
    open_radius = [bore_mm / 2 - t for t in thickness_mm]
    step = 2 * math.pi / len(open_radius)
    pairs = zip(open_radius, [*open_radius[1:], open_radius[0]], strict=True)
    return 0.5 * step / 3 * sum(a * a + a * b + b * b for a, b in pairs)


def grade_of(open_percent: float) -> int:
    """Deposit grade that an open area (percent of the clean bore) stands for.

    Parameters
    ----------
    open_percent : open area against the clean bore's, 0 to 100 %
    """
    return next((grade for grade, least in enumerate(GRADE_AT_PERCENT) if open_percent >= least), 4)


def bore_restriction(given: BoreInput) -> BoreResult:
    """Open area and loss of a fouled bore.

    Parameters
    ----------
    given : BoreInput
        `bore_mm` 2 to 400; 4 to 72 thicknesses from 0 to below the radius; `tolerance_mm` is how
        sure each thickness is and widens the open area to its low and high.

    Raises
    ------
    InputError
        Naming the point whose thickness can not be.

    Notes
    -----
    Loss of a turbulent flow through a short narrowing goes with the square of its speed, so at
    equal flow with (A0/A)^2 (Idelchik, *Handbook of Hydraulic Resistance*, section 1). The grade's
    limits are `GRADE_AT_PERCENT`.
    """
    check_ranges(given)
    require(
        4 <= len(given.thickness_mm) <= 72,
        "thickness_mm",
        len(given.thickness_mm),
        allowed="4 to 72 points round the bore",
    )
    radius = given.bore_mm / 2
    for i, thickness in enumerate(given.thickness_mm):
        require(
            0 <= thickness < radius,
            f"thickness_mm[{i}]",
            thickness,
            allowed=f"0 to below the radius, {radius:g} mm",
        )
    require_range("tolerance_mm", given.tolerance_mm, 0, high=radius, unit="mm")
    clean = math.pi * radius**2
    area = open_area_mm2(given.bore_mm, given.thickness_mm)

    def shifted(by: float) -> float:
        moved = [min(radius, max(0.0, t + by)) for t in given.thickness_mm]
        return 100 * open_area_mm2(given.bore_mm, moved) / clean

    percent = 100 * area / clean
    grade = grade_of(percent)
    loss = (clean / area) ** 2
    sentence = (
        f"{percent:.0f} % of the bore is open: the same air loses {loss:.1f} times the pressure of"
        " the clean bore."
        if grade >= 2
        else f"{percent:.1f} % of the bore is open: the deposit hardly slows the air."
    )
    return BoreResult(
        open_area_mm2=area,
        open_area_percent=percent,
        open_area_percent_low=shifted(given.tolerance_mm),
        open_area_percent_high=shifted(-given.tolerance_mm),
        equivalent_diameter_mm=2 * math.sqrt(area / math.pi),
        pressure_loss_ratio=loss,
        grade=grade,
        verdict=WORDS[grade],
        sentence=sentence,
    )


CALCULATION = Calculation(
    name="bore-restriction",
    title="Bore gauge",
    question="How much of the bore is still open?",
    takes=BoreInput,
    run=bore_restriction,
    place=6,
)
