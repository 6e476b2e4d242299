"""What a plan costs and what it takes: labour, spares, agents, tools, protection."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from galene.core.airpath.family import EngineFamily
from galene.core.learning.minutes import Timed, own_time, together
from galene.core.planning.document import Bill, BilledAgent, BilledSpare, OwnMinutes
from galene.core.planning.records import Plan
from galene.core.planning.uses import uses_of
from galene.knowledge.agents import AGENTS

PROVEN = frozenset({"start", "relearn", "prove"})
"""Phases whose minutes are told apart on the bill: relearn and proof."""


@dataclass(frozen=True, kw_only=True)
class PriceList:
    """The shop's rate, in its currency an hour (project default where no shop is known).

    `timed` is what own work says of steps, by id; `minutes_by` the figures that are charged: book
    or own.
    """

    hourly_rate: float = 72.0
    currency: str = ""
    timed: Mapping[str, Timed] = field(default_factory=dict)
    minutes_by: str = "book"


def bill_of(
    plan: Plan,
    family: EngineFamily,
    prices: PriceList,
    *,
    extra_spares: Sequence[str] = (),
    other: float = 0.0,
) -> Bill:
    """The bill of a plan.

    Parameters
    ----------
    extra_spares : spare ids that go in beside what the steps consume
    other : what finds on the way cost beside the plan's own spares
    """
    times = {
        s.id: own_time(s.minutes, prices.timed.get(s.id, Timed()))
        for s in plan.steps
        if s.minutes > 0
    }
    own = together(times.values())
    by_own = prices.minutes_by == "own" and own.count > 0
    proof = sum(
        times[s.id].expected if by_own else s.minutes
        for s in plan.steps
        if s.phase in PROVEN and s.id in times
    )
    work = (own.expected if by_own else plan.hands_on_minutes) - proof
    used = [u for s in plan.steps for u in uses_of(s)]
    consumed = dict.fromkeys((*(u.id for u in used if u.kind == "spare"), *extra_spares))
    agents = {u.id: 0.0 for u in used if u.kind == "agent"}
    for use in (u for u in used if u.kind == "agent"):
        agents[use.id] += use.ml
    labels: dict[str, set[str]] = {a: set() for a in agents}
    for agent in (s.agent for s in plan.steps if s.agent):
        labels[agent.class_id].update(agent.label)
    tools = (u.id for kind in ("tool", "aid") for u in used if u.kind == kind)
    return Bill(
        work_minutes=work,
        proof_minutes=proof,
        labour=work / 60 * prices.hourly_rate,
        proof_labour=proof / 60 * prices.hourly_rate,
        spares=tuple(spare_of(family, c) for c in consumed),
        agents=tuple(
            BilledAgent(
                class_id=a,
                title=AGENTS[a].title,
                ml=ml,
                price=AGENTS[a].price_per_ml * ml,
                label=tuple(sorted(labels[a])),
            )
            for a, ml in agents.items()
        ),
        tools=tuple(dict.fromkeys(tools)),
        protection=tuple(dict.fromkeys(x for a in agents for x in AGENTS[a].protection)),
        other=other,
        hourly_rate=prices.hourly_rate,
        currency=prices.currency,
        book_minutes=plan.hands_on_minutes,
        own=OwnMinutes(
            minutes=own.expected, low=own.low, high=own.high, timed=own.count, steps=len(times)
        )
        if own.count
        else None,
        by="own" if by_own else "book",
    )


def spare_of(family: EngineFamily, spare_id: str) -> BilledSpare:
    """A spare by its id; a part that the family holds no spare of is named all the same."""
    known = next((s for s in family.spares if s.id == spare_id), None)
    if known:
        return BilledSpare(id=known.id, name=known.name, number=known.number, price=known.price)
    part = next((p for p in family.parts if p.id == spare_id), None)
    return BilledSpare(
        id=spare_id,
        name=part.label if part else spare_id,
        number=part.part_number if part else "",
        price=None,
    )
