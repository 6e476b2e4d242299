"""What must go back, what was counted in, and the gates before the start, the road and the
handover."""

from collections.abc import Sequence
from datetime import datetime

from galene.core.diagnosis.assess import standing_dangers
from galene.core.job_records import OpenedGate, Passing
from galene.core.must_go_back import (
    BEFORE,
    COUNTED,
    INSIDE,
    KINDS,
    Blocker,
    OpenItem,
    RunningWait,
    blockers,
)
from galene.core.planning.records import Step
from galene.jobs.act import Act, family_of
from galene.jobs.card import due_row, mark_done, refuse_held, replan
from galene.jobs.diagnosis import case_of
from galene.jobs.errors import Invalid, Missing, Refused
from galene.jobs.intake import check_text
from galene.jobs.people import find_person
from galene.jobs.planning import rows_of_round
from galene.jobs.waits import running_waits
from galene.knowledge.base import KNOWLEDGE
from galene.store.models import Job, MustGoBack, StepRow

ASKS_MORE = frozenset({"coolant low", "fuel line open"})
"""Kinds of item that ask for more than being closed."""


def open_items(job: Job) -> list[MustGoBack]:
    """Items that are still open."""
    return [i for i in job.items if i.closed_at is None]


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
    faults = {}
    what = what.strip() or (kind.capitalize() if kind in KINDS else "")
    if not what:
        faults["what"] = "Say what was opened."
    elif len(what) > 120:
        faults["what"] = "At most 120 characters."
    if kind not in KINDS:
        faults["kind"] = "Choose a kind."
    if before not in BEFORE:
        faults["before"] = "start, road test or handover."
    if faults:
        raise Invalid(faults)
    job.items.append(
        MustGoBack(
            key=f"hand:{key or f'{act.now.timestamp():.3f}'}",
            what=what,
            kind=kind,
            before=before,
            dangerous=kind in INSIDE,
            opened_at=act.now,
            opened_by=act.person,
            closed_at=None,
            closed_by_id=None,
        )
    )
    act.trace(job, "item_opened", what=what, kind=kind)
    act.db.flush()
    if kind in ASKS_MORE and job.work_began_at and not job.engine_started_at:
        # What was opened by hand asks for the same as what a step opens: venting, or a watch.
        replan(act, job, why=f"Opened by hand: {what}")
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
    item = next((i for i in job.items if i.key == key), None)
    if item is None:
        raise Missing(f"item {key[:60]}")
    if item.closed_at:
        return job
    step = next((s for s in job.steps if item.key in s.document.closes and s.done_at is None), None)
    if step:
        raise Refused("A step of the card closes this", [f"tick: {step.document.text}"])
    if item.dangerous and item.looked_at is None:
        item.looked_at, item.looked_by = act.now, act.person
        act.trace(job, "item_looked_at", what=item.what)
    else:
        item.closed_at, item.closed_by_id = act.now, act.person.id
        act.trace(job, "item_closed", what=item.what)
    act.db.flush()
    return job


def count(act: Act, number: str, what: str, *, way: str, pieces: int) -> Job:
    """Count pieces in or out of the engine bay: what went in must have come out before the start.

    Raises
    ------
    Invalid
        A word that is not counted, more out than in.
    """
    job = act.job(number)
    if what not in COUNTED or way not in ("in", "out") or not 1 <= abs(pieces) <= 99:
        raise Invalid({"count": "cloths, caps, tape or sockets, in or out, one to 99 at a time."})
    went_in, came_out = job.counted.get(what, [0, 0])
    went_in, came_out = (
        (went_in + pieces, came_out) if way == "in" else (went_in, came_out + pieces)
    )
    if min(went_in, came_out) < 0 or came_out > went_in:
        raise Invalid(
            {"count": f"{COUNTED[what]}: {came_out} out of {went_in} can not be. Count again."}
        )
    job.counted = {**job.counted, what: [went_in, came_out]}
    act.trace(job, "counted", what=what, way=way, pieces=pieces)
    return job


def missing_pieces(job: Job) -> dict[str, int]:
    """What was counted in and not yet out."""
    return {
        what: went_in - came_out
        for what, (went_in, came_out) in job.counted.items()
        if went_in > came_out
    }


def _item(i: MustGoBack) -> OpenItem:
    return OpenItem(
        what=i.what,
        kind=i.kind,
        part=i.part,
        count=i.count,
        before=i.before,
        dangerous=i.dangerous,
        opened_by=i.opened_by.name,
        opened_at=i.opened_at,
    )


def gate_blockers(
    job: Job, gate: str, now: datetime, *, but_waits: Sequence[str] = ()
) -> tuple[Blocker, ...]:
    """Why a gate stays shut for this job; waits named do not count.

    Before the start every step of the card that comes before it must be done; before the handover,
    all.
    """
    items = [_item(i) for i in open_items(job)]
    waits = [
        RunningWait(w.name, w.ends_at, w.reason)
        for w in running_waits(job, now)
        if w.name not in but_waits
    ]
    found = blockers(
        gate, items, waits, steps_left=[s.document.text for s in _before_gate(job, gate)], now=now
    )
    counted = tuple(
        Blocker("count", f"{COUNTED[what]}: {left} not counted out", "counted in, not out")
        for what, left in missing_pieces(job).items()
    )
    held = job.card.held
    stopped = (
        (Blocker("held", held.why, "held until a foreman or a new plan resolves it"),)
        if held
        else ()
    )
    return (*stopped, *(_dangers(job) if gate == "start" else ()), *counted, *found)


def _dangers(job: Job) -> tuple[Blocker, ...]:
    """Dangers that forbid to turn the engine, but for those that the card itself has settled by
    pressing the part."""
    pressed = {
        family_of(job).part(s.document.part).component
        for s in job.steps
        if s.done_at and s.document.part and s.document.id.partition(":")[2].startswith("press")
    }
    return tuple(
        Blocker("danger", rule.text, "settled by its check, or by pressing the part on the card")
        for rule in standing_dangers(case_of(job), KNOWLEDGE)
        if rule.forbids_start and not pressed & set(rule.components)
    )


def _before_gate(job: Job, gate: str) -> list[StepRow]:
    """Steps that are not done and that the gate waits for."""
    rows = [s for s in rows_of_round(job) if s.done_at is None]
    if gate == "handover":
        return rows
    row = due_row(job, "start" if gate == "start" else "road")
    return [s for s in rows if row is None or s.position < row.position]


def may_run(job: Job, step: Step, now: datetime) -> None:
    """Refuse to run the engine in mid-card while something is open or wet, but for what is open on
    purpose.

    Raises
    ------
    Refused
    """
    purpose = {i.id for s in rows_of_round(job) for i in s.document.opens if i.while_running}
    open_now = [i for i in open_items(job) if i.key not in purpose and i.before == "start"]
    wet = [w for w in running_waits(job, now) if w.name not in step.waits_for]
    why = [b.text for b in _dangers(job)]
    why += [f"{i.what} ({i.kind}, opened by {i.opened_by.name})" for i in open_now]
    why += [f"{w.name} ({w.reason})" for w in wet]
    why += [f"{COUNTED[what]}: {n} not counted out" for what, n in missing_pieces(job).items()]
    if why:
        raise Refused("Do not run the engine yet", why)


def pass_gate(
    act: Act, job: Job, gate: str, *, why: Sequence[Blocker], reason: str, title: str
) -> None:
    """Let a job through a gate that nothing holds, or that a foreman opens with a reason, which is
    kept.

    Raises
    ------
    Refused
        With everything that holds the gate.
    """
    if not why or (gate in job.gates and not any(b.kind == "held" for b in why)):
        return
    if any(b.kind == "held" for b in why):
        raise Refused(title, [f"{b.text} ({b.detail})" for b in why])
    if not reason.strip() or act.person.role != "foreman":
        raise Refused(title, [f"{b.text} ({b.detail})" for b in why], act.person.role == "foreman")
    check_text({"override_reason": reason})
    job.gates = {
        **job.gates,
        gate: OpenedGate(
            reason=reason.strip(),
            by=act.person.name,
            at=act.now,
            held=tuple(b.text for b in why),
        ),
    }


def start_engine(act: Act, number: str, override_reason: str = "") -> Job:
    """Record the first start after the work. Twice is harmless.

    Raises
    ------
    Refused
        The job is held; items are open, agents still wet, or steps before it not done: a foreman
        may override these with a reason.
    """
    job = act.job(number)
    if job.engine_started_at:
        return job
    row = due_row(job, "start")
    if not job.work_began_at or row is None:
        raise Refused("The work has not begun", ["the job card comes first"])
    refuse_held(job, row.document)
    why = gate_blockers(job, "start", act.now)
    pass_gate(act, job, "start", why=why, reason=override_reason, title="Do not start the engine")
    job.engine_started_at = act.now
    mark_done(act, row)
    act.trace(
        job,
        "engine_started",
        override=override_reason.strip() if why else "",
        blockers=[b.text for b in why],
    )
    return job


def offer_job(act: Act, number: str, to: str) -> Job:
    """Hand the job to another technician, who must read what is open before it is theirs.

    Raises
    ------
    Invalid
        Nobody of that name, or the one who has it.
    """
    job = act.job(number)
    other = find_person(act.db, to)
    if other is None or other.id == job.technician_id:
        raise Invalid({"to": "Somebody else of the workshop."})
    job.passing = Passing(to=other.id, name=other.name, by=act.person.name, at=act.now)
    act.trace(job, "job_offered", to=other.name, open=[i.what for i in open_items(job)])
    return job


def accept_job(act: Act, number: str, read: Sequence[str]) -> Job:
    """Take a job that is handed over, after every open item was read.

    Raises
    ------
    Refused
        It is offered to somebody else, or to nobody.
    Invalid
        An open item that was not read.
    """
    job = act.job(number)
    if job.passing.to != act.person.id:
        if job.technician_id == act.person.id:
            return job
        raise Refused(
            "Not handed to you",
            [f"it is offered to {job.passing.name}" if job.passing.to else "nobody offers it"],
        )
    unread = [i.what for i in open_items(job) if i.key not in read]
    if unread:
        raise Invalid({"read": "Read each one and tick it: " + ", ".join(unread)})
    was = job.technician.name
    job.technician, job.passing = act.person, Passing()
    act.trace(job, "job_accepted", was=was, read=[i.what for i in open_items(job)])
    act.db.flush()
    return job
