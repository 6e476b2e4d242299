"""What must be opened to reach a scope, and what the open access makes cheap: `scope`."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

from galene.core.airpath import EngineFamily, Operation
from galene.core.errors import InputError

NEAR_FREE_MINUTES = 6.0
"""A neighbour that costs less hands-on time than this is worth offering (project default)."""
PAIRS: tuple[tuple[str, str, str], ...] = (
    ("maf_sensor", "air_filter", "the filter decides how long a clean meter stays clean"),
    ("air_filter", "maf_sensor", "with the box open the meter can be looked at"),
    ("throttle_body", "intake_tube", "the tube is off: look for cracks and a loose clamp"),
    ("throttle_body", "breather_valve", "the tube is off: oil from the breather feeds the deposit"),
    ("intake_manifold", "intake_ports", "manifold off, ports inspected"),
    ("egr_valve", "egr_passage", "valve off, passage cleaned: the valve may be innocent"),
    ("egr_cooler", "egr_valve", "cooler off: look at the valve, and check the cooler for leaks"),
)
"""Component kinds that belong together when one of them is in the scope."""


@dataclass(frozen=True)
class Suggestion:
    """A part worth adding, with its marginal minutes and the reason."""

    component: str
    minutes: float
    why: str


@dataclass(frozen=True)
class Scope:
    """The union of access for some parts. `operations` stand in the order of opening; close in reverse."""

    components: tuple[str, ...]
    operations: tuple[Operation, ...]
    hands_on_minutes: float
    wait_minutes: float
    marginal: Mapping[str, float]
    suggested: tuple[Suggestion, ...] = field(default=())


def operations_for(
    family: EngineFamily, part_ids: Iterable[str], done: Iterable[str] = (), removed: Iterable[str] = ()
) -> tuple[Operation, ...]:
    """Operations that lay open `part_ids`, closed under prerequisites, without those `done`, outermost first.

    Parts in `removed` are also taken off the engine.

    Where several operations reach a part, the one with the fewest minutes (prerequisites counted) is taken.
    """
    by_id = {o.id: o for o in family.operations}
    finished = set(done)

    def closed(operation: Operation) -> dict[str, Operation]:
        found: dict[str, Operation] = {}
        stack = [operation]
        while stack:
            one = stack.pop()
            if one.id in found or one.id in finished:
                continue
            found[one.id] = one
            stack += [by_id[i] for i in one.after]
        return found

    union: dict[str, Operation] = {}
    for part_id in removed:
        for operation in family.operations:
            if operation.removes == part_id:
                union.update(closed(operation))
    for part_id in part_ids:
        ways = [o for o in family.operations if part_id in o.reaches]
        if not ways or any(w.id in finished or w.id in union for w in ways):
            continue
        best = min(ways, key=lambda w: sum(o.minutes_off + o.minutes_on for o in closed(w).values()))
        union.update(closed(best))
    ordered: list[Operation] = []

    def place(operation: Operation) -> None:
        if operation in ordered:
            return
        for need in operation.after:
            if need in union:
                place(union[need])
        ordered.append(operation)

    # Cold-engine work last among equals keeps the state changes few; the family lists operations outermost first.
    position = {o.id: i for i, o in enumerate(family.operations)}
    for operation in sorted(union.values(), key=lambda o: ("engine_cold" in o.needs, position[o.id])):
        place(operation)
    return tuple(ordered)


def minutes_of(operations: Iterable[Operation]) -> float:
    """Hands-on minutes off and on again."""
    return sum(o.minutes_off + o.minutes_on for o in operations)


def scope(
    family: EngineFamily,
    components: Iterable[str],
    open_: Iterable[str] = (),
    grades: Mapping[str, int] | None = None,
    removed: Iterable[str] = (),
) -> Scope:
    """Access for a set of parts, with what each neighbour would add.

    Parameters
    ----------
    family : EngineFamily
    components : part ids (or component kinds that the family carries once)
    open_ : operation ids already done
    grades : deposit grade per part id, where known; grade 2 and above make a cheap neighbour worth it
    removed : part ids that the method wants off the engine

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
    done, off = tuple(open_), tuple(removed)
    operations = operations_for(family, chosen, done, off)
    minutes = minutes_of(operations)
    marginal = {
        p.id: max(0.0, minutes_of(operations_for(family, (*chosen, p.id), done, off)) - minutes)
        for p in family.parts
        if p.id not in chosen and any(p.id in o.reaches for o in family.operations)
    }
    suggested: dict[str, Suggestion] = {}
    kinds = {family.part(c).component for c in chosen}
    for kind, other, why in PAIRS:
        for part in family.parts:
            if kind in kinds and part.component == other and part.id in marginal and marginal[part.id] <= 2 * NEAR_FREE_MINUTES:
                suggested.setdefault(part.id, Suggestion(part.id, marginal[part.id], why))
    for part_id, grade in (grades or {}).items():
        if part_id in marginal and grade >= 2 and marginal[part_id] <= 2 * NEAR_FREE_MINUTES:
            suggested[part_id] = Suggestion(part_id, marginal[part_id], f"seen at grade {grade}, and the way is nearly open")
    return Scope(
        chosen,
        operations,
        minutes,
        max((o.wait_minutes for o in operations), default=0.0),
        marginal,
        tuple(sorted(suggested.values(), key=lambda s: s.minutes)),
    )
