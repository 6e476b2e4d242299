"""Covers on mouths: on where something could drop in or the hand goes away, off for the work that
goes through them, off at the end; nothing goes on only to come off."""

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, field, replace

from galene.core.planning import cover_steps
from galene.core.planning.car import Car, after
from galene.core.planning.making.state import Mouth, Planning
from galene.core.planning.moments import left_between, visits
from galene.core.planning.records import OpenItem, Step


@dataclass(kw_only=True)
class _Guarding:
    """The steps in their order, and what is put on, taken off and looked into at each."""

    steps: list[Step]
    on: dict[int, list[OpenItem]] = field(default_factory=lambda: defaultdict(list))
    off: dict[int, list[OpenItem]] = field(default_factory=lambda: defaultdict(list))
    empty: dict[int, list[OpenItem]] = field(default_factory=lambda: defaultdict(list))
    first: list[OpenItem] = field(default_factory=list)
    cars: list[Car] = field(default_factory=list)


def guarded(planning: Planning, steps: Sequence[Step]) -> list[Step]:
    """The steps with the covers that their mouths need.

    Parameters
    ----------
    steps : what is left, in order, covers put on and taken off nowhere yet

    Notes
    -----
    Between the moments at which a mouth is laid open, gone through and shut, it wears a cover where
    anything else is done that could drop in, and none where nothing is. A mouth that is wet is left
    bare. One that leads into a cylinder and was gone through, or stood bare beside other work, is
    looked into twice before it is shut.
    """
    work = _Guarding(steps=list(steps))
    car = planning.car
    for step in steps:
        car = after(car, step)
        work.cars.append(car)
    for mouth in planning.mouths:
        _guard(planning, work, mouth)
    return _woven(work)


def _guard(planning: Planning, work: _Guarding, mouth: Mouth) -> None:
    steps = work.steps
    start = _index(steps, {mouth.opened_by}) if mouth.opened_by else -1
    if mouth.opened_by and start < 0:
        return
    if not mouth.opened_by and mouth.item.on and planning.car.place_of(mouth.item.on) == "away":
        return
    end, leaves = _end(steps, start, mouth)
    worn = next((i for i in planning.car.open.values() if i.mouth == mouth.item.mouth), None)
    worn = worn if start < 0 else None
    gone_through = visits(steps, start, end, mouth.item.mouth)
    turn = sum(i.mouth == mouth.item.mouth for d in planning.done for i in d.step.opens)
    at = start
    for first, last in [*gone_through, (end, end)]:
        inside_a_visit = (
            at < 0 and bool(gone_through) and _began(planning, mouth, steps, steps[first])
        )
        asked = (
            worn is None and not inside_a_visit and left_between(steps, at, first, mouth.item.mouth)
        )
        if asked and _dry(planning, work, at, mouth.item):
            turn += 1
            numbered = f"{mouth.item.id}#{turn}" if turn > 1 else mouth.item.id
            worn = replace(mouth.item, id=numbered)
            (work.on[at] if at >= 0 else work.first).append(worn)
        if worn is not None and first < len(steps):
            # Where the part that bears it leaves, nothing is looked into: it is only bared.
            work.off[first].append(replace(worn, dangerous=False) if leaves else worn)
            looked = worn.dangerous
            worn = None
        else:
            looked = False
        at = last
    if end < len(steps) and not leaves and mouth.item.dangerous and not looked:
        _look_in(work, mouth, gone_through, start=start, end=end)


def _began(planning: Planning, mouth: Mouth, steps: Sequence[Step], step: Step) -> bool:
    """Whether the chain of a step has gone through a mouth before and goes on there."""
    name = mouth.item.mouth
    began = any(d.step.owner == step.owner and name in d.step.through for d in planning.done)
    first = next(s for s in steps if s.owner == step.owner)
    return began and name in first.through


def _look_in(
    work: _Guarding, mouth: Mouth, through: Sequence[tuple[int, int]], *, start: int, end: int
) -> None:
    """A way into a cylinder that is shut from bare is looked into twice, unless the last who went
    through it has."""
    at = through[-1][1] if through else start
    if not through and not left_between(work.steps, start, end, mouth.item.mouth):
        return
    looked = bool(through) and any(r.name == "eyes" for r in work.steps[at].records)
    if not looked or left_between(work.steps, at, end, mouth.item.mouth):
        work.empty[end].append(mouth.item)


def _index(steps: Sequence[Step], ids: set[str]) -> int:
    return next((i for i, s in enumerate(steps) if s.id in ids), -1)


def _end(steps: Sequence[Step], start: int, mouth: Mouth) -> tuple[int, bool]:
    """Where a mouth is shut, or leaves with the part that bears it; behind all where neither."""
    for i, step in enumerate(steps[start + 1 :], start + 1):
        if step.id in mouth.shut_by:
            return i, False
        if mouth.item.on and mouth.item.on in (*step.takes_off, *step.sends):
            return i, True
    return len(steps), False


def _dry(planning: Planning, work: _Guarding, at: int, item: OpenItem) -> bool:
    """Whether the part that bears a mouth is dry, so that it can be covered."""
    car = work.cars[at] if at >= 0 else planning.car
    done = (d.step for d in planning.done)
    held = {w for s in (*done, *work.steps[: at + 1]) for w in s.waits_for}
    return not item.on or car.wet.get(item.on, "") in {"", *held}


def _woven(work: _Guarding) -> list[Step]:
    """The steps with covers on and off, and the looks, in their places."""
    found: list[Step] = [cover_steps.covering(work.first)] if work.first else []
    for i, step in enumerate(work.steps):
        off, empty = work.off.get(i, []), work.empty.get(i, [])
        through = [c for c in off if c.mouth in step.through]
        others = [c for c in off if c not in through]
        if len(others) == 1 and not (empty or through or others[0].dangerous):
            through, others = others, []
        if others or empty:
            part = next((c.on for c in (*others, *empty) if c.on), step.part) or step.part
            phase = "close" if step.phase in ("close", "walk") else step.phase
            look = cover_steps.uncovering(others, part, phase=phase, empty=empty)
            found.append(replace(look, waits_for=step.waits_for))
        on = work.on.get(i, [])
        if through or on:
            closes = (*step.closes, *(c.id for c in through))
            step = replace(step, closes=closes, opens=(*step.opens, *on))
        found.append(step)
    return found
