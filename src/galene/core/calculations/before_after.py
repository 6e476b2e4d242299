"""The gain, or its absence, with its uncertainty and only where the two sets may be compared:
`before-after`."""

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, ClassVar

from galene.core.calculations.declaring import Asked, Calculation, FormEntry, InputForm, asked
from galene.core.errors import require, require_range
from galene.core.statistics import mean, welch
from galene.core.units import QUANTITIES, convert

STRICT: dict[str, Any] = {"extra": "forbid"}


@dataclass(frozen=True, kw_only=True)
class Metric:
    """What is measured before and after.

    `better` is lower, higher or toward; `target` is the value to be near for toward. `meaningful`
    is the smallest change that a technician should call one, in the kept unit, or `share` of the
    value before where that is more: what counts on a small engine is noise on a large one.
    `ground` says where that size comes from.
    """

    id: str
    label: str
    quantity: str
    better: str
    meaningful: float
    ground: str
    share: float = 0.0
    target: float | None = None
    low: float = 0.0
    high: float = 1e6

    def counts_from(self, before: float) -> float:
        """Smallest change that counts, from a value before, both in the kept unit."""
        return max(self.meaningful, self.share * abs(before))

    def daily_from(self, before: float) -> float:
        """Standard deviation of a sound engine's mean from one day to the next, kept unit: what
        counts is, by its ground, what two days differ by at most in nineteen cases of twenty."""
        return self.counts_from(before) / (NINETEEN_OF_TWENTY * math.sqrt(2.0))


NINETEEN_OF_TWENTY = 1.96
"""Standard deviations within which a normal error lies in 95 %."""


METRICS: dict[str, Metric] = {
    m.id: m
    for m in (
        Metric(
            id="idle_rpm",
            label="Idle speed",
            quantity="speed",
            better="toward",
            meaningful=25,
            ground="idle control holds 25 rpm on a healthy engine",
            target=None,
            low=200,
            high=3000,
        ),
        Metric(
            id="idle_rpm_spread",
            label="Idle speed spread",
            quantity="speed",
            better="lower",
            meaningful=5,
            share=0.5,
            ground="a healthy idle's own spread wanders by 5 rpm, a rough one's by half",
            target=None,
            low=0,
            high=2000,
        ),
        Metric(
            id="idle_map_kpa",
            label="Manifold pressure at idle",
            quantity="pressure",
            better="lower",
            meaningful=1.0,
            ground="one step of a common sensor and display",
            target=None,
            low=10,
            high=110,
        ),
        Metric(
            id="idle_airflow_g_s",
            label="Air at idle",
            quantity="airflow",
            better="lower",
            meaningful=0.15,
            ground="about 5 % of a small engine's idle air",
            share=0.05,
            target=None,
            low=0.1,
            high=60,
        ),
        Metric(
            id="learned_throttle_percent",
            label="Throttle opening at idle",
            quantity="share",
            better="lower",
            meaningful=0.5,
            ground="two steps of a common display",
            target=None,
            low=0,
            high=60,
        ),
        Metric(
            id="trim_idle_percent",
            label="Total fuel trim at idle",
            quantity="share",
            better="toward",
            meaningful=2.0,
            ground="trims wander by 2 % on a healthy engine",
            target=0.0,
            low=-60,
            high=100,
        ),
        Metric(
            id="trim_cruise_percent",
            label="Total fuel trim at steady revs",
            quantity="share",
            better="toward",
            meaningful=2.0,
            ground="trims wander by 2 % on a healthy engine",
            target=0.0,
            low=-60,
            high=100,
        ),
        Metric(
            id="meter_ratio_percent",
            label="Meter against expected air",
            quantity="share",
            better="toward",
            meaningful=4.0,
            ground="repeatability of speed-density with one engine",
            target=100.0,
            low=1,
            high=400,
        ),
        Metric(
            id="open_area_percent",
            label="Open bore area",
            quantity="share",
            better="higher",
            meaningful=3.0,
            ground="bore gauge read to 0.2 mm on 50 mm",
            target=None,
            low=0,
            high=100,
        ),
        Metric(
            id="egr_area_mm2",
            label="Open recirculation passage",
            quantity="area",
            better="higher",
            meaningful=1.0,
            ground="a fifth of a small orifice",
            share=0.2,
            target=None,
            low=0,
            high=5000,
        ),
        Metric(
            id="full_load_airflow_g_s",
            label="Air at full load",
            quantity="airflow",
            better="higher",
            meaningful=2.0,
            ground="3 % of a small engine's full-load air",
            share=0.03,
            target=None,
            low=1,
            high=3000,
        ),
        Metric(
            id="boost_kpa",
            label="Charge pressure",
            quantity="pressure",
            better="higher",
            meaningful=4.0,
            ground="repeatability of one road pull",
            share=0.02,
            target=None,
            low=50,
            high=600,
        ),
        Metric(
            id="fuel_l_100km",
            label="Fuel economy",
            quantity="economy",
            better="lower",
            meaningful=0.3,
            ground="two tank fills on the same route",
            share=0.03,
            target=None,
            low=0.5,
            high=200,
        ),
    )
}
"""Every metric with its own meaningful size. Sizes are this project's defaults for small
engines."""


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
class Conditions:
    """How the engine stood when the set was taken. `warm`: said by hand of one that is cooled by
    air, which has no coolant to read; `load`: switched loads that were on; `mode`: the drive mode
    that was set; `gear`: the gear or the range that was engaged."""

    rpm: float | None = None
    coolant_c: float | None = None
    warm: bool | None = None
    intake_c: float | None = None
    load: list[str] | str | None = None
    codes_active: list[str] | bool | None = None
    protective_mode: bool | None = None
    altitude_m: float | None = None
    mode: str | None = None
    gear: str | None = None
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True)
class BothConditions:
    """Conditions of the two sets."""

    before: Conditions
    after: Conditions
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


RPM_SHARE, COOLANT_GAP_C, WARM_C, INTAKE_NOTE_C = 0.05, 10.0, 70.0, 15.0
PROTECTIVE_CODES = frozenset(
    ["P0638", "P2135", "P2176"]
    + [f"P{n}" for n in range(2100, 2120)]
    + [f"P0{n}" for n in (*range(120, 125), *range(220, 225))]
)
"""Throttle control and throttle position codes: with one active the control unit commonly limits
the throttle."""


def loads_of(load: list[str] | str | None) -> frozenset[str] | None:
    if load is None:
        return None
    names = load.replace(",", " ").split() if isinstance(load, str) else load
    return frozenset(
        n.strip().casefold()
        for n in names
        if n.strip() and n.strip().casefold() not in {"none", "off"}
    )


def protective_reason(conditions: Conditions) -> str | None:
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


def in_range(name: str, side: Conditions) -> None:
    """Raise `InputError` where a condition can not be."""
    for field_name, value, low, high, unit in (
        ("rpm", side.rpm, 0, 20000, "1/min"),
        ("coolant_c", side.coolant_c, -40, 140, "degC"),
        ("intake_c", side.intake_c, -40, 150, "degC"),
        ("altitude_m", side.altitude_m, -500, 6000, "m"),
    ):
        if value is not None:
            require_range(f"conditions.{name}.{field_name}", value, low, high=high, unit=unit)


def heat_differs(before: Conditions, after: Conditions) -> list[str]:
    """Why the heat of two sets spoils their comparison: by the coolant, or by the hand's word for
    an engine that has none."""
    if before.warm is not None and after.warm is not None:
        said = (("before", before.warm), ("after", after.warm))
        return [f"{name}: the engine was not warm" for name, warm in said if not warm]
    if before.coolant_c is None or after.coolant_c is None:
        return ["coolant temperature was not recorded for both sets"]
    coolants = (("before", before.coolant_c), ("after", after.coolant_c))
    reasons = [
        f"{name}: coolant at {coolant:.0f} °C, it must be above {WARM_C:.0f}"
        for name, coolant in coolants
        if coolant <= WARM_C
    ]
    if abs(after.coolant_c - before.coolant_c) > COOLANT_GAP_C:
        stood = " and ".join(f"{coolant:.0f}" for _, coolant in coolants)
        reasons.append(f"coolant differs by more than 10 °C: {stood} °C")
    return reasons


ALTITUDE_GAP_M = 300.0
"""Height between two sets from which the air outside differs by more than the weather moves it
(3.5 kPa, ISO 2533)."""


def unlike(before: Conditions, after: Conditions) -> list[str]:
    """What differs of two sets that must be alike whatever was at fault: heat, switched loads,
    height, mode, gear, and a control unit in no protective mode.

    Raises
    ------
    InputError
        A condition that can not be.
    """
    reasons: list[str] = []
    for name, side in (("before", before), ("after", after)):
        in_range(name, side)
        protective = protective_reason(side)
        if protective:
            reasons.append(f"{name}: {protective}")
    reasons += heat_differs(before, after)
    loads = loads_of(before.load), loads_of(after.load)
    if loads[0] is None or loads[1] is None:
        reasons.append("the load switches were not recorded for both sets")
    elif loads[0] != loads[1]:
        reasons.append(f"different loads were on: {', '.join(sorted(loads[0] ^ loads[1]))}")
    if (
        before.altitude_m is not None
        and after.altitude_m is not None
        and abs(after.altitude_m - before.altitude_m) > ALTITUDE_GAP_M
    ):
        reasons.append(
            f"the sets were taken at {before.altitude_m:.0f} and {after.altitude_m:.0f} m"
        )
    for word, old, new in (
        ("mode", before.mode, after.mode),
        ("gear", before.gear, after.gear),
    ):
        if old is not None and new is not None and old.casefold() != new.casefold():
            reasons.append(f"another {word} was set: {old} and {new}")
    return reasons


def held_speed_differs(before: Conditions, after: Conditions) -> list[str]:
    """Why two speeds that were set by hand spoil the comparison."""
    if before.rpm is None or after.rpm is None:
        return ["engine speed was not recorded for both sets"]
    if abs(after.rpm - before.rpm) > RPM_SHARE * before.rpm:
        return [f"speed differs by more than 5 %: {before.rpm:.0f} and {after.rpm:.0f} rpm"]
    return []


def comparability(before: Conditions, after: Conditions) -> tuple[list[str], list[str]]:
    """Reasons why two sets can not be compared (empty: they can), and notes that only weaken the
    comparison.

    Speeds within 5 %, coolant within 10 degrees C and both above 70, the same load switches, no
    protective mode. A condition that nobody recorded is a reason, as it can not be vouched for.
    """
    reasons = unlike(before, after)
    # Where its place in the order was: behind a protective mode, before the heat.
    protective = sum(bool(protective_reason(side)) for side in (before, after))
    reasons[protective:protective] = held_speed_differs(before, after)
    notes: list[str] = []
    if (
        before.intake_c is not None
        and after.intake_c is not None
        and abs(after.intake_c - before.intake_c) > INTAKE_NOTE_C
    ):
        notes.append(
            f"intake air differs by {abs(after.intake_c - before.intake_c):.0f} °C: airflow"
            " shifts a little with it"
        )
    return reasons, notes


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
    sides: list[Mapping[str, tuple[Metric, list[float]]]] = []
    for name, values in (("before", given.before), ("after", given.after)):
        require(len(values) > 0, name, values, allowed="at least one metric")
        found: dict[str, tuple[Metric, list[float]]] = {}
        for i, value in enumerate(values):
            require(
                value.metric not in found,
                f"{name}[{i}].metric",
                value.metric,
                allowed="each metric once",
            )
            found[value.metric] = kept_samples(f"{name}[{i}]", value)
        sides.append(found)
    for metric_id in given.targets:
        require(metric_id in METRICS, "targets", metric_id, allowed=", ".join(METRICS))
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
                    metric=metric_id,
                    unit=QUANTITIES[metric.quantity].kept.id,
                    before=only if side == "after" else None,
                    after=only if side == "before" else None,
                    change=None,
                    change_percent=None,
                    low=None,
                    high=None,
                    verdict="not_comparable",
                    reason=f"no {side} value",
                )
            )
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
    judged = [c.verdict for c in changes if c.verdict != "not_comparable"]
    if reasons or not judged:
        verdict = "not_comparable"
        sentence = (
            "The two sets can not be compared: "
            + (reasons[0] if reasons else "they share no metric")
            + "."
        )
    elif "worse" in judged:
        verdict, sentence = (
            "worse",
            "Something got worse: " + _names(changes, "worse") + ". Find out why before handover.",
        )
    elif "improved" in judged:
        verdict, sentence = "improved", "Proven better: " + _names(changes, "improved") + "."
    elif "changed" in judged:
        verdict, sentence = (
            "changed",
            f"Changed by single readings: {_names(changes, 'changed')}. Take several a side.",
        )
    else:
        verdict, sentence = "unchanged", "No change that counts. The cause may lie elsewhere."
    return BeforeAfterResult(
        metrics=changes,
        verdict=verdict,
        comparable=not reasons,
        reasons=reasons,
        notes=notes,
        sentence=sentence,
    )


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
