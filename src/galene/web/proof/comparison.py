"""Before and after on one axis per metric, with the family's band behind."""

import math
from dataclasses import dataclass

from galene.core.calculations.metrics import METRICS
from galene.core.units import QUANTITIES, convert, in_system
from galene.jobs.proof import Told, samples_of
from galene.store.models import Job

LEFT, RIGHT = 12.0, 408.0


@dataclass(frozen=True, kw_only=True)
class Shown:
    """What is told of one metric: values and interval in its kept unit, verdict and why."""

    metric: str
    before: float | None
    after: float | None
    low: float | None
    high: float | None
    verdict: str
    reason: str

    @property
    def unit(self) -> str:
        """The metric's kept unit."""
        return QUANTITIES[METRICS[self.metric].quantity].kept.id


@dataclass(frozen=True, kw_only=True)
class PlotRow:
    """One metric on its own axis: dots and means in drawing units, band and ticks."""

    change: Shown
    label: str
    quantity: str
    before: tuple[float, ...]
    after: tuple[float, ...]
    mean_before: float | None
    mean_after: float | None
    band: tuple[float, float] | None
    ticks: tuple[tuple[float, str], ...]


def around(value: float) -> float:
    """A coordinate with one decimal: finer is not seen."""
    return float(round(value, 1))


def round_step(rough: float) -> float:
    """1, 2 or 5 times a power of ten, at or above `rough`."""
    power: float = 10.0 ** math.floor(math.log10(rough))
    return next(float(m) * power for m in (1, 2, 5, 10) if m * power >= rough * 0.999)


ORDER = ("worse", "better", "unchanged", "was_good", "not_comparable")
"""Readings in the order of a page: what must be looked at first."""


def rows_of(job: Job, told: Told, *, system: str) -> list[PlotRow]:
    """One row for each metric that was read after the work."""
    readings = told.proof.readings
    sides = [samples_of(job, phase, told.kept) for phase in ("before", "after")]
    rows = [
        row_of(
            Shown(
                metric=r.metric,
                before=r.before,
                after=r.after,
                low=r.low,
                high=r.high,
                verdict=r.verdict,
                reason=r.reason,
            ),
            sides[0].get(r.metric, []),
            sides[1].get(r.metric, []),
            band=(r.band.low, r.band.high) if r.band else None,
            system=system,
        )
        for r in readings
        if r.after is not None
    ]
    return sorted(rows, key=lambda r: ORDER.index(r.change.verdict))


def row_of(
    change: Shown,
    before: list[float],
    after: list[float],
    *,
    band: tuple[float, float] | None,
    system: str,
) -> PlotRow:
    """Scale one metric to the drawing's width."""
    metric = METRICS[change.metric]
    values = [*before, *after, *(band or ())]
    low, high = min(values), max(values)
    pad = (high - low) * 0.08 or metric.meaningful
    low, high = low - pad, high + pad

    def x(value: float) -> float:
        return around(LEFT + (value - low) / (high - low) * (RIGHT - LEFT))

    kind = QUANTITIES[metric.quantity]
    unit = in_system(kind, system)
    first, last = sorted(
        (
            convert(kind, low, kind.kept.id, target=unit.id),
            convert(kind, high, kind.kept.id, target=unit.id),
        )
    )
    step = round_step((last - first) / 4)
    marks = [
        math.ceil(first / step) * step + k * step
        for k in range(8)
        if math.ceil(first / step) * step + k * step <= last
    ]
    decimals = max(0, -math.floor(math.log10(step)))
    ticks = tuple(
        (
            x(convert(kind, m, unit.id, target=kind.kept.id)),
            f"{m:.{decimals}f}".replace("-", "\u2212"),
        )
        for m in marks
    )
    return PlotRow(
        change=change,
        label=metric.label,
        quantity=metric.quantity,
        before=tuple(x(v) for v in before),
        after=tuple(x(v) for v in after),
        mean_before=x(sum(before) / len(before)) if before else None,
        mean_after=x(sum(after) / len(after)) if after else None,
        band=(x(band[0]), x(band[1])) if band else None,
        ticks=ticks,
    )
