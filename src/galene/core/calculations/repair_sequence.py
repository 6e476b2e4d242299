"""What to do first when several things may be wrong, and whether fuel use changed:
`repair-sequence`, `fuel-economy-change`."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import combinations
from typing import Any, ClassVar

from galene.core.calculations.declaring import Calculation, asked, check_ranges
from galene.core.calculations.strict import STRICT
from galene.core.errors import require, require_range

EXACT_UP_TO = 8
ENOUGH_L_100KM = 0.02
"""A change of fuel use below two percent is not felt at the pump (project default)."""


@dataclass(frozen=True, kw_only=True)
class Action:
    """Something that can be done: the causes that it mends, the chance that it does, its own
    minutes, parts, and access by operation id.

    `replaces` says that it puts in a new part where something else could be tried.
    """

    id: str = field(metadata=asked(label="What", text="line"))
    mends: list[str] = field(metadata=asked(label="Mends", text="line"))
    success: float = field(metadata=asked(label="Succeeds, a share", low=0, high=1))
    minutes: float = field(metadata=asked(label="Minutes", low=0, high=10000, unit="min"))
    parts_cost: float = field(metadata=asked(label="Parts", low=0, high=1000000.0))
    access: list[str] = field(default_factory=list, metadata=asked(label="Through", text="line"))
    replaces: bool = False
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True, kw_only=True)
class RepairInput:
    """Actions, the chance of each cause (one of them is at fault), money an hour, and the minutes
    of each operation of access."""

    actions: list[Action] = field(
        metadata=asked(
            most=60,
            rows=(
                ("clean the passage", "egr_passage_plugged", "0.9", "60", "12", "valve_off"),
                ("new valve", "egr_valve_electrical", "0.95", "30", "228", "valve_off"),
            ),
        )
    )
    posterior: dict[str, float] = field(
        metadata=asked(
            label="Causes with their chance",
            start="egr_passage_plugged 0.7, egr_valve_electrical 0.2",
            text="line",
        )
    )
    hourly_rate: float = field(metadata=asked(label="Rate an hour", start="72", low=0, high=1000))
    access_minutes: dict[str, float] = field(
        default_factory=dict,
        metadata=asked(label="Minutes of access", start="valve_off 25", text="line"),
    )
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

    Parameters
    ----------
    actions : what can be done, ids once each
    posterior : cause to its chance, 0 to 1
    access_minutes : operation to its minutes, off and on
    hourly_rate : money an hour, 0 and more
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
    check_ranges(given)
    require(bool(given.actions), "actions", [], allowed="at least one action")
    ids = [a.id for a in given.actions]
    require(len(set(ids)) == len(ids), "actions", ids, allowed="each id once")
    for cause, chance in given.posterior.items():
        require_range(f"posterior.{cause}", chance, 0, high=1)
    for name, minutes in given.access_minutes.items():
        require_range(f"access_minutes.{name}", minutes, 0, high=10_000, unit="min")
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


CALCULATION = Calculation(
    name="repair-sequence",
    title="Repair sequence",
    question="What to do first when several things may be wrong?",
    takes=RepairInput,
    run=repair_sequence,
    place=17,
)
