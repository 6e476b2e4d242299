"""The way back: what was opened is closed, deepest first."""

from collections.abc import Mapping, Sequence
from dataclasses import replace

from galene.core.airpath.family import Operation
from galene.core.planning import steps as made
from galene.core.planning.making.covers import uncover
from galene.core.planning.making.state import RANKS, Covered, Planning
from galene.core.planning.policy_keys import SEALS
from galene.core.planning.words import MOUTH_KINDS


def close_all(planning: Planning, covers: Sequence[Covered]) -> None:
    every = [*planning.open_now, *planning.to_open]
    names = {
        o: f"close:{o}{planning.suffix[o]}" for o in every if not planning.superseded(o, every)
    }
    opened = [t for t in planning.tasks.values() if t.rank <= RANKS["open"] + 1]
    for operation_id in every:
        if not planning.superseded(operation_id, every):
            close_one(planning, operation_id, names, covers, opened={t.step.id for t in opened})


def close_one(
    planning: Planning,
    operation_id: str,
    names: Mapping[str, str],
    covers: Sequence[Covered],
    *,
    opened: set[str],
) -> None:
    operation, lifted = planning.by_id[operation_id], planning.lift[operation_id]
    suffix = planning.suffix[operation_id]
    deeper = {
        names[o]
        for o in names
        if o != operation_id and operation_id in planning.with_prerequisites(o, names)
    }
    work = {
        x.step.id
        for owner, links in planning.links.items()
        if operation_id in planning.used.get(owner, ()) or touches(planning, owner, operation_id)
        for x in links
        if x.step.id in planning.tasks and x.template.place in ("first", "clean", "close")
    }
    loose = plugs(planning, operation_id)
    work -= loose
    touched = {*(lifted.parts if lifted else ()), *operation.reaches}
    waits = tuple(dict.fromkeys(w for p in sorted(touched) for w in planning.wait_of.get(p, ())))
    plain = closable(planning, operation, suffix)
    back = tuple(
        p
        for p in (lifted.parts if lifted else ())
        if planning.car.place_of(p) != "mounted"
        or any(p in t.step.takes_off or t.step.does.place.get(p) for t in planning.tasks.values())
    )
    mine = [
        c
        for c in covers
        if c.item.id not in plain
        and (
            c.operation == operation_id
            or (lifted and not lifted.hangs and planning.laid_aside(c.operation, lifted.part))
        )
    ]
    merged = next((c for c in mine if not c.item.dangerous), None)
    new = [t.part for t in planning.treatments if t.work.work == "replace" and t.part in touched]
    step = made.closing(
        planning.family,
        operation,
        step_id=names[operation_id],
        closes=(*plain, *((merged.item.id,) if merged else ())),
        refits=back,
        waits=waits,
        new=tuple(p for p in new if p in back),
        reuse_seals=planning.case.policy.get(SEALS) == "reuse",
    )
    after = {*deeper, *work, *opened}
    strips = {
        s
        for s in planning.tasks
        if s.startswith("unstrip:") and planning.tasks[s].step.owner in touched
    }
    planning.add(step, RANKS["close"], after | strips)
    for plug in loose:
        planning.tasks[plug].after.add(step.id)
    if merged and merged.task:
        planning.tasks[step.id].after.add(merged.task)
    for cover in mine:
        if cover is merged:
            continue
        one = uncover(planning, cover, before=step.id, rank=RANKS["close"])
        planning.tasks[one.id].after |= {*deeper, *work, *opened}
        held = tuple(w for w in planning.wait_of.get(cover.item.on or "", ()))
        planning.tasks[one.id].step = replace(one, waits_for=held)


def plugs(planning: Planning, operation_id: str) -> set[str]:
    """Steps that plug a part in again which this operation has yet to lift off: after it is
    back."""
    lifted = planning.lift[operation_id]
    if not lifted or operation_id not in planning.to_open:
        return set()
    loose = {i.id for i in planning.car.open.values() if i.kind == "connector"}
    return {
        x.step.id
        for part in lifted.parts
        for x in planning.links.get(part, ())
        if x.step.id in planning.tasks and loose & set(x.step.closes) and not x.step.opens
    }


def touches(planning: Planning, owner: str, operation_id: str) -> bool:
    """Whether work on a part goes on in what this operation takes off or lays open."""
    operation, lifted = planning.by_id[operation_id], planning.lift[operation_id]
    parts = set(planning.owner_parts[owner])
    return bool(parts & {*operation.reaches, *(lifted.parts if lifted else ())})


def closable(planning: Planning, operation: Operation, suffix: str) -> tuple[str, ...]:
    """What an operation has opened, or will have, besides covers and the coolant's level."""
    prefix = f"{operation.id}{suffix}:"
    held = {i.id: i for i in planning.car.open.values()}
    for task in planning.tasks.values():
        held.update({i.id: i for i in task.step.opens})
    whats = {o.what for o in operation.opens}
    only_level = all(o.kind == "coolant low" for o in operation.opens)
    found = [
        i
        for i in held.values()
        if i.kind not in MOUTH_KINDS or (i.kind == "cover" and not i.inside)
    ]
    lifted = planning.lift[operation.id]
    aside = [
        f"{o}{planning.suffix[o]}:"
        for o in (*planning.open_now, *planning.to_open)
        if lifted and not lifted.hangs and planning.laid_aside(o, lifted.part)
    ]
    mine = [i for i in found if i.id.startswith((prefix, *aside))]
    shared = [
        i
        for i in found
        if not i.id.startswith(prefix)
        and i.what in whats
        and not planning.operation_of(i.id)
        and not closed_by_chain(planning, i.id)
    ]
    return tuple(i.id for i in (*mine, *shared) if i.kind != "coolant low" or only_level)


def closed_by_chain(planning: Planning, item_id: str) -> bool:
    return any(item_id in t.step.closes for t in planning.tasks.values())
