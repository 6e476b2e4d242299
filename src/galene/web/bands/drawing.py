"""A band over its samples, the oldest first: what each one moved."""

import math
from collections.abc import Callable
from dataclasses import dataclass

from galene.core.calculations.metrics import METRICS
from galene.core.units import QUANTITIES, convert, in_system
from galene.jobs.bands import MOST_MOVES, BandStory
from galene.web.proof.comparison import around, round_step

WIDTH, HEIGHT = 620.0, 190.0
LEFT, RIGHT, TOP, BOTTOM = 64.0, 608.0, 12.0, 168.0


@dataclass(frozen=True, kw_only=True)
class Dot:
    """A sample: where it stands, and whether it counts, is odd, or was set aside."""

    x: float
    y: float
    kind: str
    sample: int


@dataclass(frozen=True, kw_only=True)
class BandDrawing:
    """The drawing of one band in its own units.

    Parameters
    ----------
    area : outline of the band after each counted sample
    entry : top and bottom of the family's entry, None without one
    dots : samples
    ticks : where the value axis is marked, and with what
    """

    area: str
    entry: tuple[float, float] | None
    dots: tuple[Dot, ...]
    ticks: tuple[tuple[float, str], ...]


def drawing_of(story: BandStory, system: str) -> BandDrawing | None:
    """The drawing, None where there is nothing to draw."""
    shown = story.samples[-MOST_MOVES:]
    values = [s.value for s in shown]
    values += [v for pair in story.moved for v in pair]
    if story.entry:
        values += [story.entry.low, story.entry.high]
    if not values:
        return None
    low, high = min(values), max(values)
    pad = (high - low) * 0.06 or METRICS[story.metric].meaningful
    low, high = low - pad, high + pad

    def y(value: float) -> float:
        return around(BOTTOM - (value - low) / (high - low) * (BOTTOM - TOP))

    counted = [s for s in shown if s.set_aside_at is None]
    # The first move is the entry alone where there is one: it stands before the first sample.
    steps = max(len(story.moved) - 1, len(shown), 1)

    def x(step: float) -> float:
        return around(LEFT + step / (steps + 0.2) * (RIGHT - LEFT))

    begin = len(counted) + 1 - len(story.moved)
    upper = [(x(begin + i), y(b)) for i, (_, b) in enumerate(story.moved)]
    lower = [(x(begin + i), y(a)) for i, (a, _) in enumerate(story.moved)]
    outline = [*upper, *reversed(lower)]
    area = "M" + " L".join(f"{a},{b}" for a, b in outline) + " Z" if len(upper) > 1 else ""
    dots, place = [], 0
    for sample in shown:
        place += sample.set_aside_at is None
        kind = "aside" if sample.set_aside_at else "odd" if sample.id in story.odd else "counts"
        at = x(max(place, 1) if kind != "aside" else place + 0.5)
        dots.append(Dot(x=at, y=y(sample.value), kind=kind, sample=sample.id))
    return BandDrawing(
        area=area,
        entry=(y(story.entry.high), y(story.entry.low)) if story.entry else None,
        dots=tuple(dots),
        ticks=_ticks(story.metric, (low, high), system, y=y),
    )


def _ticks(
    metric: str, ends: tuple[float, float], system: str, *, y: Callable[[float], float]
) -> tuple[tuple[float, str], ...]:
    kind = QUANTITIES[METRICS[metric].quantity]
    unit = in_system(kind, system)
    first, last = sorted(convert(kind, v, kind.kept.id, target=unit.id) for v in ends)
    step = round_step((last - first) / 4)
    decimals = max(0, -math.floor(math.log10(step)))
    marks = [math.ceil(first / step) * step + k * step for k in range(8)]
    return tuple(
        (y(convert(kind, m, unit.id, target=kind.kept.id)), f"{m:.{decimals}f}")
        for m in marks
        if m <= last
    )
