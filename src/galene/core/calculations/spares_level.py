"""How many of a spare to keep: `spares-level`."""

import math
from dataclasses import dataclass, field
from typing import Any, ClassVar

from galene.core.calculations.declaring import Calculation, asked, check_ranges
from galene.core.calculations.strict import STRICT
from galene.core.errors import require

MOST = 200
CARRYING_SHARE = 0.2
"""What a piece on the shelf costs a year, as a share of its price: money, room, what goes stale
(a common planning figure; this project's default)."""


@dataclass(frozen=True, kw_only=True)
class SparesInput:
    """How often a part is used, how long it takes to come, what it costs to have it and to lack
    it."""

    use_per_year: float = field(metadata=asked(label="Used a year", low=0, high=5000, start="9"))
    lead_days: float = field(
        metadata=asked(label="Days until it comes", low=0, high=730, start="12")
    )
    off_road_cost_per_day: float = field(
        metadata=asked(label="A day off the road costs", low=0, high=1e6, start="180")
    )
    price: float = field(metadata=asked(label="Price of a piece", low=0, high=1e6, start="64"))
    carrying_share: float = field(
        default=CARRYING_SHARE,
        metadata=asked(label="Of it a year to keep it", low=0, high=2, start="0.2"),
    )
    stock: int | None = field(
        default=None, metadata=asked(label="On the shelf and ordered", low=0, high=100_000)
    )
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True, kw_only=True)
class LevelCost:
    """One level: the chance to be out when one is needed, and what it costs a year."""

    level: int
    risk_out: float
    cost_per_year: float


@dataclass(frozen=True, kw_only=True)
class SparesResult:
    """The cheapest level, its risk, the levels about it, and what to order now."""

    level: int
    risk_out: float
    cost_per_year: float
    levels: list[LevelCost]
    order: int
    verdict: str
    sentence: str


def poisson_at_least(mean: float, least: int) -> float:
    """Chance of `least` or more of a Poisson count.

    >>> round(poisson_at_least(1.0, 1), 4), poisson_at_least(2.0, 0)
    (0.6321, 1.0)
    """
    term, below = math.exp(-mean), 0.0
    for k in range(least):
        below += term
        term *= mean / (k + 1)
    return max(0.0, 1.0 - below)


def backorders(mean: float, level: int) -> float:
    """How many wait on average, where what is on order is a Poisson count and so many are kept: the
    sum of (k - level) P(k) over what is beyond the level.

    >>> round(365 * backorders(12 * 60 / 365, 1))
    406
    """
    term, short = math.exp(-mean), mean - level
    for k in range(level):
        short += (level - k) * term
        term *= mean / (k + 1)
    return max(0.0, short)


def spares_level(given: SparesInput) -> SparesResult:
    """The level of a spare that costs least.

    Raises
    ------
    InputError
        A figure out of its range.

    Notes
    -----
    Uses come by a Poisson process; each is ordered again at once (base stock, Palm's theorem: what
    is on order is Poisson with the use in the lead time, Feeney and Sherbrooke, 1966). With level S
    one is out when S or more are on order; vehicles wait, over a year, 365 days for each that waits
    on average (Little's law). A year costs the pieces' keeping and those days.
    """
    check_ranges(given)
    in_lead = given.use_per_year * given.lead_days / 365.0
    levels: list[LevelCost] = []
    for level in range(MOST + 1):
        risk = poisson_at_least(in_lead, level)
        days = 365.0 * backorders(in_lead, level)
        keeping = level * given.price * given.carrying_share
        cost = keeping + days * given.off_road_cost_per_day
        levels.append(LevelCost(level=level, risk_out=risk, cost_per_year=cost))
        if keeping > min(x.cost_per_year for x in levels):
            break
        if given.price * given.carrying_share == 0 and risk < 1e-4:
            break
    require(
        levels[-1].level < MOST,
        "use_per_year",
        given.use_per_year,
        allowed=f"a use and days of waiting that fewer than {MOST} pieces cover",
    )
    best = min(levels, key=lambda x: (round(x.cost_per_year, 6), x.level))
    order = 0 if given.stock is None else max(0, best.level - given.stock)
    if given.stock is None:
        verdict = "keep" if best.level else "order_when_needed"
    else:
        verdict = "order_now" if order else "enough"
    sentence = (
        f"Keep {best.level}: one in need of it finds none with {best.risk_out * 100:.2g} %, and it"
        f" costs {best.cost_per_year:.0f} a year."
        if best.level
        else f"Keep none: order it when it is needed, which costs {best.cost_per_year:.0f} a year."
    )
    if order:
        sentence += f" Order {order} now."
    near = [x for x in levels if abs(x.level - best.level) <= 3]
    return SparesResult(
        level=best.level,
        risk_out=best.risk_out,
        cost_per_year=best.cost_per_year,
        levels=near,
        order=order,
        verdict=verdict,
        sentence=sentence,
    )


CALCULATION = Calculation(
    name="spares-level",
    title="Spares to keep",
    question="How many of a part are worth keeping?",
    takes=SparesInput,
    run=spares_level,
    place=23,
)
