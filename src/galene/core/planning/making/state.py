"""The record of one planning: the case, the car as it stands, and the steps gathered so far."""

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from galene.core.airpath.family import EngineFamily, Operation
from galene.core.planning.answers import Changes, base_id, changes_of
from galene.core.planning.car import Car, car_after
from galene.core.planning.case import Case, Trade, Treatment
from galene.core.planning.chain import Link
from galene.core.planning.hazards import warned
from galene.core.planning.openings import SENSORS, Lifting, bearer, lifting
from galene.core.planning.order import Task
from galene.core.planning.procedure import StepTemplate
from galene.core.planning.records import DoneStep, Held, OpenItem, Step
from galene.core.planning.words import Place

RANKS = {"secure": 0, "before": 1, "running": 2, "safe": 3, "open": 4, "close": 60, "tail": 70}
"""Sections of the card in their order; cleaning stands between opening and closing."""
BY_HAND = SENSORS | {"breather_valve"}
"""Kinds that are drawn out of their place by hand where no operation takes them off."""
FAR_END = frozenset({"egr_passage"})
"""Kinds that are worked from both ends: the valve comes off and the other end is opened too."""
PLAIN = StepTemplate(key="back", text="", minutes=0, place="close")
"""The template of a step that no procedure names: taking back what was opened."""


@dataclass(kw_only=True)
class Covered:
    """A cover that is or will be on a mouth, and the operation whose closing takes it off."""

    item: OpenItem
    operation: str
    task: str
    """The step that puts it on, empty where it is on already."""


@dataclass(kw_only=True)
class Planning:
    """What one planning knows and has gathered.

    Parameters
    ----------
    case, trade, done : what is planned, by what knowledge, and the steps that are done
    by_id, lift : operation to itself and to what it takes off
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
    wait_of : part to the waits under which it dries
    new_covers : covers that the openings put on
    """

    case: Case
    trade: Trade
    done: tuple[DoneStep, ...]
    by_id: Mapping[str, Operation]
    lift: Mapping[str, Lifting | None]
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
    hold: str = ""
    wait_of: dict[str, list[str]] = field(default_factory=dict)
    new_covers: list[Covered] = field(default_factory=list)

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

    def nth(self, key: str) -> str:
        times = self.times[key]
        return f"{key}~{times + 1}" if times else key

    def add(self, step: Step, rank: int, after: Iterable[str] = ()) -> Step:
        step = warned(step, self.family, self.trade.hazards)
        self.tasks[step.id] = Task(step=step, rank=rank, after=set(after))
        return step

    def chains(self, *places: str) -> list[Link]:
        return [x for links in self.links.values() for x in links if x.template.place in places]

    def operation_of(self, item_id: str) -> str:
        operation = item_id.partition(":")[0].partition("~")[0]
        return operation if operation in self.by_id else ""

    def carrier_off(self, part_id: str) -> str:
        """The part on the bench that a sensor sits on, empty where it sits on the car."""
        if f"{part_id}:connector" in self.car.open:
            return ""
        carrier = next((t.on for t in self.family.taps if t.sensor == part_id), None)
        if not carrier or bearer(self.family, carrier) is None:
            return ""
        return carrier if self.lies(carrier) == "off" else ""

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


def begun(case: Case, trade: Trade, done: Sequence[DoneStep]) -> Planning:
    """A planning of a case from the state that the steps done have left."""
    family = case.family
    planning = Planning(
        case=case,
        trade=trade,
        done=tuple(done),
        by_id={o.id: o for o in family.operations},
        lift={o.id: lifting(family, o) for o in family.operations},
        changes=changes_of(done, case.resolved),
        car=car_after(case.start, done),
        done_ids=frozenset(d.step.id for d in done),
        times=Counter(base_id(d.step.id) for d in done),
    )
    _held_by_find(planning)
    for step in (d.step for d in done):
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
