"""What must be there before a step may be ticked."""

from datetime import datetime

from galene.core.airpath.must_go_back import COUNTED
from galene.core.jobcard.checks import TickGiven, TickState, checks_of
from galene.core.jobcard.checks import caution as unread_caution
from galene.core.jobcard.checks import first as steps_first
from galene.core.jobcard.checks import wait as still_wet
from galene.core.jobcard.entries import (
    Tick,
)
from galene.core.jobcard.gates import held_back, must_not_run, state_lacking
from galene.core.jobcard.records import Card, CardStep, Refusal
from galene.core.planning.records import Step
from galene.core.planning.words import Act

JUMPER_WORKSHEET = "actuator-drive-check"


REPLANNED = Refusal(title="No such step", reasons=("the card was planned anew: look at it again",))


def not_ready(card: Card, at: CardStep, entry: Tick) -> Refusal | None:
    step = at.step
    return (
        held_back(card, step)
        or _steps_first(card, at)
        or _on_its_own_page(step)
        or _pick_first(card)
        or state_lacking(card, step, "The car does not stand so yet")
        or _cautions_first(card, at)
        or _approval_first(card, step)
        or _jumper_first(card, step)
        or _engine_not_yet(card, step, entry.at)
        or _still_wet(card, at, entry)
    )


def _state(card: Card, now: datetime | None = None) -> TickState:
    """The card as the checks read it; without a moment no wait runs."""
    return TickState(
        left={s.id: s.position for s in card.left},
        read=card.cautions_read,
        running=frozenset(w.name for w in card.running(now)) if now else frozenset(),
    )


def steps_before(card: Card, at: CardStep) -> tuple[CardStep, ...]:
    """Steps that are not done and must be done before this one."""
    checks = checks_of(at, card.left, card.serious)
    fault = steps_first(checks, _state(card), TickGiven(answers={}))
    about = fault.about if fault else ()
    return tuple(s for s in card.left if s.id in about)


def _steps_first(card: Card, at: CardStep) -> Refusal | None:
    before = steps_before(card, at)
    if not before:
        return None
    return Refusal(
        title="Not this step yet", reasons=tuple(f"first: {s.step.text}" for s in before[:3])
    )


def _on_its_own_page(step: Step) -> Refusal | None:
    if step.act == "tick":
        return None
    where = f"it is done on its own page: {PLACE_OF_ACT[step.act]}"
    return Refusal(title="Not by a tick", reasons=(where,))


def _pick_first(card: Card) -> Refusal | None:
    if not card.to_pick or card.touched:
        return None
    why = (
        "say that all of it is here, or what is missing: "
        "a job that stops half-way open costs the most"
    )
    return Refusal(title="The pick list first", reasons=(why,))


def _cautions_first(card: Card, at: CardStep) -> Refusal | None:
    checks = checks_of(at, (), card.serious)
    fault = unread_caution(checks, _state(card), TickGiven(answers={}))
    if fault is None:
        return None
    lines = tuple(card.serious[str(c)] for c in fault.about)
    return Refusal(title="Read the caution first", reasons=lines)


def asks_first(step: Step, changed: frozenset[str]) -> bool:
    """Whether a step belongs to what waits for the customer's approval."""
    return bool(step.find) or bool({step.part, *step.treats} & changed)


def _approval_first(card: Card, step: Step) -> Refusal | None:
    if card.asks_first is None or not asks_first(step, card.asks_first):
        return None
    why = "it costs more than was agreed: the plan's new version waits for its approval"
    return Refusal(title="Ask first", reasons=(why,))


def _jumper_first(card: Card, step: Step) -> Refusal | None:
    if step.worksheet != JUMPER_WORKSHEET or card.jumper_allowed:
        return None
    why = (
        "the check “Trace the drive side” of the diagnosis page must allow it first: "
        "side, current and fuse"
    )
    return Refusal(title="No jumper yet", reasons=(why,))


def runs_engine(step: Step) -> bool:
    """Whether the engine runs in a step of the card."""
    return step.does.engine == "running" or (
        step.needs.engine == "running" and step.phase == "running"
    )


def _engine_not_yet(card: Card, step: Step, now: datetime) -> Refusal | None:
    return must_not_run(card, step, now) if runs_engine(step) else None


def _still_wet(card: Card, at: CardStep, entry: Tick) -> Refusal | None:
    given = TickGiven(answers={}, early_reason=entry.early_reason)
    fault = still_wet(checks_of(at, (), card.serious), _state(card, entry.at), given)
    if fault is None:
        return None
    wet = [w for w in card.running(entry.at) if w.name in fault.about]
    left = max((w.ends_at - entry.at).total_seconds() for w in wet)
    text = (
        f"{wet[0].name} runs for {left / 60:.0f} more min: {wet[0].reason}. "
        "Wait, or say why it is ready."
    )
    return Refusal(title="Too early", reasons=(text,), may_override=True)


def miscounted(card: Card, step: Step) -> Refusal | None:
    if step.name != "walk" or not card.missing_pieces:
        return None
    lines = tuple(
        f"{COUNTED[what]}: {n} went in and did not come out"
        for what, n in card.missing_pieces.items()
    )
    return Refusal(title="Count again", reasons=lines)


PLACE_OF_ACT: dict[Act, str] = {
    "before_set": "evidence",
    "clear": "prove#relearn-section",
    "start": "prove#start",
    "relearn": "prove#relearn-section",
    "after_set": "prove#after",
    "road": "prove#road",
    "pending": "prove#pending",
}
"""Where a step that is not ticked on the card is done."""
