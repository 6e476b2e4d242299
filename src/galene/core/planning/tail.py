"""What follows the last bolt: liquids, power, looks, codes, relearns, the first start, the road,
the proof."""

from collections import Counter
from collections.abc import Sequence
from dataclasses import replace

from galene.core.airpath.natures import kind_is
from galene.core.planning import ends
from galene.core.planning import steps as made
from galene.core.planning.answers import base_id
from galene.core.planning.car import after
from galene.core.planning.chain import Link
from galene.core.planning.openings import numbered
from galene.core.planning.policy_keys import CLEARING
from galene.core.planning.procedure import DOES, NEEDS, merged
from galene.core.planning.records import (
    PlannedWait,
    StateWords,
    Step,
)
from galene.core.planning.relearns_due import (
    BURN_OFF,
    RELEARNS_PARTS,
    Situation,
    coolant_by_hand,
    due_relearns,
)
from galene.core.proof.relearn import RelearnTemplate


class _Tail:
    """The closing sequence, built on the state that the work leaves."""

    def __init__(self, situation: Situation) -> None:
        self.s = situation
        self.family = situation.case.family
        self.times = Counter(base_id(d.step.id) for d in situation.done)
        self.done_ids = {d.step.id for d in situation.done}
        car = situation.car
        for step in situation.ahead:
            car = after(car, step)
        self.car = car
        self.found: list[Step] = []

    def add(self, step: Step, *, once_more: bool = True) -> None:
        """Append a step, under an id of its own where it was done before and the work went on
        since."""
        times = self.times[step.id]
        if times and not self.s.work_left:
            self._again(step, times)
            return
        if step.needs.engine:
            self.engine(step.needs.engine)
        if times and once_more:
            step = renamed(step, times + 1)
        self._append(step)
        if not times:
            self._again(step, 1)

    def _again(self, step: Step, times: int) -> None:
        asked = self.s.again.get(step.id, 0)
        for turn in range(times + 1, asked + 2):
            self._append(renamed(step, turn))

    def _append(self, step: Step) -> None:
        self.found.append(step)
        self.car = after(self.car, step)

    def engine(self, wanted: str) -> None:
        """Bring the engine's state about where it is another one."""
        if self.car.engine == wanted:
            return
        if wanted == "ignition":
            text = "Ignition on, engine off"
            if self.car.engine == "running":
                text = "Engine off, then ignition on"
            step = ends.key_on(text, self.s.wet_waits)
        elif wanted == "off":
            step = ends.key_off()
        else:
            step = ends.run_again()
        self._anew(step)

    def drive(self, step: Step) -> None:
        """A drive of a part's own, in the state that it asks for."""
        if step.needs.heat == "warm":
            self.warm()
        if step.needs.engine:
            self.engine(step.needs.engine)
        self._append(step)

    def warm(self) -> None:
        """Bring the engine to its heat where it is cold: a relearn that was to do so may have been
        left out."""
        if self.car.heat == "warm":
            return
        self.engine("running")
        self._anew(ends.warm_up(self.family.cooling))

    def _anew(self, step: Step) -> None:
        count = self.times[step.id] + sum(base_id(s.id) == step.id for s in self.found)
        self._append(renamed(step, count + 1) if count else step)


def renamed(step: Step, turn: int) -> Step:
    """A step's repeat under ids of its own."""
    step_id = numbered(base_id(step.id), turn)
    return replace(
        step,
        id=step_id,
        turn=turn,
        records=tuple(replace(r, id=f"{step_id}/{r.name}") for r in step.records),
        wait=replace(step.wait, id=f"{step.wait.id} ({turn})") if step.wait else None,
    )


def tail_steps(situation: Situation) -> list[Step]:
    """Everything after the work, in its order; each follows the one before.

    Returns
    -------
    list of Step
        Liquids and power first, then looks, power-on tests, codes, what is learned with the engine
        still, the first start behind its gate, what needs it running, the road, pending codes, and
        the level once it is cold.
    """
    t = _Tail(situation)
    relearns = due_relearns(situation)
    _liquids_and_power(t, relearns)
    still = [r for r in relearns if "engine_running" not in r.needs and not _wants_warm(r)]
    _looks(t)
    if not _sight_for_fuel(t, still):
        _sight_closed(t)
    _power_tests(t)
    _codes(t)
    for relearn in still:
        _relearn(t, relearn)
        if relearn.id == "fuel_venting":
            t.add(_fuel_look(t))
    _sight_closed(t)
    if situation.case.policy.get(CLEARING) == "battery_reset" and _was_reset(t):
        _reset_holds(t)
    for step in situation.read_late:
        t.engine("off")
        t._append(step)
    if _liquid(situation):
        _cylinders(t)
    _start(t)
    moving = [r for r in relearns if r not in still]
    if not any(r.id == "coolant_bleed_and_watch" for r in moving):
        t.add(ends.warm_up(t.s.case.family.cooling))
    touched = situation.car.coolant_touched or t.car.coolant_touched or coolant_by_hand(situation)
    drained = touched and _drained(situation)
    for relearn in moving:
        if relearn.id == BURN_OFF and drained:
            # Air that is still in the cooler boils at a burn-off: its level is seen cold first.
            _cold_look(t)
        _relearn(t, relearn)
    for link in t.s.drive:
        t.drive(link.step)
    _prove(t)
    if touched and not (drained and any(r.id == BURN_OFF for r in moving)):
        _cold_look(t)
    return t.found


def _sight_for_fuel(t: _Tail, still: Sequence[RelearnTemplate]) -> bool:
    """Whether what gives sight stays open until fuel joints were looked at under the pump: not
    where the engine's ignition asks for it shut."""
    fuel = any(r.id == "fuel_venting" for r in still)
    open_now = [t.car.open[c] for x in t.s.late for c in x.closes if c in t.car.open]
    return fuel and not any(i.before == "start" for i in open_now)


def _drained(s: Situation) -> bool:
    """Whether coolant was let down to the air, not only held by clamps on its lines."""
    return coolant_by_hand(s) or any(i.kind == "coolant low" for x in s.every for i in x.opens)


def _liquid(s: Situation) -> bool:
    """Whether coolant may stand in a cylinder: somebody fears it, or the cooler is a new one."""
    new = any(
        t.work.work == "replace" and kind_is(s.case.family.part(t.part).component, "cooler")
        for t in s.treatments
    )
    return s.case.may_hold_liquid or new


def _cylinders(t: _Tail) -> None:
    """No starter turns an engine in whose cylinders liquid may stand."""
    if _stands(t, "cylinders"):
        return
    t.engine("off")
    t.add(ends.cylinders())
    t.engine("ignition")
    t.add(ends.crank_dry())


def _stands(t: _Tail, step_id: str) -> bool:
    return step_id in t.done_ids and not t.s.work_left


def _wants_warm(relearn: RelearnTemplate) -> bool:
    return "engine_warm" in relearn.needs or "engine_warm_running" in relearn.needs


def _liquids_and_power(t: _Tail, relearns: Sequence[RelearnTemplate]) -> None:
    low = [i for i in t.car.open.values() if i.kind == "coolant low" and not i.by_hand]
    if low or t.car.coolant != "full":
        t.add(made.filled(1, tuple(i.id for i in low)))
    if _reset_wanted(t, relearns) and t.car.battery == "on" and "battery_off" not in t.done_ids:
        t.add(made.battery_off(1))
    if t.car.battery != "off":
        return
    reset = _reset_wanted(t, relearns)
    if reset:
        t.add(ends.battery_reset())
    leads = tuple(i.id for i in t.car.open.values() if i.kind == "battery lead" and not i.by_hand)
    turn = 1 + sum(x.name == "battery_on" for x in t.s.ahead)
    step = made.battery_on(turn, leads, cleared=reset)
    waits = (*t.s.wet_waits, *((made.RESET_HOLD,) if reset else ()))
    t.add(replace(step, waits_for=waits))


def _reset_wanted(t: _Tail, relearns: Sequence[RelearnTemplate]) -> bool:
    named = any(r.id == "memory_reset" for r in relearns)
    return t.s.case.policy.get(CLEARING) == "battery_reset" and named


def _was_reset(t: _Tail) -> bool:
    return any(base_id(s.id) == "battery_reset" for s in (*t.found, *(d.step for d in t.s.done)))


def _looks(t: _Tail) -> None:
    for link in (x for x in t.s.walk if link_engine(x) is None):
        if link.step.needs.engine:
            t.engine(link.step.needs.engine)
        t._append(link.step)
    open_joints = joints(t, "leaks") or _seen_last(t, "leaks")
    if open_joints or t.s.case.finds:
        t.add(ends.leaks(open_joints))
    if not (any(x.opens for x in t.s.every) or t.s.case.finds or t.s.case.hand_items):
        return
    t.add(ends.walk(joints(t, "walk") or _seen_last(t, "walk")))


def _seen_last(t: _Tail, look: str) -> tuple[str, ...]:
    """What a look that was done has seen: asked for once more it sees the same."""
    done = (d.step.sees for d in reversed(t.s.done) if d.step.name == look)
    return next(done, ())


def joints(t: _Tail, look: str) -> tuple[str, ...]:
    """Parts whose joints were opened, by an operation that does more than give sight or by hand,
    and not looked at since.

    Parameters
    ----------
    look : the look that is asked for, ``leaks`` or ``walk``
    """
    found: dict[str, None] = {}
    tight = {
        o.id
        for o in t.family.operations
        if o.sight_of or all(i.kind == "coolant low" for i in o.opens)
    }
    for step in t.s.every:
        # What was looked at since it was opened is looked at no more.
        for part in step.sees if step.name in (look, "looked_round") else ():
            found.pop(part, None)
        opened = [step.part] if step.opening and step.opening not in tight else []
        found.update(dict.fromkeys((*opened, *step.takes_off)))
    return tuple(found)


def _sight_closed(t: _Tail) -> None:
    """What gave sight of the joints goes back once they were looked at."""
    for step in t.s.late:
        if step.id not in {*t.done_ids, *(s.id for s in t.found)}:
            t.engine("off")
            t._append(step)


def link_engine(link: Link) -> str | None:
    """The state of the engine that a powered test asks for."""
    engine = link.step.needs.engine
    return None if engine == "off" else engine


def _power_tests(t: _Tail) -> None:
    for link in (x for x in t.s.walk if link_engine(x) == "ignition"):
        t.engine("ignition")
        t._append(link.step)


def _codes(t: _Tail) -> None:
    if t.car.codes == "cleared" or (t.times["clear"] and not t.s.work_left):
        return
    t.engine("ignition")
    t.add(ends.clear())


def _relearn(t: _Tail, relearn: RelearnTemplate) -> None:
    step_id = f"relearn:{relearn.id}"
    if t.times[step_id] and not t.s.work_left:
        return
    needs = merged(relearn.needs, NEEDS)
    parts = _parts_of(t, relearn.id)
    needs = replace(needs, place=dict.fromkeys(parts, "mounted"))
    if needs.heat == "warm":
        t.warm()
    if needs.engine:
        t.engine(needs.engine)
    does = merged(relearn.ends, DOES)
    if relearn.id == "fuel_venting":
        does = replace(does, fuel_line="vented")
    if relearn.id == "coolant_bleed_and_watch":
        does = replace(does, coolant="full")
    t.add(
        Step(
            id=step_id,
            name=step_id,
            acts=tuple(dict.fromkeys(a for p in relearn.phases for a in p.acts)),
            text=relearn.title,
            why=relearn.success,
            phase="relearn",
            part=parts[0] if parts else "",
            minutes=relearn.attended_minutes,
            act="relearn",
            relearn=relearn.id,
            needs=needs,
            does=does,
        )
    )


def _parts_of(t: _Tail, relearn: str) -> tuple[str, ...]:
    natures = RELEARNS_PARTS.get(relearn, ())
    return tuple(p.id for p in t.family.parts if kind_is(p.component, *natures))


def _fuel_look(t: _Tail) -> Step:
    opened = (x for x in t.s.every if x.opening and x.does.fuel_line == "opened")
    sees = tuple(dict.fromkeys(x.part for x in opened))
    return ends.fuel_look(sees)


def _reset_holds(t: _Tail) -> None:
    for step_id, text, wanted in (
        ("reset_key_on", "Ignition on for sixty seconds, engine off. Touch nothing", "ignition"),
        ("reset_key_off", "Ignition off for sixty seconds. Touch nothing", "off"),
    ):
        if t.times[step_id] and not t.s.work_left:
            continue
        name = "Key on" if wanted == "ignition" else "Key off"
        waits = ("Key on",) if wanted == "off" else ()
        t.add(
            Step(
                id=step_id,
                name=step_id,
                acts=("key_on" if wanted == "ignition" else "key_off", "wait"),
                text=text,
                why="The control unit looks for its stops by itself.",
                phase="start",
                minutes=1,
                needs=StateWords(battery="on"),
                does=StateWords(engine=wanted),  # type: ignore[arg-type]
                wait=PlannedWait(id=name, minutes=1.0, why="The hold must run whole"),
                waits_for=waits,
            )
        )


def _start(t: _Tail) -> None:
    if t.times["first_start"] and not t.s.work_left:
        return
    waits = ("Key off",) if any(base_id(s.id) == "reset_key_off" for s in t.found) else ()
    t.add(ends.first_start(_start_text(t), (*t.s.wet_waits, *waits)))


def _start_text(t: _Tail) -> str:
    """A first start where something was opened since it ran; one that ran all along is started."""
    opened = any(not i.while_running for x in t.s.every for i in x.opens)
    word = "First start" if opened else "Start it"
    return f"{word}, without the {'pedal' if t.family.cycle == 'four_stroke' else 'throttle'}"


def _prove(t: _Tail) -> None:
    if not (t.times["after_set"] and not t.s.work_left):
        t.warm()
        t.engine("running")
    t.add(ends.after_set())
    t.add(ends.road(("ride" if t.family.cycle == "two_stroke" else "drive",)))
    t.add(ends.pending())


def _cold_look(t: _Tail) -> None:
    if not _stands(t, "cold_look"):
        t.engine("off")
    t.add(ends.cold_wait())
    t.add(ends.cold_look())
