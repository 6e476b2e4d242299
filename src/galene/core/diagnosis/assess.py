"""Exact posterior over all sets of up to three causes, reasons, next best check, order of repair.

Method: binary causes with prior odds, noisy-OR links with a leak (Pearl, *Probabilistic Reasoning
in Intelligent Systems*, 1988, section 4.3.2), summed exactly over every set of up to three
simultaneous causes.
"""

from collections.abc import Mapping

import numpy as np

from galene.core.diagnosis.model import (
    Belief,
    Model,
    causes_of,
    evidence_kind,
    model_of,
    weighed,
)
from galene.core.diagnosis.next_checks import worth_asking
from galene.core.diagnosis.records import (
    Assessment,
    Case,
    CauseSet,
    Check,
    Danger,
    DangerRule,
    EngineOutline,
    Evidence,
    KnowledgeBase,
    RankedCause,
    Reason,
    RootAsked,
)
from galene.core.diagnosis.repair_order import Access, in_order_of_repair, prices_of
from galene.core.errors import require, require_range

TOP = 12
OFFERED = 8
"""Checks that are told, the most telling first."""
FEARED_AT = 0.2
"""A cause that a danger names goes before all other repairs from this probability (project
default)."""
HOURLY_FOR_ORDER = 70.0
"""Money per hour that makes minutes and parts one cost when no rate is given."""


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
    model = model_of(case.engine, knowledge)
    require(
        bool(model.causes),
        "engine",
        sorted(case.engine.components),
        allowed="an engine with parts that can foul",
    )
    belief = weighed(case, model)
    chance = {c.id: float(p) for c, p in zip(model.causes, belief.marginal, strict=True)}
    ways = access or {}
    repairs = in_order_of_repair(
        model.causes, chance, hourly_rate, ways=ways, work_minutes=work_minutes or {}
    )
    checks = worth_asking(
        case,
        model,
        belief.posterior,
        background=belief.background,
        prices=prices_of(model.causes, hourly_rate, ways),
    )
    dangers = standing_dangers(case, knowledge, chance)
    urgent = {c for d in dangers for c in d.checks}
    offered = tuple(sorted(checks, key=lambda c: c.id not in urgent))[:OFFERED]
    feared = {c for d in dangers for c in d.causes}
    ranked = _ranked(belief, model)
    refer = chance.get("ignition_or_fuel_fault", 0.0)
    return Assessment(
        causes=ranked,
        sets=_leading_sets(belief, model),
        root_causes=_roots(case, chance, knowledge),
        next_checks=offered,
        repair_order=tuple(
            sorted(repairs, key=lambda r: r.cause not in feared or r.probability < FEARED_AT)
        ),
        refer_on=bool(refer >= 0.5 or (ranked[0].id == "ignition_or_fuel_fault" and refer >= 0.2)),
        stop=not any(c.changes_first_action for c in offered),
        dangers=tuple(Danger(id=d.id, text=d.text) for d in dangers),
    )


def _ranked(belief: Belief, model: Model) -> tuple[RankedCause, ...]:
    """The likeliest causes, each with the evidence that weighs on it, the heaviest first."""
    weights = belief.weights(model)
    ranked = []
    for i in np.argsort(-belief.marginal, kind="stable")[:TOP]:
        reasons = sorted(
            (
                Reason(evidence_id, float(weights[k, i]))
                for k, (evidence_id, _) in enumerate(belief.shifts)
                if abs(weights[k, i]) >= 0.05
            ),
            key=lambda r: -abs(r.weight),
        )
        ranked.append(RankedCause(model.causes[i].id, float(belief.marginal[i]), tuple(reasons)))
    return tuple(ranked)


def _leading_sets(belief: Belief, model: Model) -> tuple[CauseSet, ...]:
    """The five likeliest sets of causes."""
    leading = np.argsort(-belief.posterior, kind="stable")[:5]
    return tuple(
        CauseSet(
            tuple(model.causes[i].id for i in np.flatnonzero(model.table[k])),
            float(belief.posterior[k]),
        )
        for k in leading
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
