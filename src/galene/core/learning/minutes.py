"""How long steps take in this workshop: minutes out of ticks, and the book's figure moved by them.

The time of a step is log-normal about this shop's own usual time, and that about the book's
(normal-normal in the logarithm, Gelman et al., *Bayesian Data Analysis*, 2.5).
"""

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from galene.core.errors import require

BETWEEN = 0.5
"""Standard deviation of the log of a shop's usual time over the book's: most shops need from half
to twice of it (this project's judgement)."""
WITHIN = 0.4
"""The same of one doing of a step about the shop's usual time (this project's judgement)."""
PAUSE_FACTOR, PAUSE_MINUTES = 3.0, 15.0
"""A gap beyond three times the book's figure and a quarter of an hour holds a pause: it says
nothing of the step (this project's judgement)."""
BURST_MINUTES = 1 / 3
"""Ticks that follow within twenty seconds were made together, after the work."""
Z_80 = 1.2815515655446004


@dataclass(frozen=True, kw_only=True)
class Tick:
    """A step as it was ticked.

    Parameters
    ----------
    step : its id
    book : minutes of the plan, above none
    at : when it was ticked, minutes on any clock
    free_from : before which nobody could do it, as a wait ran; None: no wait
    """

    step: str
    book: float
    at: float
    free_from: float | None = None


@dataclass(frozen=True, kw_only=True)
class Spent:
    """Minutes that a step took; None where a pause fell into it."""

    step: str
    book: float
    minutes: float | None


def spent(ticks: Sequence[Tick], began: float) -> tuple[Spent, ...]:
    """Minutes of each step out of the moments of its tick and of the one before.

    Parameters
    ----------
    ticks : in the order of their moments
    began : when the work began, on the same clock

    Raises
    ------
    InputError
        A tick out of order, a figure of the book that is none.

    Notes
    -----
    Ticks that were made together share what passed before the first of them, by the book's figures.
    """
    found: list[Spent] = []
    before = began
    for group in _bursts(ticks):
        starts = [t.free_from for t in group if t.free_from is not None]
        start = max([before, *starts])
        book = sum(t.book for t in group)
        for tick in group:
            require(tick.book > 0, "book", tick.book, allowed="minutes above none")
        passed = group[-1].at - start
        require(group[0].at >= before, "at", group[0].at, allowed="moments in their order")
        known = 0 < passed <= PAUSE_FACTOR * book + PAUSE_MINUTES
        found += [
            Spent(step=t.step, book=t.book, minutes=passed * t.book / book if known else None)
            for t in group
        ]
        before = group[-1].at
    return tuple(found)


def _bursts(ticks: Sequence[Tick]) -> list[list[Tick]]:
    groups: list[list[Tick]] = []
    for tick in ticks:
        if groups and 0 <= tick.at - groups[-1][-1].at <= BURST_MINUTES:
            groups[-1].append(tick)
        else:
            groups.append([tick])
    return groups


@dataclass(frozen=True, kw_only=True)
class Timed:
    """How often a step was timed, and the sum of the logarithms of its minutes."""

    count: int = 0
    log_sum: float = 0.0


@dataclass(frozen=True, kw_only=True)
class OwnTime:
    """What a step will take: minutes to be expected, their variance, and of how many doings."""

    expected: float
    variance: float
    count: int

    @property
    def low(self) -> float:
        """Nine in ten take longer."""
        return _quantile(self.expected, self.variance, -Z_80)

    @property
    def high(self) -> float:
        """Nine in ten take less."""
        return _quantile(self.expected, self.variance, Z_80)


def own_time(book: float, timed: Timed) -> OwnTime:
    """The book's figure moved by own doings.

    Raises
    ------
    InputError
        A figure of the book that is none, a count below none.

    Notes
    -----
    Without own doings the time to be expected is the book's figure.

    >>> own_time(10.0, Timed()).expected
    10.0
    >>> round(own_time(10.0, Timed(count=4, log_sum=4 * math.log(20.0))).expected, 1)
    19.5
    """
    require(book > 0, "book", book, allowed="minutes above none")
    require(timed.count >= 0, "count", timed.count, allowed="none or more")
    prior = math.log(book) - (BETWEEN**2 + WITHIN**2) / 2
    precision = 1 / BETWEEN**2 + timed.count / WITHIN**2
    mean = (prior / BETWEEN**2 + timed.log_sum / WITHIN**2) / precision
    spread = 1 / precision + WITHIN**2
    expected = math.exp(mean + spread / 2)
    return OwnTime(
        expected=expected if timed.count else book,
        variance=(math.exp(spread) - 1) * expected**2,
        count=timed.count,
    )


def together(times: Iterable[OwnTime]) -> OwnTime:
    """Steps that are done one after the other: their expectations and variances add up (each is
    taken to stray by itself)."""
    all_of = tuple(times)
    return OwnTime(
        expected=sum(t.expected for t in all_of),
        variance=sum(t.variance for t in all_of),
        count=sum(1 for t in all_of if t.count),
    )


def _quantile(expected: float, variance: float, z: float) -> float:
    """Of the log-normal with this mean and variance."""
    if expected <= 0:
        return 0.0
    spread = math.log1p(variance / expected**2)
    return math.exp(math.log(expected) - spread / 2 + z * math.sqrt(spread))
