"""What must hold of a plan by the marks of its steps: through what the hand goes, what it dirties
and finds clean, what it seals, sees and covers. Walks it; knows no planner."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from galene.core.airpath.family import EngineFamily, Operation
from galene.core.planning.car import Car
from galene.core.planning.hazards import Hazard, cautions_at
from galene.core.planning.marks import WHOLE_CAR, bears
from galene.core.planning.moments import Clean, elsewhere, left_between, visits
from galene.core.planning.openings import has, mouths
from galene.core.planning.records import OpenItem, Plan, Step

ROUGH = frozenset({"spray", "soak", "brush", "scrape", "wash", "ream", "blast"})
"""Deeds after which a seal must not sit in its seat already."""


@dataclass(frozen=True, kw_only=True)
class Violation:
    """A law that does not hold, the step where it fails, and what is wrong there."""

    rule: int
    step: str
    text: str


def at_step(
    step: Step,
    family: EngineFamily,
    car: Car,
    clean: Clean,
    *,
    hazards: Sequence[Hazard],
    is_done: bool,
) -> Iterator[Violation]:
    """The laws that one step may break on the car as it stands before it; one that is done may
    carry a caution of an earlier table."""
    yield from _through(step, car)
    yield from _still_clean(step, family, clean)
    yield from _assembled(step, car)
    for word in step.speaks_of:
        if not has(family, word):
            yield Violation(rule=23, step=step.id, text=f"speaks of {word}, which it has not")
    if hazards:
        yield from _warned(step, family, car, hazards=hazards, is_done=is_done)


def _warned(
    step: Step, family: EngineFamily, car: Car, *, hazards: Sequence[Hazard], is_done: bool
) -> Iterator[Violation]:
    """Law 22: cautions are those of what can hurt at the step, each of them, and none else but what
    its operation or procedure names itself."""
    can_hurt = set(cautions_at(step, family, hazards, car))
    if missing := can_hurt - set(step.cautions):
        yield Violation(rule=22, step=step.id, text=f"warns not of {', '.join(sorted(missing))}")
    if not is_done and (idle := set(step.cautions) - can_hurt - set(step.own_cautions)):
        yield Violation(rule=22, step=step.id, text=f"warns idly of {', '.join(sorted(idle))}")


def _through(step: Step, car: Car) -> Iterator[Violation]:
    """Law 13: nothing through a mouth that wears a cover, or whose bearer is away."""
    for mouth in step.through:
        worn = [i for i in car.open.values() if i.mouth == mouth and i.id not in step.closes]
        if worn:
            text = f"goes through {mouth} under {worn[0].what}"
            yield Violation(rule=13, step=step.id, text=text)
        if car.bearer_away(mouth):
            yield Violation(rule=13, step=step.id, text=f"goes through {mouth}, which is away")


def _still_clean(step: Step, family: EngineFamily, clean: Clean) -> Iterator[Violation]:
    """Law 14: what was found clean is not dirtied after it and shut."""
    operation = _operation(family, step.closing)
    shut = {*step.refits, *(operation.reaches if operation else ())}
    for target, by in clean.spoiled.items():
        if any(target == p or bears(target, p) for p in shut):
            yield Violation(rule=14, step=step.id, text=f"shuts {target}, dirtied by {by}")


def _assembled(step: Step, car: Car) -> Iterator[Violation]:
    """Law 18: what is sought on the assembled car is sought there."""
    if not WHOLE_CAR & set(step.acts):
        return
    if "find_leak" in step.acts:
        if step.part and car.place_of(step.part) != "mounted":
            text = f"seeks a leak of {step.part}, which is off"
            yield Violation(rule=18, step=step.id, text=text)
    elif any(i.operation and not i.by_hand for i in car.open.values()):
        yield Violation(rule=18, step=step.id, text="reads a level on a car that stands open")


def of_plan(plan: Plan, family: EngineFamily, *, done: int) -> Iterator[Violation]:
    """The laws that speak of the plan's steps together.

    Parameters
    ----------
    done : how many of its steps are done: what was sensible when it was done stays so
    """
    yield from _seals(plan)
    yield from _sights(plan, family)
    yield from _covers(plan, done)
    yield from _bare(plan, family, done)
    yield from _spares(plan, family)
    yield from _repeats(plan, done)
    if not plan.held:
        yield from _watched_first(plan)


def _seals(plan: Plan) -> Iterator[Violation]:
    """Law 15: a seal goes in after the last rough or wet act on its part; a new part is compared
    before it is sealed, greased or fitted."""
    sealed: dict[str, int] = {}
    rough: dict[str, int] = {}
    for i, step in enumerate(plan.steps):
        if not step.part or step.opening or step.closing:
            continue
        if "seal_new" in step.acts:
            sealed[step.part] = i
        elif ROUGH & set(step.acts):
            rough[step.part] = i
    for part, at in sealed.items() if not plan.held else ():
        if rough.get(part, -1) > at:
            by = plan.steps[rough[part]].id
            yield Violation(rule=15, step=plan.steps[at].id, text=f"seals {part} before {by}")
    for new in (p.part for p in plan.parts if p.work == "replace"):
        off = max((i for i, s in enumerate(plan.steps) if new in s.takes_off), default=-1)
        mine = [
            (i, s)
            for i, s in enumerate(plan.steps)
            if i > off and (s.part == new or new in s.refits)
        ]
        compared = next((i for i, s in mine if "compare_new" in s.acts), -1)
        touched = next(
            (
                (i, s)
                for i, s in mine
                if i < compared and (new in s.refits or {"seal_new", "grease"} & set(s.acts))
            ),
            None,
        )
        # What was worked on or judged before it was condemned is no new part.
        old = (i < compared and (ROUGH & set(s.acts) or new in s.judges_clean) for i, s in mine)
        if touched and not any(old):
            yield Violation(rule=15, step=touched[1].id, text=f"{new} is not compared before")


def _sights(plan: Plan, family: EngineFamily) -> Iterator[Violation]:
    """Law 16: what gives sight of a joint is closed after the look, unless the engine must run with
    it closed: then it was looked at before too."""
    for shut, closing in enumerate(plan.steps):
        operation = _operation(family, closing.closing)
        if operation is None or not operation.sight_of:
            continue
        must = any(o.before == "start" for o in operation.opens)
        for later in plan.steps[shut + 1 :]:
            if later.opening == operation.id:
                break
            for part in set(later.sees) & set(operation.sight_of):
                before = any(part in s.sees for s in plan.steps[:shut])
                if not (must and before):
                    text = f"looks at {part} behind {closing.id}"
                    yield Violation(rule=16, step=later.id, text=text)


def _covers(plan: Plan, done: int) -> Iterator[Violation]:
    """Law 17: no cover goes on and comes off with nothing between."""
    ahead = range(done, len(plan.steps))
    on = {i.id: (n, i) for n in ahead for i in plan.steps[n].opens if i.mouth}
    for n, step in enumerate(plan.steps):
        for item_id in step.closes:
            at, item = on.get(item_id, (-1, None))
            if item and not left_between(plan.steps, at, n, item.mouth):
                yield Violation(rule=17, step=step.id, text=f"{item.what} guards nothing")


def _bare(plan: Plan, family: EngineFamily, done: int) -> Iterator[Violation]:
    """Law 9: no mouth stands bare beside work that could drop in, but where somebody goes through
    it, or it is wet."""
    gone: set[str] = set()
    for i, step in enumerate(plan.steps):
        operation = _operation(family, step.opening)
        for item in mouths(family, operation, step.turn, gone=gone) if operation else ():
            yield from _bare_from(plan, item, i, done=done)
        gone.update(step.takes_off)
        gone.difference_update(step.refits)


def _bare_from(plan: Plan, item: OpenItem, start: int, *, done: int) -> Iterator[Violation]:
    steps, opening = plan.steps, plan.steps[start]
    end = next(
        (
            n
            for n, s in enumerate(steps[start + 1 :], start + 1)
            if s.closing == opening.opening
            or (item.on and item.on in (*s.takes_off, *s.sends))
            or (opening.part and opening.part in s.refits)
        ),
        -1,
    )
    if end < 0:
        return
    at_work = visits(steps, start, end, item.mouth)
    wet = {w.part: n for n, s in enumerate(steps[:end]) for w in s.wets}
    worn = False
    for n, step in enumerate(steps[start:end], start):
        if n > start and n >= done and elsewhere(step, item.mouth) and not worn:
            inside = any(a <= n <= b for a, b in at_work)
            if not inside and item.on not in wet:
                yield Violation(rule=9, step=step.id, text=f"{item.mouth} stands bare")
                return
        named = [i for i in step.opens if i.mouth == item.mouth]
        closed = {i.id for s in steps[: n + 1] for i in s.opens if i.mouth == item.mouth}
        worn = bool(named) or (worn and not closed & set(step.closes))


def _spares(plan: Plan, family: EngineFamily) -> Iterator[Violation]:
    """Law 19: a spare that comes with another is not used beside it."""
    used = {c: s.id for s in plan.steps for c in s.consumes}
    for spare in family.spares:
        for inner in spare.contains:
            if spare.id in used and inner in used:
                yield Violation(rule=19, step=used[inner], text=f"{inner} comes with {spare.id}")


def _repeats(plan: Plan, done: int) -> Iterator[Violation]:
    """Law 20: what a part's own procedure does once more, an answer before it asks for, and it is
    the same deed as the first time, but where that was done by what its procedure said then."""
    first: dict[tuple[str, str, tuple[int, ...]], tuple[int, Step]] = {}
    asked: dict[str, set[str] | None] = {}
    for n, step in enumerate(plan.steps):
        if not step.owner:
            continue
        at, was = first.setdefault((step.owner, step.name, step.cylinders), (n, step))
        if step.turn > 1 and n >= done:
            deeds = asked.get(step.owner, set())
            if deeds is not None and not set(step.acts) <= deeds:
                text = f"does once more {', '.join(step.acts)}, which no answer asks for"
                yield Violation(rule=20, step=step.id, text=text)
            if at >= done and step.acts != was.acts:
                yield Violation(rule=20, step=step.id, text=f"does not repeat {was.id}")
        for once_more in (c for r in step.records for c in r.consequences if c.kind == "again"):
            so_far = asked.setdefault(step.owner, {"dry"})
            # One that names no deed asks for all of the treatment.
            asked[step.owner] = (
                so_far | set(once_more.repeats)
                if so_far is not None and once_more.repeats
                else None
            )


def _watched_first(plan: Plan) -> Iterator[Violation]:
    """Law 21: coolant that was let down is bled and watched before the readings that prove."""
    names = [s.relearn or s.act for s in plan.steps]
    both = {"coolant_bleed_and_watch", "after_set"} <= set(names)
    if both and names.index("coolant_bleed_and_watch") > names.index("after_set"):
        yield Violation(rule=21, step="after_set", text="readings before the coolant was watched")


def _operation(family: EngineFamily, operation_id: str) -> Operation | None:
    return (
        next((o for o in family.operations if o.id == operation_id), None) if operation_id else None
    )
