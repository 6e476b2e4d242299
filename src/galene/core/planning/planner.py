"""From a case to a plan: what is opened, worked on, closed, relearned and proven, from the state as
it is."""

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

from galene.core.airpath.access import Access
from galene.core.airpath.access import in_order as opening_order
from galene.core.airpath.family import EngineFamily, Operation
from galene.core.errors import InputError, require
from galene.core.planning import steps as made
from galene.core.planning import tail
from galene.core.planning.answers import Changes, base_id, changes_of, consequence_of
from galene.core.planning.car import Car, car_after
from galene.core.planning.case import Case, Trade, Treatment
from galene.core.planning.chain import Chain, Link, bound, repeated
from galene.core.planning.hazards import warned
from galene.core.planning.openings import (
    SENSORS,
    bearer,
    lifting,
    mouths,
    needs_cold,
    plain_items,
    riding,
)
from galene.core.planning.order import CLEAN_RANK, Task, in_order, schedule
from galene.core.planning.policy_keys import MAKING_SAFE, SEALS
from galene.core.planning.procedure import StepTemplate
from galene.core.planning.records import (
    DoneStep,
    Held,
    OpenItem,
    PartWork,
    Plan,
    PlannedPart,
    ProofTest,
    Step,
)
from galene.core.planning.words import MOUTH_KINDS, Place

RANKS = {"secure": 0, "before": 1, "running": 2, "safe": 3, "open": 4, "close": 60, "tail": 70}
"""Sections of the card in their order; cleaning stands between opening and closing."""
BY_HAND = SENSORS | {"breather_valve"}
"""Kinds that are drawn out of their place by hand where no operation takes them off."""
FAR_END = frozenset({"egr_passage"})
"""Kinds that are worked from both ends: the valve comes off and the other end is opened too."""


def make_plan(case: Case, trade: Trade, done: Sequence[DoneStep] = ()) -> Plan:
    """The plan of a case, from its start or from what is done.

    Parameters
    ----------
    case : the car, its scope and schools, the state in which it came in
    trade : what is known of treating its parts
    done : steps done so far in their order, with what was answered; they stay as they were done

    Returns
    -------
    Plan
        The steps done, then what is left; nothing of it starts the engine while it is held.

    Raises
    ------
    InputError
        A part twice or unknown, work that is not done on such a part, no way in to it.
    """
    require(bool(case.works) or bool(case.relearns), "parts", [], allowed="at least one part")
    ids = [case.family.part(w.part).id for w in case.works]
    require(len(set(ids)) == len(ids), "parts", ids, allowed="each part once")
    return _Planner(case, trade, done).plan()


def planned(case: Case, trade: Trade, answers: Mapping[str, str]) -> Plan:
    """What remains true when these answers were given at their steps.

    Parameters
    ----------
    answers : record id to answer; a good answer changes nothing

    Raises
    ------
    InputError
        As `make_plan`; a record that the plan does not ask for.
    """
    done: list[DoneStep] = []
    plan = make_plan(case, trade)
    known: set[str] = set()
    for _ in range(len(answers) + 1):
        at = _next_turn(plan, answers, len(done))
        upto = len(plan.steps) if at is None else at + 1
        fresh = [
            DoneStep(step=s, answers={r.id: answers[r.id] for r in s.records if r.id in answers})
            for s in plan.steps[len(done) : upto]
        ]
        known |= {r.id for s in plan.steps for r in s.records}
        if at is None:
            break
        done += fresh
        plan = make_plan(case, trade, done)
        if plan.held:
            break
    known |= {r.id for s in plan.steps for r in s.records}
    owners = {base_id(r).partition(":")[0] for r in known}
    # A record that another answer has taken out of the plan was asked for all the same.
    unknown = sorted(a for a in set(answers) - known if base_id(a).partition(":")[0] not in owners)
    if unknown:
        raise InputError("answers", unknown[0], "a record of the plan")
    return plan


def _next_turn(plan: Plan, answers: Mapping[str, str], done: int) -> int | None:
    """Index of the next step whose answer changes the plan."""
    for i, step in enumerate(plan.steps[done:], done):
        for record in step.records:
            answer = answers.get(record.id)
            if answer is None:
                continue
            consequence = consequence_of(record, answer)
            if (consequence and consequence.kind != "note") or record.name == "grade_before":
                return i
    return None


_PLAIN = StepTemplate(key="back", text="", minutes=0, place="close")
"""The template of a step that no procedure names: taking back what was opened."""


@dataclass(kw_only=True)
class _Covered:
    """A cover that is or will be on a mouth, and the operation whose closing takes it off."""

    item: OpenItem
    operation: str
    task: str
    """The step that puts it on, empty where it is on already."""


class _Planner:
    """One planning: gathers tasks, then orders them."""

    def __init__(self, case: Case, trade: Trade, done: Sequence[DoneStep]) -> None:
        self.case, self.trade, self.done = case, trade, tuple(done)
        self.family: EngineFamily = case.family
        self.by_id = {o.id: o for o in self.family.operations}
        self.lift = {o.id: lifting(self.family, o) for o in self.family.operations}
        self.changes: Changes = changes_of(done, case.resolved)
        self._held_by_find()
        self.car: Car = car_after(case.start, done)
        self.done_ids = {d.step.id for d in done}
        self.times = Counter(base_id(d.step.id) for d in done)
        self.turns: Counter[str] = Counter()
        self.open_now: list[str] = []
        for one in done:
            if one.step.opening:
                self.turns[one.step.opening] += 1
                self.open_now.append(one.step.opening)
            if one.step.closing in self.open_now:
                self._shut(one.step.closing)
        self.worked_at: dict[str, Place] = {}
        for one in done:
            if one.step.phase == "clean" and one.step.owner == one.step.part:
                place = one.step.needs.place.get(one.step.part, "mounted")
                self.worked_at[one.step.part] = place
        self.tasks: dict[str, Task] = {}
        self.suffix: dict[str, str] = {}
        self.to_open: list[str] = []
        self.extra: dict[str, tuple[str, ...]] = {}
        self.cooling = ""
        self.lead = ""
        self.hold = ""
        self.wait_of: dict[str, list[str]] = {}
        for one in done:
            for wet in one.step.wets:
                if one.step.wait:
                    self.wait_of.setdefault(wet.part, []).append(one.step.wait.id)

    def _shut(self, operation_id: str) -> None:
        """An operation is closed, and with it one that had only laid the same part aside."""
        lifted = self.lift[operation_id]
        self.open_now = [
            o
            for o in self.open_now
            if o != operation_id and not (lifted and self._laid_aside(o, lifted.part))
        ]

    def _laid_aside(self, operation_id: str, part: str) -> bool:
        other = self.lift[operation_id]
        return other is not None and other.hangs and other.part == part

    def _superseded(self, operation_id: str, among: Iterable[str]) -> bool:
        """Whether a part that was laid aside is taken off whole by another operation."""
        lifted = self.lift[operation_id]
        if lifted is None or not lifted.hangs:
            return False
        others = (self.lift[o] for o in among if o != operation_id)
        return any(x and not x.hangs and x.part == lifted.part for x in others)

    def _held_by_find(self) -> None:
        for find in self.case.finds:
            record, kind = f"find:{find.number}", self.trade.find_kinds[find.kind]
            if record in self.case.resolved or self.changes.held:
                continue
            if kind.stops:
                self.changes.held = Held(record=record, why=kind.stops)
            elif kind.needs_retrieved and find.retrieved is False:
                why = f"{find.note}: it lies inside, no cranking until it is out."
                self.changes.held = Held(record=record, why=why)

    # ---- the scope as it is now

    def _works(self) -> list[PartWork]:
        works = {
            w.part: w
            for w in ((replace(w, part=self.family.part(w.part).id)) for w in self.case.works)
        }
        for kind in self.changes.joined:
            for part in self.family.parts:
                if kind in (part.id, part.component):
                    works.setdefault(part.id, PartWork(part=part.id))
        for find in self.case.finds:
            kind_of = self.trade.find_kinds[find.kind]
            if kind_of.replaces and find.part:
                works[find.part] = replace(
                    works.get(find.part, PartWork(part=find.part)), work="replace"
                )
            for part in self.family.parts:
                if part.component in kind_of.joins:
                    works.setdefault(part.id, PartWork(part=part.id))
        for part_id, work in self.changes.works.items():
            works[part_id] = replace(works.get(part_id, PartWork(part=part_id)), work=work)
        for part_id, (grade, kind) in self.changes.grades.items():
            if part_id in works:
                works[part_id] = replace(works[part_id], grade=grade, kind=kind)
        return list(works.values())

    def _treat(self, works: Sequence[PartWork]) -> None:
        """Treatments, the operations that they need, and where each part lies meanwhile, settled
        together."""
        left = [w for w in works if w.part not in self.changes.left and w.work != "relearn"]
        lies = {w.part: self._lies_now(w.part) for w in left}
        for _ in range(5):
            self.treatments = [
                self.trade.treat(
                    w,
                    off={lies[w.part], self.worked_at.get(w.part)} & {"off", "loose"} != set(),
                    opened=self._opened(w, lies) or w.part in self.worked_at,
                )
                for w in left
            ]
            before = list(self.to_open)
            self._link()
            self._operations()
            settled = {w.part: self._lies(w.part) for w in left}
            if settled == lies and before == self.to_open:
                return
            lies = settled

    def _lies_now(self, part: str) -> Place:
        place = self.car.place_of(part)
        return "off" if place == "away" else place

    def _opened(self, work: PartWork, lies: Mapping[str, Place]) -> bool:
        operations = [self.by_id[o] for o in (*self.open_now, *self.to_open)]
        reached = any(work.part in o.reaches or work.part == o.removes for o in operations)
        return reached or lies[work.part] != "mounted"

    def _lies(self, part: str) -> Place:
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

    # ---- each part's own steps

    def _link(self) -> None:
        """The steps that are left of every treatment, merged where one go treats several parts."""
        groups: dict[str, list[Treatment]] = {}
        for treatment in self.treatments:
            groups.setdefault(treatment.owner, []).append(treatment)
        self.links: dict[str, list[Link]] = {}
        self.owner_parts: dict[str, tuple[str, ...]] = {}
        for owner, group in groups.items():
            # One can for all that it reaches: its label affirms what any of these parts asks for.
            one = replace(
                group[0],
                tags=frozenset().union(*(t.tags for t in group)),
                label={word: holds for t in group for word, holds in t.label.items()},
            )
            parts = tuple(t.part for t in group)
            self.owner_parts[owner] = parts
            whole = self._chain(one, parts)
            self.links[owner] = self._closers(owner, one) + [
                x for x in whole if x.step.id not in self.done_ids
            ]
        for part_id in self.changes.left:
            closers = self._closers(part_id, None)
            if closers:
                self.links[part_id] = closers
                self.owner_parts[part_id] = (part_id,)

    def _chain(self, treatment: Treatment, parts: tuple[str, ...]) -> list[Link]:
        place = self._lies(treatment.part)
        alone = self._alone(treatment, place)
        chain = Chain(
            self.case,
            self.trade,
            treatment,
            place="off" if alone else place,
            treats=parts if len(parts) > 1 else (),
        )
        links = chain.links()
        if alone and links:
            links = self._by_hand(links, treatment.part)
        return self._again(links)

    def _alone(self, treatment: Treatment, place: Place) -> bool:
        """A sensor that no operation takes off is taken out of its place by its own steps."""
        part = self.family.part(treatment.part)
        # What an operation took off and has put back is not drawn out by hand afterwards.
        by_hand = part.id not in self.worked_at or f"{part.id}:out" in self.done_ids
        out_already = bool({f"{part.id}:connector", f"{part.id}:seat"} & set(self.car.open))
        return (
            part.component in BY_HAND
            and (out_already or (place == "mounted" and by_hand))
            and not treatment.procedure.in_place
            and treatment.work.work in ("clean", "replace")
        )

    def _by_hand(self, links: list[Link], part_id: str) -> list[Link]:
        carrier = self._carrier_off(part_id)
        first = made.taken_out(self.family, part_id, carrier)
        last = made.put_back(self.family, part_id, carrier)
        waits = tuple(x.step.wait.id for x in links if x.step.wait)
        out = Link(step=first, template=replace(_PLAIN, key="out", place="clean"), after=())
        inner = [x for x in links if x.template.place != "walk"]
        outer = [x for x in links if x.template.place == "walk"]
        back = Link(
            step=replace(last, waits_for=waits),
            template=_PLAIN,
            after=tuple(x.step.id for x in inner),
        )
        whole = [out, *(replace(x, after=(*x.after, first.id)) for x in inner), back, *outer]
        return whole

    def _carrier_off(self, part_id: str) -> str:
        """The part on the bench that a sensor sits on, empty where it sits on the car."""
        if f"{part_id}:connector" in self.car.open:
            return ""
        carrier = next((t.on for t in self.family.taps if t.sensor == part_id), None)
        if not carrier or bearer(self.family, carrier) is None:
            return ""
        return carrier if self._lies(carrier) == "off" else ""

    def _again(self, links: list[Link]) -> list[Link]:
        """The chain with what answers asked to be done once more."""
        found: list[Link] = []
        for i, link in enumerate(links):
            found.append(link)
            times = self.changes.again.get(link.step.id, 0)
            block: list[Link] = []
            for turn in range(2, times + 2):
                block += list(repeated(links, i, turn))
            found += block
            if block:
                last = block[-1].step.id
                links[i + 1 :] = [
                    replace(x, after=(*x.after, last)) if link.step.id in x.after else x
                    for x in links[i + 1 :]
                ]
        return found

    def _closers(self, owner: str, now: Treatment | None) -> list[Link]:
        """Steps of the former treatment that take back what it opened and the present one would
        leave."""
        mine = {i for i in self.car.open if i.startswith(f"{owner}:")}
        by_hand = {f"{owner}:{what}" for what in ("connector", "port", "seat")}
        if now is None and mine & by_hand:
            back = made.put_back(self.family, owner, self._carrier_off(owner))
            return [Link(step=back, template=_PLAIN, after=())]
        mine -= by_hand
        if not mine:
            return []
        parts = [w for w in self.case.works if self.family.part(w.part).id == owner]
        closing: set[str] = set()
        if now:
            chain = Chain(self.case, self.trade, now, place=self._lies(owner), treats=())
            closing = {
                c for x in chain.links() for c in x.step.closes if x.step.id not in self.done_ids
            }
        left = sorted(mine - closing)
        if not left:
            return []
        work = parts[0] if parts else PartWork(part=owner)
        former = self.trade.treat(
            replace(work, part=owner),
            off=self.car.place_of(owner) in ("off", "loose"),
            opened=True,
        )
        chain = Chain(self.case, self.trade, former, place=self._lies(owner), treats=())
        found: list[Link] = []
        for link in chain.links():
            if set(link.step.closes) & set(left) and link.step.id not in self.done_ids:
                found.append(replace(link, after=tuple(x.step.id for x in found[-1:])))
                left = [i for i in left if i not in link.step.closes]
        for item in left:
            step = made.taken_back(self.car.open[item], owner)
            found.append(
                Link(
                    step=step,
                    template=_PLAIN,
                    after=tuple(x.step.id for x in found[-1:]),
                )
            )
        return found

    # ---- the way in

    def _operations(self) -> None:
        """Operations still to be opened, in order, and which of all each part's work stands on."""
        access = Access(self.family, self.open_now)
        self.used: dict[str, set[str]] = {}
        wanted: frozenset[str] = frozenset()
        needs_way = [t for t in self.treatments if self._needs_way(t)]
        for treatment in needs_way:
            self._strip(access, treatment)
        for treatment in sorted(needs_way, key=lambda t: len(access.ways.get(t.part, ()))):
            before = wanted
            wanted = self._ways(access, treatment, wanted)
            self.used.setdefault(treatment.owner, set()).update(wanted - before)
        for treatment in needs_way:
            mine = self._closure_used(access, treatment, wanted)
            self.used.setdefault(treatment.owner, set()).update(mine)
        order = opening_order(o for o in self.family.operations if o.id in wanted)
        extra = access.extra
        self.to_open = _with_extra([o.id for o in order], extra, self.by_id)
        self.extra = extra

    def _needs_way(self, treatment: Treatment) -> bool:
        if treatment.procedure.in_place:
            return False
        return any(
            x.template.place in ("first", "clean", "close") for x in self.links[treatment.owner]
        )

    def _off_ways(self, access: Access, part: str, *, whole: bool) -> list[str]:
        return [
            o.id
            for o in self.family.operations
            if (lifted := self.lift[o.id])
            and part in lifted.parts
            and not (whole and lifted.hangs)
            and o.id not in self.open_now
        ]

    def _ways(self, access: Access, treatment: Treatment, wanted: frozenset[str]) -> frozenset[str]:
        part = treatment.part
        kind = self.family.part(part).component
        place = self.car.place_of(part)
        whole = treatment.work.work == "replace"
        off_ways = self._off_ways(access, part, whole=whole)
        comes_off = place == "mounted" or (whole and place == "loose")
        if (treatment.off or whole) and off_ways and comes_off:
            wanted = _cheapest(access, off_ways, wanted)
        elif whole and place == "mounted" and kind not in BY_HAND and not access.ways.get(part):
            raise InputError(
                "parts", part, "a part that the family's entry knows a way to take off"
            )
        if kind in FAR_END and place == "mounted":
            wanted = self._both_ends(access, part, wanted)
        has_way = bool(access.ways.get(part)) or bool(off_ways)
        if not has_way and place == "mounted" and not self._in_hand(part):
            raise InputError("parts", part, "a part that the family's entry knows a way in to")
        return access.reached(part, wanted)

    def _in_hand(self, part: str) -> bool:
        """Whether a part can be drawn out by hand: not one within the control unit."""
        within = any(t.sensor == part and t.on is None for t in self.family.taps)
        return self.family.part(part).component in BY_HAND and not within

    def _both_ends(self, access: Access, part: str, wanted: frozenset[str]) -> frozenset[str]:
        """Both ends of a passage: it comes out whole, or its valve comes off and the far end is
        opened."""
        whole = self._off_ways(access, part, whole=True)
        if whole and any(o in wanted for o in whole):
            return wanted
        valves = [p.id for p in self.family.parts if p.component == "egr_valve"]
        ways = [o for o in access.ways.get(part, ()) if o not in self.open_now]
        takes_valve = {o for v in valves for o in self._off_ways(access, v, whole=True)}
        valve_on = [v for v in valves if self.car.place_of(v) == "mounted"]
        far_open = any(
            part in self.by_id[o].reaches and o not in takes_valve for o in self.open_now
        )
        # What is left of the ways in is no reason to take it off whole where they stand open.
        if whole and not far_open and not [o for o in ways if o not in whole]:
            return _cheapest(access, whole, wanted)
        if valve_on and takes_valve:
            wanted = _cheapest(access, sorted(takes_valve), wanted)
        far = [o for o in ways if o not in takes_valve]
        return _cheapest(access, far, wanted) if far and not far_open else wanted

    def _strip(self, access: Access, treatment: Treatment) -> None:
        """What rides on a part that is bathed or sent away comes off first, by its own
        operation."""
        if not self._leaves(treatment):
            return
        carriers = self._off_ways(access, treatment.part, whole=False)
        for rider in riding(self.family).get(treatment.part, ()):
            ways = [o for o in self._off_ways(access, rider, whole=True) if o not in carriers]
            if not ways or self.car.place_of(rider) != "mounted":
                continue
            own = min(ways, key=lambda o: access.minutes[o])
            for carrier in carriers:
                if carrier not in access.closure(own):
                    access.extra[carrier] = (*access.extra.get(carrier, ()), own)
        access._closures.clear()

    def _leaves(self, treatment: Treatment) -> bool:
        links = self.links[treatment.owner]
        return self.family.part(treatment.part).component == "intake_manifold" or any(
            x.step.sends or (x.step.agent and x.step.agent.way == "bath") for x in links
        )

    def _closure_used(
        self, access: Access, treatment: Treatment, wanted: frozenset[str]
    ) -> set[str]:
        """Every operation, open or to be opened, that this part's work stands on."""
        found: set[str] = set()
        everything = wanted | set(self.open_now)
        for operation_id in everything:
            operation, lifted = self.by_id[operation_id], self.lift[operation_id]
            reaches = treatment.part in operation.reaches
            if reaches or (lifted and treatment.part in lifted.parts):
                found |= self._with_prerequisites(operation_id, everything)
        carrier = self._carrier_off(treatment.part)
        for operation_id in everything if carrier else ():
            lifted = self.lift[operation_id]
            if lifted and carrier in lifted.parts:
                found |= self._with_prerequisites(operation_id, everything)
        if self.family.part(treatment.part).component in FAR_END:
            for operation_id in everything:
                lifted = self.lift[operation_id]
                if lifted and self.family.part(lifted.part).component == "egr_valve":
                    found |= self._with_prerequisites(operation_id, everything)
        return found

    def _with_prerequisites(self, operation_id: str, among: Iterable[str]) -> set[str]:
        inside, found, stack = set(among), set(), [operation_id]
        while stack:
            one = stack.pop()
            if one in inside and one not in found:
                found.add(one)
                stack += (*self.by_id[one].after, *self.extra.get(one, ()))
        return found

    # ---- everything together

    def plan(self) -> Plan:
        """Gather, order, and say what comes of it."""
        works = self._works()
        self._treat(works)
        if self.changes.held:
            ordered = self._while_held()
        else:
            self._gather()
            work_left = any(t.rank >= RANKS["open"] for t in self.tasks.values())
            self._tail(works, work_left)
            ordered = self._charged(in_order(self._placed(), {}))
        steps = (*(d.step for d in self.done), *ordered)
        strip = schedule(steps)
        return Plan(
            steps=steps,
            relearns=tail.planned_relearns(steps),
            proof=self._proof(works),
            parts=tuple(self._planned_part(w, steps) for w in works),
            hands_on_minutes=sum(s.minutes for s in steps),
            elapsed_minutes=max((s.start + s.minutes for s in strip), default=0.0),
            held=self.changes.held,
        )

    def _charged(self, ordered: Sequence[Step]) -> list[Step]:
        """What goes in new stands on the step that fits it, once; what comes with another spare is
        not charged beside it."""
        steps = list(ordered)
        used = {c for s in (*(d.step for d in self.done), *steps) for c in s.consumes}
        for treatment in self.treatments:
            part = treatment.part
            if treatment.work.work != "replace" or part in used:
                continue
            fits = [i for i, s in enumerate(steps) if part in s.refits]
            own = [
                i for i, s in enumerate(steps) if s.owner == part and s.phase in ("clean", "close")
            ]
            if at := (fits or own)[-1:]:
                steps[at[0]] = replace(steps[at[0]], consumes=(*steps[at[0]].consumes, part))
                used.add(part)
        within = {c for s in self.family.spares if s.id in used for c in s.contains}
        return [
            replace(s, consumes=tuple(c for c in s.consumes if c not in within))
            if within & set(s.consumes)
            else s
            for s in steps
        ]

    def _placed(self) -> list[Task]:
        known = set(self.tasks)
        for place, task in enumerate(self.tasks.values()):
            task.place = place
            task.after &= known
        return list(self.tasks.values())

    def _add(self, step: Step, rank: int, after: Iterable[str] = ()) -> Step:
        step = warned(step, self.family, self.trade.hazards)
        self.tasks[step.id] = Task(step=step, rank=rank, after=set(after))
        return step

    def _proof(self, works: Sequence[PartWork]) -> tuple[ProofTest, ...]:
        found: dict[str, ProofTest] = {}
        for work in works:
            for test in self.trade.proofs.get(self.family.part(work.part).component, ()):
                found.setdefault(test.test, test)
        for test in self.trade.proofs.get("", ()):
            found.setdefault(test.test, test)
        return tuple(found.values())

    def _planned_part(self, work: PartWork, steps: Sequence[Step]) -> PlannedPart:
        treatment = next((t for t in self.treatments if t.part == work.part), None)
        owner = treatment.owner if treatment else work.part
        return PlannedPart(
            part=work.part,
            work=treatment.work.work if treatment else work.work,
            grade=work.grade,
            kind=work.kind,
            procedure=treatment.procedure.component if treatment else "",
            minutes=sum(s.minutes for s in steps if s.owner == owner),
            left_out=work.part in self.changes.left,
        )

    def _while_held(self) -> list[Step]:
        """While a stop holds, other parts that lie open may be cleaned; nothing is opened or
        closed."""
        assert self.changes.held is not None
        step_id = self.changes.held.record.rpartition("/")[0]
        at = next((d.step for d in self.done if d.step.id == step_id), None)
        held = set((at.treats or (at.part,)) if at else ())
        self.to_open = []
        running = at is None or at.phase in ("running", "walk", "start", "relearn", "prove")
        if running or (at and not at.part):
            return []
        for owner, links in self.links.items():
            parts = self.owner_parts[owner]
            if set(parts) & held or self.used.get(owner, set()) - set(self.open_now):
                continue
            for link in links:
                if link.template.place != "clean" or link.step.sends or link.step.receives:
                    break
                self._add(link.step, CLEAN_RANK, link.after)
        self._covers([])
        return in_order(self._placed(), {})

    # ---- opening, work, closing

    def _gather(self) -> None:
        safe = self._safe()
        opened = self._open(safe)
        self._work(safe, opened)
        covers = self._covers(self.new_covers)
        self._close(covers)
        self._finds()

    def _chains(self, *places: str) -> list[Link]:
        return [x for links in self.links.values() for x in links if x.template.place in places]

    def _safe(self) -> list[str]:
        """What comes first: readings, making safe, the running engine's work, cooling, battery."""
        last: list[str] = []
        if "secure" not in self.done_ids:
            last = [self._add(made.secure(self.family), RANKS["secure"]).id]
        if not self.car.before_set:
            step = made.before_set(running=self._may_run())
            last = [self._add(step, RANKS["before"], last).id]
        running = self._chains("running")
        if running:
            self._shut_enough(running[0].step.part)
        for links in self.links.values():
            mine = [x for x in links if x.template.place == "running"]
            for link in mine:
                self._add(link.step, RANKS["running"], (*link.after, *last))
            last = [x.step.id for x in mine] or last
        handled = self._chains("first", "clean", "close")
        if not handled and not self.to_open:
            return last
        read_warm = not self.car.before_set and self._may_run()
        warm = self.car.heat == "warm" or bool(running) or read_warm
        cold = [o for o in self.to_open if needs_cold(self.family, self.by_id[o])]
        cold_links = [x for x in handled if x.step.needs.heat == "cold"]
        if warm and (cold or cold_links):
            minutes = max([0.0, *(self.by_id[o].wait_minutes for o in cold)])
            step = made.cool(minutes, self._nth("cool"), cooling=self.family.cooling)
            last = [self._add(step, RANKS["safe"], last).id]
            self.cooling = step.wait.id if step.wait else ""
        if self.car.engine != "off" or "ignition" not in self.done_ids or running:
            step = made.ignition(self._nth("ignition"))
            last = [self._add(step, RANKS["safe"], last).id]
        return last

    def _shut_enough(self, part: str) -> None:
        """Work through the running engine asks for one that is shut, full and powered."""
        car = self.car
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

    def _may_run(self) -> bool:
        """Whether the engine may run before anything is opened: the car is whole, and nothing says
        that coolant stands in a cylinder."""
        car = self.car
        whole = car.battery == "on" and car.coolant == "full" and not car.open
        here = all(where == "mounted" for where in car.place.values())
        return whole and here and not self.case.may_hold_liquid

    def _nth(self, key: str) -> str:
        times = self.times[key]
        return f"{key}~{times + 1}" if times else key

    def _battery(self, after: Sequence[str]) -> str:
        """The battery's step where something needs it off; empty where it is off, or stays on."""
        for one in self.done:
            if one.step.does.battery == "off" and one.step.wait:
                self.hold = one.step.wait.id
        if self.car.battery == "off":
            return ""
        wants = any(x.step.needs.battery == "off" for x in self._chains("clean", "close"))
        wants = wants or any(
            made.wants_battery_off(
                self.family, self.by_id[o], self.lift[o], policy=self.case.policy
            )
            for o in self.to_open
        )
        handled = bool(self.to_open) or bool(self._chains("clean"))
        wants = wants or (handled and self.case.policy.get(MAKING_SAFE) == "battery_always")
        if not wants:
            return ""
        step = self._add(made.battery_off(self._nth("battery_off")), RANKS["safe"] + 1, after)
        self.hold = step.wait.id if step.wait else ""
        return step.id

    def _open(self, safe: Sequence[str]) -> dict[str, str]:
        """The opening steps, and what each operation's step is called."""
        gone = {p for p, where in self.car.place.items() if where in ("off", "away")}
        firsts = self._chains("first")
        early = {o for x in firsts for o in self.used.get(x.step.owner, ())}
        names: dict[str, str] = {}
        self.new_covers: list[_Covered] = []
        # What a motor has to open itself is reached before the battery's lead comes off.
        self.to_open.sort(key=lambda o: o not in early)
        for operation_id in self.to_open:
            turn = self.turns[operation_id] + 1
            suffix = f"~{turn}" if turn > 1 else ""
            self.suffix[operation_id] = suffix
            names[operation_id] = f"open:{operation_id}{suffix}"
        for operation_id in self.open_now:
            turn = self.turns[operation_id]
            self.suffix[operation_id] = f"~{turn}" if turn > 1 else ""
        self.lead = self._battery(
            [*safe, *(names[o] for o in self.to_open if o in early), *(x.step.id for x in firsts)]
        )
        for operation_id in self.to_open:
            self._open_one(operation_id, names, safe, gone=gone, early=early)
        return names

    def _open_one(
        self,
        operation_id: str,
        names: Mapping[str, str],
        safe: Sequence[str],
        *,
        gone: set[str],
        early: set[str],
    ) -> None:
        operation, lifted = self.by_id[operation_id], self.lift[operation_id]
        suffix = self.suffix[operation_id]
        battery_off = made.wants_battery_off(
            self.family, operation, lifted, policy=self.case.policy
        )
        plain = [
            i
            for i in plain_items(self.family, operation, suffix, gone=gone)
            if not any(i.what == held.what for held in self.car.open.values())
        ]
        covers = [
            c
            for c in mouths(self.family, operation, suffix, gone=gone)
            if not any(c.what == held.what for held in self.car.open.values())
        ]
        # What lies off already on the bench is not taken off a second time.
        takes = tuple(p for p in (lifted.parts if lifted else ()) if p not in gone)
        loose = tuple(p for p in takes if self.car.place_of(p) == "loose")
        step = made.opening(
            self.family,
            operation,
            loose=loose,
            step_id=names[operation_id],
            items=(*plain, *covers),
            takes_off=takes,
            hangs=bool(lifted and lifted.hangs),
            cold=needs_cold(self.family, operation),
            battery_off=battery_off,
        )
        if step.needs.heat == "cold" and self.cooling:
            step = replace(step, waits_for=(self.cooling,))
        after = {*safe, *(names[a] for a in self._goes_before(operation_id) if a in names)}
        if operation_id not in early and self.lead:
            after.add(self.lead)
        if battery_off and self.hold:
            step = replace(step, waits_for=(*step.waits_for, self.hold))
        gone.update(takes if not (lifted and lifted.hangs) else ())
        self._add(step, RANKS["open"], after)
        self.new_covers += [_Covered(item=c, operation=operation_id, task=step.id) for c in covers]

    def _goes_before(self, operation_id: str) -> tuple[str, ...]:
        return (*self.by_id[operation_id].after, *self.extra.get(operation_id, ()))

    def _work(self, safe: Sequence[str], opened: Mapping[str, str]) -> None:
        """The parts' own steps behind what lays them open."""
        for owner, links in self.links.items():
            ways = {opened[o] for o in self.used.get(owner, ()) if o in opened}
            for link in links:
                if link.template.place not in ("first", "clean", "close"):
                    continue
                step, after = link.step, {*link.after, *safe, *ways}
                rank = {"first": RANKS["open"] + 1, "close": RANKS["close"] - 1}.get(
                    link.template.place, CLEAN_RANK
                )
                if link.template.place == "first":
                    pass
                elif self.lead:
                    after.add(self.lead)
                if step.needs.battery == "off" and self.hold:
                    step = replace(step, waits_for=(*step.waits_for, self.hold))
                if step.needs.heat == "cold" and self.cooling:
                    step = replace(step, waits_for=(*step.waits_for, self.cooling))
                self._add(step, rank, after)
                for wet in step.wets:
                    if step.wait:
                        self.wait_of.setdefault(wet.part, []).append(step.wait.id)
        self._riders()
        self._on_the_bench()
        self._unstrip()
        self._bare(safe)

    def _bare(self, safe: Sequence[str]) -> None:
        """What lies in or over a part's mouth comes out before the part is lifted off."""
        for lift in [t for t in self.tasks.values() if t.step.opening and t.step.takes_off]:
            inside = {i.id for p in lift.step.takes_off for i in self.car.mouths_on(p)}
            for task in list(self.tasks.values()):
                if (
                    task is not lift
                    and inside & set(task.step.closes)
                    and lift.step.id in task.after
                ):
                    task.after.clear()
                    task.after.update(safe)
                    lift.after.add(task.step.id)

    def _unstrip(self) -> None:
        """What was taken off a part on the bench goes back on it before that part goes back."""
        for item in self.car.open.values():
            owner, _, rest = item.id.partition(":")
            rider = rest.partition(":")[0]
            if owner != "strip" or f"unstrip:{rider}" in self.tasks:
                continue
            carrier = next(
                d.step.owner for d in self.done if item.id in {i.id for i in d.step.opens}
            )
            _, on = made.stripped(self.family, rider, carrier)
            back = [x.step.id for x in self.links.get(carrier, ()) if x.step.id in self.tasks]
            self._add(on, RANKS["close"] - 1, back)

    def _on_the_bench(self) -> None:
        """A sensor that sits on a part on the bench is off it while that part is wetted."""
        for owner, links in self.links.items():
            outs = [x.step for x in links if x.step.id == f"{owner}:out"]
            carrier = self._carrier_off(owner) if outs else ""
            if not carrier or carrier not in self.links:
                continue
            back = self.tasks[f"{owner}:in"]
            for x in self.links[carrier]:
                task = self.tasks.get(x.step.id)
                if task is None or x.template.place not in ("clean", "close"):
                    continue
                if x.step.wets or x.step.sends:
                    task.after.add(outs[0].id)
                back.after.add(x.step.id)

    def _riders(self) -> None:
        """What rides on a part that goes away is looked at before it goes, and worked on after."""
        for owner, links in self.links.items():
            sends = [x.step.id for x in links if x.step.sends]
            receives = [x.step.id for x in links if x.step.receives]
            if not (sends or receives):
                continue
            carrier = self.owner_parts[owner][0]
            riders = {
                p
                for lifted in self.lift.values()
                if lifted and lifted.part == carrier
                for p in lifted.riders
            }
            for other, theirs in self.links.items():
                if other == owner or not set(self.owner_parts[other]) & riders:
                    continue
                looks = [
                    x.step.id
                    for x in theirs
                    if x.template.place == "clean" and x.template.key == "look"
                ]
                for send in sends:
                    self.tasks[send].after.update(looks)
                for x in theirs:
                    if x.template.place in ("clean", "close") and x.step.id not in looks:
                        self.tasks[x.step.id].after.update(receives)
            self._bench_strip(owner, carrier, sends)

    def _bench_strip(self, owner: str, carrier: str, sends: Sequence[str]) -> None:
        """What still sits on a part before it goes away comes off it on the bench, each by its
        name."""
        lifted_by_own = {
            p for o in (*self.to_open, *self.open_now) if (x := self.lift[o]) for p in x.parts
        }
        for rider in riding(self.family).get(carrier, ()):
            if rider in lifted_by_own or self.car.place_of(rider) != "mounted":
                continue
            if f"{rider}:out" in self.tasks or not sends:
                continue
            off, on = made.stripped(self.family, rider, carrier)
            ways = self.used.get(owner, set())
            after = {f"open:{o}{self.suffix[o]}" for o in ways if o in self.to_open}
            if off.id not in self.done_ids:
                self._add(off, CLEAN_RANK, after)
            for send in sends:
                self.tasks[send].after.add(off.id)
            back = [x.step.id for x in self.links[owner] if x.template.place in ("clean", "close")]
            self._add(on, RANKS["close"] - 1, {off.id, *back})

    # ---- covers

    def _covers(self, new: Sequence[_Covered]) -> list[_Covered]:
        """Every cover with what must happen to it on the way; those that a closing takes off are
        given back."""
        known = [
            _Covered(item=i, operation=self._operation_of(i.id), task="")
            for i in self.car.open.values()
            if i.kind in MOUTH_KINDS and self._operation_of(i.id)
        ]
        for item in self.car.open.values():
            tape = _Covered(item=item, operation="", task="")
            if item.id.endswith(":port") and (lifted := self._lifted_later(tape)):
                self._uncover(tape, before=lifted, rank=RANKS["open"])
                back = self.tasks.get(f"{item.id.removesuffix(':port')}:in")
                if back:
                    closes = tuple(c for c in back.step.closes if c != item.id)
                    back.step = replace(back.step, closes=closes)
        left: list[_Covered] = []
        for cover in (*known, *new):
            lifting_later = self._lifted_later(cover)
            if lifting_later:
                self._uncover(cover, before=lifting_later, rank=RANKS["open"])
            else:
                left.append(cover)
        return self._uncover_for_work(left)

    def _operation_of(self, item_id: str) -> str:
        operation = item_id.partition(":")[0].partition("~")[0]
        return operation if operation in self.by_id else ""

    def _lifted_later(self, cover: _Covered) -> str:
        """The opening step that takes off the part which bears this cover, empty where none
        does."""
        for operation_id in self.to_open:
            name = f"open:{operation_id}{self.suffix[operation_id]}"
            step = self.tasks[name].step
            if cover.item.on in step.takes_off and name != cover.task:
                return name
        return ""

    def _uncover(self, cover: _Covered, *, before: str, rank: int) -> Step:
        part = cover.item.on or self.by_id[cover.operation].part
        step = made.uncovering(cover.item, part, phase="open" if rank < CLEAN_RANK else "close")
        self._add(step, rank, {cover.task} if cover.task else ())
        self.tasks[before].after.add(step.id)
        return step

    def _uncover_for_work(self, covers: list[_Covered]) -> list[_Covered]:
        """Mouths that are worked on: uncovered at the first step there, covered again by the
        last."""
        left = list(covers)
        for owner, links in self.links.items():
            parts = set(self.owner_parts[owner])
            mine = [x for x in links if x.template.place == "clean" and x.step.id in self.tasks]
            if not mine or mine[0].step.needs.place.get(mine[0].step.part) != "mounted":
                continue
            kinds = {self.family.part(p).component for p in parts}
            mine += [x for x in links if x.template.place == "close" and x.step.id in self.tasks]
            left += self._owed(owner, mine)
            for cover in [
                c
                for c in left
                if self._worked_on(c, parts, kinds) and not c.task.startswith(f"{owner}:")
            ]:
                again = self._over_again(cover, mine)
                if again is not None:
                    left[left.index(cover)] = again
        return left

    def _owed(self, owner: str, links: Sequence[Link]) -> list[_Covered]:
        """Covers that were taken off for work that still goes on: they go on again at its last
        step."""
        items = {i.id: i for d in self.done for i in d.step.opens}
        off = [c for d in self.done if d.step.owner == owner for c in d.step.closes if c in items]
        found: list[_Covered] = []
        for closed in off:
            item, operation = items[closed], self._operation_of(closed)
            base, _, count = closed.partition("#")
            following = f"{base}#{int(count or 1) + 1}"
            if operation not in self.open_now or not item.inside or following in items:
                continue
            mine = links
            if ":ports " in closed:
                number = base.rpartition(":ports ")[2]
                mine = [x for x in links if x.step.cylinders == (int(number),)]
            if not mine or any(
                following == i.id for t in self.tasks.values() for i in t.step.opens
            ):
                continue
            last = self.tasks[mine[-1].step.id]
            again = replace(item, id=following)
            last.step = replace(last.step, opens=(*last.step.opens, again))
            found.append(_Covered(item=again, operation=operation, task=last.step.id))
        return found

    def _worked_on(self, cover: _Covered, parts: set[str], kinds: set[str]) -> bool:
        if cover.item.on in parts:
            return not ("intake_ports" in kinds and ":port " in cover.item.id)
        return (
            bool(kinds & FAR_END)
            and bool(parts & set(self.by_id[cover.operation].reaches))
            and ":mouth" in cover.item.id
        )

    def _over_again(self, cover: _Covered, links: Sequence[Link]) -> _Covered | None:
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
        first, last = self.tasks[here[0].step.id], self.tasks[here[-1].step.id]
        base, _, count = cover.item.id.partition("#")
        item = replace(cover.item, id=f"{base}#{int(count or 1) + 1}")
        if any(c in first.step.closes for c in self._cover_ids()):
            step = made.uncovering(cover.item, cover.item.on or first.step.part, phase="clean")
            self._add(step, CLEAN_RANK, {*first.after, *({cover.task} if cover.task else ())})
            first.after.add(step.id)
        else:
            first.step = replace(first.step, closes=(*first.step.closes, cover.item.id))
            if cover.task:
                first.after.add(cover.task)
        last.step = replace(last.step, opens=(*last.step.opens, item))
        return _Covered(item=item, operation=cover.operation, task=last.step.id)

    def _cover_ids(self) -> set[str]:
        held = {i.id for i in self.car.open.values() if i.kind in MOUTH_KINDS}
        return held | {
            i.id for t in self.tasks.values() for i in t.step.opens if i.kind in MOUTH_KINDS
        }

    # ---- closing

    def _close(self, covers: Sequence[_Covered]) -> None:
        every = [*self.open_now, *self.to_open]
        names = {o: f"close:{o}{self.suffix[o]}" for o in every if not self._superseded(o, every)}
        opened = [t for t in self.tasks.values() if t.rank <= RANKS["open"] + 1]
        for operation_id in every:
            if not self._superseded(operation_id, every):
                self._close_one(operation_id, names, covers, opened={t.step.id for t in opened})

    def _close_one(
        self,
        operation_id: str,
        names: Mapping[str, str],
        covers: Sequence[_Covered],
        *,
        opened: set[str],
    ) -> None:
        operation, lifted = self.by_id[operation_id], self.lift[operation_id]
        suffix = self.suffix[operation_id]
        deeper = {
            names[o]
            for o in names
            if o != operation_id and operation_id in self._with_prerequisites(o, names)
        }
        work = {
            x.step.id
            for owner, links in self.links.items()
            if operation_id in self.used.get(owner, ()) or self._touches(owner, operation_id)
            for x in links
            if x.step.id in self.tasks and x.template.place in ("first", "clean", "close")
        }
        plugs = self._plugs(operation_id)
        work -= plugs
        touched = {*(lifted.parts if lifted else ()), *operation.reaches}
        waits = tuple(dict.fromkeys(w for p in sorted(touched) for w in self.wait_of.get(p, ())))
        plain = self._closable(operation, suffix)
        back = tuple(
            p
            for p in (lifted.parts if lifted else ())
            if self.car.place_of(p) != "mounted"
            or any(p in t.step.takes_off or t.step.does.place.get(p) for t in self.tasks.values())
        )
        mine = [
            c
            for c in covers
            if c.item.id not in plain
            and (
                c.operation == operation_id
                or (lifted and not lifted.hangs and self._laid_aside(c.operation, lifted.part))
            )
        ]
        merged = next((c for c in mine if not c.item.dangerous), None)
        new = [t.part for t in self.treatments if t.work.work == "replace" and t.part in touched]
        step = made.closing(
            self.family,
            operation,
            step_id=names[operation_id],
            closes=(*plain, *((merged.item.id,) if merged else ())),
            refits=back,
            waits=waits,
            new=tuple(p for p in new if p in back),
            reuse_seals=self.case.policy.get(SEALS) == "reuse",
        )
        after = {*deeper, *work, *opened}
        strips = {
            s
            for s in self.tasks
            if s.startswith("unstrip:") and self.tasks[s].step.owner in touched
        }
        self._add(step, RANKS["close"], after | strips)
        for plug in plugs:
            self.tasks[plug].after.add(step.id)
        if merged and merged.task:
            self.tasks[step.id].after.add(merged.task)
        for cover in mine:
            if cover is merged:
                continue
            one = self._uncover(cover, before=step.id, rank=RANKS["close"])
            self.tasks[one.id].after |= {*deeper, *work, *opened}
            held = tuple(w for w in self.wait_of.get(cover.item.on or "", ()))
            self.tasks[one.id].step = replace(one, waits_for=held)

    def _plugs(self, operation_id: str) -> set[str]:
        """Steps that plug a part in again which this operation has yet to lift off: after it is
        back."""
        lifted = self.lift[operation_id]
        if not lifted or operation_id not in self.to_open:
            return set()
        loose = {i.id for i in self.car.open.values() if i.kind == "connector"}
        return {
            x.step.id
            for part in lifted.parts
            for x in self.links.get(part, ())
            if x.step.id in self.tasks and loose & set(x.step.closes) and not x.step.opens
        }

    def _touches(self, owner: str, operation_id: str) -> bool:
        """Whether work on a part goes on in what this operation takes off or lays open."""
        operation, lifted = self.by_id[operation_id], self.lift[operation_id]
        parts = set(self.owner_parts[owner])
        return bool(parts & {*operation.reaches, *(lifted.parts if lifted else ())})

    def _closable(self, operation: Operation, suffix: str) -> tuple[str, ...]:
        """What an operation has opened, or will have, besides covers and the coolant's level."""
        prefix = f"{operation.id}{suffix}:"
        held = {i.id: i for i in self.car.open.values()}
        for task in self.tasks.values():
            held.update({i.id: i for i in task.step.opens})
        whats = {o.what for o in operation.opens}
        only_level = all(o.kind == "coolant low" for o in operation.opens)
        found = [
            i
            for i in held.values()
            if i.kind not in MOUTH_KINDS or (i.kind == "cover" and not i.inside)
        ]
        lifted = self.lift[operation.id]
        aside = [
            f"{o}{self.suffix[o]}:"
            for o in (*self.open_now, *self.to_open)
            if lifted and not lifted.hangs and self._laid_aside(o, lifted.part)
        ]
        mine = [i for i in found if i.id.startswith((prefix, *aside))]
        shared = [
            i
            for i in found
            if not i.id.startswith(prefix)
            and i.what in whats
            and not self._operation_of(i.id)
            and not self._closed_by_chain(i.id)
        ]
        return tuple(i.id for i in (*mine, *shared) if i.kind != "coolant low" or only_level)

    def _closed_by_chain(self, item_id: str) -> bool:
        return any(item_id in t.step.closes for t in self.tasks.values())

    def _finds(self) -> None:
        """Steps that finds on the way ask for, before anything that was there is closed."""
        ready = set(self.tasks)
        for find in self.case.finds:
            kind = self.trade.find_kinds[find.kind]
            last: set[str] = set()
            for number, template in enumerate(kind.steps, 1):
                step = made.found(find, template, number, title=kind.title)
                if step.id in self.done_ids:
                    continue
                self._add(step, RANKS["open"] - 1, last)
                last = {step.id}
            if last:
                for step_id in ready:
                    if self.tasks[step_id].rank >= RANKS["close"] - 1:
                        self.tasks[step_id].after |= last

    def _tail(self, works: Sequence[PartWork], work_left: bool) -> None:
        steps = tail.tail_steps(
            tail.Situation(
                case=self.case,
                trade=self.trade,
                car=self.car,
                done=self.done,
                works=tuple(works),
                left=frozenset(self.changes.left),
                treatments=tuple(self.treatments),
                ahead=tuple(t.step for t in self.tasks.values()),
                work_left=work_left,
                walk=tuple(self._chains("walk")),
                drive=tuple(self._chains("drive")),
                again=self.changes.again,
                wet_waits=tuple(dict.fromkeys(w for ws in self.wait_of.values() for w in ws)),
            )
        )
        before = set(self.tasks)
        last: set[str] = before
        for place, step in enumerate(steps):
            self._add(step, RANKS["tail"] + place, last)
            last = {step.id}
        self._own()

    def _own(self) -> None:
        """Steps that somebody put on this card in words of their own, behind the one they named."""
        for own in self.case.own_steps:
            if own.id in self.done_ids:
                continue
            behind = self.tasks.get(own.after)
            phase = behind.step.phase if behind else "walk"
            part = behind.step.part if behind else ""
            step = Step(
                id=own.id,
                text=own.text,
                why=f"Added on the job by {own.by}",
                phase=phase,
                part=part,
                minutes=own.minutes,
                own=True,
            )
            followers = [t for t in self.tasks.values() if behind and own.after in t.after]
            rank = behind.rank if behind else RANKS["open"] - 1
            self._add(step, rank, {own.after} if behind else ())
            for task in followers:
                task.after.add(step.id)


def _cheapest(access: Access, ways: Sequence[str], wanted: frozenset[str]) -> frozenset[str]:
    if any(w in wanted for w in ways):
        return wanted
    return min((wanted | access.closure(w) for w in ways), key=access.cost)


def _with_extra(
    order: list[str], extra: Mapping[str, tuple[str, ...]], by_id: Mapping[str, Operation]
) -> list[str]:
    """The opening order with what must come off a part before it leaves put before it."""
    placed: list[str] = []
    inside = set(order)

    def put(one: str) -> None:
        if one in placed:
            return
        for before in (*by_id[one].after, *extra.get(one, ())):
            if before in inside:
                put(before)
        placed.append(one)

    for one in order:
        put(one)
    return placed


__all__ = ["bound", "make_plan", "planned"]
