"""Known-good bands that move with a workshop's own work.

Readings of sound engines are normal with unknown mean and spread; what is known beforehand is a
normal-inverse-gamma prior out of the family's entry, which counts like so many samples as its
weight says (Gelman et al., *Bayesian Data Analysis*, 3.3). The band is the range in which the next
sound engine's reading lies with 90 % (a tolerance interval by expectation, Guttman, *Statistical
Tolerance Regions*, 1970): the posterior's Student interval.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass, field, replace

from galene.core.errors import require
from galene.core.statistics import t_quantile

COVERAGE = 0.90
DEFAULT_WEIGHT = 4.0
"""Samples that a family's entry counts for: a handful of own engines outweighs it (this project's
default)."""
PRIOR_FADES, PRIOR_GONE = 5, 10
"""Own samples from which the entry fades, and from which it counts no more (this project's
defaults)."""
BLOCK_SHARE = 4
"""One in so many samples, at one end, is questioned together."""
MOST_TOGETHER = 3
ODD_SHARE = 0.999
"""Share of the others' band outside of which a single sample is odd: one in a thousand is."""


@dataclass(frozen=True, kw_only=True)
class Prior:
    """What an entry says before own samples: its band, and for how many samples it counts."""

    low: float
    high: float
    weight: float = DEFAULT_WEIGHT


@dataclass(frozen=True, kw_only=True)
class LearnedBand:
    """A band, and which samples it was made of.

    Parameters
    ----------
    low, high : ends of the band
    mean, spread : most likely mean and standard deviation of sound engines
    counted : samples that count
    odd : places of samples that stand so far off that they do not count by themselves
    """

    low: float
    high: float
    mean: float
    spread: float
    counted: int
    odd: tuple[int, ...] = field(default=())


def learned_band(
    samples: Sequence[float], prior: Prior | None = None, coverage: float = COVERAGE
) -> LearnedBand:
    """The band of sound engines after some samples.

    Parameters
    ----------
    samples : readings of sound engines, one a job
    prior : the family's entry; without it two samples at least are needed
    coverage : share of sound engines inside

    Raises
    ------
    InputError
        Without a prior fewer than two samples, or samples that are all the same.

    Notes
    -----
    A sample is odd when it lies outside of what the others leave one in a thousand; the band is
    made of the others, so that one slip of the pen or one sick engine does not widen it. Two of a
    kind hide each other: the lowest and the highest of a quarter of the samples are questioned
    together too. More of a kind speak for each other. The entry fades as own samples come, and is
    gone at `PRIOR_GONE`: engines that scatter less or more than it says get a band of their own.
    """
    require(
        prior is not None or len(samples) >= 2,
        "samples",
        len(samples),
        allowed="two at least where no prior is given",
    )
    odd: set[int] = set()
    while True:
        block = _oddest(samples, odd, prior)
        if not block or 3 * (len(odd) + len(block)) > len(samples):
            break
        odd |= block
    counted = [s for i, s in enumerate(samples) if i not in odd]
    posterior = _posterior(_sums(counted), prior)
    low, high = posterior.interval(coverage)
    return LearnedBand(
        low=low,
        high=high,
        mean=posterior.mean,
        spread=math.sqrt(posterior.beta / posterior.alpha),
        counted=len(counted),
        odd=tuple(sorted(odd)),
    )


@dataclass(frozen=True)
class _Posterior:
    mean: float
    kappa: float
    alpha: float
    beta: float

    def interval(self, coverage: float) -> tuple[float, float]:
        """Where the next reading lies."""
        scale = math.sqrt(self.beta * (self.kappa + 1) / (self.alpha * self.kappa))
        half = t_quantile(2 * self.alpha, coverage) * scale
        return self.mean - half, self.mean + half


@dataclass(frozen=True)
class _Sums:
    """Count, mean and sum of squares about it."""

    count: int
    mean: float
    squares: float


def _sums(samples: Sequence[float]) -> _Sums:
    count = len(samples)
    mean = math.fsum(samples) / count if count else 0.0
    return _Sums(count, mean, math.fsum((s - mean) ** 2 for s in samples))


def _posterior(own: _Sums, prior: Prior | None) -> _Posterior:
    n = own.count
    prior = _faded(prior, n)
    if prior is None:
        require(own.squares > 0, "samples", n, allowed="samples that differ")
        return _Posterior(own.mean, float(n), (n - 1) / 2, own.squares / 2)
    middle = (prior.low + prior.high) / 2
    kappa, alpha = prior.weight, max(prior.weight / 2, 0.5)
    # Before any sample the band is the entry itself: what it says of the next sound engine.
    half = t_quantile(2 * alpha, COVERAGE) * math.sqrt((kappa + 1) / kappa)
    spread = (prior.high - prior.low) / 2 / half
    total = kappa + n
    beta = alpha * spread**2 + own.squares / 2 + kappa * n * (own.mean - middle) ** 2 / (2 * total)
    return _Posterior((kappa * middle + n * own.mean) / total, total, alpha + n / 2, beta)


def _faded(prior: Prior | None, count: int) -> Prior | None:
    """The entry after so many own samples."""
    left = min(1.0, (PRIOR_GONE - count) / (PRIOR_GONE - PRIOR_FADES))
    if prior is None or left <= 0.0:
        return None
    return replace(prior, weight=prior.weight * left)


def _oddest(samples: Sequence[float], odd: set[int], prior: Prior | None) -> frozenset[int]:
    """The sample, or the few at one end, that stand farthest outside of what the others leave;
    empty where none does."""
    order = sorted((i for i in range(len(samples)) if i not in odd), key=lambda i: samples[i])
    least = 0 if prior else 3
    found: frozenset[int] = frozenset()
    farthest = 0.0
    for size in range(1, max(1, min(MOST_TOGETHER, len(order) // BLOCK_SHARE)) + 1):
        for block in (order[:size], order[-size:]) if order else ():
            others = _sums([samples[i] for i in order if i not in block])
            if others.count < least or (others.squares <= 0 and not _faded(prior, others.count)):
                continue
            low, high = _posterior(others, prior).interval(ODD_SHARE)
            off = min(max(low - samples[i], samples[i] - high) for i in block) / (high - low)
            if off > farthest:
                found, farthest = frozenset(block), off
    return found
