"""What to mend first, by chance over cost."""

from collections.abc import Mapping

import numpy as np

from galene.core.calculations.repair_sequence import Action, chance_over_cost
from galene.core.diagnosis.model import Floats
from galene.core.diagnosis.records import (
    Cause,
    Repair,
)

Access = Mapping[str, Mapping[str, float]]
"""Component to the operations that lay it open, each with its hands-on minutes off and on."""
LEADS_AT, UNLIKELY = 0.8, 0.25
"""A cause at least this likely goes before any that is less than this share as likely, however
cheap that one is."""


def in_order_of_repair(
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


def prices_of(causes: tuple[Cause, ...], hourly_rate: float, ways: Access) -> Floats:
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
