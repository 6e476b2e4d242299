"""What must be opened to reach a scope, and what the open access makes cheap: `scope`."""

import itertools
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

from galene.core.airpath.family import EngineFamily, Operation
from galene.core.errors import InputError

NEAR_FREE_MINUTES = 6.0
"""A neighbour that costs less hands-on time than this is worth offering (project default)."""
RUNNING, STILL = "engine_warm_running", frozenset({"ignition_off", "battery_off", "engine_cold"})


@dataclass(frozen=True, kw_only=True)
class Beside:
    """Two kinds of part that belong together: `other` is worth a look when `kind` is in the scope,
    and why."""

    kind: str
    other: str
    why: str


@dataclass(frozen=True)
class Suggestion:
    """A part worth adding, with its marginal minutes and the reason."""

    component: str
    minutes: float
    why: str


@dataclass(frozen=True, kw_only=True)
class Scope:
    """The union of access for some parts. `operations` stand in the order of opening; close in
    reverse."""

    components: tuple[str, ...]
    operations: tuple[Operation, ...]
    hands_on_minutes: float
    wait_minutes: float
    marginal: Mapping[str, float]
    suggested: tuple[Suggestion, ...] = field(default=())


class Access:
    """One family's operations with their prerequisites closed, for as many unions as a page asks
    for."""

    def __init__(self, family: EngineFamily, done: Iterable[str]) -> None:
        self.operations = {o.id: o for o in family.operations}
        self.done = frozenset(done)
        self.minutes = {o.id: o.minutes_off + o.minutes_on for o in family.operations}
        self.extra: dict[str, tuple[str, ...]] = {}
        """Operations that must go before another besides what the family says."""
        self._closures: dict[str, frozenset[str]] = {}
        self.ways: dict[str, list[str]] = {}
        for operation in family.operations:
            for part in operation.reaches:
                self.ways.setdefault(part, []).append(operation.id)

    def closure(self, operation_id: str) -> frozenset[str]:
        """The operation and all that must go before it, without what is done."""
        found = self._closures.get(operation_id)
        if found is None:
            needed: set[str] = set()
            stack = [operation_id]
            while stack:
                one = stack.pop()
                if one not in needed and one not in self.done:
                    needed.add(one)
                    stack += (*self.operations[one].after, *self.extra.get(one, ()))
            found = self._closures[operation_id] = frozenset(needed)
        return found

    def cost(self, ids: Iterable[str]) -> float:
        """Hands-on minutes off and on again."""
        return sum(self.minutes[i] for i in ids)

    def reached(self, part_id: str, union: frozenset[str]) -> frozenset[str]:
        """`union` with what the part still needs, by the way that adds the fewest minutes."""
        ways = self.ways.get(part_id, [])
        if not ways or any(w in self.done or w in union for w in ways):
            return union
        return min((union | self.closure(w) for w in ways), key=self.cost)

    def union(self, part_ids: Iterable[str], removed: Iterable[str]) -> frozenset[str]:
        """Operations that lay open all parts and take off the engine those in `removed`.

        Parts with one way only are taken first, so that a part with a choice finds what is open
        anyway.
        """
        found: frozenset[str] = frozenset()
        for part_id in removed:
            ways = [o.id for o in self.operations.values() if o.removes == part_id]
            if ways and not any(w in found for w in ways):
                found = min((found | self.closure(w) for w in ways), key=self.cost)
        for part_id in sorted(dict.fromkeys(part_ids), key=lambda p: len(self.ways.get(p, ()))):
            found = self.reached(part_id, found)
        return found


def _running(operation: Operation) -> bool | None:
    """True: the engine runs; False: it stands; None: either will do."""
    if RUNNING in operation.needs:
        return True
    return False if STILL & set(operation.needs) else None


def in_order(operations: Iterable[Operation]) -> tuple[Operation, ...]:
    """Opening order: prerequisites first, and the engine's state changed the least often.

    Notes
    -----
    The state that matters is whether the engine runs or stands. Doing all that one state allows
    before changing to the other needs the fewest changes for a given first state; both first states
    are tried, running first among equals, because a warm engine cools by itself. Among operations
    that are free, the family's own order (outermost first) is kept, and what needs a cold engine
    comes last.
    """
    listed = list(operations)
    position = {o.id: i for i, o in enumerate(listed)}
    inside = set(position)
    best: list[Operation] = []
    fewest = len(listed) + 2
    for start in (True, False):
        left = sorted(listed, key=lambda o: ("engine_cold" in o.needs, position[o.id]))
        ordered: list[Operation] = []
        placed: set[str] = set()
        state, changes, stuck = start, 0, 0
        while left:
            free = next(
                (
                    o
                    for o in left
                    if _running(o) in (None, state)
                    and all(n in placed or n not in inside for n in o.after)
                ),
                None,
            )
            if free is None:
                stuck += 1
                if stuck > 1:
                    raise InputError(
                        "operations",
                        [o.id for o in left],
                        "operations that do not wait for each other",
                    )
                state, changes = not state, changes + 1
                continue
            stuck = 0
            left.remove(free)
            ordered.append(free)
            placed.add(free.id)
        # A start in a state that nothing uses is no change at all.
        used = [r for r in map(_running, ordered) if r is not None]
        changes = sum(a != b for a, b in itertools.pairwise(used))
        if changes < fewest:
            best, fewest = ordered, changes
    return tuple(best)


def operations_for(
    family: EngineFamily,
    part_ids: Iterable[str],
    done: Iterable[str] = (),
    *,
    removed: Iterable[str] = (),
) -> tuple[Operation, ...]:
    """Operations that lay open `part_ids`, closed under prerequisites, without those `done`, in the
    order of opening.

    Parts in `removed` are also taken off the engine.
    """
    union = Access(family, done).union(part_ids, removed)
    return in_order(o for o in family.operations if o.id in union)


def ways_in(family: EngineFamily, done: Iterable[str] = ()) -> dict[str, dict[str, float]]:
    """For every kind of component, the operations of its cheapest way in, with their hands-on
    minutes."""
    known = {o.id for o in family.operations}
    access = Access(family, [o for o in done if o in known])
    found: dict[str, dict[str, float]] = {}
    for part in family.parts:
        if part.id not in access.ways:
            continue
        union = access.reached(part.id, frozenset())
        old = found.get(part.component)
        if old is None or access.cost(union) < sum(old.values()):
            found[part.component] = {o: access.minutes[o] for o in union}
    return found


def layers(operations: Iterable[Operation]) -> tuple[tuple[Operation, ...], ...]:
    """Operations by how deep they lie: the first layer needs nothing opened, each next one
    something of the layer before."""
    listed = list(operations)
    by_id = {o.id: o for o in listed}
    depth: dict[str, int] = {}
    for operation in listed:  # in opening order, so prerequisites are known
        depth[operation.id] = 1 + max((depth[n] for n in operation.after if n in by_id), default=-1)
    return tuple(
        tuple(o for o in listed if depth[o.id] == k)
        for k in range(max(depth.values(), default=-1) + 1)
    )


def minutes_of(operations: Iterable[Operation]) -> float:
    """Hands-on minutes off and on again."""
    return sum(o.minutes_off + o.minutes_on for o in operations)


def scope(
    family: EngineFamily,
    components: Iterable[str],
    open_: Iterable[str] = (),
    *,
    grades: Mapping[str, int] | None = None,
    removed: Iterable[str] = (),
    beside: Iterable[Beside] = (),
) -> Scope:
    """Access for a set of parts, with what each neighbour would add.

    Parameters
    ----------
    family : EngineFamily
    components : part ids (or component kinds that the family carries once)
    open_ : operation ids already done
    grades : deposit grade per part id, where known; grade 2 and above make a cheap neighbour worth
        it
    removed : part ids that the method wants off the engine
    beside : kinds of part that are worth a look together

    Returns
    -------
    Scope
        Operations in the order of opening, minutes of hands and of waiting, and what every other
        part would add to them, minutes.

    Raises
    ------
    InputError
        A part or operation that the family does not have.

    Notes
    -----
    Marginal minutes = minutes(union with the part) - minutes(without).
    """
    chosen = tuple(dict.fromkeys(family.part(c).id for c in components))
    known = {o.id for o in family.operations}
    for operation_id in open_:
        if operation_id not in known:
            raise InputError("open", operation_id, ", ".join(sorted(known)))
    access = Access(family, open_)
    union = access.union(chosen, removed)
    operations = in_order(o for o in family.operations if o.id in union)
    marginal = {
        p.id: access.cost(access.reached(p.id, union) - union)
        for p in family.parts
        if p.id not in chosen and p.id in access.ways
    }
    suggested: dict[str, Suggestion] = {}
    kinds = {family.part(c).component for c in chosen}
    for pair in beside:
        for part in family.parts:
            if (
                pair.kind in kinds
                and part.component == pair.other
                and part.id in marginal
                and marginal[part.id] <= 2 * NEAR_FREE_MINUTES
            ):
                suggested.setdefault(part.id, Suggestion(part.id, marginal[part.id], pair.why))
    for part_id, grade in (grades or {}).items():
        if part_id in marginal and grade >= 2 and marginal[part_id] <= 2 * NEAR_FREE_MINUTES:
            suggested[part_id] = Suggestion(
                part_id, marginal[part_id], f"seen at grade {grade}, and the way is nearly open"
            )
    for part_id, minutes in marginal.items():
        if minutes == 0 and union and part_id not in suggested:
            suggested[part_id] = Suggestion(part_id, 0.0, "laid open anyway: a look costs nothing")
    return Scope(
        components=chosen,
        operations=operations,
        hands_on_minutes=access.cost(union),
        wait_minutes=max((o.wait_minutes for o in operations), default=0.0),
        marginal=marginal,
        suggested=tuple(sorted(suggested.values(), key=lambda s: s.minutes)),
    )
