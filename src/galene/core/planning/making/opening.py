"""Made safe, then opened, outermost first."""

from collections.abc import Mapping, Sequence
from dataclasses import replace

from galene.core.errors import require
from galene.core.planning import steps as made
from galene.core.planning.chain import Link
from galene.core.planning.making.state import RANKS, READ_BEFORE_ALL, Mouth, Planning
from galene.core.planning.openings import (
    mouths,
    needs_cold,
    numbered,
    plain_items,
    same_thing,
)
from galene.core.planning.policy_keys import MAKING_SAFE


def arrive(planning: Planning) -> list[str]:
    """What comes before anything is opened: the vehicle, what is read of it cold, the before
    readings, the running engine's work."""
    last: list[str] = []
    if "secure" not in planning.done_ids:
        last = [planning.add(made.secure(planning.family), RANKS["secure"]).id]
    for link in whole(planning):
        if set(link.step.acts) & READ_BEFORE_ALL:
            last = [planning.add(link.step, RANKS["level"], last).id]
    if not planning.car.before_set:
        step = made.before_set(running=may_run(planning))
        last = [planning.add(step, RANKS["before"], last).id]
    running = planning.chains("running")
    if running:
        require_shut(planning, running[0].step.part)
    for links in planning.links.values():
        mine = [x for x in links if x.template.place == "running"]
        for link in mine:
            planning.add(link.step, RANKS["running"], (*link.after, *last))
        last = [x.step.id for x in mine] or last
    return last


def whole(planning: Planning) -> list[Link]:
    """Steps that ask for the assembled car, where it still is one: nothing of it is off, and
    nothing open but what gives sight."""
    return planning.chains("whole") if planning.untouched() else []


def make_safe(planning: Planning, last: Sequence[str]) -> list[str]:
    """No heat and no key where something is opened or worked on."""
    handled = [*planning.chains("first", "clean", "close"), *_sought(planning)]
    if not handled and not planning.to_open:
        return list(last)
    running = bool(planning.chains("running"))
    read_warm = not planning.car.before_set and may_run(planning)
    warm = planning.car.heat == "warm" or running or read_warm
    cold = [o for o in planning.to_open if needs_cold(planning.family, planning.by_id[o])]
    cold_links = [x for x in handled if x.step.needs.heat == "cold"]
    found = list(last)
    if warm and (cold or cold_links):
        minutes = max([0.0, *(planning.by_id[o].wait_minutes for o in cold)])
        step = made.cool(minutes, planning.turn_of("cool"), cooling=planning.family.cooling)
        found = [planning.add(step, RANKS["safe"], found).id]
        planning.cooling = step.wait.id if step.wait else ""
    if planning.car.engine != "off" or "ignition" not in planning.done_ids or running:
        step = made.ignition(planning.turn_of("ignition"))
        found = [planning.add(step, RANKS["safe"], found).id]
    return found


def require_shut(planning: Planning, part: str) -> None:
    """Work through the running engine asks for one that is shut, full and powered.

    Raises
    ------
    InputError
        Something lies open, low or unpowered.
    """
    car = planning.car
    open_now = [i for i in car.open.values() if i.before == "start" and not i.while_running]
    vented = not car.fuel_touched or car.fuel_line == "vented"
    shut = not open_now and car.battery == "on" and car.coolant == "full" and vented
    require(
        shut,
        "parts",
        part,
        allowed=(
            "work that does without the running engine, as something lies open now: close it"
            " first, or choose that the part comes off"
        ),
    )


def may_run(planning: Planning) -> bool:
    """Whether the engine may run before anything is opened: the car is whole, and nothing says
    that coolant stands in a cylinder."""
    car = planning.car
    shut = car.battery == "on" and car.coolant == "full" and not car.open
    here = all(where == "mounted" for where in car.place.values())
    return shut and here and not planning.case.may_hold_liquid


def battery(planning: Planning, after: Sequence[str]) -> str:
    """The battery's step where something needs it off; empty where it is off, or stays on."""
    for one in planning.done:
        if one.step.does.battery == "off" and one.step.wait:
            planning.hold = one.step.wait.id
    if planning.car.battery == "off" and not planning.power_back:
        return ""
    wants = any(x.step.needs.battery == "off" for x in planning.chains("clean", "close"))
    wants = wants or any(
        made.wants_battery_off(
            planning.family, planning.by_id[o], planning.lift[o], policy=planning.case.policy
        )
        for o in planning.to_open
    )
    handled = bool(planning.to_open) or bool(planning.chains("clean"))
    wants = wants or (handled and planning.case.policy.get(MAKING_SAFE) == "battery_always")
    if not wants:
        return ""
    step = made.battery_off(planning.turn_of("battery_off"))
    planning.add(step, RANKS["safe"] + 1, after)
    planning.hold = step.wait.id if step.wait else ""
    return step.id


def open_all(planning: Planning, safe: Sequence[str]) -> dict[str, str]:
    """The opening steps, and what each operation's step is called."""
    gone = {p for p, where in planning.car.place.items() if where in ("off", "away")}
    firsts = planning.chains("first")
    early = {o for x in firsts for o in planning.used.get(x.step.owner, ())}
    if early and _sought(planning):
        early |= {o for o in planning.to_open if planning.only_for_sight(o)}
    # What a motor has to open itself is reached before the battery's lead comes off, and so is what
    # gives sight of what is sought before anything is opened.
    planning.to_open.sort(key=lambda o: o not in early)
    names = {o: numbered(f"open:{o}", planning.turn_now(o)) for o in planning.to_open}
    if firsts and planning.car.battery == "off":
        leads = (i.id for i in planning.car.open.values() if i.kind == "battery lead")
        step = made.battery_on(planning.turn_of("battery_on"), tuple(leads))
        planning.power_back = planning.add(step, RANKS["open"], safe).id
    planning.lead = battery(
        planning,
        [*safe, *(names[o] for o in planning.to_open if o in early), *(x.step.id for x in firsts)],
    )
    for operation_id in planning.to_open:
        open_one(planning, operation_id, names, safe, gone=gone, early=early)
    _seek_first(planning, names, safe)
    return names


def open_one(
    planning: Planning,
    operation_id: str,
    names: Mapping[str, str],
    safe: Sequence[str],
    *,
    gone: set[str],
    early: set[str],
) -> None:
    """One opening behind what must be open and safe before it, and the mouths that it lays open."""
    family, turn = planning.family, planning.turn_now(operation_id)
    operation, lifted = planning.by_id[operation_id], planning.lift[operation_id]
    battery_off = made.wants_battery_off(family, operation, lifted, policy=planning.case.policy)
    held = planning.car.open.values()
    # What lies off already on the bench is not taken off a second time.
    takes = tuple(p for p in (lifted.parts if lifted else ()) if p not in gone)
    step = made.opening(
        family,
        operation,
        turn=turn,
        loose=tuple(p for p in takes if planning.car.place_of(p) == "loose"),
        items=tuple(
            i
            for i in plain_items(family, operation, turn, gone=gone)
            if not any(same_thing(i, other) for other in held)
        ),
        takes_off=takes,
        hangs=bool(lifted and lifted.hangs),
        cold=needs_cold(family, operation),
        battery_off=battery_off,
    )
    if step.needs.heat == "cold" and planning.cooling:
        step = replace(step, waits_for=(planning.cooling,))
    after = {*safe, *(names[a] for a in planning.goes_before(operation_id) if a in names)}
    if operation_id not in early and planning.lead:
        after.add(planning.lead)
    if battery_off and planning.hold:
        step = replace(step, waits_for=(*step.waits_for, planning.hold))
    known = {m.item.mouth for m in planning.mouths}
    planning.mouths += [
        Mouth(item=i, opened_by=step.id, shut_by=planning.shuts(operation_id))
        for i in mouths(family, operation, turn, gone=gone)
        if i.mouth not in known
    ]
    gone.update(takes if not (lifted and lifted.hangs) else ())
    planning.add(step, RANKS["open"], after)


def _sought(planning: Planning) -> list[Link]:
    """What is sought on the assembled car with the hands, beside what is read before all."""
    return [x for x in whole(planning) if not set(x.step.acts) & READ_BEFORE_ALL]


def _seek_first(planning: Planning, names: Mapping[str, str], safe: Sequence[str]) -> None:
    """What is sought on the assembled car, in sight, before the first part of it comes off."""
    sought = _sought(planning)
    sights = {o for o in names if planning.only_for_sight(o)}
    for link in sought:
        after = {*link.after, *safe, *(names[o] for o in sights)}
        planning.add(link.step, RANKS["open"], after)
    for operation_id in set(names) - sights:
        planning.tasks[names[operation_id]].after.update(x.step.id for x in sought)
