"""The way in: which operations are still to be opened, and which of all each part's work stands
on."""

from collections.abc import Mapping, Sequence

from galene.core.airpath.access import Access
from galene.core.airpath.access import in_order as opening_order
from galene.core.airpath.family import Operation
from galene.core.airpath.natures import kind_is
from galene.core.errors import InputError
from galene.core.planning.case import Treatment
from galene.core.planning.making.state import BY_HAND, READ_BEFORE_ALL, Planning
from galene.core.planning.openings import riding


def find_ways(planning: Planning) -> None:
    """Operations still to be opened, in order, and which of all each part's work stands on."""
    access = Access(planning.family, planning.open_now)
    planning.used = {}
    wanted: frozenset[str] = frozenset()
    to_reach = [t for t in planning.treatments if needs_way(planning, t)]
    for treatment in to_reach:
        strip_first(planning, access, treatment)
    for treatment in sorted(to_reach, key=lambda t: len(access.ways.get(t.part, ()))):
        before = wanted
        wanted = ways_to(planning, access, treatment, wanted)
        planning.used.setdefault(treatment.owner, set()).update(wanted - before)
    wanted = in_sight(planning, access, wanted)
    for treatment in to_reach:
        mine = stands_on(planning, access, treatment, wanted)
        planning.used.setdefault(treatment.owner, set()).update(mine)
    order = opening_order(o for o in planning.family.operations if o.id in wanted)
    extra = access.extra
    planning.to_open = with_extra([o.id for o in order], extra, planning.by_id)
    planning.extra = extra


def in_sight(planning: Planning, access: Access, wanted: frozenset[str]) -> frozenset[str]:
    """What must be open too so that what is sought on the assembled car is seen, where it still is
    one."""
    if not planning.untouched():
        return wanted
    for link in planning.chains("whole"):
        if set(link.step.acts) & READ_BEFORE_ALL:
            continue
        for operation in planning.family.operations:
            if link.step.part in operation.sight_of and operation.id not in planning.open_now:
                wanted |= access.closure(operation.id)
    return wanted


def needs_way(planning: Planning, treatment: Treatment) -> bool:
    if treatment.procedure.in_place:
        return False
    return any(
        x.template.place in ("first", "clean", "close") for x in planning.links[treatment.owner]
    )


def off_ways(planning: Planning, access: Access, part: str, *, whole: bool) -> list[str]:
    return [
        o.id
        for o in planning.family.operations
        if (lifted := planning.lift[o.id])
        and part in lifted.parts
        and not (whole and lifted.hangs)
        and o.id not in planning.open_now
    ]


def ways_to(
    planning: Planning, access: Access, treatment: Treatment, wanted: frozenset[str]
) -> frozenset[str]:
    part = treatment.part
    kind = planning.family.part(part).component
    place = planning.car.place_of(part)
    whole = treatment.work.work == "replace"
    lifts = off_ways(planning, access, part, whole=whole)
    comes_off = place == "mounted" or (whole and place == "loose")
    if (treatment.off or whole) and lifts and comes_off:
        wanted = cheapest(access, lifts, wanted)
    elif whole and place == "mounted" and not kind_is(kind, *BY_HAND) and not access.ways.get(part):
        raise InputError("parts", part, "a part that the family's entry knows a way to take off")
    if kind_is(kind, "passage") and place == "mounted":
        wanted = both_ends(planning, access, part, wanted)
    has_way = bool(access.ways.get(part)) or bool(lifts)
    if not has_way and place == "mounted" and not in_hand(planning, part):
        raise InputError("parts", part, "a part that the family's entry knows a way in to")
    return access.reached(part, wanted)


def in_hand(planning: Planning, part: str) -> bool:
    """Whether a part can be drawn out by hand: not one within the control unit."""
    within = any(t.sensor == part and t.on is None for t in planning.family.taps)
    return kind_is(planning.family.part(part).component, *BY_HAND) and not within


def both_ends(
    planning: Planning, access: Access, part: str, wanted: frozenset[str]
) -> frozenset[str]:
    """Both ends of a passage: it comes out whole, or its valve comes off and the far end is
    opened."""
    whole = off_ways(planning, access, part, whole=True)
    if whole and any(o in wanted for o in whole):
        return wanted
    valves = [p.id for p in planning.family.parts if kind_is(p.component, "gas_valve")]
    ways = [o for o in access.ways.get(part, ()) if o not in planning.open_now]
    takes_valve = {o for v in valves for o in off_ways(planning, access, v, whole=True)}
    valve_on = [v for v in valves if planning.car.place_of(v) == "mounted"]
    far_open = any(
        part in planning.by_id[o].reaches and o not in takes_valve for o in planning.open_now
    )
    # What is left of the ways in is no reason to take it off whole where they stand open.
    if whole and not far_open and not [o for o in ways if o not in whole]:
        return cheapest(access, whole, wanted)
    if valve_on and takes_valve:
        wanted = cheapest(access, sorted(takes_valve), wanted)
    far = [o for o in ways if o not in takes_valve]
    return cheapest(access, far, wanted) if far and not far_open else wanted


def strip_first(planning: Planning, access: Access, treatment: Treatment) -> None:
    """What rides on a part that is bathed or sent away comes off first, by its own
    operation."""
    if not leaves(planning, treatment):
        return
    carriers = off_ways(planning, access, treatment.part, whole=False)
    for rider in riding(planning.family).get(treatment.part, ()):
        ways = [o for o in off_ways(planning, access, rider, whole=True) if o not in carriers]
        if not ways or planning.car.place_of(rider) != "mounted":
            continue
        own = min(ways, key=lambda o: access.minutes[o])
        for carrier in carriers:
            if carrier not in access.closure(own):
                access.extra[carrier] = (*access.extra.get(carrier, ()), own)
    access._closures.clear()


def leaves(planning: Planning, treatment: Treatment) -> bool:
    links = planning.links[treatment.owner]
    return kind_is(planning.family.part(treatment.part).component, "plenum") or any(
        x.step.sends or (x.step.agent and x.step.agent.way == "bath") for x in links
    )


def stands_on(
    planning: Planning, access: Access, treatment: Treatment, wanted: frozenset[str]
) -> set[str]:
    """Every operation, open or to be opened, that this part's work stands on."""
    found: set[str] = set()
    everything = wanted | set(planning.open_now)
    for operation_id in everything:
        operation, lifted = planning.by_id[operation_id], planning.lift[operation_id]
        reaches = treatment.part in operation.reaches
        if reaches or (lifted and treatment.part in lifted.parts):
            found |= planning.with_prerequisites(operation_id, everything)
    carrier = planning.carrier_off(treatment.part)
    for operation_id in everything if carrier else ():
        lifted = planning.lift[operation_id]
        if lifted and carrier in lifted.parts:
            found |= planning.with_prerequisites(operation_id, everything)
    if kind_is(planning.family.part(treatment.part).component, "passage"):
        for operation_id in everything:
            lifted = planning.lift[operation_id]
            if lifted and kind_is(planning.family.part(lifted.part).component, "gas_valve"):
                found |= planning.with_prerequisites(operation_id, everything)
    return found


def cheapest(access: Access, ways: Sequence[str], wanted: frozenset[str]) -> frozenset[str]:
    if any(w in wanted for w in ways):
        return wanted
    return min((wanted | access.closure(w) for w in ways), key=access.cost)


def with_extra(
    order: list[str], extra: Mapping[str, tuple[str, ...]], by_id: Mapping[str, Operation]
) -> list[str]:
    """The opening order with what must come off a part before it leaves put before it."""
    placed: list[str] = []
    inside = set(order)

    def put(one: str) -> None:
        if one in placed:
            return
        for before in (*by_id[one].after, *extra.get(one, ())):
            if before in inside:
                put(before)
        placed.append(one)

    for one in order:
        put(one)
    return placed
