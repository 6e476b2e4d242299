"""Were the rankings right? Stated probabilities against what the technician confirmed."""

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass

from galene.core.errors import require, require_range

BINS: tuple[float, ...] = (0.0, 0.1, 0.25, 0.5, 0.75, 0.9, 1.0)
"""Ends of the groups of stated probabilities: finer where a ranking decides something."""


@dataclass(frozen=True)
class Confirmed:
    """A finished job: its ranking as cause ids with stated probabilities, and the causes that a
    found thing confirmed."""

    ranking: tuple[tuple[str, float], ...]
    causes: frozenset[str]


@dataclass(frozen=True, kw_only=True)
class Bin:
    """Statements in one range: how many, their mean, how many came true, and the 95 % range of the
    true share."""

    low: float
    high: float
    count: int
    stated: float
    came_true: int
    share_low: float
    share_high: float

    @property
    def off(self) -> bool:
        """Whether what was stated lies outside of what came true."""
        return not self.share_low <= self.stated <= self.share_high


@dataclass(frozen=True, kw_only=True)
class CauseRecord:
    """One cause: how often it was confirmed, how often it then stood first, and how often it stood
    first in vain."""

    cause: str
    confirmed: int
    first: int
    in_vain: int


@dataclass(frozen=True, kw_only=True)
class Calibration:
    """How well rankings did over many jobs. `brier` is the mean squared miss of all statements, 0
    is perfect."""

    jobs: int
    first_right: int
    first_two_right: int
    brier: float
    bins: tuple[Bin, ...]
    causes: tuple[CauseRecord, ...]


def wilson(hits: int, count: int) -> tuple[float, float]:
    """95 % interval of a share (Wilson, 1927).

    >>> tuple(round(x, 2) for x in wilson(9, 10))
    (0.6, 0.98)
    """
    z = 1.959964
    share = hits / count
    middle = (share + z * z / (2 * count)) / (1 + z * z / count)
    half = (
        z
        / (1 + z * z / count)
        * math.sqrt(share * (1 - share) / count + z * z / (4 * count * count))
    )
    return max(0.0, middle - half), min(1.0, middle + half)


def calibration(jobs: Sequence[Confirmed]) -> Calibration:
    """Count what was stated against what it was.

    Parameters
    ----------
    jobs : finished jobs with their ranking, highest probability first

    Raises
    ------
    InputError
        No job, or a probability that is none.
    """
    require(bool(jobs), "jobs", [], allowed="at least one finished job with a ranking")
    statements: list[tuple[float, bool]] = []
    records: dict[str, list[int]] = {}
    first = second = 0
    for i, job in enumerate(jobs):
        for cause, chance in job.ranking:
            require_range(f"jobs[{i}].ranking.{cause}", chance, 0, high=1)
            statements.append((chance, cause in job.causes))
        leading = [c for c, _ in job.ranking[:2]]
        first += bool(job.causes.intersection(leading[:1]))
        second += bool(job.causes.intersection(leading))
        for cause in job.causes:
            mine = records.setdefault(cause, [0, 0, 0])
            mine[0] += 1
            mine[1] += leading[:1] == [cause]
        if leading and leading[0] not in job.causes:
            records.setdefault(leading[0], [0, 0, 0])[2] += 1
    bins = []
    for low, high in itertools.pairwise(BINS):
        inside = [
            (p, hit) for p, hit in statements if low <= p < high or (high == 1.0 and p == 1.0)
        ]
        if inside:
            hits = sum(hit for _, hit in inside)
            lowest, highest = wilson(hits, len(inside))
            stated = sum(p for p, _ in inside) / len(inside)
            bins.append(
                Bin(
                    low=low,
                    high=high,
                    count=len(inside),
                    stated=stated,
                    came_true=hits,
                    share_low=lowest,
                    share_high=highest,
                )
            )
    brier = sum((p - hit) ** 2 for p, hit in statements) / len(statements) if statements else 0.0
    causes = sorted(
        (
            CauseRecord(cause=c, confirmed=r[0], first=r[1], in_vain=r[2])
            for c, r in records.items()
        ),
        key=lambda r: (-r.confirmed, -r.in_vain, r.cause),
    )
    return Calibration(
        jobs=len(jobs),
        first_right=first,
        first_two_right=second,
        brier=brier,
        bins=tuple(bins),
        causes=tuple(causes),
    )
