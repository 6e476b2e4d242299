"""When a part will need its next cleaning, from what grew between its visits: `next-due`."""

from dataclasses import dataclass, field
from typing import Any, ClassVar

from galene.core.calculations.declaring import Calculation, asked, check_ranges
from galene.core.calculations.strict import STRICT
from galene.core.errors import require
from galene.core.learning.growth import (
    DUTY_WORDS,
    FED_FACTOR,
    PERCENT_PER_GRADE,
    READ_TO,
    Measure,
    Visit,
    due,
    duty_prior,
    learned_rate,
)

THRESHOLD_PERCENT = 2 * PERCENT_PER_GRADE
"""Area lost at which a part is due where nothing else is said: grade 2."""
THRESHOLD_GRADE = 2.0
MOST = 500
"""Cleanings of one part that a history may hold."""


@dataclass(frozen=True, kw_only=True)
class HistoryEntry:
    """A cleaning: exposure then, what was found, what was left."""

    distance_km: float | None = field(
        default=None, metadata=asked(label="Odometer, km", low=0, high=5_000_000, unit="km")
    )
    hours: float | None = field(
        default=None, metadata=asked(label="Hours", low=0, high=500_000, unit="h")
    )
    open_area_percent: float | None = field(
        default=None, metadata=asked(label="Open area found, %", low=1, high=100, unit="%")
    )
    grade: float | None = field(
        default=None, metadata=asked(label="Grade found", low=0, high=4, unit="")
    )
    left_open_area_percent: float | None = field(
        default=None, metadata=asked(label="Open area left, %", low=1, high=100, unit="%")
    )
    left_grade: float | None = field(
        default=None, metadata=asked(label="Grade left", low=0, high=4, unit="")
    )
    cured: bool = False
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True, kw_only=True)
class NextDueInput:
    """Visits of one part, its duty, and how far the deposit may grow."""

    history: list[HistoryEntry] = field(
        metadata=asked(
            rows=(
                ("62000", "", "88", "", "99", ""),
                ("98000", "", "86", "", "100", ""),
            )
        )
    )
    duty: list[str] | str = field(
        default="",
        metadata=asked(label="Duty", choices=tuple(DUTY_WORDS.items())),
    )
    threshold_percent: float | None = field(
        default=None,
        metadata=asked(label="Area that may be lost, %", low=1, high=90, unit="%", start="12"),
    )
    threshold_grade: float | None = field(
        default=None, metadata=asked(label="Or the grade", low=1, high=4, unit="")
    )
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True, kw_only=True)
class NextDueResult:
    """When it is due, as median and 80 % interval on the history's own scale.

    `rate` is the growth per km or hour: percent of the area, or grades.
    """

    rate: float
    rate_unit: str
    due_at: float
    low: float
    high: float
    reason: str
    verdict: str
    sentence: str


def _scale(history: list[HistoryEntry]) -> tuple[bool, Measure]:
    """Whether hours count, and whether area or grade was measured."""
    require(bool(history), "history", [], allowed="at least one cleaning")
    hours = history[0].hours is not None
    area = any(
        e.open_area_percent is not None or e.left_open_area_percent is not None for e in history
    )
    for i, entry in enumerate(history):
        here = entry.hours if hours else entry.distance_km
        other = entry.distance_km if hours else entry.hours
        require(
            here is not None and other is None,
            f"history[{i}].{'hours' if hours else 'distance_km'}",
            here,
            allowed="distance_km in every entry, or hours in every entry",
        )
        by_grade = entry.grade is not None or entry.left_grade is not None
        require(
            not (area and by_grade),
            f"history[{i}].grade",
            entry.grade,
            allowed="open area in every entry, or a grade in every entry",
        )
    return hours, "area" if area else "grade"


def _visits(history: list[HistoryEntry], hours: bool, measure: Measure) -> list[Visit]:
    found: list[Visit] = []
    for i, entry in enumerate(history):
        at = (entry.hours if hours else entry.distance_km) or 0.0
        where = f"history[{i}]"
        if found:
            name = "hours" if hours else "distance_km"
            require(at > found[-1].at, f"{where}.{name}", at, allowed=f"more than {found[-1].at:g}")
        if measure == "area":
            seen = None if entry.open_area_percent is None else 100 - entry.open_area_percent
            left = 0.0
            if entry.left_open_area_percent is not None:
                left = 100 - entry.left_open_area_percent
            field_name, value = "left_open_area_percent", entry.left_open_area_percent
        else:
            seen, left = entry.grade, entry.left_grade or 0.0
            field_name, value = "left_grade", entry.left_grade
        require(
            seen is None or left <= seen + 2 * READ_TO[measure],
            f"{where}.{field_name}",
            value,
            allowed="no more deposit left than was found",
        )
        found.append(Visit(at=at, found=seen, left=left, cured=entry.cured))
    require(
        any(v.found is not None for v in found),
        "history",
        len(found),
        allowed="what was found, at one visit at least: open_area_percent or grade",
    )
    return found


def _limit(given: NextDueInput, measure: Measure) -> float:
    if measure == "area":
        require(
            given.threshold_grade is None,
            "threshold_grade",
            given.threshold_grade,
            allowed="threshold_percent, as the history is of open areas",
        )
        return given.threshold_percent if given.threshold_percent is not None else THRESHOLD_PERCENT
    require(
        given.threshold_percent is None,
        "threshold_percent",
        given.threshold_percent,
        allowed="threshold_grade, as the history is of grades",
    )
    return given.threshold_grade if given.threshold_grade is not None else THRESHOLD_GRADE


def next_due(given: NextDueInput) -> NextDueResult:
    """When the deposit will have grown to the limit.

    Parameters
    ----------
    given.history : cleanings in order, km or hours throughout, open areas or grades throughout
    given.duty : word or words of the vocabulary; the hardest counts
    given.threshold_percent, given.threshold_grade : area lost or grade that is the limit

    Raises
    ------
    InputError
        An empty, mixed or disordered history, an unknown duty, a limit of the other measure.

    Notes
    -----
    See `galene.core.learning.growth`. What was mended at a visit as the feed of the deposit
    (``cured``) slows the growth from there on.
    """
    require(
        len(given.history) <= MOST, "history", len(given.history), allowed=f"up to {MOST} entries"
    )
    check_ranges(given)
    hours, measure = _scale(given.history)
    visits = _visits(given.history, hours, measure)
    words = [given.duty] if isinstance(given.duty, str) else list(given.duty)
    duty = [w for w in words if w]
    prior = duty_prior(duty, measure, hours)
    rate = learned_rate(prior, visits, measure)
    last, cured = visits[-1], any(v.cured for v in visits)
    limit = _limit(given, measure)
    found = due(rate, since=last.at, left=last.left, limit=limit, cured=cured)
    unit = "h" if hours else "km"
    what = "percent of the area" if measure == "area" else "grades"
    hardest = min(duty, key=lambda d: duty_prior([d], measure, hours).mean, default="")
    usual = DUTY_WORDS[hardest] if duty else DUTY_WORDS[""]
    reason = (
        f"{rate.intervals} interval{'s' if rate.intervals != 1 else ''} of its own, and what is"
        f" usual for {usual}" + ("; slower since what feeds it was mended" if cured else "")
    )
    over = last.left >= limit
    return NextDueResult(
        rate=rate.usual / (FED_FACTOR if cured else 1.0),
        rate_unit=f"{what} per {unit}",
        due_at=found.at,
        low=found.low,
        high=found.high,
        reason=reason,
        verdict="due_now" if over else "due",
        sentence=(
            "It was left beyond the limit: due now."
            if over
            else f"Due at about {_round(found.at)} {unit}, with four chances in five between"
            f" {_round(found.low)} and {_round(found.high)}: {reason}."
        ),
    )


def _round(value: float) -> str:
    """Two or three figures that mean something."""
    step = 500 if value >= 10_000 else 50 if value >= 1000 else 5
    return f"{round(value / step) * step:,}".replace(",", " ")


CALCULATION = Calculation(
    name="next-due",
    title="Next due",
    question="When will the deposit have grown too far again?",
    takes=NextDueInput,
    run=next_due,
    place=20,
)
