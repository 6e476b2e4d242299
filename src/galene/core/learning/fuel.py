"""Fuel over distance out of the fills of a vehicle: from full tank to full tank, outliers marked,
by load, before and after a day's work.

Consumption is total fuel over total distance with the interval of a ratio estimator (Cochran,
*Sampling Techniques*, 2.11), as `fuel-economy-change` has it.
"""

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from statistics import median
from typing import Literal

from galene.core.calculations.fuel_economy_change import (
    EconomyInput,
    EconomyResult,
    Fill,
    fuel_economy_change,
    ratio_of,
)
from galene.core.errors import require, require_range

Load = Literal["", "light", "heavy"]
LOADS: tuple[Load, ...] = ("", "light", "heavy")
ODD_LEGS = 5
"""Legs of a load from which one can be told as odd."""
ODD_AT = 3.5
"""Scaled median deviations beyond which a leg is odd (Iglewicz and Hoaglin, *How to Detect and
Handle Outliers*, 1993)."""
LEAST_SPREAD = 0.03
"""Spread of the logarithm that pumps and drivers make anyway: closer ones are not called odd about
it (this project's judgement)."""
FLAT_LEGS = 3
"""Legs of either load that a comparison of loads asks for."""
FLAT_SHARE = 0.10
"""More fuel that a heavy load surely takes on a sound engine: less than a tenth is flat (this
project's judgement)."""


@dataclass(frozen=True, kw_only=True)
class TankFill:
    """A fill.

    Parameters
    ----------
    day : on any scale of days
    litres : filled
    reading : odometer in km, or engine hours
    full : whether the tank was full after it
    load : how the vehicle ran since the fill before, empty where nobody said
    """

    day: float
    litres: float
    reading: float
    full: bool = True
    load: Load = ""


@dataclass(frozen=True, kw_only=True)
class Leg:
    """From one full tank to the next: days, litres, km or hours; `odd`: so far off that it does not
    count."""

    began: float
    ended: float
    litres: float
    distance: float
    load: Load
    odd: bool = False

    @property
    def use(self) -> float:
        """Litres per km or hour."""
        return self.litres / self.distance


def legs_of(fills: Sequence[TankFill]) -> tuple[Leg, ...]:
    """The legs between full tanks, odd ones marked.

    Parameters
    ----------
    fills : in the order of their readings

    Raises
    ------
    InputError
        A reading that does not grow, litres that no tank takes.

    Notes
    -----
    What was filled without filling up belongs to the leg that the next full tank ends. A leg whose
    fills differ in load has none.
    """
    found: list[Leg] = []
    start: TankFill | None = None
    litres, loads = 0.0, set[Load]()
    for before, fill in zip((None, *fills), fills, strict=False):
        require_range("litres", fill.litres, 0.1, high=5000, unit="litres")
        require(
            before is None or fill.reading > before.reading,
            "reading",
            fill.reading,
            allowed="more than at the fill before",
        )
        litres += fill.litres
        loads.add(fill.load)
        if not fill.full:
            continue
        if start is not None:
            found.append(
                Leg(
                    began=start.day,
                    ended=fill.day,
                    litres=litres,
                    distance=fill.reading - start.reading,
                    load=loads.pop() if len(loads) == 1 else "",
                )
            )
        start, litres, loads = fill, 0.0, set()
    return tuple(_marked(found))


def _marked(legs: Sequence[Leg]) -> Iterable[Leg]:
    by_load: dict[Load, list[float]] = {}
    for leg in legs:
        by_load.setdefault(leg.load, []).append(math.log(leg.use))
    for leg in legs:
        logs = by_load[leg.load]
        if len(logs) < ODD_LEGS:
            yield leg
            continue
        middle = median(logs)
        spread = max(1.4826 * median(abs(x - middle) for x in logs), LEAST_SPREAD)
        yield replace(leg, odd=abs(math.log(leg.use) - middle) > ODD_AT * spread)


@dataclass(frozen=True, kw_only=True)
class Use:
    """Fuel per 100 km, or per hour, of some legs; the interval holds 95 %, None of one leg."""

    value: float
    low: float | None
    high: float | None
    legs: int


def use_of(legs: Sequence[Leg], *, hours: bool) -> Use | None:
    """Consumption over the legs that count, None where there is none.

    Parameters
    ----------
    hours : litres an hour instead of litres per 100 km
    """
    counted = [leg for leg in legs if not leg.odd]
    if not counted:
        return None
    scale = 1.0 if hours else 100.0
    ratio, half = ratio_of([(leg.litres, leg.distance) for leg in counted])
    return Use(
        value=scale * ratio,
        low=None if half is None else scale * (ratio - half),
        high=None if half is None else scale * (ratio + half),
        legs=len(counted),
    )


def change_at(legs: Sequence[Leg], day: float) -> EconomyResult | None:
    """What changed at a day: legs wholly before it against legs wholly after it, None where a side
    has none. Odd ones and the leg across that day do not count.

    Notes
    -----
    Only legs of loads that stand on both sides are compared, so that an empty summer proves
    nothing.
    """
    counted = [leg for leg in legs if not leg.odd]
    before = [leg for leg in counted if leg.ended <= day]
    after = [leg for leg in counted if leg.began >= day]
    both = {leg.load for leg in before} & {leg.load for leg in after}
    sides = [
        [Fill(litres=leg.litres, km=leg.distance) for leg in side if leg.load in both]
        for side in (before, after)
    ]
    if not all(sides):
        return None
    return fuel_economy_change(EconomyInput(before=sides[0], after=sides[1]))


def flat_whatever_the_load(legs: Sequence[Leg]) -> bool | None:
    """Whether a heavy load takes no more fuel than a light one; None: the fills do not say.

    Notes
    -----
    Flat when the 95 % interval of the difference lies below a tenth of the light use, not flat when
    it lies above nothing.
    """
    light = [leg for leg in legs if leg.load == "light" and not leg.odd]
    heavy = [leg for leg in legs if leg.load == "heavy" and not leg.odd]
    if min(len(light), len(heavy)) < FLAT_LEGS:
        return None
    low, low_half = ratio_of([(leg.litres, leg.distance) for leg in light])
    high, high_half = ratio_of([(leg.litres, leg.distance) for leg in heavy])
    half = math.hypot(low_half or 0.0, high_half or 0.0)
    if high - low + half < FLAT_SHARE * low:
        return True
    return False if high - low - half > 0 else None


def per_month(legs: Sequence[Leg]) -> float | None:
    """Km or hours a month over the legs, None under a fortnight."""
    if not legs:
        return None
    days = legs[-1].ended - legs[0].began
    return sum(leg.distance for leg in legs) / days * 30.44 if days >= 14 else None
