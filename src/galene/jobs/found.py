"""Found on the way: the plan takes a find in from the state as it is, with its steps, price and
consequences."""

from dataclasses import replace

from galene.core.planning.case import FindKind
from galene.core.planning.document import FindNote
from galene.core.planning.records import Find
from galene.jobs.act import Act, family_of
from galene.jobs.card import replan
from galene.jobs.errors import Invalid, Refused
from galene.jobs.intake import check_text
from galene.jobs.rounds import rows_of_round
from galene.knowledge.found import finds_of
from galene.store.models import Job
from galene.store.repositories import people

DEAREST = 100_000.0
LONGEST_MINUTES = 600.0


def report(
    act: Act,
    number: str,
    kind: str,
    *,
    part: str,
    note: str,
    cost: float | None,
    retrieved: bool | None = None,
    minutes: float | None = None,
) -> Job:
    """Put a find on the card; the rest is planned anew.

    Parameters
    ----------
    kind : id of a kind of find
    part : the part where it was found, empty for the job as a whole
    note : what exactly, in the finder's words; for something dropped, what and where
    cost : price of the parts that it asks for, None where it asks for none
    retrieved : whether what was dropped is out again
    minutes : of a find in words of one's own

    Raises
    ------
    Invalid
        ``found``, ``found_where``, ``found_note``, ``found_cost``, ``found_retrieved`` or
        ``found_minutes``.
    Refused
        No card, or nothing left on it.
    """
    job = act.job(number)
    family = family_of(job)
    check_text({"found_note": note})
    find = finds_of(family).get(kind)
    labels = {p.id: p.label for p in family.parts}
    priced = any(s.id == part for s in family.spares)
    if find is not None and find.replaces and priced:
        # The new part's own price is in the bill already.
        cost = 0.0
    faults = _told_faults(note, cost)
    if part and part not in labels:
        faults["found_where"] = "A part of this engine, or the job as a whole."
    if find is None:
        faults["found"] = "Choose what it is."
    else:
        faults |= _missing(
            find.needs_cost,
            find.needs_retrieved,
            find.own_words,
            cost=cost,
            retrieved=retrieved,
            minutes=minutes,
        )
        if find.replaces and not part:
            faults["found_where"] = "Say which part: a new one goes in."
    if faults:
        raise Invalid(faults)
    assert find is not None
    if not any(s.done_at is None for s in rows_of_round(job)) or not job.work_began_at:
        raise Refused(
            "The card is at its end", ["open a second round with a new plan for what was found now"]
        )
    one = Find(
        number=len(job.card.finds) + 1,
        kind=kind,
        part=part,
        note=note.strip(),
        # What the kind does not ask for has no say, whatever was sent.
        retrieved=retrieved if find.needs_retrieved else None,
        minutes=(minutes or 0.0) if find.own_words else 0.0,
        cost=cost or 0.0,
    )
    job.card = replace(job.card, finds=(*job.card.finds, one))
    told = _note_of(act, one, find, part_label=labels.get(part, ""))
    act.trace(job, "found", kind=kind, part=part, note=one.note, minutes=told.minutes, cost=cost)
    replan(act, job, why=f"{find.title}: {one.note}", find=told)
    return job


def _told_faults(note: str, cost: float | None) -> dict[str, str]:
    """What is wrong with a find's words and its price."""
    faults = {}
    if not 3 <= len(note.strip()) <= 300:
        faults["found_note"] = "Say what exactly: it stands in the report."
    if cost is not None and not 0 <= cost <= DEAREST:
        faults["found_cost"] = "From nothing to 100 000."
    return faults


def _note_of(act: Act, one: Find, kind: FindKind, *, part_label: str) -> FindNote:
    """What the plan's version says of a find: its minutes and its price beside what it is."""
    spent = sum(s.minutes for s in kind.steps) or one.minutes
    rate = people.workshop(act.db).hourly_rate
    return FindNote(
        kind=kind.id,
        title=kind.title,
        part=part_label,
        note=one.note,
        minutes=spent,
        cost=one.cost,
        more=spent / 60 * rate + one.cost,
        by=act.person.name,
        at=act.now.isoformat(),
    )


def _missing(
    needs_cost: bool,
    needs_retrieved: bool,
    own_words: bool,
    *,
    cost: float | None,
    retrieved: bool | None,
    minutes: float | None,
) -> dict[str, str]:
    faults = {}
    if needs_cost and cost is None:
        faults["found_cost"] = "What does the new part cost?"
    if needs_retrieved and retrieved is None:
        faults["found_retrieved"] = (
            "Say whether it is out again: it decides whether anything is turned."
        )
    if own_words and (minutes is None or not 0 < minutes <= LONGEST_MINUTES):
        faults["found_minutes"] = "From one to 600 minutes."
    return faults
