"""The record of one planning: the case, the car as it stands, and the steps gathered so far."""

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from galene.core.airpath.family import EngineFamily, Operation
from galene.core.errors import InputError
from galene.core.planning import hand_steps
from galene.core.planning.answers import Changes, base_id, changes_of
from galene.core.planning.car import Car, car_after
from galene.core.planning.case import Case, Trade, Treatment
from galene.core.planning.chain import Link
from galene.core.planning.making.known import Known
from galene.core.planning.openings import Lifting, bearer, mouths, numbered
from galene.core.planning.order import Task
from galene.core.planning.procedure import StepTemplate
from galene.core.planning.records import DoneStep, Held, OpenItem, PartWork, Step
from galene.core.planning.words import Place

RANKS = {
    "secure": 0,
    "level": 1,
    "before": 2,
    "running": 3,
    "safe": 4,
    "open": 5,
    "close": 60,
    "tail": 70,
}
"""Sections of the card in their order; cleaning stands between opening and closing."""
READ_BEFORE_ALL = frozenset({"read_level", "ask_recall"})
"""What is read or asked before anything is started or opened; the rest of what is sought on the
assembled car needs it in sight."""
BY_HAND = ("sensor", "breather")
"""Natures that are drawn out of their place by hand where no operation takes them off."""
PLAIN = StepTemplate(key="back", text="", minutes=0, place="close")
"""The template of a step that no procedure names: taking back what was opened."""


@dataclass(frozen=True, kw_only=True)
class Mouth:
    """A mouth that was or will be laid open: what covers it, the step that lays it open (empty
    where that is done), and the steps that shut it."""

    item: OpenItem
    opened_by: str
    shut_by: frozenset[str]


@dataclass(kw_only=True)
class Planning:
    """What one planning knows and has gathered.

    Parameters
    ----------
    known, done : what is planned, by what knowledge, and the steps that are done
    changes : what answers have changed
    car : as it stands now
    done_ids, times : ids of steps done, and how often each was, without the count of repeats
    turns, open_now : how often each operation was opened, and those that stand open
    worked_at : part to where it lay when it was worked on
    treatments, links, owner_parts : how parts are treated, their steps, the parts of each owner
    to_open, used, extra : operations still to open, those that an owner's work stands on, those
        that must come before others besides the family's own
    suffix : operation to the count of its turn
    tasks : steps gathered, by id
    cooling, lead, hold : the wait for a cold engine, the battery's step, the wait behind it
    power_back : the step that connects the battery for what a motor has to open itself
    wait_of : part to the waits under which it dries
    mouths : those that stand open or will, with what can cover them
    late : the way back of what gives sight of the joints, for after they were looked at
    """

    known: Known
    done: tuple[DoneStep, ...]
    changes: Changes
    car: Car
    done_ids: frozenset[str]
    times: Counter[str]
    turns: Counter[str] = field(default_factory=Counter)
    open_now: list[str] = field(default_factory=list)
    worked_at: dict[str, Place] = field(default_factory=dict)
    treatments: list[Treatment] = field(default_factory=list)
    links: dict[str, list[Link]] = field(default_factory=dict)
    owner_parts: dict[str, tuple[str, ...]] = field(default_factory=dict)
    to_open: list[str] = field(default_factory=list)
    used: dict[str, set[str]] = field(default_factory=dict)
    extra: dict[str, tuple[str, ...]] = field(default_factory=dict)
    suffix: dict[str, str] = field(default_factory=dict)
    tasks: dict[str, Task] = field(default_factory=dict)
    cooling: str = ""
    lead: str = ""
    power_back: str = ""
    hold: str = ""
    wait_of: dict[str, list[str]] = field(default_factory=dict)
    mouths: list[Mouth] = field(default_factory=list)
    late: list[Step] = field(default_factory=list)

    @property
    def case(self) -> Case:
        """What is planned."""
        return self.known.case

    @property
    def trade(self) -> Trade:
        """By what knowledge."""
        return self.known.trade

    @property
    def by_id(self) -> Mapping[str, Operation]:
        """Operation to itself."""
        return self.known.by_id

    @property
    def lift(self) -> Mapping[str, Lifting | None]:
        """Operation to what it takes off."""
        return self.known.lift

    @property
    def family(self) -> EngineFamily:
        """The engine."""
        return self.case.family

    def shut(self, operation_id: str) -> None:
        """An operation is closed, and with it one that had only laid the same part aside."""
        lifted = self.lift[operation_id]
        self.open_now = [
            o
            for o in self.open_now
            if o != operation_id and not (lifted and self.laid_aside(o, lifted.part))
        ]

    def laid_aside(self, operation_id: str, part: str) -> bool:
        other = self.lift[operation_id]
        return other is not None and other.hangs and other.part == part

    def superseded(self, operation_id: str, among: Iterable[str]) -> bool:
        """Whether a part that was laid aside is taken off whole by another operation."""
        lifted = self.lift[operation_id]
        if lifted is None or not lifted.hangs:
            return False
        others = (self.lift[o] for o in among if o != operation_id)
        return any(x and not x.hangs and x.part == lifted.part for x in others)

    def lies(self, part: str) -> Place:
        """Where a part will lie while it is worked on."""
        now = self.car.place_of(part)
        if now in ("off", "away"):
            return "off"
        best: Place = now
        for operation_id in self.to_open:
            lifted = self.lift[operation_id]
            if lifted and part in lifted.parts:
                best = "loose" if lifted.hangs and best != "off" else "off"
        return best

    def turn_of(self, name: str) -> int:
        """Which time a step that is not done once only comes now."""
        return self.times[name] + 1

    def add(self, step: Step, rank: int, after: Iterable[str] = ()) -> Step:
        """Gather a step behind others."""
        self.tasks[step.id] = Task(step=step, rank=rank, after=set(after))
        return step

    def chains(self, *places: str) -> list[Link]:
        return [x for links in self.links.values() for x in links if x.template.place in places]

    def carrier_off(self, part_id: str) -> str:
        """The part on the bench that a sensor sits on, empty where it sits on the car."""
        if any(i.kind in ("connector", "hose") for i in self.drawn(part_id)):
            return ""
        carrier = next((t.on for t in self.family.taps if t.sensor == part_id), None)
        if not carrier or bearer(self.family, carrier) is None:
            return ""
        return carrier if self.lies(carrier) == "off" else ""

    def drawn(self, part_id: str) -> list[OpenItem]:
        """What is open because a part was drawn out of its place by hand."""
        opened = {i.id for d in self.done if d.step.name == "out" for i in d.step.opens}
        return [i for i in self.car.open.values() if i.owner == part_id and i.id in opened]

    def shuts(self, operation_id: str) -> frozenset[str]:
        """Ids of the steps that end what an operation has opened: its own way back, or that of one
        which takes off whole what it had laid aside."""
        others = [
            o
            for o, lifted in self.lift.items()
            if lifted and not lifted.hangs and self.laid_aside(operation_id, lifted.part)
        ]
        return frozenset(numbered(f"close:{o}", self.turn_now(o)) for o in (operation_id, *others))

    def turn_now(self, operation_id: str) -> int:
        """For which time an operation stands open, or will be opened next."""
        return self.turns[operation_id] + (operation_id not in self.open_now)

    def untouched(self) -> bool:
        """Whether the car still is assembled: nothing is off it, and nothing open but what gives
        sight."""
        opened = [o for o in self.open_now if not self.only_for_sight(o)]
        return not opened and all(where == "mounted" for where in self.car.place.values())

    def only_for_sight(self, operation_id: str) -> bool:
        """Whether an operation, and all that it stands on, only lays open what is to be seen."""
        under = self.with_prerequisites(operation_id, self.by_id)
        return all(self.by_id[o].sight_of for o in under)

    def goes_before(self, operation_id: str) -> tuple[str, ...]:
        return (*self.by_id[operation_id].after, *self.extra.get(operation_id, ()))

    def with_prerequisites(self, operation_id: str, among: Iterable[str]) -> set[str]:
        inside, found, stack = set(among), set(), [operation_id]
        while stack:
            one = stack.pop()
            if one in inside and one not in found:
                found.add(one)
                stack += (*self.by_id[one].after, *self.extra.get(one, ()))
        return found

    def lies_now(self, part: str) -> Place:
        place = self.car.place_of(part)
        return "off" if place == "away" else place


def begun(known: Known, done: Sequence[DoneStep]) -> Planning:
    """A planning of a case from the state that the steps done have left."""
    case = known.case
    planning = Planning(
        known=known,
        done=tuple(done),
        changes=changes_of(done, case.resolved),
        car=car_after(case.start, done),
        done_ids=frozenset(d.step.id for d in done),
        times=Counter(base_id(d.step.id) for d in done),
    )
    _held_by_find(planning)
    _held_by_casting(planning)
    gone: set[str] = set()
    for one in done:
        step = one.step
        if not one.left_out:
            _note_mouths(planning, step, gone)
        if step.opening:
            planning.turns[step.opening] += 1
            planning.open_now.append(step.opening)
        if step.closing in planning.open_now:
            planning.shut(step.closing)
        if step.phase == "clean" and step.owner == step.part:
            planning.worked_at[step.part] = step.needs.place.get(step.part, "mounted")
        for wet in step.wets if step.wait else ():
            planning.wait_of.setdefault(wet.part, []).append(step.wait.id if step.wait else "")
    return planning


def _held_by_casting(planning: Planning) -> None:
    """What an answer would have fitted new and is cast in: the job is held, and with the stop
    lifted the part is left as it is."""
    changes = planning.changes
    for part, work in list(changes.works.items()):
        if work != "replace" or _can_be_new(planning, part):
            continue
        del changes.works[part]
        name = planning.family.part(part).name.lower()
        why = f"The {name} is cast in: no new one is fitted, this one goes to a machinist."
        mine = (a.record for a in reversed(changes.answers) if a.part == part)
        record = next(mine, changes.answers[-1].record)
        changes.left[part] = why
        if record not in planning.case.resolved and changes.held is None:
            changes.held = Held(record=record, why=why)


def _can_be_new(planning: Planning, part: str) -> bool:
    try:
        planning.trade.treat(PartWork(part=part, work="replace"), off=False, opened=True)
    except InputError:
        return False
    return True


def _note_mouths(planning: Planning, step: Step, gone: set[str]) -> None:
    """Keep the mouths that a step which is done has laid open, and forget those that it shut."""
    planning.mouths = [m for m in planning.mouths if step.id not in m.shut_by]
    family = planning.family
    if step.opening:
        operation = planning.by_id[step.opening]
        shut_by = planning.shuts(step.opening)
        planning.mouths += [
            Mouth(item=i, opened_by="", shut_by=shut_by)
            for i in mouths(family, operation, step.turn, gone=gone)
        ]
    if step.name == "out" and (hand := hand_steps.hand_mouth(family, step.part)):
        by = frozenset({f"{step.part}:in"})
        planning.mouths.append(Mouth(item=hand, opened_by="", shut_by=by))
    gone.update(step.takes_off)
    gone.difference_update(step.refits)


def _held_by_find(planning: Planning) -> None:
    for find in planning.case.finds:
        record, kind = f"find:{find.number}", planning.trade.find_kinds[find.kind]
        if record in planning.case.resolved or planning.changes.held:
            continue
        if kind.stops:
            planning.changes.held = Held(record=record, why=kind.stops)
        elif kind.needs_retrieved and find.retrieved is False:
            why = f"{find.note}: it lies inside, no cranking until it is out."
            planning.changes.held = Held(record=record, why=why)
