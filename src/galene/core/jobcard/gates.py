"""What holds the engine's start, the road test and the handover."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Literal

from galene.core.airpath.must_go_back import BEFORE, COUNTED, WORST_FIRST
from galene.core.jobcard.records import Card, CardItem, CardStep, Refusal
from galene.core.planning.car import lacking
from galene.core.planning.records import Step

Gate = Literal["start", "road test", "handover"]
ASKS_MORE = frozenset({"coolant low", "fuel line open"})
"""Kinds of item that ask for more than being closed: venting, or a watch."""


@dataclass(frozen=True, kw_only=True)
class Blocker:
    """One reason why a gate stays shut: held, danger, count, item, wait or step."""

    kind: str
    text: str
    detail: str

    @property
    def sentence(self) -> str:
        """Both together."""
        return f"{self.text} ({self.detail})"


def worst_first(items: Sequence[CardItem]) -> list[CardItem]:
    """Items inside the engine first, then what leaks, then what only looks wrong."""
    return sorted(
        items,
        key=lambda i: (
            not i.dangerous,
            WORST_FIRST.index(i.kind) if i.kind in WORST_FIRST else 99,
            i.what,
        ),
    )


def gate_blockers(
    card: Card, gate: Gate, now: datetime, *, but_waits: Sequence[str] = ()
) -> tuple[Blocker, ...]:
    """Why a gate stays shut; empty when it may open.

    Every gate waits for what was counted in, for items that hold it or an earlier gate, for waits
    and for the steps before it; the start for standing dangers too.

    Parameters
    ----------
    but_waits : waits that do not count
    """
    return (
        *_held(card),
        *(_dangers(card) if gate == "start" else ()),
        *_counted(card),
        *_items(card, gate),
        *(
            Blocker(kind="wait", text=w.name, detail=w.reason)
            for w in card.running(now)
            if w.name not in but_waits
        ),
        *(
            Blocker(kind="step", text=s.step.text, detail="not ticked on the job card")
            for s in steps_before_gate(card, gate)
        ),
    )


def _held(card: Card) -> tuple[Blocker, ...]:
    if card.held is None:
        return ()
    how = "held until a foreman or a new plan resolves it"
    return (Blocker(kind="held", text=card.held.why, detail=how),)


def _dangers(card: Card) -> tuple[Blocker, ...]:
    how = "settled by its check, or by pressing the part on the card"
    return tuple(Blocker(kind="danger", text=text, detail=how) for text in card.dangers)


def _counted(card: Card) -> tuple[Blocker, ...]:
    return tuple(
        Blocker(
            kind="count",
            text=f"{COUNTED[what]}: {left} not counted out",
            detail="counted in, not out",
        )
        for what, left in card.missing_pieces.items()
    )


def _items(card: Card, gate: Gate) -> tuple[Blocker, ...]:
    held = BEFORE[: BEFORE.index(gate) + 1]
    return tuple(
        Blocker(
            kind="item",
            text=f"{i.what}{f' × {i.count}' if i.count > 1 else ''}",
            detail=f"{i.kind}, opened by {i.opened_by}",
        )
        for i in worst_first(card.open_items)
        if i.before in held
    )


def steps_before_gate(card: Card, gate: Gate) -> tuple[CardStep, ...]:
    """Steps that are not done and that the gate waits for: all of them before the handover."""
    if gate == "handover":
        return card.left
    due = card.due("start" if gate == "start" else "road")
    return tuple(s for s in card.left if due is None or s.position < due.position)


def held_back(card: Card, step: Step) -> Refusal | None:
    """What a stop forbids: starting the engine, going on with the part, closing up."""
    held = card.held
    if held is None:
        return None
    stopped = next(
        (s.step for s in card.steps if any(r.id == held.record for r in s.step.records)), None
    )
    starts = step.does.engine in ("running", "ignition") or step.act != "tick"
    same = stopped is not None and step.part == stopped.part
    if not (starts or same or step.phase not in ("open", "clean")):
        return None
    why = (held.why, "a foreman or a new plan resolves it")
    return Refusal(title="This job is held", reasons=why)


def state_lacking(card: Card, step: Step, title: str) -> Refusal | None:
    """What a step needs and the car's state does not give."""
    missing = lacking(card.car, step.needs)
    if not missing or card.start_opened:
        return None
    return Refusal(title=title, reasons=tuple(f"it needs {text}" for text in missing[:3]))


def not_its_turn(card: Card, due: CardStep, title: str) -> Refusal | None:
    """What speaks against a step that is done, or left out, on its own page: a stop, and the steps
    before it."""
    held = held_back(card, due.step)
    if held:
        return held
    left = [s.step.text for s in card.left if s.position < due.position]
    if left:
        return Refusal(title=title, reasons=tuple(f"first: {text}" for text in left[:3]))
    return None


def out_of_order(card: Card, due: CardStep, title: str) -> Refusal | None:
    """What speaks against doing a step on its own page: its turn, and how the car stands."""
    return not_its_turn(card, due, title) or state_lacking(card, due.step, title)


def must_not_run(card: Card, step: Step, now: datetime) -> Refusal | None:
    """Why the engine is not run in mid-card: something is open or wet, but for what is open on
    purpose."""
    purpose = {i.id for s in card.steps for i in s.step.opens if i.while_running}
    open_now = [i for i in card.open_items if i.key not in purpose and i.before == "start"]
    wet = [w for w in card.running(now) if w.name not in step.waits_for]
    why = list(card.dangers)
    why += [f"{i.what} ({i.kind}, opened by {i.opened_by})" for i in open_now]
    why += [f"{w.name} ({w.reason})" for w in wet]
    why += [b.text for b in _counted(card)]
    return Refusal(title="Do not run the engine yet", reasons=tuple(why)) if why else None
