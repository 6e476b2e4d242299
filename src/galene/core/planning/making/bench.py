"""The parts' own steps behind what lays them open, on the car and on the bench."""

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import replace

from galene.core.airpath.natures import kind_is
from galene.core.planning import hand_steps
from galene.core.planning.chain import Link
from galene.core.planning.making.state import PLAIN, RANKS, Mouth, Planning
from galene.core.planning.marks import bears
from galene.core.planning.moments import Clean
from galene.core.planning.openings import numbered, riding
from galene.core.planning.order import CLEAN_RANK
from galene.core.planning.records import Step
from galene.core.planning.repeats import again

STAGE_RANKS = {
    "first": RANKS["open"] + 1,
    "clean": CLEAN_RANK,
    "close": RANKS["close"] - 1,
}


def work(planning: Planning, safe: Sequence[str], opened: Mapping[str, str]) -> None:
    """The parts' own steps behind what lays them open."""
    for owner, links in planning.links.items():
        ways = {opened[o] for o in planning.used.get(owner, ()) if o in opened}
        for link in links:
            if link.template.place in STAGE_RANKS:
                add_link(planning, link, {*safe, *ways})
        _note_hand_mouth(planning, owner, links)
    riders(planning)
    on_the_bench(planning)
    unstrip(planning)
    bare_before_lifting(planning, safe)
    dirty_first(planning)


def add_link(planning: Planning, link: Link, behind: Collection[str]) -> None:
    """A step of a part's chain, behind its own and what it stands on, with the waits it keeps."""
    step, after = link.step, {*link.after, *behind}
    if link.template.place != "first" and planning.lead:
        after.add(planning.lead)
    if link.template.place == "first" and planning.power_back:
        after.add(planning.power_back)
    if step.needs.battery == "off" and planning.hold:
        step = replace(step, waits_for=(*step.waits_for, planning.hold))
    burns = step.agent is not None and "flammable" in step.agent.properties
    burns = burns and not kind_is(planning.family.part(step.part).component, "cool")
    if (step.needs.heat == "cold" or burns) and planning.cooling:
        step = replace(step, waits_for=(*step.waits_for, planning.cooling))
    rank = STAGE_RANKS[link.template.place]
    # A part that is only looked at is seen before its neighbour is cleaned into it.
    seen_first = step.work == "inspect" and _beside_dirt(planning, step.part)
    planning.add(step, rank - 1 if seen_first else rank, after)
    for wet in step.wets:
        if step.wait:
            planning.wait_of.setdefault(wet.part, []).append(step.wait.id)


def _beside_dirt(planning: Planning, part: str) -> bool:
    """Whether a part that is cleaned here is joined to another by a pipe."""
    dirty = {p for links in planning.links.values() for x in links for p in x.step.dirties}
    return any(
        part in (p.source, p.target) and {p.source, p.target} & (dirty - {part})
        for p in planning.family.pipes
    )


def _note_hand_mouth(planning: Planning, owner: str, links: Sequence[Link]) -> None:
    """The mouth that a part leaves which is drawn out of it by hand."""
    out = next((x.step for x in links if x.step.name == "out"), None)
    hand = hand_steps.hand_mouth(planning.family, owner) if out else None
    if out and hand and not planning.carrier_off(owner):
        by = frozenset({f"{owner}:in"})
        planning.mouths.append(Mouth(item=hand, opened_by=out.id, shut_by=by))


def dirty_first(planning: Planning) -> None:
    """Whatever drops deposit into another part is done before that part is treated, or else before
    it is finally found clean; where it was found clean already, it is judged once more."""
    every = [
        (owner, _into_what_stays(planning, x))
        for owner, links in planning.links.items()
        for x in links
        if x.step.dirties and x.step.id in planning.tasks
    ]
    for owner, dirt in every:
        for part in dirt.step.dirties:
            _before_treated(planning, owner, dirt, part)
            _before_judged(planning, owner, dirt, part)
    for owner, target in _spoiled(planning):
        _judged_once_more(planning, owner, target, ())


def _into_what_stays(planning: Planning, dirt: Link) -> Link:
    """A step that would drop into a neighbour waits until that is off, where it comes off anyway,
    and drops into nothing then."""
    own = dirt.step.part
    stays = list(dirt.step.dirties)
    for operation_id in planning.to_open:
        lifted = planning.lift[operation_id]
        gone = set(lifted.parts if lifted else ()) & set(stays) - {own}
        if not gone or (lifted and own in lifted.parts):
            continue
        name = numbered(f"open:{operation_id}", planning.turn_now(operation_id))
        planning.tasks[dirt.step.id].after.add(name)
        stays = [p for p in stays if p not in gone]
    task = planning.tasks[dirt.step.id]
    task.step = replace(task.step, dirties=tuple(stays))
    return replace(dirt, step=task.step)


def _before_treated(planning: Planning, owner: str, dirt: Link, part: str) -> None:
    other = _owner_of(planning, part)
    if other in ("", owner):
        return
    treating = next(
        (
            x.step.id
            for x in planning.links[other]
            if (x.template.treats or x.step.sends) and x.step.id in planning.tasks
        ),
        "",
    )
    if treating:
        planning.tasks[treating].after.add(dirt.step.id)


def _before_judged(planning: Planning, owner: str, dirt: Link, part: str) -> None:
    """Who finds the part, or a port of it, clean at last comes behind what dirties it."""
    for other, links in list(planning.links.items()):
        if other == owner:
            continue
        judges = [x for x in links if _judges(x.step, part) and x.step.id in planning.tasks]
        for judge in judges:
            planning.tasks[judge.step.id].after.add(dirt.step.id)
        if not judges:
            _judged_once_more(planning, other, part, {dirt.step.id})


def _judges(step: Step, part: str) -> bool:
    return any(t == part or bears(t, part) for t in step.judges_clean)


def _judged_once_more(planning: Planning, owner: str, part: str, after: Iterable[str]) -> None:
    was = next(
        (
            d.step
            for d in reversed(planning.done)
            if d.step.owner == owner and _judges(d.step, part) and not d.left_out
        ),
        None,
    )
    if was is None:
        return
    turn = 1 + sum(d.step.owner == owner and d.step.name == was.name for d in planning.done)
    first = replace(
        was, id=f"{was.owner}:{was.name}", waits_for=(), opens=(), closes=(), records=was.records
    )
    step = again(first, turn, items=set(), waits=set())
    if step.id not in planning.tasks:
        link = Link(step=step, template=replace(PLAIN, key=was.name, place="clean"), after=())
        planning.links[owner].append(link)
        planning.add(step, CLEAN_RANK)
    back = {
        x.step.id
        for x in planning.chains("clean")
        if x.step.receives and any(bears(m, x.step.part) for m in step.through)
    }
    planning.tasks[step.id].after |= {*after, *back}


def _spoiled(planning: Planning) -> list[tuple[str, str]]:
    """Owner and part of what was found clean, and dirtied since, by what is done already, where it
    is not shut yet."""
    clean = Clean()
    judge: dict[str, str] = {}
    for d in planning.done:
        if not d.left_out:
            clean.note(d.step)
            judge.update(dict.fromkeys(d.step.judges_clean, d.step.owner))
    return [
        (judge[target], target)
        for target in clean.spoiled
        if planning.car.place_of(judge[target]) != "mounted"
        and not any(target in x.step.judges_clean for x in planning.chains("clean"))
    ]


def _owner_of(planning: Planning, part: str) -> str:
    return next((o for o, parts in planning.owner_parts.items() if part in parts), "")


def bare_before_lifting(planning: Planning, safe: Sequence[str]) -> None:
    """What lies in or over a part's mouth comes out before the part is lifted off."""
    for lift in [t for t in planning.tasks.values() if t.step.opening and t.step.takes_off]:
        inside = {
            i.id for p in lift.step.takes_off for i in planning.car.mouths_on(p) if not i.mouth
        }
        for task in list(planning.tasks.values()):
            if task is not lift and inside & set(task.step.closes) and lift.step.id in task.after:
                task.after.clear()
                task.after.update(safe)
                lift.after.add(task.step.id)


def unstrip(planning: Planning) -> None:
    """What was taken off a part on the bench goes back on it before that part goes back."""
    for strip in (d.step for d in planning.done if d.step.name == "strip"):
        rider, carrier = strip.part, strip.owner
        still = [i for i in strip.opens if i.id in planning.car.open]
        if not still or f"unstrip:{rider}" in planning.tasks:
            continue
        _, on = hand_steps.stripped(planning.family, rider, carrier)
        on = replace(on, closes=tuple(i.id for i in still))
        back = [x.step.id for x in planning.links.get(carrier, ()) if x.step.id in planning.tasks]
        planning.add(on, RANKS["close"] - 1, back)


def on_the_bench(planning: Planning) -> None:
    """A sensor that sits on a part on the bench is off it while that part is wetted."""
    for owner, links in planning.links.items():
        outs = [x.step for x in links if x.step.id == f"{owner}:out"]
        carrier = planning.carrier_off(owner) if outs else ""
        if not carrier or carrier not in planning.links:
            continue
        back = planning.tasks[f"{owner}:in"]
        for x in planning.links[carrier]:
            task = planning.tasks.get(x.step.id)
            if task is None or x.template.place not in ("clean", "close"):
                continue
            if x.step.wets or x.step.sends:
                task.after.add(outs[0].id)
            back.after.add(x.step.id)


def riders(planning: Planning) -> None:
    """What rides on a part that goes away is looked at, and rid of what would fall into it, before
    it goes; the rest of its work comes after."""
    for owner, links in planning.links.items():
        sends = [x.step.id for x in links if x.step.sends]
        receives = [x.step.id for x in links if x.step.receives]
        if not (sends or receives):
            continue
        carrier = planning.owner_parts[owner][0]
        riding_on = {
            p
            for lifted in planning.lift.values()
            if lifted and lifted.part == carrier
            for p in lifted.riders
        }
        for other, theirs in planning.links.items():
            if other == owner or not set(planning.owner_parts[other]) & riding_on:
                continue
            mine = [x for x in theirs if x.template.place in ("clean", "close")]
            first = _before_it_goes(mine, carrier)
            for send in sends:
                planning.tasks[send].after.update(x.step.id for x in first)
            for x in mine:
                if x not in first:
                    planning.tasks[x.step.id].after.update(receives)
        for x in (x for o, theirs in planning.links.items() if o != owner for x in theirs):
            if x.step.id in planning.tasks and any(bears(m, carrier) for m in x.step.through):
                planning.tasks[x.step.id].after.update(receives)
        bench_strip(planning, owner, carrier, sends)


def _before_it_goes(links: Sequence[Link], carrier: str) -> list[Link]:
    """Of a rider's steps those up to the last that drops into its carrier; its look where none
    does."""
    last = max((i for i, x in enumerate(links) if carrier in x.step.dirties), default=-1)
    looks = [x for x in links[last + 1 :] if x.step.name == "look"]
    return [*links[: last + 1], *looks]


def bench_strip(planning: Planning, owner: str, carrier: str, sends: Sequence[str]) -> None:
    """What still sits on a part before it goes away comes off it on the bench, each by its
    name."""
    lifted_by_own = {
        p
        for o in (*planning.to_open, *planning.open_now)
        if (x := planning.lift[o])
        for p in x.parts
    }
    for rider in riding(planning.family).get(carrier, ()):
        if rider in lifted_by_own or planning.car.place_of(rider) != "mounted":
            continue
        if f"{rider}:out" in planning.tasks or not sends:
            continue
        off, on = hand_steps.stripped(planning.family, rider, carrier)
        ways = planning.used.get(owner, set())
        after = {numbered(f"open:{o}", planning.turn_now(o)) for o in ways if o in planning.to_open}
        if off.id not in planning.done_ids:
            planning.add(off, CLEAN_RANK, after)
        for send in sends:
            planning.tasks[send].after.add(off.id)
        back = [x.step.id for x in planning.links[owner] if x.template.place in ("clean", "close")]
        planning.add(on, RANKS["close"] - 1, {off.id, *back})
