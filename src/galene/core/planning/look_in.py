"""The little plan of a look: made safe, opened, and closed again, by the same access and laws as
any plan."""

from collections.abc import Sequence

from galene.core.planning import cover_steps
from galene.core.planning import steps as made
from galene.core.planning.case import Case, Trade
from galene.core.planning.hazards import all_warned
from galene.core.planning.making.closing import close_all
from galene.core.planning.making.covers import guarded
from galene.core.planning.making.known import known
from galene.core.planning.making.opening import make_safe, open_all
from galene.core.planning.making.state import Planning, begun
from galene.core.planning.order import in_order, placed
from galene.core.planning.records import DoneStep, Step


def way_in(
    case: Case, trade: Trade, done: Sequence[DoneStep], *, operations: Sequence[str]
) -> list[Step]:
    """The steps that lay open what is looked at, from the car as it stands.

    Parameters
    ----------
    case : the car with no work on it
    done : what was done on it since it came
    operations : what is still to be opened, outermost first
    """
    planning = begun(known(case, trade), done)
    planning.to_open = list(operations)
    if not operations:
        return []
    open_all(planning, make_safe(planning, ()))
    return _finished(planning, in_order(placed(planning.tasks)))


def way_back(case: Case, trade: Trade, done: Sequence[DoneStep]) -> list[Step]:
    """The way back of everything that stands open: covers off, each operation closed, liquids and
    power as they were."""
    planning = begun(known(case, trade), done)
    close_all(planning)
    steps = in_order(placed(planning.tasks))
    parts = tuple(dict.fromkeys(p for s in steps if s.closing for p in (s.part, *s.refits)))
    if parts:
        steps.append(cover_steps.looked_round(parts, planning.turn_of("looked_round")))
    steps += planning.late
    car = planning.car
    low = tuple(i.id for i in car.open.values() if i.kind == "coolant low")
    if car.coolant != "full":
        closed = {c for s in steps for c in s.closes}
        steps.append(
            made.filled(planning.turn_of("fill"), tuple(i for i in low if i not in closed))
        )
    if car.battery == "off":
        leads = tuple(i.id for i in car.open.values() if i.kind == "battery lead")
        steps.append(made.battery_on(planning.turn_of("battery_on"), leads))
    return _finished(planning, steps)


def _finished(planning: Planning, steps: Sequence[Step]) -> list[Step]:
    found = guarded(planning, steps)
    return all_warned(found, planning.family, planning.trade.hazards, planning.car)
