"""Readings before and after, judged by where they should lie and never by their sign alone."""

from collections.abc import Mapping
from dataclasses import dataclass, field

from galene.core.airpath.family import Band
from galene.core.calculations.before_after import MetricValue, kept_samples
from galene.core.calculations.conditions import (
    Conditions,
    held_speed_differs,
    in_range,
    protective_reason,
    unlike,
)
from galene.core.calculations.metrics import METRICS, Metric
from galene.core.errors import require
from galene.core.proof.records import Direction, ReadingProof, ReadingSide, ReadingWord
from galene.core.statistics import mean, welch
from galene.core.units import QUANTITIES

AT_HELD_SPEED = frozenset(
    {"trim_cruise_percent", "meter_ratio_percent", "full_load_airflow_g_s", "boost_kpa"}
)
"""Metrics that are read at a speed which somebody holds: only these ask that it was the same. The
idle's own speed is what the work moves."""
WITHOUT_CONDITIONS = frozenset({"open_area_percent", "egr_area_mm2", "fuel_l_100km"})
"""Metrics that are no snapshot of a running engine."""
IDEALS: Mapping[str, float] = {
    "idle_rpm_spread": 0.0,
    "trim_idle_percent": 0.0,
    "trim_cruise_percent": 0.0,
    "meter_ratio_percent": 100.0,
    "open_area_percent": 100.0,
}
"""What a reading would be on an engine without fault, where that follows from what it is."""


@dataclass(frozen=True, kw_only=True)
class Sides:
    """Samples of each metric on both sides in kept units, and what spoils their comparison."""

    before: Mapping[str, list[float]] = field(default_factory=dict)
    after: Mapping[str, list[float]] = field(default_factory=dict)
    unlike: tuple[str, ...] = ()
    held_unlike: tuple[str, ...] = ()
    read_unlike: Mapping[str, str] = field(default_factory=dict)
    """Metric to why it was read at another speed or air, empty where it was alike."""
    after_unfit: str = ""
    """Why the set after can not be held even against a band."""


def sides_of(before: ReadingSide | None, after: ReadingSide | None) -> Sides:
    """Both sides, checked.

    Raises
    ------
    InputError
        Unknown metric or unit, a metric twice, an impossible figure or condition.
    """
    samples = tuple(
        _samples(name, side.metrics if side else ())
        for name, side in (("before", before), ("after", after))
    )
    old = before.conditions if before else None
    new = after.conditions if after else None
    for name, conditions in (("before", old), ("after", new)):
        if conditions is not None:
            in_range(name, conditions)
    differs: list[str] = []
    held: list[str] = []
    if before and after and (old is not None or new is not None):
        first, second = old or Conditions(), new or Conditions()
        differs = unlike(first, second)
        held = held_speed_differs(first, second)
    return Sides(
        before=samples[0],
        after=samples[1],
        unlike=tuple(differs),
        held_unlike=tuple(held),
        read_unlike=_read_unlike(before, after) if before and after else {},
        after_unfit=_unfit(new) if new else "",
    )


READ_SHARE = 0.2
"""Share by which the speed or air may differ at which a metric was read on both sides (this
project's default: trims and meter move slowly over it)."""


def _read_unlike(before: ReadingSide, after: ReadingSide) -> dict[str, str]:
    found = {}
    for metric in before.read_at.keys() & after.read_at.keys():
        old, new = before.read_at[metric], after.read_at[metric]
        alike = abs(new - old) <= READ_SHARE * abs(old)
        found[metric] = "" if alike else f"read at {old:.3g} and {new:.3g}"
    return found


def _samples(name: str, metrics: tuple[MetricValue, ...]) -> dict[str, list[float]]:
    found: dict[str, list[float]] = {}
    for i, value in enumerate(metrics):
        where = f"readings.{name}.metrics[{i}]"
        require(value.metric not in found, f"{where}.metric", value.metric, allowed="each once")
        found[value.metric] = kept_samples(where, value)[1]
    return found


def _unfit(conditions: Conditions) -> str:
    protective = protective_reason(conditions)
    if protective:
        return f"after: {protective}"
    if conditions.warm is False:
        return "after: the engine was not warm"
    if conditions.coolant_c is not None and conditions.coolant_c <= 70.0:
        return f"after: coolant at {conditions.coolant_c:.0f} °C, it must be above 70"
    return ""


def judge_readings(
    sides: Sides, *, bands: Mapping[str, Band], directions: Mapping[str, Direction]
) -> tuple[ReadingProof, ...]:
    """Judge every metric that was read after the work or before it.

    Parameters
    ----------
    sides : Sides
    bands : known-good band by metric, kept units
    directions : where the cure of these causes moves a metric, for those without a band

    Notes
    -----
    Into the band is better, out of it worse, inside before and after was good and still is. Without
    a band: nearer to what the reading is on an engine without fault; else the direction of the
    cause; else it is not judged. A change counts where it is larger than the metric's own
    meaningful size and, with samples on both sides, where Welch's 95 % interval leaves zero out.
    """
    order = [*sides.after, *(m for m in sides.before if m not in sides.after)]
    return tuple(
        _judge(METRICS[m], sides, band=bands.get(m), direction=directions.get(m)) for m in order
    )


def _judge(
    metric: Metric, sides: Sides, *, band: Band | None, direction: Direction | None
) -> ReadingProof:
    before, after = sides.before.get(metric.id, []), sides.after.get(metric.id, [])
    old, new = (mean(side) if side else None for side in (before, after))
    loose = metric.id in WITHOUT_CONDITIONS
    unfit = "" if loose else sides.after_unfit
    inside = None if band is None or new is None or unfit else band.low <= new <= band.high
    low = high = None
    if len(before) >= 2 and len(after) >= 2:
        difference = welch(before, after, between=metric.daily_from(mean(before)))
        low, high = difference.low, difference.high
    why_not = () if loose else sides.unlike
    if metric.id in AT_HELD_SPEED and not why_not:
        own = sides.read_unlike.get(metric.id)
        why_not = sides.held_unlike if own is None else (own,) if own else ()
    verdict, words = _verdict(
        metric,
        (old, new),
        band=band,
        direction=direction,
        clear=low is None or high is None or low > 0 or high < 0,
        why_not=why_not[0] if why_not else "",
        unfit=unfit,
    )
    return ReadingProof(
        metric=metric.id,
        verdict=verdict,
        text=f"{metric.label}: {_values(metric, old, new)}, {words}{_span(band)}.",
        reason=words,
        before=old,
        after=new,
        low=low,
        high=high,
        band=band,
        in_band=inside,
    )


def _span(band: Band | None) -> str:
    return "" if band is None else f" (known good {band.low:g} to {band.high:g})"


def _values(metric: Metric, old: float | None, new: float | None) -> str:
    unit = QUANTITIES[metric.quantity].kept
    shown = {"share": "%"}.get(metric.quantity, unit.id)
    decimals = max(unit.decimals, 0)

    def one(value: float) -> str:
        return f"{value:.{decimals}f}"

    if old is None and new is not None:
        return f"{one(new)} {shown} after"
    if new is None and old is not None:
        return f"{one(old)} {shown} before"
    return f"{one(old or 0.0)} before, {one(new or 0.0)} {shown} after"


def _verdict(
    metric: Metric,
    values: tuple[float | None, float | None],
    *,
    band: Band | None,
    direction: Direction | None,
    clear: bool,
    why_not: str,
    unfit: str,
) -> tuple[ReadingWord, str]:
    old, new = values
    if new is None:
        return "not_comparable", "not read again after the work"
    if unfit:
        return "not_comparable", unfit
    now = ""
    if band is not None:
        lies = "inside" if band.low <= new <= band.high else "outside of"
        now = f"{lies} its known-good band"
    if old is None:
        return "not_comparable", f"not read before{', ' + now if now else ''}"
    if why_not:
        return "not_comparable", f"{why_not}{'; now ' + now if now else ''}"
    counts = metric.counts_from(old)
    real = clear and abs(new - old) >= counts
    if band is not None:
        return _by_band(old, new, band, real=real, counts=counts)
    ideal = IDEALS.get(metric.id, metric.target)
    if ideal is not None:
        gain = abs(old - ideal) - abs(new - ideal)
        near = "less than the smallest change that counts"
    elif direction is not None:
        gain = new - old if direction == "higher" else old - new
        near = "less than the smallest change that counts"
    else:
        return "not_comparable", "no good value of this engine is known"
    if not clear or abs(gain) < counts:
        return "unchanged", near if clear else "the samples scatter as much as they changed"
    return ("better", "by more than what counts") if gain > 0 else ("worse", "the wrong way")


def _by_band(
    old: float, new: float, band: Band, *, real: bool, counts: float
) -> tuple[ReadingWord, str]:
    span = "its known-good band"

    def outside(value: float) -> float:
        return max(band.low - value, value - band.high, 0.0)

    was, is_ = outside(old), outside(new)
    if was == 0.0 and is_ == 0.0:
        return "was_good", f"inside {span} before and after"
    if not real:
        return (
            "unchanged",
            f"no change that counts; {'inside' if is_ == 0.0 else 'outside of'} {span}",
        )
    if is_ == 0.0:
        return "better", f"into {span}"
    if was == 0.0:
        return "worse", f"out of {span}"
    if abs(is_ - was) < counts:
        return "unchanged", f"outside of {span} as before"
    if is_ < was:
        return "better", f"nearer to {span}, not inside"
    return "worse", f"farther from {span}"
