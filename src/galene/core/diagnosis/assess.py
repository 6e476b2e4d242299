"""Exact posterior over all sets of up to three causes, reasons, next best check, order of repair.

Method: binary causes with prior odds, noisy-OR links with a leak (Pearl, *Probabilistic Reasoning
in Intelligent Systems*, 1988, section 4.3.2), summed exactly over every set of up to three
simultaneous causes.
"""

import math
from collections.abc import Mapping
from functools import lru_cache
from itertools import combinations
from threading import Lock
from typing import Any

import numpy as np
import numpy.typing as npt
from cachetools import LRUCache, cached

from galene.core.calculations.repair_sequence import Action, chance_over_cost
from galene.core.diagnosis.records import (
    Assessment,
    Case,
    Cause,
    CauseSet,
    Check,
    Danger,
    DangerRule,
    EngineOutline,
    Evidence,
    KnowledgeBase,
    NextCheck,
    Observation,
    Outcome,
    RankedCause,
    Reason,
    Repair,
    RootAsked,
)
from galene.core.errors import InputError, require, require_range

Floats = npt.NDArray[np.float64]
Access = Mapping[str, Mapping[str, float]]
"""Component to the operations that lay it open, each with its hands-on minutes off and on."""
RAISED, FOCUS = 0.25, 6
"""Log-odds that evidence must add for a cause to be in question, and how many such causes are
looked at together."""
DISTANCE_ODDS_KM = 100_000.0
"""Deposits are as likely as their prior says at this distance (project default)."""
TOP = 12
OFFERED = 8
"""Checks that are told, the most telling first."""
FEARED_AT = 0.2
"""A cause that a danger names goes before all other repairs from this probability (project
default)."""
HOURLY_FOR_ORDER = 70.0
"""Money per hour that makes minutes and parts one cost when no rate is given."""


@lru_cache(maxsize=64)
def _sets(count: int) -> Floats:
    """Every set of up to three of `count` causes as rows of zeros and ones."""
    rows = [c for size in range(4) for c in combinations(range(count), size)]
    table = np.zeros((len(rows), count))
    for i, row in enumerate(rows):
        table[i, list(row)] = 1.0
    table.setflags(write=False)
    return table


def causes_of(engine: EngineOutline, knowledge: KnowledgeBase) -> tuple[Cause, ...]:
    """The causes that this engine can have, in the order of the tables."""
    return tuple(c for c in knowledge.causes.values() if c.possible_on(engine))


def is_heard(kind: Evidence, engine: EngineOutline, knowledge: KnowledgeBase) -> bool:
    """Whether a piece of evidence can exist on an engine and says something there: what is not, is
    not asked."""
    if not kind.possible_on(engine):
        return False
    danger = any(kind.id in d.evidence and d.possible_on(engine) for d in knowledge.dangers)
    possible = {c.id for c in causes_of(engine, knowledge)}
    return danger or bool(possible & (set(kind.links) | set(kind.odds)))


def is_offered(check: Check, engine: EngineOutline, knowledge: KnowledgeBase) -> bool:
    """Whether a check can be done on an engine and yields something that is heard there.

    A check that yields no evidence by itself, as one that another needs first, is offered where its
    parts are.
    """
    if not check.possible_on(engine):
        return False
    return not check.yields or any(
        is_heard(knowledge.evidence[e], engine, knowledge) for e in check.yields
    )


def evidence_kind(evidence_id: str, knowledge: KnowledgeBase) -> Evidence:
    """The table's row for an id; ``key_on_one_off:<component>`` is looked up whole.

    Raises
    ------
    InputError
        Unknown id.
    """
    kind = knowledge.evidence.get(evidence_id)
    if kind is None:
        raise InputError("evidence", evidence_id, "an id of the vocabulary")
    return kind


def check_case(case: Case, knowledge: KnowledgeBase) -> None:
    """Refuse a case that can not be: unknown ids, states that are no states, parts that the engine
    lacks."""
    for component in case.engine.components:
        require(
            component in knowledge.components,
            "engine.components",
            component,
            allowed="a component of the vocabulary",
        )
    if case.distance_km is not None:
        require_range("distance_km", case.distance_km, 0, high=5_000_000, unit="km")
    if case.hours is not None:
        require_range("hours", case.hours, 0, high=500_000, unit="h")
    for evidence_id, seen in case.evidence.items():
        kind = evidence_kind(evidence_id, knowledge)
        require(
            seen.state in ("present", "absent", "unknown"),
            f"evidence.{evidence_id}",
            seen.state,
            allowed="present, absent or unknown",
        )
        require_range(f"evidence.{evidence_id}.confidence", seen.confidence, 0.5, high=1.0)
        for component in kind.needs:
            require(
                component in case.engine.components or seen.state != "present",
                f"evidence.{evidence_id}",
                component,
                allowed=f"evidence about parts that the engine has; it has no {component}",
            )
    for check in case.done_checks:
        require(
            check in knowledge.checks, "done_checks", check, allowed="a check of the vocabulary"
        )


def _prior_log_odds(case: Case, causes: tuple[Cause, ...], knowledge: KnowledgeBase) -> Floats:
    odds = np.array([math.log(c.prior / (1 - c.prior)) for c in causes])
    odds += np.array(
        [
            sum(math.log(f) for name, v, f in c.likelier if getattr(case.engine, name) == v)
            for c in causes
        ]
    )
    if case.distance_km is not None:
        # Growth with distance, held between a half and two and a half so that a typing slip decides
        # nothing.
        factor = math.log(min(2.5, max(0.5, case.distance_km / DISTANCE_ODDS_KM)))
        odds += np.array([factor if c.kind == "deposit" else 0.0 for c in causes])
    return odds


def _history_shift(kind: Evidence, seen: Observation, causes: tuple[Cause, ...]) -> Floats:
    """Change of prior log-odds by a piece of history; its absence speaks a third as loud the other
    way."""
    sign = (1.0 if seen.state == "present" else -1 / 3) * (2 * seen.confidence - 1)
    return np.array([sign * math.log(kind.odds.get(c.id, 1.0)) for c in causes])


class _Model:
    """What one engine's causes make of the evidence: fixed by the tables, so each row is worked out
    once."""

    def __init__(self, engine: EngineOutline, knowledge: KnowledgeBase) -> None:
        self.knowledge = knowledge
        self.causes = causes_of(engine, knowledge)
        self.table = _sets(len(self.causes))
        self._chances: dict[str, Floats] = {}
        self._bits: dict[str, Floats] = {}

    def chance(self, kind: Evidence) -> Floats:
        """P(present | set) for every set."""
        known = self._chances.get(kind.id)
        if known is None:
            quiet = np.log([max(1e-9, 1 - kind.links.get(c.id, 0.0)) for c in self.causes])
            silent: Floats = (1 - kind.leak) * np.exp(self.table @ quiet)
            known = self._chances[kind.id] = silent if kind.inverse else 1 - silent
        return known

    def bits(self, kind: Evidence) -> Floats:
        """Entropy of the answer given each set."""
        known = self._bits.get(kind.id)
        if known is None:
            known = self._bits[kind.id] = _bits(self.chance(kind))
        return known


@cached(LRUCache(maxsize=64), key=lambda engine, knowledge: (id(knowledge), engine), lock=Lock())
def _model(engine: EngineOutline, knowledge: KnowledgeBase) -> _Model:
    """The model of an engine. The knowledge base is held by the model, so its identity stays its
    own."""
    return _Model(engine, knowledge)


def _normal(log_weights: Floats) -> Floats:
    weights = np.exp(log_weights - log_weights.max(axis=-1, keepdims=True))
    total: Floats = weights / weights.sum(axis=-1, keepdims=True)
    return total


def _bits(chance: Floats | float) -> Any:
    p = np.clip(chance, 1e-12, 1 - 1e-12)
    return -(p * np.log2(p) + (1 - p) * np.log2(1 - p))


def _log_odds(p: Floats) -> Floats:
    clipped = np.clip(p, 1e-9, 1 - 1e-9)
    out: Floats = np.log(clipped / (1 - clipped))
    return out


LEADS_AT, UNLIKELY = 0.8, 0.25
"""A cause at least this likely goes before any that is less than this share as likely, however
cheap that one is."""


def assess(
    case: Case,
    knowledge: KnowledgeBase,
    hourly_rate: float = HOURLY_FOR_ORDER,
    *,
    access: Access | None = None,
    work_minutes: Mapping[str, float] | None = None,
) -> Assessment:
    """Judge a case.

    Parameters
    ----------
    case : Case
        Codes must already be among the evidence by their group (see
        `galene.knowledge.base.case_from`).
    knowledge : KnowledgeBase
    hourly_rate : float
        Money per hour, for the order of repair only.
    access : Mapping of component to operation id to minutes, optional
        What must be opened to get at a component on this engine, beyond what is open (see
        `galene.core.airpath.access.ways_in`).
    work_minutes : Mapping of cause id to hands-on minutes, optional
        What mending it takes on this engine once it is laid open, as its plan has it; the cause's
        own figure elsewhere.

    Returns
    -------
    Assessment
        Causes by falling marginal probability; sets; root causes to ask for; checks by bits per
        minute; repairs by probability over cost.

    Raises
    ------
    InputError
        See `check_case`; also when the engine can have no cause at all.
    """
    check_case(case, knowledge)
    model = _model(case.engine, knowledge)
    causes, table = model.causes, model.table
    require(
        bool(causes),
        "engine",
        sorted(case.engine.components),
        allowed="an engine with parts that can foul",
    )
    prior = _prior_log_odds(case, causes, knowledge)
    shifts: list[tuple[str, Floats]] = []
    background = prior.copy()
    for evidence_id, seen in case.evidence.items():
        if seen.state == "unknown":
            continue
        kind = evidence_kind(evidence_id, knowledge)
        total = np.zeros(len(table))
        if kind.odds:
            shift = _history_shift(kind, seen, causes)
            total = table @ shift
            if not kind.links:
                background += shift
        if kind.links or not kind.odds:
            chance = model.chance(kind)
            likely = chance if seen.state == "present" else 1 - chance
            total = total + np.log(
                np.clip(
                    seen.confidence * likely + (1 - seen.confidence) * (1 - likely), 1e-12, None
                )
            )
        shifts.append((evidence_id, total))
    base = table @ prior
    full = base + sum((s for _, s in shifts), np.zeros(len(table)))
    posterior = _normal(full)
    marginal = posterior @ table

    weights = np.zeros((len(shifts), len(causes)))
    if shifts:
        without = _normal(full[None, :] - np.array([s for _, s in shifts])) @ table
        weights = _log_odds(marginal)[None, :] - _log_odds(without)
    order = np.argsort(-marginal, kind="stable")
    ranked = []
    for i in order[:TOP]:
        reasons = sorted(
            (
                Reason(evidence_id, float(weights[k, i]))
                for k, (evidence_id, _) in enumerate(shifts)
                if abs(weights[k, i]) >= 0.05
            ),
            key=lambda r: -abs(r.weight),
        )
        ranked.append(RankedCause(causes[i].id, float(marginal[i]), tuple(reasons)))
    leading = np.argsort(-posterior, kind="stable")[:5]
    sets = tuple(
        CauseSet(tuple(causes[i].id for i in np.flatnonzero(table[k])), float(posterior[k]))
        for k in leading
    )
    by_id = {c.id: float(marginal[i]) for i, c in enumerate(causes)}
    ways = access or {}
    repairs = _repair_order(causes, by_id, hourly_rate, ways=ways, work_minutes=work_minutes or {})
    checks = _next_checks(
        case, model, posterior, background=background, prices=_prices(causes, hourly_rate, ways)
    )
    dangers = standing_dangers(case, knowledge, by_id)
    urgent = {c for d in dangers for c in d.checks}
    checks = tuple(sorted(checks, key=lambda c: c.id not in urgent))[:OFFERED]
    feared = {c for d in dangers for c in d.causes}
    repairs = tuple(
        sorted(repairs, key=lambda r: r.cause not in feared or r.probability < FEARED_AT)
    )
    refer = by_id.get("ignition_or_fuel_fault", 0.0)
    return Assessment(
        causes=tuple(ranked),
        sets=sets,
        root_causes=_roots(case, by_id, knowledge),
        next_checks=checks,
        repair_order=repairs,
        refer_on=bool(refer >= 0.5 or (ranked[0].id == "ignition_or_fuel_fault" and refer >= 0.2)),
        stop=not any(c.changes_first_action for c in checks),
        dangers=tuple(Danger(id=d.id, text=d.text) for d in dangers),
    )


def standing_dangers(
    case: Case, knowledge: KnowledgeBase, chance: Mapping[str, float] | None = None
) -> tuple[DangerRule, ...]:
    """The dangers that a case is in, by what is seen and, where it is given, by the chance of its
    causes.

    Parameters
    ----------
    chance : cause id to its probability; left out, only what is seen counts
    """
    chance = chance or {}
    seen = {e for e, o in case.evidence.items() if o.state == "present"}
    denied = {e for e, o in case.evidence.items() if o.state == "absent"}
    return tuple(
        rule
        for rule in knowledge.dangers
        if rule.possible_on(case.engine)
        and not denied & set(rule.settled_by)
        and (
            seen & set(rule.evidence)
            or any(chance.get(cause, 0.0) >= least for cause, least in rule.causes.items())
        )
    )


def _repair_order(
    causes: tuple[Cause, ...],
    chance: dict[str, float],
    hourly_rate: float,
    *,
    ways: Access,
    work_minutes: Mapping[str, float],
) -> tuple[Repair, ...]:
    """What to do in which order, by the rule of `repair-sequence`. Cleaning is offered only where
    the cause is a deposit."""
    by_id = {c.id: c for c in causes if chance[c.id] >= 0.02}
    actions = [
        Action(
            id=c.id,
            mends=[c.id],
            success=1.0,
            minutes=work_minutes.get(c.id, c.minutes),
            parts_cost=c.cost,
            access=list(ways.get(c.component, ())),
        )
        for c in by_id.values()
    ]
    access_minutes = {
        operation: minutes for way in ways.values() for operation, minutes in way.items()
    }
    order = [
        Repair(
            action=by_id[a.id].action,
            component=by_id[a.id].component,
            cause=a.id,
            probability=chance[a.id],
            cost=round(cost, 2),
            minutes=minutes,
        )
        for a, minutes, cost in chance_over_cost(
            actions, chance, access_minutes, hourly_rate=hourly_rate
        )
    ]
    leader = max(order, key=lambda r: r.probability, default=None)
    if leader and leader.probability >= LEADS_AT:
        before = order[: order.index(leader)]
        late = [r for r in before if r.probability < UNLIKELY * leader.probability]
        order = [r for r in before if r not in late] + [leader] + late + order[len(before) + 1 :]
    return tuple(order)


def _prices(causes: tuple[Cause, ...], hourly_rate: float, ways: Access) -> Floats:
    """Money for mending each cause alone, its way in counted."""
    return np.array(
        [
            max(
                1.0,
                c.cost + (c.minutes + sum(ways.get(c.component, {}).values())) / 60 * hourly_rate,
            )
            for c in causes
        ]
    )


def _minutes(check: Check, case: Case) -> float:
    if (
        check.minutes_open is not None
        and check.access
        and set(check.access) <= set(case.access_open)
    ):
        return check.minutes_open
    return check.minutes


def _focus(model: _Model, posterior: Floats, background: Floats) -> npt.NDArray[np.intp]:
    """Which group of sets each set belongs to: sets alike in the causes that the evidence has
    raised.

    `background` are the log-odds from distance and history alone: they make causes likelier, a
    complaint puts them in question. What the evidence has left where it was is not in question,
    however cheap it is to look at. Without any cause raised, all sets stand for themselves.
    """
    before, after = _normal(model.table @ background) @ model.table, posterior @ model.table
    raised = np.flatnonzero((_log_odds(after) - _log_odds(before) >= RAISED) & (after >= 0.03))
    if not len(raised):
        return np.arange(len(model.table))
    leading = raised[np.argsort(-after[raised], kind="stable")][:FOCUS]
    _, groups = np.unique(
        model.table[:, leading] @ (2.0 ** np.arange(len(leading))), return_inverse=True
    )
    return groups.reshape(-1)


def _next_checks(
    case: Case, model: _Model, posterior: Floats, *, background: Floats, prices: Floats
) -> tuple[NextCheck, ...]:
    """Checks by expected information per minute about the causes in question; mutual information,
    exact."""
    groups = _focus(model, posterior, background)
    causes, table, knowledge = model.causes, model.table, model.knowledge
    now = int(np.argmax((posterior @ table) / prices))
    known = {e for e, o in case.evidence.items() if o.state != "unknown"}
    telling: list[tuple[Check, float, Evidence]] = []
    for check in knowledge.checks.values():
        if check.id in case.done_checks or not check.possible_on(case.engine):
            continue
        if not set(check.after) <= set(case.done_checks):
            continue
        if not check.piecemeal and known & set(check.yields):
            continue
        kinds = [knowledge.evidence[e] for e in check.yields if e not in known]
        kinds = [
            k
            for k in kinds
            if set(k.needs) <= case.engine.components and any(c.id in k.links for c in causes)
        ]
        if not kinds:
            continue
        bits = _information(posterior, groups, model, kinds=kinds[:4])
        if bits < 0.002:
            continue
        main = (
            kinds[0]
            if len(kinds) == 1
            else max(kinds, key=lambda kind: _information(posterior, groups, model, kinds=[kind]))
        )
        telling.append((check, bits, main))
    if not telling:
        return ()
    # checks x sets: every yes at once; what is not yes is no
    yes = np.array([model.chance(main) for _, _, main in telling]) * posterior
    chance_yes, held_yes = yes.sum(axis=1), yes @ table
    chance = np.clip(np.concatenate([chance_yes, 1 - chance_yes]), 1e-12, None)
    marginals = np.concatenate([held_yes, posterior @ table - held_yes]) / chance[:, None]
    found: list[NextCheck] = []
    for k, (check, bits, main) in enumerate(telling):
        outcomes, changes = [], False
        for row in (k, k + len(telling)):
            top = np.argsort(-marginals[row], kind="stable")[:3]
            p = float(chance[row])
            outcomes.append(Outcome(p, {causes[i].id: float(marginals[row, i]) for i in top}))
            changes = changes or (p >= 0.05 and int(np.argmax(marginals[row] / prices)) != now)
        found.append(
            NextCheck(
                id=check.id,
                asks=main.id,
                bits=bits,
                minutes=_minutes(check, case),
                if_positive=outcomes[0],
                if_negative=outcomes[1],
                changes_first_action=changes,
            )
        )
    last = {c.id: c.last_resort for c in knowledge.checks.values()}
    found.sort(key=lambda c: (last[c.id], -c.bits / max(0.5, c.minutes)))
    return tuple(found)


def _information(
    posterior: Floats, groups: npt.NDArray[np.intp], model: _Model, *, kinds: list[Evidence]
) -> float:
    """Bits about the groups of sets in the joint answer; the answers are independent given the
    set."""
    joint = [posterior]
    for kind in kinds:
        chance = model.chance(kind)
        joint = [part for j in joint for part in (j * chance, j * (1 - chance))]
    # answers x groups: the joint chance of each answer with each group
    table = np.array([np.bincount(groups, weights=j) for j in joint])
    answer, group = table.sum(axis=1), table.sum(axis=0)

    def entropy(chances: Floats) -> float:
        return -float(
            np.sum(np.where(chances > 0, chances * np.log2(np.clip(chances, 1e-300, None)), 0.0))
        )

    return max(0.0, entropy(answer) + entropy(group) - entropy(table))


def _roots(case: Case, chance: dict[str, float], knowledge: KnowledgeBase) -> tuple[RootAsked, ...]:
    """Root causes of what now looks likely, those with a sign of their own first."""
    seen = {e for e, o in case.evidence.items() if o.state == "present"}
    found = []
    for root in knowledge.roots.values():
        feeds = tuple(c for c in root.feeds if chance.get(c, 0.0) >= 0.25)
        if feeds:
            found.append(
                (
                    max(chance[c] for c in feeds),
                    RootAsked(
                        id=root.id,
                        ask=root.ask,
                        feeds=feeds,
                        supported=bool(seen & set(root.signs)),
                    ),
                )
            )
    return tuple(r for _, r in sorted(found, key=lambda f: (not f[1].supported, -f[0])))
