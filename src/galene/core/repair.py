"""What to do first when several things may be wrong, and whether fuel use changed:
`repair-sequence`, `fuel-economy-change`."""

import math
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import combinations
from typing import Any, ClassVar

from galene.core.errors import need, within
from galene.core.statistics import t_quantile

STRICT: dict[str, Any] = {"extra": "forbid"}
EXACT_UP_TO = 8
ENOUGH_L_100KM = 0.02
"""A change of fuel use below two percent is not felt at the pump (project default)."""


@dataclass(frozen=True, kw_only=True)
class Action:
    """Something that can be done: the causes that it mends, the chance that it does, its own
    minutes, parts, and access by operation id.

    `replaces` says that it puts in a new part where something else could be tried.
    """

    id: str
    mends: list[str]
    success: float
    minutes: float
    parts_cost: float
    access: list[str] = field(default_factory=list)
    replaces: bool = False
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True, kw_only=True)
class RepairInput:
    """Actions, the chance of each cause (one of them is at fault), money an hour, and the minutes
    of each operation of access."""

    actions: list[Action]
    posterior: dict[str, float]
    hourly_rate: float
    access_minutes: dict[str, float] = field(default_factory=dict)
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True)
class RepairStep:
    """An action in its place: the chance that the search ends with it, and its cost times the
    chance of getting there."""

    id: str
    chance_it_ends_here: float
    expected_cost: float


@dataclass(frozen=True)
class RepairPlan:
    """An order with what it costs on average."""

    order: tuple[RepairStep, ...]
    expected_cost: float


@dataclass(frozen=True, kw_only=True)
class RepairResult:
    """The cheapest order on average, against new parts first."""

    order: tuple[RepairStep, ...]
    expected_cost: float
    replace_first: RepairPlan
    verdict: str
    sentence: str


def _cost(
    action: Action,
    opened: Collection[str],
    access_minutes: Mapping[str, float],
    *,
    hourly_rate: float,
) -> tuple[float, float]:
    """Minutes and money of an action where some access is open already."""
    minutes = action.minutes + sum(
        access_minutes.get(a, 0.0) for a in action.access if a not in opened
    )
    return minutes, action.parts_cost + minutes / 60 * hourly_rate


def chance_over_cost(
    actions: Sequence[Action],
    posterior: Mapping[str, float],
    access_minutes: Mapping[str, float],
    *,
    hourly_rate: float,
) -> list[tuple[Action, float, float]]:
    """Actions with their minutes and money, each next one the best chance for the money once those
    before are done.

    What one action has opened costs the next one nothing.
    """
    left, opened, rest, order = dict(posterior), set[str](), list(actions), []

    def worth(action: Action) -> float:
        chance = sum(left.get(c, 0.0) for c in action.mends) * action.success
        return chance / max(_cost(action, opened, access_minutes, hourly_rate=hourly_rate)[1], 1e-9)

    while rest:
        action = max(rest, key=worth)
        rest.remove(action)
        order.append((action, *_cost(action, opened, access_minutes, hourly_rate=hourly_rate)))
        opened.update(action.access)
        for cause in action.mends:
            left[cause] = left.get(cause, 0.0) * (1 - action.success)
    return order


def _priced(
    actions: Sequence[Action], posterior: Mapping[str, float], given: RepairInput
) -> RepairPlan:
    left, opened, reached, steps = dict(posterior), set[str](), 1.0, []
    for action in actions:
        _, cost = _cost(action, opened, given.access_minutes, hourly_rate=given.hourly_rate)
        opened.update(action.access)
        ends = sum(left.get(c, 0.0) for c in action.mends) * action.success
        steps.append(RepairStep(action.id, ends, cost * reached))
        for cause in action.mends:
            left[cause] = left.get(cause, 0.0) * (1 - action.success)
        reached -= ends
    return RepairPlan(tuple(steps), sum(s.expected_cost for s in steps))


def _exact(given: RepairInput, posterior: Mapping[str, float]) -> list[Action]:
    """The cheapest of all orders. What is open and how likely the search goes on depend on what was
    done, not on its order, so it is enough to know the best order for each set of actions (Held and
    Karp, 1962)."""
    actions = given.actions
    best: dict[frozenset[int], tuple[float, tuple[int, ...]]] = {frozenset(): (0.0, ())}
    for size in range(len(actions)):
        for done in map(frozenset, combinations(range(len(actions)), size)):
            so_far, order = best[done]
            opened = {a for i in done for a in actions[i].access}
            left = dict(posterior)
            for i in done:
                for cause in actions[i].mends:
                    left[cause] = left.get(cause, 0.0) * (1 - actions[i].success)
            reached = 1 - sum(posterior.values()) + sum(left.values())
            for i in range(len(actions)):
                if i in done:
                    continue
                cost = (
                    so_far
                    + reached
                    * _cost(
                        actions[i], opened, given.access_minutes, hourly_rate=given.hourly_rate
                    )[1]
                )
                if (after := done | {i}) not in best or cost < best[after][0]:
                    best[after] = (cost, (*order, i))
    return [actions[i] for i in best[frozenset(range(len(actions)))][1]]


def repair_sequence(given: RepairInput) -> RepairResult:
    """Order of repair with the least expected cost; each next action is done only if those before
    did not end it.

    Raises
    ------
    InputError
        No action, an id twice, chances outside 0 to 1.

    Notes
    -----
    Without shared access probability over cost is optimal (Kadane and Simon, 1977); with it, the
    best order of up to eight actions is exact, beyond that the rule is applied step by step.
    Chances that add to more than one are scaled to one.
    """
    need(bool(given.actions), "actions", [], allowed="at least one action")
    ids = [a.id for a in given.actions]
    need(len(set(ids)) == len(ids), "actions", ids, allowed="each id once")
    within("hourly_rate", given.hourly_rate, 0, high=1000)
    for i, action in enumerate(given.actions):
        within(f"actions[{i}].success", action.success, 0, high=1)
        within(f"actions[{i}].minutes", action.minutes, 0, high=10_000, unit="min")
        within(f"actions[{i}].parts_cost", action.parts_cost, 0, high=1e6)
    for cause, chance in given.posterior.items():
        within(f"posterior.{cause}", chance, 0, high=1)
    for name, minutes in given.access_minutes.items():
        within(f"access_minutes.{name}", minutes, 0, high=10_000, unit="min")
    total = sum(given.posterior.values())
    posterior = (
        {c: p / total for c, p in given.posterior.items()} if total > 1 else dict(given.posterior)
    )
    if len(given.actions) <= EXACT_UP_TO:
        order = _exact(given, posterior)
    else:
        order = [
            a
            for a, _, _ in chance_over_cost(
                given.actions, posterior, given.access_minutes, hourly_rate=given.hourly_rate
            )
        ]
    best = _priced(order, posterior, given)
    replaced = _priced(_new_parts_first(given.actions, posterior), posterior, given)
    saved = replaced.expected_cost - best.expected_cost
    sentence = (
        f"Begin with {best.order[0].id}: {best.expected_cost:.0f} on average, {saved:.0f} less than"
        " new parts first."
    )
    return RepairResult(
        order=best.order,
        expected_cost=best.expected_cost,
        replace_first=replaced,
        verdict="found",
        sentence=sentence,
    )


def _new_parts_first(actions: Sequence[Action], posterior: Mapping[str, float]) -> list[Action]:
    """As parts are changed by guess: new ones first, the likeliest first; the dearest first where
    no action is named as a new part."""
    if not any(a.replaces for a in actions):
        return sorted(actions, key=lambda a: -a.parts_cost)
    return sorted(
        actions, key=lambda a: (not a.replaces, -sum(posterior.get(c, 0.0) for c in a.mends))
    )


@dataclass(frozen=True)
class Fill:
    """A tank filled: litres, and the km driven since the fill before."""

    litres: float
    km: float
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True)
class EconomyInput:
    """Fills before and after the work."""

    before: list[Fill]
    after: list[Fill]
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True, kw_only=True)
class EconomyResult:
    """l/100 km before and after with 95 % intervals (None from a single fill)."""

    before_l_100km: float
    before_low: float | None
    before_high: float | None
    after_l_100km: float
    after_low: float | None
    after_high: float | None
    change_percent: float
    verdict: str
    sentence: str


def _use(fills: Sequence[Fill]) -> tuple[float, float | None]:
    """l/100 km as total over total, and the half width of its 95 % interval (ratio estimator,
    Cochran, *Sampling Techniques*, 2.11)."""
    km = sum(f.km for f in fills)
    ratio = sum(f.litres for f in fills) / km
    n = len(fills)
    if n < 2:
        return 100 * ratio, None
    spread = sum((f.litres - ratio * f.km) ** 2 for f in fills) / (n - 1)
    return 100 * ratio, 100 * t_quantile(n - 1) * math.sqrt(n * spread) / km


def fuel_economy_change(given: EconomyInput) -> EconomyResult:
    """Did the fuel use change?

    Raises
    ------
    InputError
        No fill on a side, litres or km that can not be.

    Notes
    -----
    Total fuel over total distance, never the mean of ratios: a short fill would weigh as much as a
    long one.
    """
    for side in ("before", "after"):
        fills: list[Fill] = getattr(given, side)
        need(bool(fills), side, [], allowed="at least one fill")
        for i, fill in enumerate(fills):
            within(f"{side}[{i}].litres", fill.litres, 0.1, high=2000, unit="litres")
            within(f"{side}[{i}].km", fill.km, 1, high=10_000, unit="km")
    (old, old_half), (new, new_half) = _use(given.before), _use(given.after)
    change = 100 * (new - old) / old
    if old_half is None or new_half is None:
        verdict = "not_enough"
        sentence = (
            f"{old:.2f} to {new:.2f} l/100 km. With a single fill on a side nobody knows how sure"
            " that is: two each at least."
        )
    else:
        clear = (
            abs(new - old) > math.hypot(old_half, new_half)
            and abs(new - old) > ENOUGH_L_100KM * old
        )
        verdict = "unchanged" if not clear else "improved" if new < old else "worse"
        words = {
            "improved": "less than before",
            "worse": "more than before",
            "unchanged": "no change beyond the scatter of the fills",
        }[verdict]
        sentence = f"{old:.2f} to {new:.2f} l/100 km: {words}."

    def ends(value: float, half: float | None) -> tuple[float | None, float | None]:
        return (None, None) if half is None else (value - half, value + half)

    old_low, old_high = ends(old, old_half)
    new_low, new_high = ends(new, new_half)
    return EconomyResult(
        before_l_100km=old,
        before_low=old_low,
        before_high=old_high,
        after_l_100km=new,
        after_low=new_low,
        after_high=new_high,
        change_percent=change,
        verdict=verdict,
        sentence=sentence,
    )
