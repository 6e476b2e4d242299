"""What comes off for a scope, in which layer: operations as sheets, each resting on what must be
off before it."""

from collections.abc import Sequence
from dataclasses import dataclass

from galene.core.airpath.access import layers
from galene.core.airpath.family import EngineFamily, Operation
from galene.web.shared.airpath_layout import wrap

SHEET_W, GAP_X, GAP_Y, LINE, TYPE = 232.0, 46.0, 14.0, 16.5, 13.5


@dataclass(frozen=True, kw_only=True)
class Sheet:
    """One operation: its place, its words in lines, the parts of the scope that it lays open, its
    place in the order."""

    operation: Operation
    number: int
    x: float
    y: float
    w: float
    h: float
    lines: tuple[str, ...]
    reaches: tuple[str, ...]


@dataclass(frozen=True, kw_only=True)
class Stack:
    """The whole drawing. `rests` are lines from what comes off first to what waits for it."""

    width: float
    height: float
    columns: tuple[tuple[float, str], ...]
    sheets: tuple[Sheet, ...]
    rests: tuple[tuple[float, float, float, float], ...]


def stack_of(family: EngineFamily, operations: Sequence[Operation], scope: Sequence[str]) -> Stack:
    """The operations of a scope in their layers, outermost on the left."""
    labels = {p.id: p.label for p in family.parts}
    number = {o.id: i + 1 for i, o in enumerate(operations)}
    placed: dict[str, Sheet] = {}
    columns = []
    height = 0.0
    for k, layer in enumerate(layers(operations)):
        x, y = 4 + k * (SHEET_W + GAP_X), 30.0
        columns.append((x, "outermost" if k == 0 else f"layer {k + 1}"))
        for operation in layer:
            lines = wrap(operation.text, SHEET_W - 50, TYPE)
            reaches = tuple(labels[p] for p in operation.reaches if p in scope)
            extra = (
                (1 if reaches else 0)
                + (1 if operation.consumes else 0)
                + (1 if operation.wait_minutes else 0)
            )
            h = 16 + (len(lines) + 1 + extra) * LINE
            placed[operation.id] = Sheet(
                operation=operation,
                number=number[operation.id],
                x=x,
                y=y,
                w=SHEET_W,
                h=h,
                lines=lines,
                reaches=reaches,
            )
            y += h + GAP_Y
        height = max(height, y)
    rests = []
    for sheet in placed.values():
        for need in sheet.operation.after:
            if need in placed:
                under = placed[need]
                rests.append((under.x + under.w, under.y + 20, sheet.x, sheet.y + 20))
    return Stack(
        width=max(SHEET_W + 8, 4 + len(columns) * (SHEET_W + GAP_X) - GAP_X + 4),
        height=height,
        columns=tuple(columns),
        sheets=tuple(placed.values()),
        rests=tuple(rests),
    )
