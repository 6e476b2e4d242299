"""What to do first when several things may be wrong, and whether fuel use changed:
`repair-sequence`, `fuel-economy-change`."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any, ClassVar

from galene.core.calculations.declaring import Calculation, asked
from galene.core.calculations.repair_sequence import ENOUGH_L_100KM
from galene.core.calculations.strict import STRICT
from galene.core.errors import require, require_range
from galene.core.statistics import t_quantile


@dataclass(frozen=True)
class Fill:
    """A tank filled: litres, and the km driven since the fill before."""

    litres: float = field(metadata=asked(label="Litres", low=0.1, high=2000, unit="litres"))
    km: float = field(metadata=asked(label="Kilometres", low=1, high=10000, unit="km"))
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True)
class EconomyInput:
    """Fills before and after the work."""

    before: list[Fill] = field(
        metadata=asked(
            table="fills",
            rows=(
                ("before", "41.2", "505"),
                ("before", "39.8", "496"),
                ("before", "40.5", "488"),
                ("after", "36.9", "512"),
                ("after", "35.8", "490"),
                ("after", "36.4", "503"),
            ),
        )
    )
    after: list[Fill] = field(metadata=asked(table="fills"))
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True, kw_only=True)
class EconomyResult:
    """l/100 km before and after with 95 % intervals (None from a single fill)."""

    before_l_100km: float
    before_low: float | None
    before_high: float | None
    after_l_100km: float
    after_low: float | None
    after_high: float | None
    change_percent: float
    verdict: str
    sentence: str


def ratio_of(legs: Sequence[tuple[float, float]]) -> tuple[float, float | None]:
    """Total over total, and the half width of its 95 % interval, None from a single leg (ratio
    estimator, Cochran, *Sampling Techniques*, 2.11).

    Parameters
    ----------
    legs : litres and distance (km or hours) of each, at least one
    """
    distance = sum(d for _, d in legs)
    ratio = sum(x for x, _ in legs) / distance
    n = len(legs)
    if n < 2:
        return ratio, None
    spread = sum((x - ratio * d) ** 2 for x, d in legs) / (n - 1)
    return ratio, t_quantile(n - 1) * math.sqrt(n * spread) / distance


def _use(fills: Sequence[Fill]) -> tuple[float, float | None]:
    """l/100 km with its half width."""
    ratio, half = ratio_of([(f.litres, f.km) for f in fills])
    return 100 * ratio, None if half is None else 100 * half


def fuel_economy_change(given: EconomyInput) -> EconomyResult:
    """Did the fuel use change?

    Raises
    ------
    InputError
        No fill on a side, litres or km that can not be.

    Notes
    -----
    Total fuel over total distance, never the mean of ratios: a short fill would weigh as much as a
    long one.
    """
    for side in ("before", "after"):
        fills: list[Fill] = getattr(given, side)
        require(bool(fills), side, [], allowed="at least one fill")
        for i, fill in enumerate(fills):
            require_range(f"{side}[{i}].litres", fill.litres, 0.1, high=2000, unit="litres")
            require_range(f"{side}[{i}].km", fill.km, 1, high=10_000, unit="km")
    (old, old_half), (new, new_half) = _use(given.before), _use(given.after)
    change = 100 * (new - old) / old
    if old_half is None or new_half is None:
        verdict = "not_enough"
        sentence = (
            f"{old:.2f} to {new:.2f} l/100 km. With a single fill on a side nobody knows how sure"
            " that is: two each at least."
        )
    else:
        clear = (
            abs(new - old) > math.hypot(old_half, new_half)
            and abs(new - old) > ENOUGH_L_100KM * old
        )
        verdict = "unchanged" if not clear else "improved" if new < old else "worse"
        words = {
            "improved": "less than before",
            "worse": "more than before",
            "unchanged": "no change beyond the scatter of the fills",
        }[verdict]
        sentence = f"{old:.2f} to {new:.2f} l/100 km: {words}."

    def ends(value: float, half: float | None) -> tuple[float | None, float | None]:
        return (None, None) if half is None else (value - half, value + half)

    old_low, old_high = ends(old, old_half)
    new_low, new_high = ends(new, new_half)
    return EconomyResult(
        before_l_100km=old,
        before_low=old_low,
        before_high=old_high,
        after_l_100km=new,
        after_low=new_low,
        after_high=new_high,
        change_percent=change,
        verdict=verdict,
        sentence=sentence,
    )


CALCULATION = Calculation(
    name="fuel-economy-change",
    title="Fuel economy",
    question="Did the fuel use change?",
    takes=EconomyInput,
    run=fuel_economy_change,
    place=18,
)
