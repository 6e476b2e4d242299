"""Covers on mouths: off for the work that goes through them, on again after it, off at the end."""

from collections.abc import Sequence
from dataclasses import replace

from galene.core.planning import steps as made
from galene.core.planning.chain import Link
from galene.core.planning.making.state import FAR_END, RANKS, Covered, Planning
from galene.core.planning.order import CLEAN_RANK
from galene.core.planning.records import Step
from galene.core.planning.words import MOUTH_KINDS


def covers(planning: Planning, new: Sequence[Covered]) -> list[Covered]:
    """Every cover with what must happen to it on the way; those that a closing takes off are
    given back."""
    known = [
        Covered(item=i, operation=planning.operation_of(i.id), task="")
        for i in planning.car.open.values()
        if i.kind in MOUTH_KINDS and planning.operation_of(i.id)
    ]
    for item in planning.car.open.values():
        tape = Covered(item=item, operation="", task="")
        if item.id.endswith(":port") and (lifted := lifted_later(planning, tape)):
            uncover(planning, tape, before=lifted, rank=RANKS["open"])
            back = planning.tasks.get(f"{item.id.removesuffix(':port')}:in")
            if back:
                closes = tuple(c for c in back.step.closes if c != item.id)
                back.step = replace(back.step, closes=closes)
    left: list[Covered] = []
    for cover in (*known, *new):
        lifting_later = lifted_later(planning, cover)
        if lifting_later:
            uncover(planning, cover, before=lifting_later, rank=RANKS["open"])
        else:
            left.append(cover)
    return uncover_for_work(planning, left)


def lifted_later(planning: Planning, cover: Covered) -> str:
    """The opening step that takes off the part which bears this cover, empty where none
    does."""
    for operation_id in planning.to_open:
        name = f"open:{operation_id}{planning.suffix[operation_id]}"
        step = planning.tasks[name].step
        if cover.item.on in step.takes_off and name != cover.task:
            return name
    return ""


def uncover(planning: Planning, cover: Covered, *, before: str, rank: int) -> Step:
    part = cover.item.on or planning.by_id[cover.operation].part
    step = made.uncovering(cover.item, part, phase="open" if rank < CLEAN_RANK else "close")
    planning.add(step, rank, {cover.task} if cover.task else ())
    planning.tasks[before].after.add(step.id)
    return step


def uncover_for_work(planning: Planning, covers: list[Covered]) -> list[Covered]:
    """Mouths that are worked on: uncovered at the first step there, covered again by the
    last."""
    left = list(covers)
    for owner, links in planning.links.items():
        parts = set(planning.owner_parts[owner])
        mine = [x for x in links if x.template.place == "clean" and x.step.id in planning.tasks]
        if not mine or mine[0].step.needs.place.get(mine[0].step.part) != "mounted":
            continue
        kinds = {planning.family.part(p).component for p in parts}
        mine += [x for x in links if x.template.place == "close" and x.step.id in planning.tasks]
        left += owed(planning, owner, mine)
        for cover in [
            c
            for c in left
            if worked_on(planning, c, parts, kinds) and not c.task.startswith(f"{owner}:")
        ]:
            again = over_again(planning, cover, mine)
            if again is not None:
                left[left.index(cover)] = again
    return left


def owed(planning: Planning, owner: str, links: Sequence[Link]) -> list[Covered]:
    """Covers that were taken off for work that still goes on: they go on again at its last
    step."""
    items = {i.id: i for d in planning.done for i in d.step.opens}
    off = [c for d in planning.done if d.step.owner == owner for c in d.step.closes if c in items]
    found: list[Covered] = []
    for closed in off:
        item, operation = items[closed], planning.operation_of(closed)
        base, _, count = closed.partition("#")
        following = f"{base}#{int(count or 1) + 1}"
        if operation not in planning.open_now or not item.inside or following in items:
            continue
        mine = links
        if ":ports " in closed:
            number = base.rpartition(":ports ")[2]
            mine = [x for x in links if x.step.cylinders == (int(number),)]
        if not mine or any(
            following == i.id for t in planning.tasks.values() for i in t.step.opens
        ):
            continue
        last = planning.tasks[mine[-1].step.id]
        again = replace(item, id=following)
        last.step = replace(last.step, opens=(*last.step.opens, again))
        found.append(Covered(item=again, operation=operation, task=last.step.id))
    return found


def worked_on(planning: Planning, cover: Covered, parts: set[str], kinds: set[str]) -> bool:
    if cover.item.on in parts:
        return not ("intake_ports" in kinds and ":port " in cover.item.id)
    return (
        bool(kinds & FAR_END)
        and bool(parts & set(planning.by_id[cover.operation].reaches))
        and ":mouth" in cover.item.id
    )


def over_again(planning: Planning, cover: Covered, links: Sequence[Link]) -> Covered | None:
    number = cover.item.id.partition("#")[0].rpartition(":ports ")[2]
    mine = [x for x in links if x.template.each == "cylinder"]
    if mine and ":ports " in cover.item.id:
        here = [x for x in mine if x.step.cylinders == (int(number),)]
        if not here:
            return None
    else:
        here = [x for x in links if not x.template.each] or list(links)
        if mine:
            # Work by cylinder lifts only its own tape; a look lifts and presses back each.
            return None
    first, last = planning.tasks[here[0].step.id], planning.tasks[here[-1].step.id]
    base, _, count = cover.item.id.partition("#")
    item = replace(cover.item, id=f"{base}#{int(count or 1) + 1}")
    if any(c in first.step.closes for c in cover_ids(planning)):
        step = made.uncovering(cover.item, cover.item.on or first.step.part, phase="clean")
        planning.add(step, CLEAN_RANK, {*first.after, *({cover.task} if cover.task else ())})
        first.after.add(step.id)
    else:
        first.step = replace(first.step, closes=(*first.step.closes, cover.item.id))
        if cover.task:
            first.after.add(cover.task)
    last.step = replace(last.step, opens=(*last.step.opens, item))
    return Covered(item=item, operation=cover.operation, task=last.step.id)


def cover_ids(planning: Planning) -> set[str]:
    held = {i.id for i in planning.car.open.values() if i.kind in MOUTH_KINDS}
    return held | {
        i.id for t in planning.tasks.values() for i in t.step.opens if i.kind in MOUTH_KINDS
    }
