"""What is entered on a job's card: taken by the core's transition, kept in the store, with what
follows from it: stock, looks, a new plan of the rest."""

from collections.abc import Mapping

from galene.core.jobcard.answers import why_plan_turns
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
from galene.core.jobcard.gates import ASKS_MORE
from galene.core.jobcard.ready import JUMPER_WORKSHEET, runs_engine
from galene.core.jobcard.records import Card, CardItem, CardStep, CardWait, Refusal
from galene.core.jobcard.transition import transition
from galene.core.planning.records import Step
from galene.jobs import shelf, spares
from galene.jobs.act import Act
from galene.jobs.card import card_of, refuse, replan, trade_of_card
from galene.jobs.checks import jumper_allowed
from galene.jobs.diagnosis import dangers_of
from galene.jobs.errors import Missing
from galene.jobs.evidence import save_inspection
from galene.jobs.intake import check_text
from galene.jobs.rights import Right
from galene.knowledge.cautions import CAUTIONS
from galene.store.models import Acknowledgement, ItemRow, Job, WaitRow


def _enter(act: Act, job: Job, card: Card, entry: Entry) -> Card:
    """The card after an entry, kept.

    Raises
    ------
    Refused, Invalid
    """
    after = transition(card, entry)
    if isinstance(after, Refusal):
        raise refuse(after)
    if after is not card:
        _keep(act, job, before=card, after=after)
    return after


def _keep(act: Act, job: Job, *, before: Card, after: Card) -> None:
    """Write what an entry has changed."""
    if after.steps != before.steps:
        _keep_steps(act, job, before=before, after=after)
    if after.items != before.items:
        _keep_items(act, job, before=before, after=after)
    if after.waits != before.waits:
        _keep_waits(act, job, before=before, after=after)
    if after.counted != before.counted:
        job.counted = {what: list(pieces) for what, pieces in after.counted.items()}
    for caution in sorted(after.cautions_read - before.cautions_read):
        job.acknowledgements.append(
            Acknowledgement(caution=caution, at=act.now, person_id=act.person.id)
        )
    job.pick = after.pick if after.pick != before.pick else job.pick
    act.db.flush()


def _keep_steps(act: Act, job: Job, *, before: Card, after: Card) -> None:
    rows = {row.id: row for row in job.steps}
    for was, now in zip(before.steps, after.steps, strict=True):
        if was == now:
            continue
        row = rows[now.id]
        row.records, row.early_reason = now.answers, now.early_reason
        row.done_at, row.done_by = now.done_at, act.person if now.done_at else None


def _keep_items(act: Act, job: Job, *, before: Card, after: Card) -> None:
    rows = {row.id: row for row in job.items}
    was = {item.id: item for item in before.items}
    stay = {item.id for item in after.items}
    for item in after.items:
        if item.id is None:
            job.items.append(_new_item(act, item))
        elif item != was[item.id]:
            row = rows[item.id]
            if item.looked_at != row.looked_at:
                row.looked_at, row.looked_by = item.looked_at, act.person
            row.closed_at = item.closed_at
            row.closed_by_id = act.person.id if item.closed_at else None
    for gone in set(was) - stay:
        if gone is not None:
            job.items.remove(rows[gone])


def _new_item(act: Act, item: CardItem) -> ItemRow:
    return ItemRow(
        key=item.key,
        what=item.what,
        kind=item.kind,
        part=item.part,
        count=item.count,
        before=item.before,
        dangerous=item.dangerous,
        opened_at=item.opened_at,
        opened_by=act.person,
        closed_at=None,
        closed_by_id=None,
    )


def _keep_waits(act: Act, job: Job, *, before: Card, after: Card) -> None:
    rows = {row.id: row for row in job.waits}
    stay = {wait.id for wait in after.waits}
    for wait in after.waits:
        row = rows.get(wait.id) if wait.id is not None else None
        if row is None:
            job.waits.append(_new_wait(act, wait))
        else:
            row.ends_at, row.reason, row.cut_short = wait.ends_at, wait.reason, wait.cut_short
    for gone in before.waits:
        if gone.id is not None and gone.id not in stay:
            job.waits.remove(rows[gone.id])


def _new_wait(act: Act, wait: CardWait) -> WaitRow:
    return WaitRow(
        name=wait.name,
        reason=wait.reason,
        started_at=wait.started_at,
        ends_at=wait.ends_at,
        person_id=act.person.id,
    )


def _step(job: Job, card: Card, step_id: int) -> CardStep:
    at = card.step(step_id)
    if at is None:
        raise Missing(f"step {step_id}: the card was planned anew, look at it again")
    return at


# ---- ticks


def tick(
    act: Act, number: str, step_id: int, *, records: Mapping[str, str], early_reason: str = ""
) -> tuple[Job, bool]:
    """Tick a step: open and close its items, start its wait, keep its answers and do what they say.

    Returns
    -------
    tuple of Job and bool
        False when the step was ticked already: by a double tap, or by somebody else meanwhile.

    Raises
    ------
    Invalid
        A record that is missing.
    Refused
        Steps before it, a stop, a state of the car that it needs, a caution not acknowledged, a
        wait not over without a reason, an approval that is waited for.
    """
    job = act.job(number)
    check_text({"early_reason": early_reason, **records})
    card = card_of(job)
    at = _step(job, card, step_id)
    if at.step.worksheet == JUMPER_WORKSHEET or runs_engine(at.step):
        # Asked of the database only where the step turns on it: a card waits for the answer.
        card = card_of(job, dangers=dangers_of(job), jumper_allowed=jumper_allowed(act.db, job))
    entry = Tick(
        at=act.now,
        by=act.person.name,
        step=step_id,
        answers=dict(records),
        early_reason=early_reason,
    )
    after = _enter(act, job, card, entry)
    if after is card:
        return job, False
    done = _step(job, after, step_id)
    _looks_of(act, job, done)
    _uses_up(act, job, done.step)
    said = {g.record: g.said for g in done.answers.given}
    act.trace(job, "step_done", step=done.step.id, records=said, early=done.early_reason)
    act.db.flush()
    why = _turns(job, done)
    if why:
        replan(act, job, why=why)
    return job, True


def _turns(job: Job, done: CardStep) -> str:
    works = (*job.card.works, *job.card.joined)
    return why_plan_turns(done.step, done.answers, works=works, trade=lambda: trade_of_card(job))


def _looks_of(act: Act, job: Job, done: CardStep) -> None:
    """A grade that was answered is a look at the part."""
    for record in done.step.records:
        given = done.answers.of(record.id)
        if record.kind != "grade" or given is None:
            continue
        phase = "after" if record.name == "grade_after" else "work"
        for part in done.step.treats or (done.step.part,):
            save_inspection(
                act,
                job.number,
                phase,
                part_id=part,
                deposit=given.deposit,
                grade=int(given.answer),
            )


def _uses_up(act: Act, job: Job, step: Step) -> None:
    """What a step takes off the shelf, and the codes that it clears."""
    if step.agent:
        shelf.take_for_step(
            act,
            job,
            step.id,
            class_id=step.agent.class_id,
            ml=step.agent.ml,
            label=step.agent.label,
        )
    if step.consumes:
        spares.take(act, job, step.consumes)
    if step.does.codes == "cleared" and job.codes_cleared_at is None:
        job.codes_cleared_at = act.now


def untick(act: Act, number: str, step_id: int) -> Job:
    """Undo the last tick: what it opened is off the list, what it closed stands open again, its
    wait ends, and what its answers changed is as it was.

    Raises
    ------
    Refused
        A later step is ticked already, or the engine was started.
    """
    job = act.job(number)
    card = card_of(job)
    was = _step(job, card, step_id)
    entry = Untick(at=act.now, by=act.person.name, step=step_id)
    if _enter(act, job, card, entry) is card:
        return job
    _gives_back(act, job, was.step)
    why = _turns(job, was)
    act.trace(job, "step_undone", step=was.step.id)
    act.db.flush()
    if why:
        replan(act, job, why=f"Undone: {why}")
    return job


def _gives_back(act: Act, job: Job, step: Step) -> None:
    if step.agent:
        shelf.give_back(act, job, step.id)
    if step.consumes:
        spares.give_back(act, job, step.consumes)
    if step.does.codes == "cleared":
        job.codes_cleared_at = None


def leave_out(act: Act, number: str, step_id: int, *, reason: str) -> Job:
    """Leave the present step out, with a reason. What others rest on is never left out.

    Raises
    ------
    Refused
        It is not the present step, or something rests on it.
    Invalid
        No reason.
    """
    job = act.job(number)
    check_text({"reason": reason})
    card = card_of(job)
    at = _step(job, card, step_id)
    entry = LeaveOut(
        at=act.now,
        by=act.person.name,
        foreman=act.holds(Right.OVERRIDE),
        step=step_id,
        reason=reason,
    )
    if _enter(act, job, card, entry) is not card:
        act.trace(job, "step_left_out", step=at.step.id, reason=reason.strip())
    return job


# ---- the pick list and cautions


def check_pick(act: Act, number: str, missing: Mapping[str, str]) -> Job:
    """Say that the pick list is here, but for what is missing, each with how the work goes on.

    Raises
    ------
    Invalid
        Something that is not on the list, a missing thing without a note.
    """
    job = act.job(number)
    check_text(dict(missing))
    card = card_of(job)
    entry = CheckPick(at=act.now, by=act.person.name, missing=dict(missing))
    after = _enter(act, job, card, entry)
    noted = {card.picks[k]: note for k, note in after.pick.missing.items()}
    act.trace(job, "pick_checked", missing=noted)
    return job


def acknowledge(act: Act, number: str, caution: str) -> Job:
    """Somebody has read a serious caution; once per job is enough."""
    job = act.job(number)
    if caution not in CAUTIONS:
        raise Missing(f"caution {caution}")
    card = card_of(job)
    after = _enter(act, job, card, ReadCaution(at=act.now, by=act.person.name, caution=caution))
    if after.cautions_read != card.cautions_read:
        act.trace(job, "caution_read", caution=caution)
    return job


# ---- what must go back, what is counted


def add_item(
    act: Act, number: str, what: str, *, kind: str, before: str = "start", key: str = ""
) -> Job:
    """Put something on the must-go-back list by hand; `key` names it where the sender already has a
    name for it.

    Raises
    ------
    Invalid
    """
    job = act.job(number)
    check_text({"what": what})
    entry = AddItem(
        at=act.now,
        by=act.person.name,
        what=what,
        kind=kind,
        before=before,
        key=key or f"{act.now.timestamp():.3f}",
    )
    card = card_of(job)
    after = _enter(act, job, card, entry)
    if after is card:
        return job
    item = after.items[-1]
    act.trace(job, "item_opened", what=item.what, kind=kind)
    act.db.flush()
    if kind in ASKS_MORE and job.work_began_at and not job.engine_started_at:
        # What was opened by hand asks for the same as what a step opens: venting, or a watch.
        replan(act, job, why=f"Opened by hand: {item.what}")
    return job


def close_item(act: Act, number: str, key: str) -> Job:
    """Somebody looked. A dangerous item is closed by the second look; both are kept with their
    names.

    Raises
    ------
    Refused
        A step of the card closes it.
    Missing
    """
    job = act.job(number)
    card = card_of(job)
    if not any(i.key == key for i in card.items):
        raise Missing(f"item {key[:60]}")
    after = _enter(act, job, card, CloseItem(at=act.now, by=act.person.name, key=key))
    for was, now in zip(card.items, after.items, strict=True):
        if was != now:
            act.trace(job, "item_closed" if now.closed_at else "item_looked_at", what=now.what)
    return job


def count(act: Act, number: str, what: str, *, way: str, pieces: int) -> Job:
    """Count pieces in or out of the engine bay: what went in must have come out before the start.

    Raises
    ------
    Invalid
        A word that is not counted, more out than in.
    """
    job = act.job(number)
    entry = CountPieces(at=act.now, by=act.person.name, what=what, way=way, pieces=pieces)
    _enter(act, job, card_of(job), entry)
    act.trace(job, "counted", what=what, way=way, pieces=pieces)
    return job


# ---- waits


def _with_wait(job: Job, name: str) -> Card:
    card = card_of(job)
    if not any(w.name == name for w in card.waits):
        raise Missing(f"wait {name[:60]}")
    return card


def start_wait(act: Act, number: str, name: str, *, minutes: float | None, reason: str) -> Job:
    """Start a wait by hand.

    Raises
    ------
    Invalid
        ``wait_name``, ``wait_minutes`` or ``wait_reason``; a name that runs already.
    """
    job = act.job(number)
    check_text({"wait_name": name, "wait_reason": reason})
    entry = StartWait(at=act.now, by=act.person.name, name=name, minutes=minutes, reason=reason)
    _enter(act, job, card_of(job), entry)
    act.trace(job, "wait_started", name=name.strip(), minutes=minutes, reason=reason.strip())
    return job


def extend_wait(act: Act, number: str, name: str, *, minutes: float | None, reason: str) -> Job:
    """Lengthen a wait from its end, or from now where it is over.

    Raises
    ------
    Invalid, Missing
    """
    job = act.job(number)
    check_text({"wait_reason": reason})
    entry = ExtendWait(at=act.now, by=act.person.name, name=name, minutes=minutes, reason=reason)
    _enter(act, job, _with_wait(job, name), entry)
    act.trace(job, "wait_extended", name=name, minutes=minutes, reason=reason.strip())
    return job


def stop_wait(act: Act, number: str, name: str, *, reason: str) -> Job:
    """End a wait before its time. Twice is harmless.

    Raises
    ------
    Invalid, Missing
    """
    job = act.job(number)
    check_text({"wait_reason": reason})
    entry = StopWait(at=act.now, by=act.person.name, name=name, reason=reason)
    card = _with_wait(job, name)
    if _enter(act, job, card, entry) is not card:
        act.trace(job, "wait_stopped", name=name, reason=reason.strip())
    return job
