"""How fast a deposit grows on one vehicle, and when it will have grown too far.

The rate is growth over exposure (km or hours). Its logarithm is normal: over vehicles of one duty
about that duty's usual rate, and from one interval of a vehicle to the next about the vehicle's
own. Each measured interval updates it (normal-normal, Gelman et al., *Bayesian Data Analysis*,
2.5), so that one visit already says something, with its width.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from galene.core.errors import require

Measure = Literal["area", "grade"]
DUTY_WORDS: dict[str, str] = {
    "": "mixed use",
    "short_trips": "short trips",
    "long_idle_or_pto": "long idling",
    "dusty_use": "dusty use",
}
USUAL_KM_TO_GRADE_2: dict[str, float] = {
    "": 60_000.0,
    "short_trips": 30_000.0,
    "long_idle_or_pto": 25_000.0,
    "dusty_use": 20_000.0,
}
"""Distance in which a clean part reaches grade 2, by duty (this project's defaults for road
vehicles, to be corrected by own work)."""
KM_PER_HOUR = 40.0
"""Mean speed that makes hours of the usual distances (a road vehicle's; this project's default)."""
PERCENT_PER_GRADE = 5.0
"""Open area that a grade takes away, percent: grade 2 stands for about a tenth (the steps of
`bore-restriction`)."""
BETWEEN = 0.6
"""Standard deviation of the log rate over vehicles of one duty: four of five within a factor of
2.2 (this project's judgement)."""
WITHIN = 0.3
"""Standard deviation of the log rate from one interval of a vehicle to the next (this project's
judgement)."""
SINCE_NEW = 0.7
"""The same for the time before the first visit, of which nobody knows whether it was cleaned."""
READ_TO: dict[Measure, float] = {"area": 1.5, "grade": 0.4}
"""How far a reading of the deposit may be off: percent of open area, grades."""
FED_FACTOR = 2.0
"""A deposit that is fed (a breather that carries oil, an overoiled filter) grows about twice as
fast as after its feed is mended (this project's judgement), and how sure that is, as log."""
FED_SURE = 0.35
Z_80 = 1.2815515655446004


@dataclass(frozen=True, kw_only=True)
class Visit:
    """A part as it was found and left at one visit.

    Parameters
    ----------
    at : exposure then, km or hours
    found, left : deposit, as percent of area lost or as grade; None: not measured
    cured : what fed the deposit was mended at this visit
    """

    at: float
    found: float | None
    left: float
    cured: bool = False


@dataclass(frozen=True, kw_only=True)
class Rate:
    """Log growth rate of one vehicle's part: mean and variance, and how many intervals say so."""

    mean: float
    variance: float
    intervals: int

    @property
    def usual(self) -> float:
        """Growth per km or hour, the median."""
        return math.exp(self.mean)


@dataclass(frozen=True, kw_only=True)
class Due:
    """When the deposit reaches the limit: exposure as median and 80 % interval."""

    at: float
    low: float
    high: float


def duty_prior(duty: Sequence[str], measure: Measure, hours: bool) -> Rate:
    """The rate that is usual for the hardest of some duties.

    Raises
    ------
    InputError
        An unknown duty.
    """
    for word in duty:
        require(word in USUAL_KM_TO_GRADE_2, "duty", word, allowed=", ".join(DUTY_WORDS)[2:])
    distance = min(USUAL_KM_TO_GRADE_2[word] for word in (*duty, ""))
    exposure = distance / KM_PER_HOUR if hours else distance
    growth = 2.0 if measure == "grade" else 2.0 * PERCENT_PER_GRADE
    return Rate(mean=math.log(growth / exposure), variance=BETWEEN**2, intervals=0)


def learned_rate(prior: Rate, visits: Sequence[Visit], measure: Measure) -> Rate:
    """The rate of a vehicle's part as long as it is fed, from what grew between its visits.

    Parameters
    ----------
    prior : of its duty, or pooled over its family
    visits : in order of exposure, each further than the one before

    Notes
    -----
    An interval's log rate has the spread of intervals and that of the two readings it is made of.
    Where the growth is too small to be read, half of what can be read stands for it. Growth before
    the first visit counts as since new, with the width of not knowing.
    """
    mean, precision, counted = prior.mean, 1 / prior.variance, 0
    at, left, cured, spread = 0.0, 0.0, False, SINCE_NEW
    read_to = READ_TO[measure]
    for visit in visits:
        if visit.found is not None and visit.at > at:
            grown = max(visit.found - left, read_to / 2)
            noise = spread**2 + (read_to / grown) ** 2
            log_rate = math.log(grown / (visit.at - at)) + (math.log(FED_FACTOR) if cured else 0.0)
            if cured:
                noise += FED_SURE**2
            mean = (mean * precision + log_rate / noise) / (precision + 1 / noise)
            precision += 1 / noise
            counted += 1
        at, left, spread = visit.at, visit.left, WITHIN
        cured = cured or visit.cured
    return Rate(mean=mean, variance=1 / precision, intervals=counted)


def due(rate: Rate, *, since: float, left: float, limit: float, cured: bool = False) -> Due:
    """When a part that was left with some deposit reaches a limit.

    Parameters
    ----------
    rate : as long as it is fed
    since : exposure at the last visit
    left, limit : deposit left and allowed, in the rate's measure
    cured : whether what feeds it is mended since

    Notes
    -----
    The interval to come scatters as every interval does: its width is that of the rate and of one
    interval together.
    """
    room = limit - left
    if room <= 0:
        return Due(at=since, low=since, high=since)
    mean, variance = rate.mean, rate.variance + WITHIN**2
    if cured:
        mean -= math.log(FED_FACTOR)
        variance += FED_SURE**2
    middle, half = math.log(room) - mean, Z_80 * math.sqrt(variance)
    return Due(
        at=since + math.exp(middle),
        low=since + math.exp(middle - half),
        high=since + math.exp(middle + half),
    )


def pooled(prior: Rate, rates: Sequence[Rate]) -> Rate:
    """The usual rate of a family, from the rates of its vehicles.

    Parameters
    ----------
    prior : of the duty
    rates : of its vehicles, each by its own visits and that prior; those without an interval say
        nothing

    Notes
    -----
    A vehicle's own data is its posterior with the prior taken out again; vehicles scatter by
    `BETWEEN` about the family's rate, which the duty's prior holds like one vehicle.
    """
    mean, precision = prior.mean, 1 / BETWEEN**2
    for rate in rates:
        own = 1 / rate.variance - 1 / prior.variance
        if rate.intervals == 0 or own <= 0:
            continue
        own_mean = (rate.mean / rate.variance - prior.mean / prior.variance) / own
        weight = 1 / (1 / own + BETWEEN**2)
        mean = (mean * precision + own_mean * weight) / (precision + weight)
        precision += weight
    # A further vehicle lies about the family's rate as vehicles do.
    return Rate(mean=mean, variance=BETWEEN**2 + 1 / precision, intervals=0)


USUAL_PER_DAY = {False: 45.0, True: 2.0}
"""Km (False) or engine hours (True) a day of a vehicle of which nothing is known (this project's
defaults: 16 000 km a year, a working machine's two hours)."""
LEAST_DAYS = 20.0
"""Days between two visits from which their distance says how much a vehicle is used."""


def pace_per_day(first: tuple[float, float], last: tuple[float, float], *, hours: bool) -> float:
    """How much a vehicle is used a day.

    Parameters
    ----------
    first, last : day and exposure of its first and its last visit
    hours : whether the exposure is engine hours

    Returns
    -------
    float
        The usual figure where the two visits are too near to each other to say it.

    Examples
    --------
    >>> pace_per_day((0.0, 1000.0), (100.0, 6000.0), hours=False)
    50.0
    """
    days, driven = last[0] - first[0], last[1] - first[1]
    if days < LEAST_DAYS or driven <= 0:
        return USUAL_PER_DAY[hours]
    return driven / days
