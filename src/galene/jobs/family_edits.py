"""Changes that the editor makes to a family's description: each a pure function from one record to
the next."""

import re
from collections.abc import Callable, Iterable
from dataclasses import replace

from galene.core.airpath.family import (
    Band,
    BusEntry,
    EngineFamily,
    Fastener,
    Operation,
    Part,
    Pipe,
    SparePart,
    Tap,
)
from galene.core.errors import InputError
from galene.knowledge.components import COMPONENTS

Change = Callable[[EngineFamily], EngineFamily]


def free_id(wish: str, taken: Iterable[str]) -> str:
    """An id made of `wish` that nobody has yet."""
    stem = re.sub(r"[^a-z0-9]+", "_", wish.lower()).strip("_")[:40].rstrip("_") or "one"
    if not stem[0].isalpha():
        stem = "o_" + stem
    there, name, k = set(taken), stem, 2
    while name in there:
        name, k = f"{stem}_{k}", k + 1
    return name


def _known(family: EngineFamily, field: str, part_id: str) -> str:
    if part_id not in {p.id for p in family.parts}:
        raise InputError(field, part_id, "a part of this family")
    return part_id


def add_part(component: str, after: str) -> Change:
    """A part from the palette: a sensor sits on `after`, anything else goes into the path behind
    it."""

    def change(family: EngineFamily) -> EngineFamily:
        if component not in COMPONENTS:
            raise InputError("component", component, "a kind of the palette")
        kind = COMPONENTS[component]
        part_id = free_id(component, (p.id for p in family.parts))
        count = sum(p.component == component for p in family.parts)
        part = Part(
            id=part_id,
            component=component,
            label=kind.title + (f" {count + 1}" if count else ""),
            features=kind.features,
        )
        taps, pipes = family.taps, family.pipes
        place = _known(family, "after", after) if after else ""
        if kind.sensor:
            taps = (*taps, Tap(part_id, place or None))
        elif place:
            on = next((p for p in pipes if p.source == place and p.circuit == "main"), None)
            pipes = (*tuple(p for p in pipes if p is not on), Pipe(place, part_id))
            if on is not None:
                pipes = (*pipes, Pipe(part_id, on.target))
        return replace(family, parts=(*family.parts, part), taps=taps, pipes=pipes)

    return change


def remove_part(part_id: str) -> Change:
    """Take a part out: its neighbours on the main path are joined again, what hung on it must be
    hung anew."""

    def change(family: EngineFamily) -> EngineFamily:
        _known(family, "part", part_id)
        before = [p.source for p in family.pipes if p.target == part_id and p.circuit == "main"]
        behind = [p.target for p in family.pipes if p.source == part_id and p.circuit == "main"]
        pipes = tuple(p for p in family.pipes if part_id not in (p.source, p.target))
        if len(before) == len(behind) == 1:
            pipes = (*pipes, Pipe(before[0], behind[0]))
        operations = tuple(
            replace(
                o,
                reaches=tuple(r for r in o.reaches if r != part_id),
                removes="" if o.removes == part_id else o.removes,
            )
            for o in family.operations
        )
        return replace(
            family,
            parts=tuple(p for p in family.parts if p.id != part_id),
            pipes=pipes,
            taps=tuple(t for t in family.taps if part_id not in (t.sensor, t.on)),
            fasteners=tuple(f for f in family.fasteners if f.part != part_id),
            operations=operations,
        )

    return change


def save_part(
    part: Part, on: str | None, pipes: Iterable[Pipe], *, fasteners: Iterable[Fastener]
) -> Change:
    """Everything of one part at once: itself, where a sensor sits (`on` empty: in the open), pipes
    out of it, what holds it.

    A part that was on a stalk and now has pipes, or the other way round, keeps only what its kind
    can have.
    """

    def change(family: EngineFamily) -> EngineFamily:
        _known(family, "part", part.id)
        sensor = COMPONENTS[part.component].sensor
        taps = tuple(t for t in family.taps if t.sensor != part.id)
        if sensor and on is not None:
            taps = (*taps, Tap(part.id, _known(family, "on", on) if on else None))
        kept = tuple(p for p in family.pipes if p.source != part.id)
        new = (
            ()
            if sensor
            else tuple(
                Pipe(part.id, _known(family, "pipes.target", p.target), p.circuit) for p in pipes
            )
        )
        return replace(
            family,
            parts=tuple(part if p.id == part.id else p for p in family.parts),
            taps=taps,
            pipes=(*kept, *new),
            fasteners=(*(f for f in family.fasteners if f.part != part.id), *fasteners),
        )

    return change


def save_operation(operation: Operation) -> Change:
    """A new operation, or the one with its id."""

    def change(family: EngineFamily) -> EngineFamily:
        if operation.id in {o.id for o in family.operations}:
            return replace(
                family,
                operations=tuple(
                    operation if o.id == operation.id else o for o in family.operations
                ),
            )
        return replace(family, operations=(*family.operations, operation))

    return change


def remove_operation(operation_id: str) -> Change:
    """Take an operation out, also from what waits for it."""

    def change(family: EngineFamily) -> EngineFamily:
        left = tuple(o for o in family.operations if o.id != operation_id)
        return replace(
            family,
            operations=tuple(
                replace(o, after=tuple(a for a in o.after if a != operation_id)) for o in left
            ),
        )

    return change


def move_operation(operation_id: str, by: int) -> Change:
    """Up or down in the list: outermost first is the order in which equals are opened."""

    def change(family: EngineFamily) -> EngineFamily:
        listed = list(family.operations)
        at = next((i for i, o in enumerate(listed) if o.id == operation_id), None)
        if at is None:
            raise InputError("operation", operation_id, "an operation of this family")
        to = min(len(listed) - 1, max(0, at + by))
        listed.insert(to, listed.pop(at))
        return replace(family, operations=tuple(listed))

    return change


def save_bands(bands: dict[str, Band]) -> Change:
    """The known-good ranges."""
    return lambda family: replace(family, bands=bands)


def save_spares(spares: Iterable[tuple[str, str, str, float]]) -> Change:
    """Parts that the workshop stocks: id (empty for a new one), name, number, price."""

    def change(family: EngineFamily) -> EngineFamily:
        found: list[SparePart] = []
        for spare_id, name, number, price in spares:
            # A spare named as a part is the part's price when new: the plan compares with it.
            same = next((p.id for p in family.parts if p.label.casefold() == name.casefold()), "")
            name_id = spare_id or free_id(same or name, (s.id for s in found))
            old = next((s for s in family.spares if s.id == name_id), None)
            inside = old.contains if old else ()
            found.append(
                SparePart(id=name_id, name=name, number=number, price=price, contains=inside)
            )
        kept = {s.id for s in found}
        operations = tuple(
            replace(o, consumes=tuple(c for c in o.consumes if c in kept))
            for o in family.operations
        )
        return replace(family, spares=tuple(found), operations=operations)

    return change


def save_bus(entries: Iterable[BusEntry]) -> Change:
    """The maker's own identifiers on the bus."""
    found = tuple(entries)
    return lambda family: replace(family, bus=found)
