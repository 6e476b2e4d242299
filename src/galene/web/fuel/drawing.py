"""Fuel over distance as the fills tell it: a bar a leg, odd ones hollow, works between."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from galene.core.learning.fuel import Leg, Load
from galene.web.proof.comparison import around

LEFT, RIGHT, TOP, BOTTOM = 60.0, 984.0, 12.0, 170.0


@dataclass(frozen=True, kw_only=True)
class DrawnLeg:
    """A leg: its ends and its height on the page, what it used."""

    x: float
    width: float
    y: float
    value: float
    load: Load
    odd: bool
    ended: date


@dataclass(frozen=True, kw_only=True)
class FuelDrawing:
    """Legs in the drawing's units; `ticks`: heights of round figures, `works`: places of works by
    their job's number."""

    legs: tuple[DrawnLeg, ...]
    ticks: tuple[tuple[float, float], ...]
    works: tuple[tuple[float, str], ...]
    first: date
    last: date


def drawing_of(
    legs: Sequence[Leg], works: Sequence[tuple[date, str]], *, hours: bool
) -> FuelDrawing | None:
    """The drawing of a vehicle's legs, None where there is none.

    Parameters
    ----------
    works : days of work with the job's number
    """
    if not legs:
        return None
    scale = 1.0 if hours else 100.0
    values = [scale * leg.use for leg in legs]
    first, last = legs[0].began, max(legs[-1].ended, legs[0].began + 1)
    # What does not count does not stretch the drawing either: it stands at its edge.
    counted = [v for leg, v in zip(legs, values, strict=True) if not leg.odd] or values
    low, high = min(counted), max(counted)
    margin = max((high - low) * 0.15, 0.03 * high)
    low, high = max(0.0, low - margin), high + margin

    def x(day: float) -> float:
        return around(LEFT + (day - first) / (last - first) * (RIGHT - LEFT))

    def y(value: float) -> float:
        shown = min(max(value, low), high)
        return around(BOTTOM - (shown - low) / (high - low) * (BOTTOM - TOP))

    step = next((s for s in (0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50) if (high - low) / s <= 5), 100.0)
    ticks = []
    at = step * (low // step + 1)
    while at < high:
        ticks.append((y(at), around(at)))
        at += step
    return FuelDrawing(
        legs=tuple(
            DrawnLeg(
                x=x(leg.began),
                width=max(2.0, around(x(leg.ended) - x(leg.began))),
                y=y(value),
                value=value,
                load=leg.load,
                odd=leg.odd,
                ended=date.fromordinal(round(leg.ended)),
            )
            for leg, value in zip(legs, values, strict=True)
        ),
        ticks=tuple(ticks),
        works=tuple(
            (x(float(day.toordinal())), number)
            for day, number in works
            if first <= day.toordinal() <= last
        ),
        first=date.fromordinal(round(first)),
        last=date.fromordinal(round(last)),
    )
