"""The gain, or its absence, with its uncertainty and only where the two sets may be compared:
`before-after`."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any, ClassVar

from galene.core.calculations.conditions import BothConditions, comparability
from galene.core.calculations.declaring import Asked, Calculation, FormEntry, InputForm, asked
from galene.core.calculations.metrics import METRICS, Metric
from galene.core.calculations.strict import STRICT
from galene.core.errors import require, require_range
from galene.core.statistics import mean, welch
from galene.core.units import QUANTITIES, convert

Kept = tuple[Metric, list[float]]
"""A metric and its samples in the unit that is kept."""


@dataclass(frozen=True, kw_only=True)
class MetricValue:
    """One metric: a single `value`, or repeated `samples`, in `unit` (the metric's own where not
    given)."""

    metric: str
    value: float | None = None
    samples: list[float] | None = None
    unit: str | None = None
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True, kw_only=True)
class BeforeAfterInput:
    """Two sets of metrics and their conditions; `targets` overrides what a toward-metric should be
    near."""

    before: list[MetricValue] = field(metadata=asked(most=60))
    after: list[MetricValue] = field(metadata=asked(most=60))
    conditions: BothConditions
    targets: dict[str, float] = field(default_factory=dict)
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True, kw_only=True)
class MetricChange:
    """Change of one metric in its kept unit; `low` and `high` are Welch's 95 % interval with what
    days differ by, where samples were given on both sides."""

    metric: str
    unit: str
    before: float | None
    after: float | None
    change: float | None
    change_percent: float | None
    low: float | None
    high: float | None
    verdict: str
    reason: str


@dataclass(frozen=True, kw_only=True)
class BeforeAfterResult:
    """Per metric and overall: improved, unchanged, worse, changed (by single readings, which prove
    nothing) or not_comparable."""

    metrics: list[MetricChange]
    verdict: str
    comparable: bool
    reasons: list[str]
    notes: list[str]
    sentence: str


def kept_samples(where: str, given: MetricValue) -> tuple[Metric, list[float]]:
    """The metric and its samples in the kept unit (one sample for a single value)."""
    require(given.metric in METRICS, f"{where}.metric", given.metric, allowed=", ".join(METRICS))
    metric = METRICS[given.metric]
    require(
        (given.value is None) != (given.samples is None),
        f"{where}.value",
        given.value,
        allowed="either a value or samples, not both and not neither",
    )
    raw = [given.value] if given.value is not None else list(given.samples or [])
    require(len(raw) > 0, f"{where}.samples", raw, allowed="at least one sample")
    quantity = QUANTITIES[metric.quantity]
    unit = given.unit or quantity.kept.id
    values = [convert(quantity, v, unit, target=quantity.kept.id) for v in raw]
    for value in values:
        require_range(
            f"{where}.{'value' if given.samples is None else 'samples'}",
            value,
            metric.low,
            high=metric.high,
            unit=quantity.kept.id,
        )
    return metric, values


def _judge(
    metric: Metric,
    target: float | None,
    before: list[float],
    *,
    after: list[float],
    compared: int,
) -> MetricChange:
    """One metric of `compared` that are judged together: one in twenty is the chance that any of
    them is called better or worse where nothing was done (Bonferroni)."""
    old, new = mean(before), mean(after)
    change = new - old
    counts = metric.counts_from(old)
    low = high = None
    clear, single = True, len(before) < 2 or len(after) < 2
    if not single:
        daily = metric.daily_from(old)
        difference = welch(before, after, between=daily)
        low, high = difference.low, difference.high
        strict = welch(before, after, between=daily, share=1 - 0.05 / compared)
        clear = strict.low > 0 or strict.high < 0
    if metric.better == "toward" and target is not None:
        gain = abs(old - target) - abs(new - target)
    elif metric.better == "higher":
        gain = change
    else:
        gain = -change
    if metric.better == "toward" and target is None:
        verdict, reason = (
            "unchanged",
            "no target is known for this engine, so a change is not judged",
        )
    elif abs(gain) < counts:
        verdict, reason = (
            "unchanged",
            f"less than {counts:.3g}, the smallest change that counts ({metric.ground})",
        )
    elif not clear:
        verdict, reason = "unchanged", "samples and days scatter as much as they changed"
    elif single:
        verdict = "changed"
        reason = "a single reading on a side: several on both sides would tell gain from chance"
    else:
        verdict = "improved" if gain > 0 else "worse"
        reason = f"more than {counts:.3g}, the smallest change that counts ({metric.ground})"
    unit = QUANTITIES[metric.quantity].kept.id
    percent = change / abs(old) * 100 if old else None
    return MetricChange(
        metric=metric.id,
        unit=unit,
        before=old,
        after=new,
        change=change,
        change_percent=percent,
        low=low,
        high=high,
        verdict=verdict,
        reason=reason,
    )


def before_after(given: BeforeAfterInput) -> BeforeAfterResult:
    """Compare two sets of the same test, if their conditions let them be compared.

    Parameters
    ----------
    given.before, given.after : list of MetricValue, each metric once
    given.conditions : BothConditions
    given.targets : dict of metric to value, kept units

    Raises
    ------
    InputError
        Unknown metric or unit, a metric twice, an impossible figure, an empty set.

    Notes
    -----
    A change counts above the metric's own meaningful size where, with two or more samples on both
    sides, Welch's interval with what days differ by leaves zero out; with a single reading it is
    called changed. Overall: worse beats all else; then improved; then changed; then unchanged.
    """
    old = _metrics_of("before", given.before)
    new = _metrics_of("after", given.after)
    for metric_id in given.targets:
        require(metric_id in METRICS, "targets", metric_id, allowed=", ".join(METRICS))
    reasons, notes = comparability(given.conditions.before, given.conditions.after)
    changes = []
    for metric_id in [*old, *(m for m in new if m not in old)]:
        metric = METRICS[metric_id]
        if metric_id not in old or metric_id not in new:
            changes.append(_only_one(metric, old.get(metric_id), new.get(metric_id)))
            continue
        change = _judge(
            metric,
            given.targets.get(metric_id, metric.target),
            old[metric_id][1],
            after=new[metric_id][1],
            compared=len(set(old) & set(new)),
        )
        if reasons:
            change = MetricChange(
                **{**change.__dict__, "verdict": "not_comparable", "reason": reasons[0]}
            )
        changes.append(change)
    verdict, sentence = _verdict(changes, reasons)
    return BeforeAfterResult(
        metrics=changes,
        verdict=verdict,
        comparable=not reasons,
        reasons=reasons,
        notes=notes,
        sentence=sentence,
    )


def _metrics_of(side: str, values: Sequence[MetricValue]) -> dict[str, Kept]:
    """The metrics of one side, each once, with their samples."""
    require(len(values) > 0, side, values, allowed="at least one metric")
    found: dict[str, Kept] = {}
    for i, value in enumerate(values):
        place = f"{side}[{i}]"
        require(
            value.metric not in found, f"{place}.metric", value.metric, allowed="each metric once"
        )
        found[value.metric] = kept_samples(place, value)
    return found


def _only_one(metric: Metric, old: Kept | None, new: Kept | None) -> MetricChange:
    """A metric that only one side has."""
    return MetricChange(
        metric=metric.id,
        unit=QUANTITIES[metric.quantity].kept.id,
        before=mean(old[1]) if old else None,
        after=mean(new[1]) if new else None,
        change=None,
        change_percent=None,
        low=None,
        high=None,
        verdict="not_comparable",
        reason=f"no {'after' if old else 'before'} value",
    )


def _verdict(changes: list[MetricChange], reasons: Sequence[str]) -> tuple[str, str]:
    """Of the two sets together, and its sentence."""
    judged = [c.verdict for c in changes if c.verdict != "not_comparable"]
    if reasons or not judged:
        why = reasons[0] if reasons else "they share no metric"
        return "not_comparable", f"The two sets can not be compared: {why}."
    if "worse" in judged:
        what = _names(changes, "worse")
        return "worse", f"Something got worse: {what}. Find out why before handover."
    if "improved" in judged:
        return "improved", f"Proven better: {_names(changes, 'improved')}."
    if "changed" in judged:
        what = _names(changes, "changed")
        return "changed", f"Changed by single readings: {what}. Take several a side."
    return "unchanged", "No change that counts. The cause may lie elsewhere."


def _names(changes: list[MetricChange], verdict: str) -> str:
    return ", ".join(METRICS[c.metric].label.lower() for c in changes if c.verdict == verdict)


def _side_by_side(given: dict[str, Any]) -> dict[str, Any]:
    """Both sides typed in one row each, in the contract's shape."""
    found: dict[str, Any] = {
        side: [
            {"metric": row["metric"], "samples": row[side]}
            for row in given["metrics"]
            if row.get(side)
        ]
        for side in ("before", "after")
    }
    found["conditions"] = {
        side: {
            "rpm": given[f"{side}_rpm"],
            "coolant_c": given[f"{side}_coolant"],
            "load": [],
            "codes_active": [],
        }
        for side in ("before", "after")
    }
    return found


FORM = InputForm(
    entries=(
        FormEntry(name="before_rpm", asked=Asked(label="Speed before", start="742", hint="rpm")),
        FormEntry(name="after_rpm", asked=Asked(label="Speed after", start="741", hint="rpm")),
        FormEntry(
            name="before_coolant",
            asked=Asked(label="Coolant before", quantity="temperature", start="91"),
        ),
        FormEntry(
            name="after_coolant",
            asked=Asked(label="Coolant after", quantity="temperature", start="92"),
        ),
    ),
    table="metrics",
    columns=(
        FormEntry(
            name="metric",
            kind=str,
            asked=Asked(
                label="What",
                choices=(
                    ("learned_throttle_percent", "Throttle opening, %"),
                    ("trim_idle_percent", "Trim at idle, %"),
                    ("idle_airflow_g_s", "Air at idle, g/s"),
                    ("idle_map_kpa", "Manifold at idle, kPa"),
                    ("idle_rpm_spread", "Speed spread, rpm"),
                ),
            ),
        ),
        FormEntry(name="before", kind=list[float], asked=Asked(label="Before, samples")),
        FormEntry(name="after", kind=list[float], asked=Asked(label="After, samples")),
    ),
    rows=(
        ("learned_throttle_percent", "6.1 6.3 6.2", "3.4 3.3 3.5"),
        ("trim_idle_percent", "7.1 6.6 7.4", "1.2 0.9 1.6"),
    ),
    shape=_side_by_side,
)
"""A metric's samples of both sides stand side by side, as they are compared."""
CALCULATION = Calculation(
    name="before-after",
    title="Before and after",
    question="Is it proven better, under the same conditions?",
    takes=BeforeAfterInput,
    run=before_after,
    place=19,
    form=FORM,
)
