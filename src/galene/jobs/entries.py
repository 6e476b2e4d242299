"""What a job card sends: ticks, cautions read, items, looks, counts, waits; each is taken once, in
order, with its own answer.

A card that could not reach the server keeps its entries and sends them later. Each carries the
moment at which it was made by the card's clock. It is believed where the server knows that the card
was out of reach then; else what was done was done when the server heard of it.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any

import structlog
from sqlalchemy.exc import OperationalError
from sqlalchemy.exc import TimeoutError as PoolTimeout
from sqlalchemy.orm import Session

from galene.core.errors import InputError
from galene.core.jobcard.moments import Away, believable
from galene.core.text_gate import digits
from galene.jobs import jobcard
from galene.jobs.act import Act
from galene.jobs.errors import AlreadyDone, Invalid, Missing, NotAllowed, ReadOnly, Refused, Stale
from galene.store.models import Person

log = structlog.get_logger()
TOLD_FROM = timedelta(minutes=1)
"""A card's clock is noted in the trace where it is further from the server's than this."""


@dataclass(frozen=True, kw_only=True)
class Entry:
    """One thing that was done at the car. `id` is the sender's own and names it for good; `at` is
    what the card's clock said."""

    id: str
    kind: str
    at: datetime
    data: Mapping[str, Any] = field(default_factory=dict)


@dataclass(frozen=True, kw_only=True)
class Taken:
    """What became of an entry.

    `outcome`: ``done``; ``before`` (sent twice, taken once); ``same`` (somebody had done it
    already: what was recorded stands, `lines` say by whom); ``refused`` (not taken: title, reasons,
    and faults by field).
    """

    id: str
    outcome: str
    title: str = ""
    lines: tuple[str, ...] = ()
    faults: Mapping[str, str] = field(default_factory=dict)
    override: bool = False


def _text(data: Mapping[str, Any], name: str, longest: int = 400) -> str:
    value = data.get(name, "")
    if not isinstance(value, str) or len(value) > longest:
        raise Invalid({name: f"A text of at most {longest} characters."})
    return value


def _number(data: Mapping[str, Any], name: str) -> float | None:
    value = data.get(name)
    if value in (None, ""):
        return None
    try:
        return float(str(value).replace(",", "."))
    except ValueError:
        raise Invalid({name: "Not a number."}) from None


def _whole(data: Mapping[str, Any], name: str) -> int:
    value = data.get(name)
    if isinstance(value, int) and not isinstance(value, bool):
        return value
    if isinstance(value, str) and digits(value.removeprefix("-")):
        return int(value)
    raise Invalid({name: "A whole number."})


def _tick(act: Act, number: str, data: Mapping[str, Any], _: str) -> tuple[str, ...]:
    given = {
        k.removeprefix("record:"): str(v)[:200] for k, v in data.items() if k.startswith("record:")
    }
    step = _whole(data, "step")
    job, fresh = jobcard.tick(
        act, number, step, records=given, early_reason=_text(data, "early_reason")
    )
    if fresh:
        return ()
    row = next(s for s in job.steps if s.id == step)
    who = row.done_by.name if row.done_by else "somebody"
    stands = [
        (g, given.get(g.record, given.get(g.record.rpartition("/")[2], "")))
        for g in row.records.given
    ]
    differs = [
        (g.record.rpartition("/")[2].replace("_", " "), g.answer, v)
        for g, v in stands
        if v and v != g.answer
    ]
    recorded = ", ".join(f"{name} {answer} (here {v})" for name, answer, v in differs)
    return (
        f"{who} had ticked it already: {row.document.text}",
        *([f"What stands: {recorded}"] if recorded else []),
    )


def _with(
    do: Callable[[Act, str, Mapping[str, Any], str], object],
) -> Callable[[Act, str, Mapping[str, Any], str], tuple[str, ...]]:
    def run(act: Act, number: str, data: Mapping[str, Any], entry_id: str) -> tuple[str, ...]:
        do(act, number, data, entry_id)
        return ()

    return run


KINDS: dict[str, Callable[[Act, str, Mapping[str, Any], str], tuple[str, ...]]] = {
    "tick": _tick,
    "untick": _with(lambda a, n, d, _: jobcard.untick(a, n, _whole(d, "step"))),
    "caution": _with(lambda a, n, d, _: jobcard.acknowledge(a, n, _text(d, "caution", 40))),
    "item": _with(
        lambda a, n, d, i: jobcard.add_item(
            a,
            n,
            _text(d, "what", 200),
            kind=_text(d, "kind", 40),
            before=_text(d, "before", 20) or "start",
            key=i,
        )
    ),
    "close": _with(lambda a, n, d, _: jobcard.close_item(a, n, _text(d, "key", 200))),
    "count": _with(
        lambda a, n, d, _: jobcard.count(
            a, n, _text(d, "what", 20), way=_text(d, "way", 3), pieces=_whole(d, "pieces")
        )
    ),
    "wait": _with(
        lambda a, n, d, _: jobcard.start_wait(
            a,
            n,
            _text(d, "wait_name"),
            minutes=_number(d, "wait_minutes"),
            reason=_text(d, "wait_reason"),
        )
    ),
    "extend": _with(
        lambda a, n, d, _: jobcard.extend_wait(
            a,
            n,
            _text(d, "wait_name"),
            minutes=_number(d, "wait_minutes"),
            reason=_text(d, "wait_reason"),
        )
    ),
    "stop": _with(
        lambda a, n, d, _: jobcard.stop_wait(
            a, n, _text(d, "wait_name"), reason=_text(d, "wait_reason")
        )
    ),
    "pick": _with(
        lambda a, n, d, _: jobcard.check_pick(
            a,
            n,
            {
                k.removeprefix("missing:"): str(v)
                for k, v in d.items()
                if k.startswith("missing:") and str(v).strip()
            },
        )
    ),
}


def take(
    db: Session,
    person: Person,
    now: datetime,
    *,
    number: str,
    entry: Entry,
    sent: datetime | None = None,
    away: Away | None = None,
) -> Taken:
    """Take one entry in a transaction of its own; durable when this returns ``done``, ``before`` or
    ``same``.

    Parameters
    ----------
    now : when the server has it
    sent : what the card's clock said when it sent it
    away : the stretch in which the card's browser was out of reach, if any
    """
    believed = believable(entry.at, sent=sent, received=now, away=away)
    act = Act(
        db=db,
        person=person,
        now=believed,
        received=now,
        claimed=entry.at if abs(entry.at - now) > TOLD_FROM else None,
    )
    try:
        do = KINDS.get(entry.kind)
        if do is None:
            raise Invalid({"kind": f"{entry.kind[:20]!r} is nothing that a card sends."})
        act.claim_key(f"entry:{entry.id}", f"/jobs/{number}/work")
        lines = do(act, number, entry.data, entry.id)
        db.commit()
        return Taken(
            id=entry.id,
            outcome="same" if lines else "done",
            title="Somebody was faster" if lines else "",
            lines=lines,
        )
    except (OperationalError, PoolTimeout):
        raise
    except (
        AlreadyDone,
        Invalid,
        Refused,
        Stale,
        ReadOnly,
        NotAllowed,
        Missing,
        InputError,
    ) as fault:
        db.rollback()
        return _answer(entry.id, fault)
    except Exception as fault:
        # One entry that breaks must not hold up all that was made after it.
        db.rollback()
        log.error("entry", kind=entry.kind, fault=repr(fault)[:400])
        return Taken(
            id=entry.id,
            outcome="refused",
            title="This went wrong on our side",
            lines=("The fault is in the server's log.",),
        )


def _answer(entry_id: str, fault: Exception) -> Taken:
    match fault:
        case AlreadyDone():
            return Taken(id=entry_id, outcome="before")
        case Invalid(fields=fields):
            return Taken(
                id=entry_id,
                outcome="refused",
                title="Something is missing",
                lines=tuple(fields.values()),
                faults=fields,
            )
        case Refused(title=title, reasons=reasons, override=override):
            return Taken(
                id=entry_id,
                outcome="refused",
                title=title,
                lines=tuple(reasons),
                faults={},
                override=override,
            )
        case Stale(what=what, who=who):
            return Taken(
                id=entry_id,
                outcome="refused",
                title="Somebody was faster",
                lines=(f"{who} changed {what}",),
            )
        case ReadOnly():
            return Taken(
                id=entry_id,
                outcome="refused",
                title="This job is finished",
                lines=("It is read-only.",),
            )
        case NotAllowed():
            return Taken(id=entry_id, outcome="refused", title="A foreman does this", lines=())
        case _:
            said = fault.words if isinstance(fault, InputError) else str(fault)
            return Taken(id=entry_id, outcome="refused", title="This can not be", lines=(said,))
