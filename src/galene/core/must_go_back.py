"""What must go back, and what holds the engine's start, the road test or the handover."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

KINDS: tuple[str, ...] = (
    "connector",
    "hose",
    "clamp",
    "fastener set",
    "cover",
    "tape",
    "sensor unplugged",
    "coolant low",
    "fuel line open",
    "battery lead",
    "tool inside",
    "rag inside",
    "media inside",
    "cab tilted",
)
WORST_FIRST: tuple[str, ...] = (
    "rag inside",
    "tool inside",
    "media inside",
    "fuel line open",
    "coolant low",
    "hose",
    "clamp",
    "connector",
    "sensor unplugged",
    "fastener set",
    "battery lead",
    "tape",
    "cover",
    "cab tilted",
)
INSIDE = frozenset({"rag inside", "tool inside", "media inside"})
"""Kinds that are inside the engine: looked for twice."""
COUNTED: dict[str, str] = {
    "cloths": "Cloths",
    "caps": "Caps and plugs",
    "tape": "Strips of tape",
    "sockets": "Sockets and bits",
}
"""What is counted in and out of the engine bay."""
BEFORE: tuple[str, ...] = ("start", "road test", "handover")


@dataclass(frozen=True, kw_only=True)
class OpenItem:
    """An item that is still open. `before` is the gate that it holds."""

    what: str
    kind: str
    part: str
    count: int
    before: str
    dangerous: bool
    opened_by: str
    opened_at: datetime


@dataclass(frozen=True)
class RunningWait:
    """A wait and when it ends."""

    name: str
    ends_at: datetime
    reason: str


@dataclass(frozen=True)
class Blocker:
    """One reason why a gate stays shut. `kind`: item, wait or step."""

    kind: str
    text: str
    detail: str


def worst_first(items: Sequence[OpenItem]) -> list[OpenItem]:
    """Items inside the engine first, then what leaks, then what only looks wrong."""
    return sorted(
        items,
        key=lambda i: (
            not i.dangerous,
            WORST_FIRST.index(i.kind) if i.kind in WORST_FIRST else 99,
            i.what,
        ),
    )


def blockers(
    gate: str,
    items: Sequence[OpenItem],
    waits: Sequence[RunningWait],
    *,
    steps_left: Sequence[str],
    now: datetime,
) -> tuple[Blocker, ...]:
    """Why `gate` (start, road test, handover) stays shut; empty when it may open.

    A start also waits for whatever is still wet, and every gate for the steps of the job card.
    """
    held = BEFORE[: BEFORE.index(gate) + 1]
    found = [
        Blocker(
            "item",
            f"{i.what}{f' × {i.count}' if i.count > 1 else ''}",
            f"{i.kind}, opened by {i.opened_by}",
        )
        for i in worst_first(items)
        if i.before in held
    ]
    found += [Blocker("wait", w.name, w.reason) for w in waits if w.ends_at > now]
    found += [Blocker("step", text, "not ticked on the job card") for text in steps_left]
    return tuple(found)
