"""What a check lays open on an engine: kinds of part that must be reached, and what is unhooked for
it."""

from galene.core.airpath.access import operations_for
from galene.core.airpath.family import EngineFamily, Operation
from galene.core.diagnosis.records import Check
from galene.core.planning.openings import mouths, plain_items
from galene.core.planning.records import OpenItem


def opened_for(check: Check, family: EngineFamily, done: tuple[str, ...]) -> tuple[Operation, ...]:
    """The operations that a check needs on this engine, without those done, in the order of
    opening."""
    parts = [next((p.id for p in family.parts if p.component == k), "") for k in check.reaches]
    return operations_for(family, [p for p in parts if p], done)


def items_of(check: Check, family: EngineFamily, done: tuple[str, ...]) -> tuple[OpenItem, ...]:
    """Everything that must go back after a check, one item each."""
    found: list[OpenItem] = []
    for operation in opened_for(check, family, done):
        found += [
            *plain_items(family, operation, "", gone=()),
            *mouths(family, operation, "", gone=()),
        ]
    if check.unhooks and set(check.reaches) <= family.components:
        what, kind = check.unhooks
        if not any(i.what == what for i in found):
            found.append(OpenItem(id=f"{check.id}:{what}", what=what, kind=kind))
    return tuple(found)
