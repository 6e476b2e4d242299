"""From a case to a plan: what is opened, worked on, closed, relearned and proven, from the state as
it is."""

from collections.abc import Mapping, Sequence
from dataclasses import replace

from galene.core.errors import InputError, require
from galene.core.planning import steps as made
from galene.core.planning.answers import base_id, consequence_of
from galene.core.planning.car import after, lacking
from galene.core.planning.case import Case, Trade
from galene.core.planning.chain import Link
from galene.core.planning.hazards import all_warned
from galene.core.planning.making.bench import work
from galene.core.planning.making.closing import close_all
from galene.core.planning.making.covers import guarded
from galene.core.planning.making.known import Known, known
from galene.core.planning.making.opening import arrive, make_safe, open_all, whole
from galene.core.planning.making.scope import settle, works_now
from galene.core.planning.making.state import RANKS, READ_BEFORE_ALL, Planning, begun
from galene.core.planning.order import CLEAN_RANK, in_order, placed, schedule
from galene.core.planning.records import (
    DoneStep,
    PartWork,
    Plan,
    PlannedPart,
    ProofTest,
    Step,
)
from galene.core.planning.relearns_due import Situation, planned_relearns
from galene.core.planning.tail import tail_steps


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
    return plan_of(begun(accepted(case, trade), done))


def accepted(case: Case, trade: Trade) -> Known:
    """A case whose scope names each part once, with what follows of it alone."""
    require(bool(case.works) or bool(case.relearns), "parts", [], allowed="at least one part")
    ids = [case.family.part(w.part).id for w in case.works]
    require(len(set(ids)) == len(ids), "parts", ids, allowed="each part once")
    return known(case, trade)


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
    base = accepted(case, trade)
    plan = plan_of(begun(base, done))
    asked: set[str] = set()
    for _ in range(len(answers) + 1):
        at = _next_turn(plan, answers, len(done))
        upto = len(plan.steps) if at is None else at + 1
        fresh = [
            DoneStep(step=s, answers={r.id: answers[r.id] for r in s.records if r.id in answers})
            for s in plan.steps[len(done) : upto]
        ]
        asked |= {r.id for s in plan.steps for r in s.records}
        if at is None:
            break
        done += fresh
        plan = plan_of(begun(base, done))
        if plan.held:
            break
    asked |= {r.id for s in plan.steps for r in s.records}
    owners = {base_id(r).partition(":")[0] for r in asked}
    # A record that another answer has taken out of the plan was asked for all the same.
    unknown = sorted(a for a in set(answers) - asked if base_id(a).partition(":")[0] not in owners)
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


def plan_of(planning: Planning) -> Plan:
    """Gather, order, and say what comes of it."""
    works = works_now(planning)
    settle(planning, works)
    if planning.changes.held:
        ordered = while_held(planning)
    else:
        gather(planning)
        work_left = any(t.rank >= RANKS["open"] for t in planning.tasks.values())
        add_tail(planning, works, work_left)
        ordered = charged(planning, in_order(placed(planning.tasks)))
    ordered = own_steps_in(planning, guarded(planning, ordered))
    ordered = all_warned(ordered, planning.family, planning.trade.hazards, planning.car)
    steps = (*(d.step for d in planning.done), *ordered)
    strip = schedule(steps)
    return Plan(
        steps=steps,
        relearns=planned_relearns(steps),
        proof=proof_of(planning, works),
        parts=tuple(planned_part(planning, w, steps) for w in works),
        hands_on_minutes=sum(s.minutes for s in steps),
        elapsed_minutes=max((s.start + s.minutes for s in strip), default=0.0),
        held=planning.changes.held,
    )


def charged(planning: Planning, ordered: Sequence[Step]) -> list[Step]:
    """What goes in new stands on the step that fits it, once; what comes with another spare is
    not charged beside it."""
    steps = list(ordered)
    used = {c for s in (*(d.step for d in planning.done), *steps) for c in s.consumes}
    for treatment in planning.treatments:
        part = treatment.part
        if treatment.work.work != "replace" or part in used:
            continue
        fits = [i for i, s in enumerate(steps) if part in s.refits]
        own = [i for i, s in enumerate(steps) if s.owner == part and s.phase in ("clean", "close")]
        if at := (fits or own)[-1:]:
            steps[at[0]] = replace(steps[at[0]], consumes=(*steps[at[0]].consumes, part))
            used.add(part)
    within = {c for s in planning.family.spares if s.id in used for c in s.contains}
    return [
        replace(s, consumes=tuple(c for c in s.consumes if c not in within))
        if within & set(s.consumes)
        else s
        for s in steps
    ]


def proof_of(planning: Planning, works: Sequence[PartWork]) -> tuple[ProofTest, ...]:
    found: dict[str, ProofTest] = {}
    for one in works:
        for test in planning.trade.proofs.get(planning.family.part(one.part).component, ()):
            found.setdefault(test.test, test)
    for test in planning.trade.proofs.get("", ()):
        found.setdefault(test.test, test)
    return tuple(found.values())


def planned_part(planning: Planning, work: PartWork, steps: Sequence[Step]) -> PlannedPart:
    treatment = next((t for t in planning.treatments if t.part == work.part), None)
    owner = treatment.owner if treatment else work.part
    return PlannedPart(
        part=work.part,
        work=treatment.work.work if treatment else work.work,
        grade=work.grade,
        kind=work.kind,
        procedure=treatment.procedure.component if treatment else "",
        minutes=sum(s.minutes for s in steps if s.owner == owner),
        left_out=work.part in planning.changes.left,
    )


def while_held(planning: Planning) -> list[Step]:
    """While a stop holds, other parts that lie open may be cleaned; nothing is opened or
    closed."""
    assert planning.changes.held is not None
    record = planning.changes.held.record
    at = next((d.step for d in planning.done if any(r.id == record for r in d.step.records)), None)
    held = set((at.treats or (at.part,)) if at else ())
    planning.to_open = []
    running = at is None or at.phase in ("running", "walk", "start", "relearn", "prove")
    if running or (at and not at.part) or not planning.car.before_set:
        return []
    for owner, links in planning.links.items():
        parts = planning.owner_parts[owner]
        if set(parts) & held or planning.used.get(owner, set()) - set(planning.open_now):
            continue
        car = planning.car
        for link in links:
            if link.template.place != "clean" or link.step.sends or link.step.receives:
                break
            if lacking(car, link.step.needs) or any(map(car.bearer_away, link.step.through)):
                break
            planning.add(link.step, CLEAN_RANK, link.after)
            car = after(car, link.step)
    return in_order(placed(planning.tasks))


def gather(planning: Planning) -> None:
    """Everything before the closing sequence."""
    _without_the_whole(planning)
    safe = make_safe(planning, arrive(planning))
    opened = open_all(planning, safe)
    work(planning, safe, opened)
    close_all(planning)
    add_finds(planning)


def add_finds(planning: Planning) -> None:
    """Steps that finds on the way ask for, before anything that was there is closed."""
    ready = set(planning.tasks)
    for find in planning.case.finds:
        kind = planning.trade.find_kinds[find.kind]
        last: set[str] = set()
        for number, template in enumerate(kind.steps, 1):
            step = made.found(find, template, number, title=kind.title)
            if step.id in planning.done_ids:
                continue
            planning.add(step, RANKS["open"] - 1, last)
            last = {step.id}
        if last:
            for step_id in ready:
                if planning.tasks[step_id].rank >= RANKS["close"] - 1:
                    planning.tasks[step_id].after |= last


def add_tail(planning: Planning, works: Sequence[PartWork], work_left: bool) -> None:
    steps = tail_steps(
        Situation(
            case=planning.case,
            trade=planning.trade,
            car=planning.car,
            done=planning.done,
            works=tuple(works),
            left=frozenset(planning.changes.left),
            treatments=tuple(planning.treatments),
            ahead=tuple(t.step for t in planning.tasks.values()),
            work_left=work_left,
            read_late=tuple(x.step for x in _too_late(planning)),
            walk=tuple(planning.chains("walk")),
            late=tuple(planning.late),
            drive=tuple(planning.chains("drive")),
            again=planning.changes.again,
            wet_waits=tuple(dict.fromkeys(w for ws in planning.wait_of.values() for w in ws)),
        )
    )
    before = set(planning.tasks)
    last: set[str] = before
    for place, step in enumerate(steps):
        planning.add(step, RANKS["tail"] + place, last)
        last = {step.id}


def _without_the_whole(planning: Planning) -> None:
    """Nothing waits for what can be sought on the assembled car only, where it is that no more."""
    gone = {x.step.id for x in planning.chains("whole")} - {x.step.id for x in whole(planning)}
    for owner, links in planning.links.items() if gone else ():
        planning.links[owner] = [
            replace(x, after=tuple(a for a in x.after if a not in gone)) for x in links
        ]


def _too_late(planning: Planning) -> list[Link]:
    """What is read of the car before it is opened, where it stands open by now: before it runs."""
    if whole(planning):
        return []
    return [x for x in planning.chains("whole") if set(x.step.acts) & READ_BEFORE_ALL]


def own_steps_in(planning: Planning, steps: Sequence[Step]) -> list[Step]:
    """The steps with those that somebody put on this card in words of their own, each behind the
    one it named, or first where that is done or gone."""
    found = list(steps)
    for own in planning.case.own_steps:
        if own.id in planning.done_ids:
            continue
        at = next((i for i, s in enumerate(found) if s.id == own.after), -1)
        behind = found[at] if at >= 0 else None
        step = Step(
            id=own.id,
            name="own",
            text=own.text,
            why=f"Added on the job by {own.by}",
            phase=behind.phase if behind else "walk",
            part=behind.part if behind else "",
            minutes=own.minutes,
            own=True,
        )
        found.insert(at + 1, step)
    return found
