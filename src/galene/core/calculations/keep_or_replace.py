"""Whether to clean a part once more or to fit a new one: `keep-or-replace`."""

import math
from dataclasses import dataclass, field
from typing import Any, ClassVar

from galene.core.calculations.declaring import Calculation, asked, check_ranges
from galene.core.calculations.strict import STRICT
from galene.core.errors import require
from galene.core.statistics import beta_quantile

PRIOR_HELD, PRIOR_RETURNED = 4.0, 1.0
"""What is assumed before own cleanings: four in five hold (this project's default)."""


@dataclass(frozen=True, kw_only=True)
class KeepInput:
    """Own returns of cleanings, what either costs, and over how far it is weighed."""

    cleanings: int = field(
        metadata=asked(label="Cleanings of such parts", low=0, high=100_000, start="18")
    )
    returns: int = field(
        metadata=asked(label="Of them back before they were due", low=0, high=100_000, start="3")
    )
    clean_cost: float = field(
        metadata=asked(label="A cleaning costs", low=0, high=1e6, start="120")
    )
    replace_cost: float = field(
        metadata=asked(label="A new part, fitted, costs", low=0, high=1e6, start="430")
    )
    return_cost: float = field(
        default=0.0,
        metadata=asked(label="A return costs besides", low=0, high=1e6, start="60"),
    )
    clean_holds_km: float = field(
        metadata=asked(label="A cleaning holds, km", low=100, high=1e6, start="45000", unit="km")
    )
    new_holds_km: float = field(
        metadata=asked(label="A new part holds, km", low=100, high=5e6, start="120000", unit="km")
    )
    horizon_km: float = field(
        default=100_000.0,
        metadata=asked(label="Weighed over, km", low=1000, high=1e6, start="100000", unit="km"),
    )
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True, kw_only=True)
class KeepResult:
    """Chance that a cleaning holds with its 80 % interval, and the cost of both ways over the
    horizon with what that interval makes of it."""

    holds: float
    holds_low: float
    holds_high: float
    clean_total: float
    clean_total_low: float
    clean_total_high: float
    replace_total: float
    verdict: str
    sentence: str


def bought(horizon_km: float, holds_km: float) -> int:
    """How often something that holds so far is paid for within a distance.

    >>> bought(100_000, 45_000), bought(90_000, 45_000), bought(1_000, 45_000)
    (3, 2, 1)
    """
    return max(1, math.ceil(horizon_km / holds_km - 1e-9))


def keep_or_replace(given: KeepInput) -> KeepResult:
    """Weigh cleaning against replacing.

    Raises
    ------
    InputError
        A figure out of its range, more returns than cleanings.

    Notes
    -----
    The chance that a cleaning holds is beta distributed, own returns over four that hold and one
    that does not. A cleaning that does not hold is done once more, and only once, and costs what a
    return costs besides. Both ways are bought whole: who drives 100 000 km on parts that hold
    45 000 pays three times.
    """
    check_ranges(given)
    require(
        given.returns <= given.cleanings,
        "returns",
        given.returns,
        allowed=f"up to the {given.cleanings} cleanings",
    )
    held = given.cleanings - given.returns + PRIOR_HELD
    back = given.returns + PRIOR_RETURNED
    chance = held / (held + back)
    low, high = (beta_quantile(held, back, q) for q in (0.1, 0.9))
    times = bought(given.horizon_km, given.clean_holds_km)

    def cleaned(share: float) -> float:
        again = (1 - share) * (given.clean_cost + given.return_cost)
        return times * (given.clean_cost + again)

    replaced = given.replace_cost * bought(given.horizon_km, given.new_holds_km)
    totals = cleaned(chance), cleaned(high), cleaned(low)
    if totals[2] < replaced:
        verdict = "clean"
    elif totals[1] > replaced:
        verdict = "replace"
    else:
        verdict = "either"
    words = {
        "clean": "Clean it: over this distance cleaning costs",
        "replace": "Fit a new one: over this distance cleaning costs",
        "either": "Either will do, as far as own work can tell: cleaning costs",
    }[verdict]
    sentence = (
        f"{words} {totals[0]:.0f} ({totals[1]:.0f} to {totals[2]:.0f}), replacing {replaced:.0f};"
        f" a cleaning holds with {chance:.0%}."
    )
    return KeepResult(
        holds=chance,
        holds_low=low,
        holds_high=high,
        clean_total=totals[0],
        clean_total_low=totals[1],
        clean_total_high=totals[2],
        replace_total=replaced,
        verdict=verdict,
        sentence=sentence,
    )


CALCULATION = Calculation(
    name="keep-or-replace",
    title="Keep or replace",
    question="Clean it once more, or fit a new one?",
    takes=KeepInput,
    run=keep_or_replace,
    place=22,
)
