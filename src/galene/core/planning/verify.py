"""What must hold of every plan. Walks it step by step over the model of the car; knows no
planner."""

from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass, field
from typing import Protocol

from galene.core.airpath.family import EngineFamily
from galene.core.chemistry.judge import EngineFacts, engine_of
from galene.core.planning.car import Car, after, car_at, lacking
from galene.core.planning.hazards import Hazard
from galene.core.planning.laws import Violation, at_step, of_plan
from galene.core.planning.moments import Clean
from galene.core.planning.openings import fastener_texts, has_motor, riding
from galene.core.planning.records import AgentUse, OpenItem, Plan, StateWords, Step

RESET_LEAST_MINUTES = 15.0
COLD_AND_WET = frozenset({"direct_spray", "on_cloth", "on_brush", "drip_soak", "bath"})


class Judge(Protocol):
    """Chemistry's verdict on an agent as it is used on a kind of part with its features."""

    def __call__(
        self,
        use: AgentUse,
        component: str,
        features: Sequence[str],
        *,
        state: Sequence[str],
        engine: EngineFacts,
    ) -> str: ...


@dataclass(kw_only=True)
class _Walk:
    """The walk over one plan: the car, and what was seen on the way."""

    family: EngineFamily
    judge: Judge | None
    resolved: Collection[str]
    hazards: Sequence[Hazard]
    car: Car
    clean: Clean = field(default_factory=Clean)
    ever: dict[str, OpenItem] = field(default_factory=dict)
    closed: set[str] = field(default_factory=set)
    started_waits: dict[str, float] = field(default_factory=dict)
    held_waits: set[str] = field(default_factory=set)
    refitted: dict[str, int] = field(default_factory=dict)
    brings: dict[str, set[str]] = field(default_factory=dict)
    ventilated: bool = False
    filled: bool = False
    road: bool = False
    cleared_at: int = -1
    battery_at: str = ""
    vented: bool = False
    done: int = 0


def verify(
    plan: Plan,
    family: EngineFamily,
    start: StateWords,
    *,
    judge: Judge | None = None,
    resolved: Collection[str] = (),
    hazards: Sequence[Hazard] = (),
    done: int = 0,
) -> tuple[Violation, ...]:
    """Every rule of a plan that does not hold.

    Parameters
    ----------
    plan : the whole of it, steps done among them
    family : the engine
    start : the state in which the car came in
    judge : chemistry's verdict, asked in the state that holds at each step; left out where it is
        None
    resolved : records whose stop a foreman has lifted
    hazards : what every step is held against; its cautions are not looked at where there are none
    done : how many of the steps are done

    Returns
    -------
    tuple of Violation
        Empty when the plan may be offered. Rule numbers are those of the project's brief.
    """
    walk = _Walk(
        family=family,
        judge=judge,
        resolved=resolved,
        hazards=hazards,
        car=car_at(start),
        done=done,
    )
    found: list[Violation] = []
    for index, step in enumerate(plan.steps):
        found += _step(walk, step, index)
        _note(walk, step, index)
    found += _end(walk, plan)
    found += of_plan(plan, family, done=done)
    return tuple(found)


def _note(walk: _Walk, step: Step, index: int) -> None:
    for item in step.opens:
        walk.ever[item.id] = item
    walk.closed.update(step.closes)
    if step.wait:
        walk.started_waits[step.wait.id] = step.wait.minutes
    walk.held_waits.update(step.waits_for)
    for part in step.refits:
        walk.refitted[part] = walk.refitted.get(part, 0) + 1
    for part in (step.part, *step.treats):
        walk.brings.setdefault(part, set()).update(step.brings)
    if "ventilated" in step.brings:
        walk.ventilated = True
    if step.does.codes == "cleared":
        walk.cleared_at = index
    if step.does.battery:
        walk.battery_at = step.id
    if step.act == "road":
        walk.road = True
    walk.clean.note(step)
    walk.car = after(walk.car, step)


def _step(walk: _Walk, step: Step, index: int) -> Iterator[Violation]:
    for text in lacking(walk.car, step.needs):
        yield Violation(rule=7 if step.relearn else 2, step=step.id, text=f"needs {text}")
    yield from _items(walk, step)
    yield from _parts(walk, step)
    yield from _wet(walk, step)
    yield from _running(walk, step)
    yield from _power(walk, step)
    yield from _codes(walk, step)
    yield from _agent(walk, step)
    yield from _covers(walk, step)
    yield from _fasteners(walk, step)
    yield from _records(step)
    yield from at_step(
        step,
        walk.family,
        walk.car,
        walk.clean,
        hazards=walk.hazards,
        is_done=index < walk.done,
    )


def _items(walk: _Walk, step: Step) -> Iterator[Violation]:
    """Rule 1: closed after opened, once; waits end before what waits for them."""
    for item in step.opens:
        if item.id in walk.ever:
            yield Violation(rule=1, step=step.id, text=f"opens {item.id} a second time")
    for place, closed in enumerate(step.closes):
        if closed in step.closes[:place]:
            yield Violation(rule=1, step=step.id, text=f"closes {closed} twice in one step")
        elif closed not in walk.ever:
            yield Violation(rule=1, step=step.id, text=f"closes {closed}, which is not open")
        elif closed in walk.closed:
            yield Violation(rule=1, step=step.id, text=f"closes {closed} twice")
    for wait in step.waits_for:
        if wait not in walk.started_waits:
            yield Violation(rule=1, step=step.id, text=f"waits for {wait}, which nothing started")


def _parts(walk: _Walk, step: Step) -> Iterator[Violation]:
    """Rule 2: worked on only where it is; back once; bare when it leaves."""
    for parts, places, text in (
        (step.takes_off, ("mounted", "loose"), "takes off {}, which is not on it"),
        (step.receives, ("away",), "receives {}, which was not sent"),
        (step.refits, ("off", "loose"), "refits {}, which is not off"),
        (step.sends, ("off",), "sends {}, which is not on the bench"),
    ):
        for part in parts:
            if walk.car.place_of(part) not in places:
                yield Violation(rule=2, step=step.id, text=text.format(part))
    for part in step.sends:
        for rider in riding(walk.family).get(part, ()):
            if walk.car.place_of(rider) == "mounted":
                yield Violation(rule=2, step=step.id, text=f"sends {part} with {rider} on it")
    for part in (*step.takes_off, *step.sends):
        for item in walk.car.mouths_on(part):
            if item.id not in step.closes:
                yield Violation(rule=2, step=step.id, text=f"{part} leaves with {item.what} in it")
    worked = step.phase == "clean" and bool(step.agent or step.wets)
    if worked and walk.car.place_of(step.part) == "away":
        yield Violation(rule=2, step=step.id, text=f"works on {step.part}, which is away")


def _wet(walk: _Walk, step: Step) -> Iterator[Violation]:
    """Rule 3: nothing wet is powered, covered or refitted before its time."""
    use = step.agent
    wetting = use is not None and use.way in COLD_AND_WET and "assembly_aid" not in use.properties
    if wetting and not step.wets:
        yield Violation(
            rule=3, step=step.id, text=f"{use.class_id if use else ''} leaves nothing wet"
        )
    if step.wets and step.wait is None:
        yield Violation(rule=3, step=step.id, text="what it wets has no time to dry")
    waited = set(step.waits_for)
    still = {p: w for p, w in walk.car.wet.items() if w not in waited and w not in walk.held_waits}
    covered = {i.on for i in step.opens if i.mouth and i.on}
    for part in {*step.refits, *covered} & set(still):
        yield Violation(rule=3, step=step.id, text=f"{part} is still wet")
    powered = step.does.battery == "on" or step.does.engine in ("ignition", "running")
    if powered and still and step.phase != "running":
        yield Violation(rule=3, step=step.id, text=f"powers up while {sorted(still)} is wet")


def _running(walk: _Walk, step: Step) -> Iterator[Violation]:
    """Rules 1, 4 and 5: nothing open or low while it runs."""
    runs = step.does.engine == "running" or (
        walk.car.engine == "running" and step.does.engine is None
    )
    if not runs:
        return
    left = [i for i in walk.car.open.values() if i.id not in step.closes and not i.while_running]
    for item in (i for i in left if i.before == "start" and not i.by_hand):
        yield Violation(rule=4, step=step.id, text=f"runs with {item.what} open")
    for item in (i for i in step.opens if not i.while_running):
        yield Violation(rule=4, step=step.id, text=f"opens {item.what} while it runs")
    if walk.car.coolant != "full" and step.does.coolant != "full":
        yield Violation(rule=4, step=step.id, text=f"runs with coolant {walk.car.coolant}")
    if walk.car.fuel_line == "opened":
        yield Violation(rule=4, step=step.id, text="runs with a fuel line open")
    if walk.car.fuel_touched and walk.car.fuel_line != "vented":
        yield Violation(rule=5, step=step.id, text="runs before the fuel line was vented")
    if walk.car.battery != "on":
        yield Violation(rule=4, step=step.id, text="runs without its battery")
    if step.act in ("start", "relearn") and not walk.ventilated:
        yield Violation(rule=4, step=step.id, text="runs before the exhaust is led away")
    use = step.agent
    if use and "flammable" in use.properties and use.way != "running_ingestion":
        yield Violation(rule=4, step=step.id, text=f"{use.class_id} at a running engine")


def _power(walk: _Walk, step: Step) -> Iterator[Violation]:
    """Rule 6: battery off before what has a motor is unplugged, with its hold; resets long
    enough."""
    moved = (*step.takes_off, *(p for p, w in step.does.place.items() if w == "loose"))
    for part_id in moved:
        if has_motor(walk.family.part(part_id)) and step.phase == "open":
            if walk.car.battery != "off":
                yield Violation(rule=6, step=step.id, text=f"{part_id} unplugged under power")
            elif not any("discharging" in w for w in {*step.waits_for, *walk.held_waits}):
                yield Violation(rule=6, step=step.id, text=f"{part_id} unplugged before the hold")
    if step.does.battery == "on" and step.does.codes == "cleared":
        held = [walk.started_waits.get(w, 0.0) for w in step.waits_for]
        if max(held, default=0.0) < RESET_LEAST_MINUTES:
            yield Violation(rule=6, step=step.id, text="a reset without its fifteen minutes")
    if step.needs.engine == "ignition" and walk.car.battery != "on":
        yield Violation(rule=6, step=step.id, text="commanded without its battery")


def _codes(walk: _Walk, step: Step) -> Iterator[Violation]:
    """Rule 7: readings, clearing, road run, pending codes in that order."""
    touches = bool(step.takes_off or step.opens) or step.does.codes == "cleared"
    if touches and not walk.car.before_set:
        yield Violation(rule=7, step=step.id, text="before the before set is taken")
    if step.act == "road" and walk.cleared_at < 0 and walk.car.codes != "cleared":
        yield Violation(rule=7, step=step.id, text="a road run before codes are cleared")
    if step.act == "pending" and not walk.road:
        yield Violation(rule=7, step=step.id, text="pending codes read before the road run")


def _agent(walk: _Walk, step: Step) -> Iterator[Violation]:
    """Rule 4: an agent is judged in the state that truly holds at its step."""
    if step.agent is None or walk.judge is None or not step.part:
        return
    part = walk.family.part(step.part)
    for part_id in step.treats or (step.part,):
        part = walk.family.part(part_id)
        states = _states(walk, step, part_id)
        engine = engine_of(walk.family)
        verdict = walk.judge(step.agent, part.component, part.features, state=states, engine=engine)
        if verdict in ("no", "only_after"):
            text = f"{step.agent.class_id} {step.agent.way} on {part_id} is {verdict} in {states}"
            yield Violation(rule=4, step=step.id, text=text)


def _states(walk: _Walk, step: Step, part: str) -> list[str]:
    car = after(walk.car, step)
    running = car.engine == "running"
    found = set()
    if running and car.heat == "warm":
        found.add("engine_warm_running")
    if not running:
        found.add("ignition_off" if car.engine == "off" else "")
        found.add("battery_off" if car.battery == "off" else "")
        found.add("engine_cold" if car.heat == "cold" else "")
        found.add("removed" if car.place_of(part) == "off" else "")
    if walk.ventilated or "ventilated" in step.brings:
        found.add("ventilated")
    brought = walk.brings.get(part, set()) | set(step.brings)
    found |= brought & {
        "electronics_removed",
        "sensor_removed",
        "seal_removed",
        "plate_open",
        "port_shut",
        "hand_warm",
    }
    return sorted(found - {""})


def _covers(walk: _Walk, step: Step) -> Iterator[Violation]:
    """Rule 9: one item each; off one at a time, but where they are what the step goes through or
    is there for."""
    off = [c for c in step.closes if (i := walk.ever.get(c)) and i.mouth]
    apart = [c for c in off if walk.ever[c].mouth not in step.through]
    if len(apart) > 1 and "uncover" not in step.acts:
        yield Violation(rule=9, step=step.id, text=f"takes {len(apart)} covers off at once")
    for item in step.opens:
        if item.kind in ("cover", "tape") and item.inside and item.count > 1:
            yield Violation(rule=9, step=step.id, text=f"{item.what}: several covers as one item")


def _fasteners(walk: _Walk, step: Step) -> Iterator[Violation]:
    """Rule 10: fasteners are its own."""
    operation_id = step.opening or step.closing
    if operation_id and step.fasteners:
        operation = next((o for o in walk.family.operations if o.id == operation_id), None)
        if operation is not None and step.fasteners != fastener_texts(walk.family, operation):
            yield Violation(rule=10, step=step.id, text="a neighbour's fasteners")


def _records(step: Step) -> Iterator[Violation]:
    for record in step.records:
        if not record.consequences:
            yield Violation(rule=8, step=step.id, text=f"{record.id} has no consequence")


def _end(walk: _Walk, plan: Plan) -> Iterator[Violation]:
    ids = [s.id for s in plan.steps]
    records = [r.id for s in plan.steps for r in s.records]
    for kind, names in (("step", ids), ("record", records)):
        if len(set(names)) != len(names):
            twice = sorted({n for n in names if names.count(n) > 1})
            yield Violation(rule=1, step=twice[0], text=f"the {kind} id stands twice")
    if plan.held:
        yield from _after_stop(plan)
        return
    for item in walk.car.open.values():
        if not item.by_hand:
            yield Violation(rule=1, step=item.id, text=f"{item.what} is never closed")
    for part, place in walk.car.place.items():
        if place != "mounted":
            yield Violation(rule=2, step=part, text=f"{part} ends {place}")
    if walk.car.coolant_touched:
        yield from _coolant(plan)
    if walk.car.battery != "on":
        yield Violation(rule=6, step="", text="the battery ends off")


def _after_stop(plan: Plan) -> Iterator[Violation]:
    """Rule 8: after a stop nothing starts the engine, and the part goes no further."""
    assert plan.held is not None
    record = plan.held.record
    asked = (i for i, s in enumerate(plan.steps) if any(r.id == record for r in s.records))
    at = next(asked, len(plan.steps))
    stopped = plan.steps[at].part if at < len(plan.steps) else ""
    for step in plan.steps[at + 1 :]:
        if step.does.engine in ("running", "ignition") or step.act == "start":
            yield Violation(rule=8, step=step.id, text="starts the engine after a stop")
        if stopped and step.part == stopped and step.phase == "clean":
            yield Violation(rule=8, step=step.id, text="goes on with the stopped part")


def _coolant(plan: Plan) -> Iterator[Violation]:
    """Rule 5: filled and bled, watched hot, looked at cold."""
    if not any(s.does.coolant == "full" for s in plan.steps):
        yield Violation(rule=5, step="", text="coolant is never filled")
    if not any(r.id == "coolant_bleed_and_watch" for r in plan.relearns):
        yield Violation(rule=5, step="", text="coolant is not watched hot")
    if not any(s.name == "cold_look" for s in plan.steps):
        yield Violation(rule=5, step="", text="coolant is not looked at cold")
