"""What a check lays open on an engine, as the steps of a plan: made safe, opened, closed again."""

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from galene.core.airpath.access import operations_for
from galene.core.airpath.family import EngineFamily, Operation
from galene.core.diagnosis.records import Check
from galene.core.planning import steps as made
from galene.core.planning.answers import base_id
from galene.core.planning.car import Car, after, car_after
from galene.core.planning.hazards import warned
from galene.core.planning.openings import lifting, mouths, needs_cold, plain_items
from galene.core.planning.policy_keys import SEALS
from galene.core.planning.records import DoneStep, OpenItem, StateWords, Step
from galene.core.planning.words import MOUTH_KINDS
from galene.knowledge.hazards import HAZARDS, cautions_of_check

MAKE_SAFE_MINUTES = 4.0
"""Key out, chocks, doors: before anything is opened for a look (project default)."""


@dataclass(frozen=True, kw_only=True)
class CheckAccess:
    """A check's way in on this car as it stands: its steps, and what it comes to with them."""

    steps: tuple[Step, ...]
    minutes: float
    tools: tuple[str, ...]
    cautions: tuple[str, ...]

    @property
    def openings(self) -> tuple[Step, ...]:
        """The steps that open something."""
        return tuple(s for s in self.steps if s.opening)

    @property
    def safe(self) -> tuple[Step, ...]:
        """What is made safe before."""
        return tuple(s for s in self.steps if s.phase == "safe")


def opened_for(check: Check, family: EngineFamily, done: tuple[str, ...]) -> tuple[Operation, ...]:
    """The operations that a check needs on this engine, without those done, in the order of
    opening."""
    parts = [next((p.id for p in family.parts if p.component == k), "") for k in check.reaches]
    return operations_for(family, [p for p in parts if p], done)


def access_of(
    check: Check,
    family: EngineFamily,
    *,
    start: StateWords,
    done: Sequence[DoneStep],
    policy: Mapping[str, str],
) -> CheckAccess:
    """How a check gets at what it looks at, from the car as it stands.

    Parameters
    ----------
    start : the state in which the car came in
    done : steps that were done on it since, by a card or for a check before
    policy : the job's schools, letter to choice
    """
    car = car_after(start, done)
    operations = opened_for(check, family, open_operations(done))
    steps: list[Step] = []
    if operations:
        steps += _made_safe(family, operations, car, done=done, policy=policy)
        gone = {p for p, where in car.place.items() if where in ("off", "away")}
        hold = next((s.wait.id for s in steps if s.does.battery == "off" and s.wait), "")
        for operation in operations:
            for cover in _borne(family, operation, car):
                steps.append(made.uncovering(cover, cover.on or operation.part, phase="open"))
                car = after(car, steps[-1])
            step = _opened(family, operation, car, done=done, policy=policy, gone=gone)
            if hold and step.needs.battery == "off":
                step = replace(step, waits_for=(hold,))
            steps.append(step)
            car = after(car, step)
    steps = [warned(s, family, HAZARDS) for s in steps]
    own = check.minutes if check.minutes_open is None else check.minutes_open
    opening = sum(o.minutes_off + o.minutes_on for o in operations)
    cautions = dict.fromkeys(c for s in steps for c in s.cautions)
    return CheckAccess(
        steps=tuple(steps),
        minutes=own + opening + MAKE_SAFE_MINUTES if operations else own,
        tools=tuple(dict.fromkeys(t for s in steps for t in s.tools)),
        cautions=tuple(dict.fromkeys((*cautions_of_check(check, family), *cautions))),
    )


def open_operations(done: Sequence[DoneStep]) -> tuple[str, ...]:
    """Operations that stand open after these steps."""
    stand: list[str] = []
    for one in done:
        if one.left_out:
            continue
        if one.step.opening:
            stand.append(one.step.opening)
        if one.step.closing in stand:
            stand.remove(one.step.closing)
    return tuple(stand)


def closed_again(
    family: EngineFamily,
    *,
    start: StateWords,
    done: Sequence[DoneStep],
    policy: Mapping[str, str],
) -> tuple[Step, ...]:
    """The way back of everything that stands open: each cover off, each operation closed, the
    power on again."""
    car = car_after(start, done)
    by_id = {o.id: o for o in family.operations}
    turns = Counter(d.step.opening for d in done if d.step.opening)
    found: list[Step] = []
    for operation_id in reversed(open_operations(done)):
        operation = by_id[operation_id]
        suffix = _suffix(turns[operation_id])
        mine = [i for i in car.open.values() if i.id.startswith(f"{operation_id}{suffix}:")]
        covers = [i for i in mine if i.kind in MOUTH_KINDS and i.inside]
        for cover in covers:
            found.append(made.uncovering(cover, cover.on or operation.part, phase="close"))
            car = after(car, found[-1])
        lifted = lifting(family, operation)
        back = made.closing(
            family,
            operation,
            step_id=f"close:{operation_id}{suffix}",
            closes=tuple(i.id for i in mine if i not in covers and not _by_fill(operation, i)),
            refits=tuple(p for p in (lifted.parts if lifted else ()) if _off(car, p)),
            waits=(),
            new=(),
            reuse_seals=policy.get(SEALS) == "reuse",
        )
        found.append(back)
        car = after(car, back)
    if car.coolant != "full":
        low = tuple(i.id for i in car.open.values() if i.kind == "coolant low")
        found.append(made.filled(_nth("fill", done), low))
    if car.battery == "off":
        leads = tuple(i.id for i in car.open.values() if i.kind == "battery lead")
        found.append(made.battery_on(_nth("battery_on", done), leads))
    return tuple(warned(s, family, HAZARDS) for s in found)


def _by_fill(operation: Operation, item: OpenItem) -> bool:
    """Whether an item is closed by filling up, not by what else is put back."""
    alone = all(o.kind == "coolant low" for o in operation.opens)
    return item.kind == "coolant low" and not alone


def unhooked(check: Check, family: EngineFamily) -> OpenItem | None:
    """What a check unhooks besides its operations; None where that is one of theirs."""
    if not check.unhooks or not set(check.reaches) <= family.components:
        return None
    what, kind = check.unhooks
    listed = (o.what for x in opened_for(check, family, ()) for o in x.opens)
    return None if what in listed else OpenItem(id=f"{check.id}:{what}", what=what, kind=kind)


def _off(car: Car, part: str) -> bool:
    return car.place_of(part) in ("off", "loose")


def _borne(family: EngineFamily, operation: Operation, car: Car) -> list[OpenItem]:
    """Covers on what an operation takes off: they come off before it."""
    lifted = lifting(family, operation)
    return [i for p in (lifted.parts if lifted else ()) for i in car.mouths_on(p)]


def _suffix(turn: int) -> str:
    return f"~{turn}" if turn > 1 else ""


def _nth(key: str, done: Sequence[DoneStep]) -> str:
    times = sum(base_id(d.step.id) == key for d in done)
    return f"{key}{_suffix(times + 1)}"


def _made_safe(
    family: EngineFamily,
    operations: Sequence[Operation],
    car: Car,
    *,
    done: Sequence[DoneStep],
    policy: Mapping[str, str],
) -> list[Step]:
    """Cold where it must be, no key, no power where a motor is unplugged."""
    found = []
    cold = [o for o in operations if needs_cold(family, o)]
    if cold and car.heat == "warm":
        minutes = max(o.wait_minutes for o in cold)
        found.append(made.cool(minutes, _nth("cool", done), cooling=family.cooling))
    found.append(made.ignition(_nth("ignition", done)))
    if car.battery == "on" and any(
        made.wants_battery_off(family, o, lifting(family, o), policy=policy) for o in operations
    ):
        found.append(made.battery_off(_nth("battery_off", done)))
    return found


def _opened(
    family: EngineFamily,
    operation: Operation,
    car: Car,
    *,
    done: Sequence[DoneStep],
    policy: Mapping[str, str],
    gone: set[str],
) -> Step:
    turn = 1 + sum(d.step.opening == operation.id for d in done)
    suffix, lifted = _suffix(turn), lifting(family, operation)
    items = [
        *plain_items(family, operation, suffix, gone=gone),
        *mouths(family, operation, suffix, gone=gone),
    ]
    held = {i.what for i in car.open.values()}
    takes = tuple(p for p in (lifted.parts if lifted else ()) if p not in gone)
    hangs = bool(lifted and lifted.hangs)
    step = made.opening(
        family,
        operation,
        step_id=f"open:{operation.id}{suffix}",
        items=tuple(i for i in items if i.what not in held),
        takes_off=takes,
        hangs=hangs,
        cold=needs_cold(family, operation),
        battery_off=made.wants_battery_off(family, operation, lifted, policy=policy),
        loose=tuple(p for p in takes if car.place_of(p) == "loose"),
    )
    if not hangs:
        gone.update(takes)
    return step
