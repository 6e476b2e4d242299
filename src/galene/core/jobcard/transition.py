"""What an entry makes of a card: a new card, or a refusal. Pure, and the one truth about it."""

from dataclasses import replace
from datetime import datetime, timedelta
from functools import singledispatch

from galene.core.airpath.must_go_back import BEFORE, COUNTED, INSIDE, KINDS
from galene.core.jobcard.answers import answers_given
from galene.core.jobcard.entries import (
    AddItem,
    CheckPick,
    CloseItem,
    CountPieces,
    Entry,
    ExtendWait,
    LeaveOut,
    ReadCaution,
    StartWait,
    StopWait,
    Tick,
    Untick,
)
from galene.core.jobcard.job_records import PickCheck
from galene.core.jobcard.ready import REPLANNED, miscounted, not_ready, steps_before
from galene.core.jobcard.records import Card, CardItem, CardStep, CardWait, Refusal
from galene.core.planning.car import WORDS
from galene.core.planning.document import StepAnswers
from galene.core.planning.records import Record, StateWords, Step

LONGEST_WAIT_MINUTES = 2880.0
MOST_PIECES = 99


def transition(card: Card, entry: Entry) -> Card | Refusal:
    """The card after an entry, or why it is not taken.

    What was done already, by a double tap or by somebody else, gives the card as it is.

    Parameters
    ----------
    entry : one of the records of `galene.core.jobcard.entries`

    Raises
    ------
    TypeError
        Nothing that a card takes.
    """
    return _taken(entry, card)


@singledispatch
def _taken(entry: Entry, card: Card) -> Card | Refusal:
    raise TypeError(f"{type(entry).__name__} is nothing that a card takes")


# ---- ticks


@_taken.register
def _tick(entry: Tick, card: Card) -> Card | Refusal:
    at = card.step(entry.step)
    if at is None:
        return REPLANNED
    if at.done:
        return card
    refusal = not_ready(card, at, entry) or miscounted(card, at.step)
    if refusal:
        return refusal
    answers = answers_given(at.step.records, entry.answers, deposits=card.deposits)
    if isinstance(answers, Refusal):
        return answers
    done = replace(
        at,
        answers=answers,
        done_at=entry.at,
        done_by=entry.by,
        early_reason=entry.early_reason.strip(),
    )
    return _with_step(_happened(card, at.step, entry), done)


def _with_step(card: Card, step: CardStep) -> Card:
    return replace(card, steps=tuple(step if s.id == step.id else s for s in card.steps))


def _happened(card: Card, step: Step, entry: Entry) -> Card:
    """What a step opens and closes, and the wait that it starts."""
    items = [
        replace(i, closed_at=entry.at) if i.key in step.closes and i.closed_at is None else i
        for i in card.items
    ]
    items += [
        CardItem(
            key=opened.id,
            what=opened.what,
            kind=opened.kind,
            part=opened.on or step.part,
            count=opened.count,
            before=opened.before,
            dangerous=opened.dangerous,
            opened_by=entry.by,
            opened_at=entry.at,
        )
        for opened in step.opens
    ]
    waits = card.waits
    if step.wait and step.wait.minutes:
        waits = (
            *waits,
            CardWait(
                name=step.wait.id,
                reason=step.wait.why,
                started_at=entry.at,
                ends_at=entry.at + timedelta(minutes=step.wait.minutes),
            ),
        )
    return replace(card, items=tuple(items), waits=waits)


@_taken.register
def _untick(entry: Untick, card: Card) -> Card | Refusal:
    at = card.step(entry.step)
    if at is None:
        return REPLANNED
    if at.done_at is None:
        return card
    if card.done[-1] is not at:
        return Refusal(
            title="Only the last tick can be undone", reasons=("a later step is ticked",)
        )
    if not card.touched:
        why = "it was opened for a check, before this card: the card closes it"
        return Refusal(title="It was not a tick", reasons=(why,))
    if card.engine_started:
        return Refusal(
            title="The engine has been started", reasons=("open an item by hand instead",)
        )
    if at.step.act != "tick":
        why = "what was done on its own page is not undone here"
        return Refusal(title="It was not a tick", reasons=(why,))
    undone = replace(at, answers=StepAnswers(), done_at=None, done_by="", early_reason="")
    return _with_step(_happened_not(card, at.step, at.done_at), undone)


def _happened_not(card: Card, step: Step, done_at: datetime) -> Card:
    """Take back what a step did at its moment, by what it names."""
    opened = {i.id for i in step.opens}
    items = tuple(
        replace(i, closed_at=None) if i.key in step.closes and i.closed_at == done_at else i
        for i in card.items
        if not (i.key in opened and i.opened_at == done_at)
    )
    name = step.wait.id if step.wait else ""
    waits = tuple(w for w in card.waits if not (w.name == name and w.started_at == done_at))
    return replace(card, items=items, waits=waits)


# ---- steps left out


def may_be_left_out(step: Step) -> bool:
    """Whether a step may be left out: it moves, opens, closes and asks nothing that others rest
    on."""
    moves = step.opens or step.closes or step.takes_off or step.refits or step.sends
    changes = step.does != StateWords() or step.receives or step.wait or step.act != "tick"
    asked = any(r.kind == "yes_no" and _holds_back(r) for r in step.records)
    return not (moves or changes or asked)


def _holds_back(record: Record) -> bool:
    return any(c.kind in ("stop", "again", "replace", "more") for c in record.consequences)


def _rest_on(card: Card, at: CardStep) -> tuple[Step, ...]:
    """Steps to come that need the car as this one makes it, and as it is not yet: without it nobody
    could go on, or what hurts would be opened warm."""
    makes = {
        name: made
        for name in WORDS
        if (made := getattr(at.step.does, name)) is not None and made != getattr(card.car, name)
    }
    return tuple(
        s.step
        for s in card.left
        if s.position > at.position
        and any(getattr(s.step.needs, name) == made for name, made in makes.items())
    )


@_taken.register
def _leave_out(entry: LeaveOut, card: Card) -> Card | Refusal:
    at = card.step(entry.step)
    if at is None:
        return REPLANNED
    if at.done:
        return card
    if len(entry.reason.strip()) < 5:
        return Refusal(faults={"leave_out": "Say why: it stands in the record."})
    step, before = at.step, steps_before(card, at)
    if before:
        return Refusal(title="Not this step yet", reasons=(f"first: {before[0].step.text}",))
    if step.phase == "safe" and not step.own and not entry.foreman:
        return Refusal(
            title="Making safe is not left out", reasons=("a foreman may, with the reason",)
        )
    foremans = entry.foreman and step.phase == "safe" and not step.opens
    if not may_be_left_out(step) and not foremans:
        why = "something is opened, closed or moved by it, or its answer decides what follows"
        return Refusal(title="This step is not left out", reasons=(why,))
    if resting := _rest_on(card, at):
        lines = tuple(f"it is needed for: {s.text}" for s in resting[:3])
        return Refusal(title="What follows rests on this", reasons=lines)
    left = replace(
        at,
        answers=StepAnswers(left_out=entry.reason.strip()),
        done_at=entry.at,
        done_by=entry.by,
    )
    return _with_step(card, left)


# ---- cautions, items, counts


@_taken.register
def _caution(entry: ReadCaution, card: Card) -> Card | Refusal:
    return replace(card, cautions_read=card.cautions_read | {entry.caution})


@_taken.register
def _add_item(entry: AddItem, card: Card) -> Card | Refusal:
    if any(i.key == f"hand:{entry.key}" for i in card.items):
        return card
    faults = {}
    what = entry.what.strip() or (entry.kind.capitalize() if entry.kind in KINDS else "")
    if not what:
        faults["what"] = "Say what was opened."
    elif len(what) > 120:
        faults["what"] = "At most 120 characters."
    if entry.kind not in KINDS:
        faults["kind"] = "Choose a kind."
    if entry.before not in BEFORE:
        faults["before"] = "start, road test or handover."
    if faults:
        return Refusal(faults=faults)
    item = CardItem(
        key=f"hand:{entry.key}",
        what=what,
        kind=entry.kind,
        before=entry.before,
        dangerous=entry.kind in INSIDE,
        opened_at=entry.at,
        opened_by=entry.by,
    )
    return replace(card, items=(*card.items, item))


@_taken.register
def _close_item(entry: CloseItem, card: Card) -> Card | Refusal:
    named = [i for i in card.items if i.key == entry.key]
    # A key may have been opened and closed in an earlier round: the open one is meant.
    item = next((i for i in named if i.closed_at is None), named[0] if named else None)
    if item is None:
        return Refusal(title="No such item", reasons=(f"item {entry.key[:60]}",))
    if item.closed_at:
        return card
    step = next((s.step for s in card.left if item.key in s.step.closes), None)
    if step:
        return Refusal(title="A step of the card closes this", reasons=(f"tick: {step.text}",))
    if item.dangerous and item.looked_at is None:
        seen = replace(item, looked_at=entry.at)
    else:
        seen = replace(item, closed_at=entry.at)
    return replace(card, items=tuple(seen if i is item else i for i in card.items))


@_taken.register
def _count(entry: CountPieces, card: Card) -> Card | Refusal:
    known = entry.what in COUNTED and entry.way in ("in", "out")
    if not known or not 1 <= abs(entry.pieces) <= MOST_PIECES:
        words = "cloths, caps, tape or sockets, in or out, one to 99 at a time."
        return Refusal(faults={"count": words})
    went_in, came_out = card.counted.get(entry.what, (0, 0))
    if entry.way == "in":
        went_in += entry.pieces
    else:
        came_out += entry.pieces
    if min(went_in, came_out) < 0 or came_out > went_in:
        said = f"{COUNTED[entry.what]}: {came_out} out of {went_in} can not be. Count again."
        return Refusal(faults={"count": said})
    return replace(card, counted={**card.counted, entry.what: (went_in, came_out)})


# ---- waits


def _wait_faults(minutes: float | None, reason: str) -> dict[str, str]:
    faults = {}
    if minutes is None or not 0 < minutes <= LONGEST_WAIT_MINUTES:
        faults["wait_minutes"] = "From one minute to two days."
    if not 3 <= len(reason.strip()) <= 200:
        faults["wait_reason"] = "Say why: it stands beside the clock."
    return faults


def _no_wait(name: str) -> Refusal:
    return Refusal(title="No such wait", reasons=(f"wait {name[:60]}",))


@_taken.register
def _start_wait(entry: StartWait, card: Card) -> Card | Refusal:
    faults, name = _wait_faults(entry.minutes, entry.reason), entry.name.strip()
    if not 2 <= len(name) <= 60:
        faults["wait_name"] = "Say what waits, in up to 60 characters."
    elif any(w.name == name for w in card.running(entry.at)):
        faults["wait_name"] = "That one runs already: lengthen it, or name another."
    if faults:
        return Refusal(faults=faults)
    wait = CardWait(
        name=name,
        reason=entry.reason.strip(),
        started_at=entry.at,
        ends_at=entry.at + timedelta(minutes=entry.minutes or 0),
    )
    return replace(card, waits=(*card.waits, wait))


@_taken.register
def _extend_wait(entry: ExtendWait, card: Card) -> Card | Refusal:
    faults = _wait_faults(entry.minutes, entry.reason)
    if faults:
        return Refusal(faults=faults)
    named = [w for w in card.waits if w.name == entry.name and not w.cut_short]
    wait = max(named, key=lambda w: w.ends_at, default=None)
    if wait is None:
        return _no_wait(entry.name)
    longer = replace(
        wait,
        ends_at=max(wait.ends_at, entry.at) + timedelta(minutes=entry.minutes or 0),
        reason=f"{wait.reason}; {entry.minutes:g} min more: {entry.reason.strip()}",
    )
    return replace(card, waits=tuple(longer if w is wait else w for w in card.waits))


@_taken.register
def _stop_wait(entry: StopWait, card: Card) -> Card | Refusal:
    if not 3 <= len(entry.reason.strip()) <= 200:
        return Refusal(faults={"wait_reason": "Say why it is over already."})
    if not any(w.name == entry.name for w in card.waits):
        return _no_wait(entry.name)
    if not any(w.name == entry.name for w in card.running(entry.at)):
        return card
    waits = tuple(
        replace(w, cut_short=entry.reason.strip())
        if w.name == entry.name and w.runs(entry.at)
        else w
        for w in card.waits
    )
    return replace(card, waits=waits)


# ---- the pick list


@_taken.register
def _pick(entry: CheckPick, card: Card) -> Card | Refusal:
    faults = {k: "Not on the list." for k in entry.missing if k not in card.picks}
    faults |= {
        k: f"{card.picks[k]}: say how it goes on without it, or stop here."
        for k, note in entry.missing.items()
        if k in card.picks and len(note.strip()) < 5
    }
    if faults:
        return Refusal(faults={f"pick:{k}": v for k, v in faults.items()})
    missing = {k: note.strip() for k, note in entry.missing.items()}
    return replace(card, pick=PickCheck(at=entry.at, by=entry.by, missing=missing))
