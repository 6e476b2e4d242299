"""Made safe, then opened, outermost first."""

from collections.abc import Mapping, Sequence
from dataclasses import replace

from galene.core.errors import require
from galene.core.planning import steps as made
from galene.core.planning.making.state import RANKS, Covered, Planning
from galene.core.planning.openings import mouths, needs_cold, plain_items
from galene.core.planning.policy_keys import MAKING_SAFE


def make_safe(planning: Planning) -> list[str]:
    """What comes first: readings, making safe, the running engine's work, cooling, battery."""
    last: list[str] = []
    if "secure" not in planning.done_ids:
        last = [planning.add(made.secure(planning.family), RANKS["secure"]).id]
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
    handled = planning.chains("first", "clean", "close")
    if not handled and not planning.to_open:
        return last
    read_warm = not planning.car.before_set and may_run(planning)
    warm = planning.car.heat == "warm" or bool(running) or read_warm
    cold = [o for o in planning.to_open if needs_cold(planning.family, planning.by_id[o])]
    cold_links = [x for x in handled if x.step.needs.heat == "cold"]
    if warm and (cold or cold_links):
        minutes = max([0.0, *(planning.by_id[o].wait_minutes for o in cold)])
        step = made.cool(minutes, planning.nth("cool"), cooling=planning.family.cooling)
        last = [planning.add(step, RANKS["safe"], last).id]
        planning.cooling = step.wait.id if step.wait else ""
    if planning.car.engine != "off" or "ignition" not in planning.done_ids or running:
        step = made.ignition(planning.nth("ignition"))
        last = [planning.add(step, RANKS["safe"], last).id]
    return last


def require_shut(planning: Planning, part: str) -> None:
    """Work through the running engine asks for one that is shut, full and powered."""
    car = planning.car
    open_now = [i for i in car.open.values() if i.before == "start" and not i.while_running]
    vented = not car.fuel_touched or car.fuel_line == "vented"
    whole = not open_now and car.battery == "on" and car.coolant == "full" and vented
    require(
        whole,
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
    whole = car.battery == "on" and car.coolant == "full" and not car.open
    here = all(where == "mounted" for where in car.place.values())
    return whole and here and not planning.case.may_hold_liquid


def battery(planning: Planning, after: Sequence[str]) -> str:
    """The battery's step where something needs it off; empty where it is off, or stays on."""
    for one in planning.done:
        if one.step.does.battery == "off" and one.step.wait:
            planning.hold = one.step.wait.id
    if planning.car.battery == "off":
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
    step = planning.add(made.battery_off(planning.nth("battery_off")), RANKS["safe"] + 1, after)
    planning.hold = step.wait.id if step.wait else ""
    return step.id


def open_all(planning: Planning, safe: Sequence[str]) -> dict[str, str]:
    """The opening steps, and what each operation's step is called."""
    gone = {p for p, where in planning.car.place.items() if where in ("off", "away")}
    firsts = planning.chains("first")
    early = {o for x in firsts for o in planning.used.get(x.step.owner, ())}
    names: dict[str, str] = {}
    planning.new_covers = []
    # What a motor has to open itself is reached before the battery's lead comes off.
    planning.to_open.sort(key=lambda o: o not in early)
    for operation_id in planning.to_open:
        turn = planning.turns[operation_id] + 1
        suffix = f"~{turn}" if turn > 1 else ""
        planning.suffix[operation_id] = suffix
        names[operation_id] = f"open:{operation_id}{suffix}"
    for operation_id in planning.open_now:
        turn = planning.turns[operation_id]
        planning.suffix[operation_id] = f"~{turn}" if turn > 1 else ""
    planning.lead = battery(
        planning,
        [*safe, *(names[o] for o in planning.to_open if o in early), *(x.step.id for x in firsts)],
    )
    for operation_id in planning.to_open:
        open_one(planning, operation_id, names, safe, gone=gone, early=early)
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
    operation, lifted = planning.by_id[operation_id], planning.lift[operation_id]
    suffix = planning.suffix[operation_id]
    battery_off = made.wants_battery_off(
        planning.family, operation, lifted, policy=planning.case.policy
    )
    plain = [
        i
        for i in plain_items(planning.family, operation, suffix, gone=gone)
        if not any(i.what == held.what for held in planning.car.open.values())
    ]
    covers = [
        c
        for c in mouths(planning.family, operation, suffix, gone=gone)
        if not any(c.what == held.what for held in planning.car.open.values())
    ]
    # What lies off already on the bench is not taken off a second time.
    takes = tuple(p for p in (lifted.parts if lifted else ()) if p not in gone)
    loose = tuple(p for p in takes if planning.car.place_of(p) == "loose")
    step = made.opening(
        planning.family,
        operation,
        loose=loose,
        step_id=names[operation_id],
        items=(*plain, *covers),
        takes_off=takes,
        hangs=bool(lifted and lifted.hangs),
        cold=needs_cold(planning.family, operation),
        battery_off=battery_off,
    )
    if step.needs.heat == "cold" and planning.cooling:
        step = replace(step, waits_for=(planning.cooling,))
    after = {*safe, *(names[a] for a in planning.goes_before(operation_id) if a in names)}
    if operation_id not in early and planning.lead:
        after.add(planning.lead)
    if battery_off and planning.hold:
        step = replace(step, waits_for=(*step.waits_for, planning.hold))
    gone.update(takes if not (lifted and lifted.hangs) else ())
    planning.add(step, RANKS["open"], after)
    planning.new_covers += [Covered(item=c, operation=operation_id, task=step.id) for c in covers]
