"""The way back: what was opened is closed, deepest first; what gives sight of the joints last."""

from collections.abc import Collection, Mapping

from galene.core.airpath.family import Operation
from galene.core.planning import steps as made
from galene.core.planning.making.state import RANKS, Planning
from galene.core.planning.openings import numbered, riding
from galene.core.planning.policy_keys import SEALS
from galene.core.planning.words import MOUTH_KINDS


def close_all(planning: Planning) -> None:
    """Every way back. Those that only give sight wait until the joints were looked at."""
    every = [*planning.open_now, *planning.to_open]
    names = {
        o: numbered(f"close:{o}", planning.turn_now(o))
        for o in every
        if not planning.superseded(o, every)
    }
    opened = {t.step.id for t in planning.tasks.values() if t.rank <= RANKS["open"] + 1}
    for operation_id in names:
        close_one(planning, operation_id, names, opened=opened)
    planning.late.reverse()
    _back_on_the_car(planning)


def close_one(
    planning: Planning, operation_id: str, names: Mapping[str, str], *, opened: set[str]
) -> None:
    """One way back behind all that is done on what it has laid open."""
    operation, lifted = planning.by_id[operation_id], planning.lift[operation_id]
    touched = {*(lifted.parts if lifted else ()), *operation.reaches}
    waits = tuple(dict.fromkeys(w for p in sorted(touched) for w in planning.wait_of.get(p, ())))
    moved = {
        p
        for t in planning.tasks.values()
        for p in (*t.step.takes_off, *(p for p, w in t.step.does.place.items() if w))
    }
    back = tuple(
        p
        for p in (lifted.parts if lifted else ())
        if planning.car.place_of(p) != "mounted" or p in moved
    )
    new = [t.part for t in planning.treatments if t.work.work == "replace" and t.part in back]
    step = made.closing(
        planning.family,
        operation,
        turn=planning.turn_now(operation_id),
        closes=closable(planning, operation),
        refits=back,
        waits=waits,
        new=tuple(new),
        reuse_seals=planning.case.policy.get(SEALS) == "reuse",
    )
    if planning.only_for_sight(operation_id):
        planning.late.append(step)
        return
    deeper = {
        names[o]
        for o in names
        if o != operation_id
        and operation_id in planning.with_prerequisites(o, names)
        and not planning.only_for_sight(o)
    }
    loose = plugs(planning, operation_id)
    strips = {
        t.step.id
        for t in planning.tasks.values()
        if t.step.name == "unstrip" and t.step.owner in touched
    }
    work = (worked_there(planning, operation_id) | _of_carriers(planning, back)) - loose
    planning.add(step, RANKS["close"], {*deeper, *work, *opened, *strips})
    for plug in loose:
        planning.tasks[plug].after.add(step.id)


def _of_carriers(planning: Planning, parts: Collection[str]) -> set[str]:
    """Work on what parts ride on, and work that drops into it: nothing goes back into a part that
    may have to be looked into once more."""
    carriers = {p for p, on in riding(planning.family).items() if set(parts) & set(on)}
    drops = {d.step.owner for d in planning.done if carriers & set(d.step.dirties)}
    drops |= {t.step.owner for t in planning.tasks.values() if carriers & set(t.step.dirties)}
    return {
        x.step.id
        for owner, links in planning.links.items()
        if owner in drops or carriers & set(planning.owner_parts[owner])
        for x in links
        if x.step.id in planning.tasks and x.template.place == "clean"
    }


def worked_there(planning: Planning, operation_id: str) -> set[str]:
    """Steps of the parts that an operation serves, lays open or takes off."""
    return {
        x.step.id
        for owner, links in planning.links.items()
        if operation_id in planning.used.get(owner, ()) or touches(planning, owner, operation_id)
        for x in links
        if x.step.id in planning.tasks and x.template.place in ("first", "clean", "close")
    }


def _back_on_the_car(planning: Planning) -> None:
    """What is hooked or proven on a part once it is refitted."""
    for link in planning.chains("back"):
        part = link.step.part
        fits = {t.step.id for t in planning.tasks.values() if part in t.step.refits}
        behind = {a for a in link.after if a in planning.tasks}
        planning.add(link.step, RANKS["close"], fits | behind)


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


def closable(planning: Planning, operation: Operation) -> tuple[str, ...]:
    """What an operation has opened, or will have, besides covers and the coolant's level; and what
    was unplugged or unhooked otherwise and goes back with it."""
    held = {i.id: i for i in planning.car.open.values()}
    for task in planning.tasks.values():
        held.update({i.id: i for i in task.step.opens})
    lifted = planning.lift[operation.id]
    whose = {operation.id}
    for other in (*planning.open_now, *planning.to_open):
        if lifted and not lifted.hangs and planning.laid_aside(other, lifted.part):
            whose.add(other)
    own = {(o.kind, o.of) for o in operation.opens if o.of}
    closed = {c for t in planning.tasks.values() for c in t.step.closes}
    only_level = all(o.kind == "coolant low" for o in operation.opens)
    found = [
        i
        for i in held.values()
        if (i.kind not in MOUTH_KINDS or (i.kind == "cover" and not i.inside))
        and (
            i.operation in whose
            or (not i.operation and (i.kind, i.of) in own and i.id not in closed)
        )
    ]
    return tuple(i.id for i in found if i.kind != "coolant low" or only_level)
