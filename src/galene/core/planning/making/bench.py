"""The parts' own steps behind what lays them open, on the car and on the bench."""

from collections.abc import Mapping, Sequence
from dataclasses import replace

from galene.core.planning import steps as made
from galene.core.planning.making.state import RANKS, Planning
from galene.core.planning.openings import riding
from galene.core.planning.order import CLEAN_RANK


def work(planning: Planning, safe: Sequence[str], opened: Mapping[str, str]) -> None:
    """The parts' own steps behind what lays them open."""
    for owner, links in planning.links.items():
        ways = {opened[o] for o in planning.used.get(owner, ()) if o in opened}
        for link in links:
            if link.template.place not in ("first", "clean", "close"):
                continue
            step, after = link.step, {*link.after, *safe, *ways}
            rank = {"first": RANKS["open"] + 1, "close": RANKS["close"] - 1}.get(
                link.template.place, CLEAN_RANK
            )
            if link.template.place == "first":
                pass
            elif planning.lead:
                after.add(planning.lead)
            if step.needs.battery == "off" and planning.hold:
                step = replace(step, waits_for=(*step.waits_for, planning.hold))
            if step.needs.heat == "cold" and planning.cooling:
                step = replace(step, waits_for=(*step.waits_for, planning.cooling))
            planning.add(step, rank, after)
            for wet in step.wets:
                if step.wait:
                    planning.wait_of.setdefault(wet.part, []).append(step.wait.id)
    riders(planning)
    on_the_bench(planning)
    unstrip(planning)
    bare_before_lifting(planning, safe)


def bare_before_lifting(planning: Planning, safe: Sequence[str]) -> None:
    """What lies in or over a part's mouth comes out before the part is lifted off."""
    for lift in [t for t in planning.tasks.values() if t.step.opening and t.step.takes_off]:
        inside = {i.id for p in lift.step.takes_off for i in planning.car.mouths_on(p)}
        for task in list(planning.tasks.values()):
            if task is not lift and inside & set(task.step.closes) and lift.step.id in task.after:
                task.after.clear()
                task.after.update(safe)
                lift.after.add(task.step.id)


def unstrip(planning: Planning) -> None:
    """What was taken off a part on the bench goes back on it before that part goes back."""
    for item in planning.car.open.values():
        owner, _, rest = item.id.partition(":")
        rider = rest.partition(":")[0]
        if owner != "strip" or f"unstrip:{rider}" in planning.tasks:
            continue
        carrier = next(
            d.step.owner for d in planning.done if item.id in {i.id for i in d.step.opens}
        )
        _, on = made.stripped(planning.family, rider, carrier)
        back = [x.step.id for x in planning.links.get(carrier, ()) if x.step.id in planning.tasks]
        planning.add(on, RANKS["close"] - 1, back)


def on_the_bench(planning: Planning) -> None:
    """A sensor that sits on a part on the bench is off it while that part is wetted."""
    for owner, links in planning.links.items():
        outs = [x.step for x in links if x.step.id == f"{owner}:out"]
        carrier = planning.carrier_off(owner) if outs else ""
        if not carrier or carrier not in planning.links:
            continue
        back = planning.tasks[f"{owner}:in"]
        for x in planning.links[carrier]:
            task = planning.tasks.get(x.step.id)
            if task is None or x.template.place not in ("clean", "close"):
                continue
            if x.step.wets or x.step.sends:
                task.after.add(outs[0].id)
            back.after.add(x.step.id)


def riders(planning: Planning) -> None:
    """What rides on a part that goes away is looked at before it goes, and worked on after."""
    for owner, links in planning.links.items():
        sends = [x.step.id for x in links if x.step.sends]
        receives = [x.step.id for x in links if x.step.receives]
        if not (sends or receives):
            continue
        carrier = planning.owner_parts[owner][0]
        riders = {
            p
            for lifted in planning.lift.values()
            if lifted and lifted.part == carrier
            for p in lifted.riders
        }
        for other, theirs in planning.links.items():
            if other == owner or not set(planning.owner_parts[other]) & riders:
                continue
            looks = [
                x.step.id
                for x in theirs
                if x.template.place == "clean" and x.template.key == "look"
            ]
            for send in sends:
                planning.tasks[send].after.update(looks)
            for x in theirs:
                if x.template.place in ("clean", "close") and x.step.id not in looks:
                    planning.tasks[x.step.id].after.update(receives)
        bench_strip(planning, owner, carrier, sends)


def bench_strip(planning: Planning, owner: str, carrier: str, sends: Sequence[str]) -> None:
    """What still sits on a part before it goes away comes off it on the bench, each by its
    name."""
    lifted_by_own = {
        p
        for o in (*planning.to_open, *planning.open_now)
        if (x := planning.lift[o])
        for p in x.parts
    }
    for rider in riding(planning.family).get(carrier, ()):
        if rider in lifted_by_own or planning.car.place_of(rider) != "mounted":
            continue
        if f"{rider}:out" in planning.tasks or not sends:
            continue
        off, on = made.stripped(planning.family, rider, carrier)
        ways = planning.used.get(owner, set())
        after = {f"open:{o}{planning.suffix[o]}" for o in ways if o in planning.to_open}
        if off.id not in planning.done_ids:
            planning.add(off, CLEAN_RANK, after)
        for send in sends:
            planning.tasks[send].after.add(off.id)
        back = [x.step.id for x in planning.links[owner] if x.template.place in ("clean", "close")]
        planning.add(on, RANKS["close"] - 1, {off.id, *back})
