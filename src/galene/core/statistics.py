"""Small-sample intervals. Student's t comes from scipy.special, loaded late because start-up is
felt."""

import math
from collections.abc import Sequence
from dataclasses import dataclass


def t_quantile(degrees: float, share: float = 0.95) -> float:
    """Two-sided Student t quantile for `degrees` of freedom and a central `share`."""
    from scipy.special import stdtrit

    return float(stdtrit(degrees, 0.5 + share / 2))


def mean(values: Sequence[float]) -> float:
    """Arithmetic mean of a non-empty sequence."""
    return math.fsum(values) / len(values)


def variance(values: Sequence[float]) -> float:
    """Sample variance (n - 1) of two or more values."""
    centre = mean(values)
    return math.fsum((v - centre) ** 2 for v in values) / (len(values) - 1)


@dataclass(frozen=True)
class Difference:
    """Difference of two means with its 95 % interval."""

    change: float
    low: float
    high: float


def welch(before: Sequence[float], after: Sequence[float]) -> Difference:
    """Welch's interval for mean(after) - mean(before).

    Parameters
    ----------
    before, after : sequence of float, at least two values each, same unit

    Notes
    -----
    Degrees of freedom after Welch and Satterthwaite. Two samples without any spread give a
    zero-width interval: the meter's steps then hide the noise, and the metric's own meaningful
    size still guards the verdict.
    """
    change = mean(after) - mean(before)
    part_b, part_a = variance(before) / len(before), variance(after) / len(after)
    total = part_b + part_a
    if total == 0:
        return Difference(change, change, change)
    degrees = total**2 / (part_b**2 / (len(before) - 1) + part_a**2 / (len(after) - 1))
    half = t_quantile(degrees) * math.sqrt(total)
    return Difference(change, change - half, change + half)


@dataclass(frozen=True, kw_only=True)
class Line:
    """Least-squares line y = intercept + slope x with the half widths of the 95 % intervals (None:
    no spare point)."""

    intercept: float
    slope: float
    intercept_half: float | None
    slope_half: float | None


def fit_line(x: Sequence[float], y: Sequence[float]) -> Line:
    """Ordinary least squares through two or more points with at least two different `x`."""
    n = len(x)
    x0, y0 = mean(x), mean(y)
    sxx = math.fsum((v - x0) ** 2 for v in x)
    slope = math.fsum((a - x0) * (b - y0) for a, b in zip(x, y, strict=True)) / sxx
    intercept = y0 - slope * x0
    if n < 3:
        return Line(intercept=intercept, slope=slope, intercept_half=None, slope_half=None)
    residual = math.fsum((b - intercept - slope * a) ** 2 for a, b in zip(x, y, strict=True)) / (
        n - 2
    )
    t = t_quantile(n - 2)
    return Line(
        intercept=intercept,
        slope=slope,
        intercept_half=t * math.sqrt(residual * (1 / n + x0**2 / sxx)),
        slope_half=t * math.sqrt(residual / sxx),
    )
