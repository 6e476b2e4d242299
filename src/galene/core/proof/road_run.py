"""What was driven, out of what the car said on the road: idle, steady speed, pulls, coasting down,
stops; and what a proof would like that was not driven."""

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from galene.core.logs.series import TimeSeries, runs

Values = NDArray[np.float64]
STANDS_KMH, STEADY_KMH, STEADY_BAND = 2.0, 30.0, 3.0
"""Speed up to which a car stands, from which a steady stretch counts, and by how much it may vary
round its own mean over ten seconds, km/h (this project's judgement)."""
PULL_M_S2, COAST_M_S2 = 0.5, -0.3
"""Acceleration from which a car pulls away, and under which it coasts or brakes down (a gentle
start is about 1 m/s2: this project's judgement)."""
LEAST_PULL_S, LEAST_COAST_S, LEAST_STEADY_S, LEAST_STOP_S = 3.0, 3.0, 10.0, 2.0


@dataclass(frozen=True, kw_only=True)
class RoadRun:
    """A run as it was driven.

    Parameters
    ----------
    km : None where no road speed is read
    idle_s, steady_s : seconds at a warm idle standing still, and at a steady speed
    pulls, coasts, stops : how often it pulled, coasted down, came to a stop
    ready : monitors of the control unit, and whether each is complete; empty where nobody asked
    """

    km: float | None
    minutes: float
    idle_s: float
    steady_s: float
    pulls: int
    coasts: int
    stops: int
    log_id: int | None = None
    ready: Mapping[str, bool] = field(default_factory=dict)


ASKED: Mapping[str, float] = {
    "idle_s": 30.0,
    "steady_s": 60.0,
    "pulls": 2,
    "coasts": 2,
    "stops": 2,
}
"""What a proof asks of a road run at least: what the owner's complaint, the idle control and the
monitors meet in a mixed drive (this project's judgement)."""


def read_road(series: TimeSeries) -> RoadRun:
    """A run out of its figures.

    Parameters
    ----------
    series : with ``rpm`` and, where it is read, ``vehicle_km_h``; s and kept units

    Examples
    --------
    >>> line = TimeSeries(np.arange(0, 60, 0.5), {"rpm": np.full(120, 750.0)})
    >>> 59 <= read_road(line).idle_s <= 60
    True
    """
    grid = series.grid()
    step = float(grid[1] - grid[0]) if len(grid) > 1 else 0.0
    minutes = float(series.time_s[-1] - series.time_s[0]) / 60
    turning = series.on(grid, "rpm")
    speed = series.on(grid, "vehicle_km_h")
    turns = np.zeros(len(grid), bool) if turning is None else turning > 300
    if speed is None or not np.isfinite(speed).any():
        return RoadRun(
            km=None,
            minutes=minutes,
            idle_s=round(float(turns.sum()) * step, 1),
            steady_s=0.0,
            pulls=0,
            coasts=0,
            stops=0,
        )
    speed = np.nan_to_num(speed)
    smooth = _smooth(speed, max(1, round(1 / step)))
    gain = np.gradient(smooth, step) / 3.6
    stands = smooth < STANDS_KMH
    wide = max(1, round(10 / step))
    steady = (np.abs(smooth - _smooth(smooth, wide)) < STEADY_BAND) & (smooth > STEADY_KMH)
    return RoadRun(
        km=round(float(speed.sum()) * step / 3600, 2),
        minutes=round(minutes, 1),
        idle_s=round(float((stands & turns).sum()) * step, 1),
        steady_s=round(sum(_lengths(steady, step, LEAST_STEADY_S)), 1),
        pulls=len(_lengths(gain > PULL_M_S2, step, LEAST_PULL_S)),
        coasts=len(_lengths((gain < COAST_M_S2) & ~stands, step, LEAST_COAST_S)),
        stops=_stops(stands, step),
    )


def _smooth(values: Values, width: int) -> Values:
    kernel = np.ones(width) / width
    padded = np.pad(values, (width // 2, width - 1 - width // 2), mode="edge")
    smoothed: Values = np.convolve(padded, kernel, mode="valid")
    return smoothed


def _lengths(mask: NDArray[np.bool_], step: float, least_s: float) -> list[float]:
    starts, ends = runs(mask)
    lengths = [float(b - a) * step for a, b in zip(starts, ends, strict=True)]
    return [length for length in lengths if length >= least_s]


def _stops(stands: NDArray[np.bool_], step: float) -> int:
    """Stretches of standing that a drive came before."""
    starts, ends = runs(stands)
    return sum(
        1
        for a, b in zip(starts, ends, strict=True)
        if a > 0 and float(b - a) * step >= LEAST_STOP_S
    )
