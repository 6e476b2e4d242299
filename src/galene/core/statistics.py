"""Small-sample intervals."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

from galene.core.errors import require_range


@lru_cache(maxsize=4096)
def t_quantile(degrees: float, share: float = 0.95) -> float:
    """Two-sided Student t quantile for a central `share`.

    Parameters
    ----------
    degrees : of freedom, 0.5 and more; they need not be whole
    share : 0.01 to 0.9999

    Raises
    ------
    InputError
        Out of these ranges.

    Notes
    -----
    The share outside plus and minus t is the regularized incomplete beta function
    I(degrees / 2, 1 / 2) at x = degrees / (degrees + t^2) (Abramowitz and Stegun, 26.7.1). It falls
    with t and is convex, so Newton's steps from 0 come up to it from below and never pass it.

    Examples
    --------
    >>> round(t_quantile(4), 3), round(t_quantile(10, 0.99), 3)
    (2.776, 3.169)
    """
    require_range("degrees", degrees, 0.5, high=1e9)
    require_range("share", share, 0.01, high=0.9999)
    scale = math.exp(math.lgamma((degrees + 1) / 2) - math.lgamma(degrees / 2))
    scale /= math.sqrt(math.pi * degrees)
    t = 0.0
    for _ in range(200):
        outside = incomplete_beta(degrees / 2, 0.5, degrees / (degrees + t * t))
        density = scale * (1 + t * t / degrees) ** (-(degrees + 1) / 2)
        step = (outside - (1 - share)) / (2 * density)
        t += step
        if step <= 1e-12 * t:
            break
    return t


def incomplete_beta(a: float, b: float, x: float) -> float:
    """The regularized incomplete beta function, 0 to 1.

    Parameters
    ----------
    a, b : above 0
    x : 0 to 1

    Notes
    -----
    Continued fraction of Abramowitz and Stegun, 26.5.8, by Lentz's method; beyond its fast side by
    the symmetry 26.5.2.

    Examples
    --------
    >>> round(incomplete_beta(2.0, 3.0, 0.5), 6)
    0.6875
    """
    if x <= 0 or x >= 1:
        return float(x >= 1)
    if x > (a + 1) / (a + b + 2):
        return 1 - incomplete_beta(b, a, 1 - x)
    front = math.exp(
        a * math.log(x) + b * math.log1p(-x) + math.lgamma(a + b) - math.lgamma(a) - math.lgamma(b)
    )
    c, d = 1.0, 1 / (1 - (a + b) * x / (a + 1))
    fraction = d
    for m in range(1, 400):
        for step in (
            m * (b - m) * x / ((a + 2 * m - 1) * (a + 2 * m)),
            -(a + m) * (a + b + m) * x / ((a + 2 * m) * (a + 2 * m + 1)),
        ):
            d = 1 / (1 + step * d)
            c = 1 + step / c
            fraction *= c * d
        if abs(c * d - 1) < 1e-15:
            break
    return front * fraction / a


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


MANY = 1e6
"""Degrees of freedom from which Student's interval is the normal one."""


def welch(
    before: Sequence[float], after: Sequence[float], *, between: float = 0.0, share: float = 0.95
) -> Difference:
    """Welch's interval for mean(after) - mean(before).

    Parameters
    ----------
    before, after : sequence of float, at least two values each, same unit
    between : standard deviation of a set as a whole from one day to the next, known beforehand, in
        that unit
    share : chance that the interval holds the change

    Notes
    -----
    Degrees of freedom after Welch and Satterthwaite; a spread that is known beforehand has as many
    as one likes. Samples of one sitting say nothing of what two days differ by: without `between`
    two samples without any spread give a zero-width interval.
    """
    change = mean(after) - mean(before)
    part_b, part_a = variance(before) / len(before), variance(after) / len(after)
    total = part_b + part_a + 2 * between**2
    if total == 0:
        return Difference(change, change, change)
    within = part_b**2 / (len(before) - 1) + part_a**2 / (len(after) - 1)
    degrees = min(total**2 / within, MANY) if within > 0 else MANY
    half = t_quantile(degrees, share) * math.sqrt(total)
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
    """Ordinary least squares through two or more points with at least two different `x`.

    Parameters
    ----------
    x, y : two or more values each, in one unit each
    """
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


def beta_quantile(a: float, b: float, share: float) -> float:
    """Value below which a beta distributed share lies with probability `share`.

    Parameters
    ----------
    a, b : above 0
    share : 0 to 1, neither end

    Notes
    -----
    Bisection of the regularized incomplete beta function, which rises from 0 to 1.

    Examples
    --------
    >>> round(beta_quantile(1, 1, 0.25), 6)
    0.25
    """
    require_range("share", share, 1e-9, high=1 - 1e-9)
    low, high = 0.0, 1.0
    for _ in range(60):
        middle = (low + high) / 2
        if incomplete_beta(a, b, middle) < share:
            low = middle
        else:
            high = middle
    return (low + high) / 2
