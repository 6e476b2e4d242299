"""The gain, or its absence, with its uncertainty and only where the two sets may be compared: `before-after`."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, ClassVar

from galene.core.errors import need, within
from galene.core.statistics import mean, welch
from galene.core.units import QUANTITIES, convert

STRICT: dict[str, Any] = {"extra": "forbid"}


@dataclass(frozen=True)
class Metric:
    """What is measured before and after.

    `better` is lower, higher or toward; `target` is the value to be near for toward. `meaningful` is the smallest
    change that a technician should call one, in the kept unit, and `ground` says where that size comes from.
    """

    id: str
    label: str
    quantity: str
    better: str
    meaningful: float
    ground: str
    target: float | None = None
    low: float = 0.0
    high: float = 1e6


METRICS: dict[str, Metric] = {
    m.id: m
    for m in (
        Metric("idle_rpm", "Idle speed", "speed", "toward", 25, "idle control holds 25 rpm on a healthy engine", None, 200, 3000),
        Metric("idle_rpm_spread", "Idle speed spread", "speed", "lower", 20, "under 20 rpm is not felt", None, 0, 2000),
        Metric("idle_map_kpa", "Manifold pressure at idle", "pressure", "lower", 1.0, "one step of a common sensor and display", None, 10, 110),
        Metric("idle_airflow_g_s", "Air at idle", "airflow", "lower", 0.15, "about 5 % of a small engine's idle air", None, 0.1, 60),
        Metric("learned_throttle_percent", "Throttle opening at idle", "share", "lower", 0.5, "two steps of a common display", None, 0, 60),
        Metric("trim_idle_percent", "Total fuel trim at idle", "share", "toward", 2.0, "trims wander by 2 % on a healthy engine", 0.0, -60, 100),
        Metric("trim_cruise_percent", "Total fuel trim at steady revs", "share", "toward", 2.0, "trims wander by 2 % on a healthy engine", 0.0, -60, 100),
        Metric("meter_ratio_percent", "Meter against expected air", "share", "toward", 4.0, "repeatability of speed-density with one engine", 100.0, 1, 400),
        Metric("open_area_percent", "Open bore area", "share", "higher", 3.0, "bore gauge read to 0.2 mm on 50 mm", None, 0, 100),
        Metric("egr_area_mm2", "Open recirculation passage", "area", "higher", 1.0, "a fifth of a small orifice", None, 0, 5000),
        Metric("full_load_airflow_g_s", "Air at full load", "airflow", "higher", 2.0, "3 % of a small engine's full-load air", None, 1, 3000),
        Metric("boost_kpa", "Charge pressure", "pressure", "higher", 4.0, "repeatability of one road pull", None, 50, 600),
        Metric("fuel_l_100km", "Fuel economy", "economy", "lower", 0.3, "two tank fills on the same route", None, 0.5, 200),
    )
}  # fmt: skip
"""Every metric with its own meaningful size. Sizes are this project's defaults for small engines."""


@dataclass(frozen=True)
class MetricValue:
    """One metric: a single `value`, or repeated `samples`, in `unit` (the metric's own where not given)."""

    metric: str
    value: float | None = None
    samples: list[float] | None = None
    unit: str | None = None
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True)
class Conditions:
    """How the engine stood when the set was taken. `load`: switched loads that were on."""

    rpm: float | None = None
    coolant_c: float | None = None
    intake_c: float | None = None
    load: list[str] | str | None = None
    codes_active: list[str] | bool | None = None
    protective_mode: bool | None = None
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True)
class BothConditions:
    """Conditions of the two sets."""

    before: Conditions
    after: Conditions
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True)
class BeforeAfterInput:
    """Two sets of metrics and their conditions; `targets` overrides what a toward-metric should be near."""

    before: list[MetricValue]
    after: list[MetricValue]
    conditions: BothConditions
    targets: dict[str, float] = field(default_factory=dict)
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True)
class MetricChange:
    """Change of one metric in its kept unit; `low` and `high` are Welch's 95 % interval where samples were given."""

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


@dataclass(frozen=True)
class BeforeAfterResult:
    """Per metric and overall: improved, unchanged, worse or not_comparable."""

    metrics: list[MetricChange]
    verdict: str
    comparable: bool
    reasons: list[str]
    notes: list[str]
    sentence: str


RPM_SHARE, COOLANT_GAP_C, WARM_C, INTAKE_NOTE_C = 0.05, 10.0, 70.0, 15.0
PROTECTIVE_CODES = frozenset(
    ["P0638", "P2135", "P2176"] + [f"P{n}" for n in range(2100, 2120)] + [f"P0{n}" for n in (*range(120, 125), *range(220, 225))]
)
"""Throttle control and throttle position codes: with one active the control unit commonly limits the throttle."""


def _loads(load: list[str] | str | None) -> frozenset[str] | None:
    if load is None:
        return None
    names = load.replace(",", " ").split() if isinstance(load, str) else load
    return frozenset(n.strip().casefold() for n in names if n.strip() and n.strip().casefold() not in {"none", "off"})


def _protective(conditions: Conditions) -> str | None:
    if conditions.protective_mode:
        return "the control unit was in a protective mode"
    if conditions.codes_active is True:
        return "codes were active and a protective mode is not ruled out"
    if isinstance(conditions.codes_active, list):
        active = [c.strip().upper()[:5] for c in conditions.codes_active]
        hit = [c for c in active if c in PROTECTIVE_CODES]
        if hit:
            return f"{', '.join(hit)} was active, which puts the throttle in a protective mode"
    return None


def comparability(before: Conditions, after: Conditions) -> tuple[list[str], list[str]]:
    """Reasons why two sets can not be compared (empty: they can), and notes that only weaken the comparison.

    Speeds within 5 %, coolant within 10 degrees C and both above 70, the same load switches, no protective mode.
    A condition that nobody recorded is a reason, as it can not be vouched for.
    """
    reasons: list[str] = []
    notes: list[str] = []
    for name, side in (("before", before), ("after", after)):
        if side.rpm is not None:
            within(f"conditions.{name}.rpm", side.rpm, 0, 20000, "1/min")
        if side.coolant_c is not None:
            within(f"conditions.{name}.coolant_c", side.coolant_c, -40, 140, "degC")
        if side.intake_c is not None:
            within(f"conditions.{name}.intake_c", side.intake_c, -40, 150, "degC")
        protective = _protective(side)
        if protective:
            reasons.append(f"{name}: {protective}")
    if before.rpm is None or after.rpm is None:
        reasons.append("engine speed was not recorded for both sets")
    elif abs(after.rpm - before.rpm) > RPM_SHARE * before.rpm:
        reasons.append(f"speed differs by more than 5 %: {before.rpm:.0f} and {after.rpm:.0f} rpm")
    if before.coolant_c is None or after.coolant_c is None:
        reasons.append("coolant temperature was not recorded for both sets")
    else:
        for name, coolant in (("before", before.coolant_c), ("after", after.coolant_c)):
            if coolant <= WARM_C:
                reasons.append(f"{name}: coolant at {coolant:.0f} degC, it must be above {WARM_C:.0f}")
        if abs(after.coolant_c - before.coolant_c) > COOLANT_GAP_C:
            reasons.append(f"coolant differs by more than 10 degC: {before.coolant_c:.0f} and {after.coolant_c:.0f} degC")
    loads = _loads(before.load), _loads(after.load)
    if loads[0] is None or loads[1] is None:
        reasons.append("the load switches were not recorded for both sets")
    elif loads[0] != loads[1]:
        reasons.append(f"different loads were on: {', '.join(sorted(loads[0] ^ loads[1]))}")
    if before.intake_c is not None and after.intake_c is not None and abs(after.intake_c - before.intake_c) > INTAKE_NOTE_C:
        notes.append(f"intake air differs by {abs(after.intake_c - before.intake_c):.0f} degC: airflow shifts a little with it")
    return reasons, notes


def _kept(where: str, given: MetricValue) -> tuple[Metric, list[float]]:
    """The metric and its samples in the kept unit (one sample for a single value)."""
    need(given.metric in METRICS, f"{where}.metric", given.metric, ", ".join(METRICS))
    metric = METRICS[given.metric]
    need(
        (given.value is None) != (given.samples is None),
        f"{where}.value",
        given.value,
        "either a value or samples, not both and not neither",
    )
    raw = [given.value] if given.value is not None else list(given.samples or [])
    need(len(raw) > 0, f"{where}.samples", raw, "at least one sample")
    quantity = QUANTITIES[metric.quantity]
    unit = given.unit or quantity.kept.id
    values = [convert(quantity, v, unit, quantity.kept.id) for v in raw]
    for value in values:
        within(f"{where}.{'value' if given.samples is None else 'samples'}", value, metric.low, metric.high, quantity.kept.id)
    return metric, values


def _judge(metric: Metric, target: float | None, before: list[float], after: list[float]) -> MetricChange:
    old, new = mean(before), mean(after)
    change = new - old
    low = high = None
    clear = True
    if len(before) >= 2 and len(after) >= 2:
        difference = welch(before, after)
        low, high = difference.low, difference.high
        clear = low > 0 or high < 0
    if metric.better == "toward" and target is not None:
        gain = abs(old - target) - abs(new - target)
    elif metric.better == "higher":
        gain = change
    else:
        gain = -change
    if metric.better == "toward" and target is None:
        verdict, reason = "unchanged", "no target is known for this engine, so a change is not judged"
    elif not clear:
        verdict, reason = "unchanged", "the samples scatter as much as they changed"
    elif abs(gain) < metric.meaningful:
        verdict, reason = "unchanged", f"less than {metric.meaningful:g}, the smallest change that counts ({metric.ground})"
    else:
        verdict = "improved" if gain > 0 else "worse"
        reason = f"more than {metric.meaningful:g}, the smallest change that counts ({metric.ground})"
    unit = QUANTITIES[metric.quantity].kept.id
    percent = change / abs(old) * 100 if old else None
    return MetricChange(metric.id, unit, old, new, change, percent, low, high, verdict, reason)


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
    A change counts above the metric's own meaningful size and, with two or more samples on both sides, where Welch's
    95 % interval leaves zero out. Overall: worse beats all else; then improved; then unchanged.
    """
    sides: list[Mapping[str, tuple[Metric, list[float]]]] = []
    for name, values in (("before", given.before), ("after", given.after)):
        need(len(values) > 0, name, values, "at least one metric")
        found: dict[str, tuple[Metric, list[float]]] = {}
        for i, value in enumerate(values):
            need(value.metric not in found, f"{name}[{i}].metric", value.metric, "each metric once")
            found[value.metric] = _kept(f"{name}[{i}]", value)
        sides.append(found)
    for metric_id in given.targets:
        need(metric_id in METRICS, "targets", metric_id, ", ".join(METRICS))
    old, new = sides
    reasons, notes = comparability(given.conditions.before, given.conditions.after)
    changes = []
    for metric_id in [*old, *(m for m in new if m not in old)]:
        metric = METRICS[metric_id]
        if metric_id not in old or metric_id not in new:
            side = "after" if metric_id in old else "before"
            only = mean((old.get(metric_id) or new[metric_id])[1])
            changes.append(
                MetricChange(
                    metric_id, QUANTITIES[metric.quantity].kept.id, only if side == "after" else None,
                    only if side == "before" else None, None, None, None, None, "not_comparable", f"no {side} value",
                )
            )  # fmt: skip
            continue
        change = _judge(metric, given.targets.get(metric_id, metric.target), old[metric_id][1], new[metric_id][1])
        if reasons:
            change = MetricChange(**{**change.__dict__, "verdict": "not_comparable", "reason": reasons[0]})
        changes.append(change)
    judged = [c.verdict for c in changes if c.verdict != "not_comparable"]
    if reasons or not judged:
        verdict = "not_comparable"
        sentence = "The two sets can not be compared: " + (reasons[0] if reasons else "they share no metric") + "."
    elif "worse" in judged:
        verdict, sentence = "worse", "Something got worse: " + _names(changes, "worse") + ". Find out why before handover."
    elif "improved" in judged:
        verdict, sentence = "improved", "Proven better: " + _names(changes, "improved") + "."
    else:
        verdict, sentence = "unchanged", "No change that counts. The cause may lie elsewhere."
    return BeforeAfterResult(changes, verdict, not reasons, reasons, notes, sentence)


def _names(changes: list[MetricChange], verdict: str) -> str:
    return ", ".join(METRICS[c.metric].label.lower() for c in changes if c.verdict == verdict)
