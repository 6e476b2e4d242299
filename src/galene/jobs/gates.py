"""The gates before the start, the road and the handover, and a job that passes to another."""

from collections.abc import Sequence
from datetime import datetime

from galene.core.jobcard.gates import Blocker, Gate, held_back
from galene.core.jobcard.gates import gate_blockers as blockers
from galene.core.jobcard.job_records import OpenedGate, Passing
from galene.jobs.act import Act
from galene.jobs.card import card_of, due_row, mark_done, refuse
from galene.jobs.diagnosis import dangers_of
from galene.jobs.errors import Invalid, Refused
from galene.jobs.intake import check_text
from galene.jobs.plan import check_qualified
from galene.jobs.rights import Right
from galene.jobs.signing_in import find_person
from galene.store.models import ItemRow, Job


def open_items(job: Job) -> list[ItemRow]:
    """Items that are still open."""
    return [i for i in job.items if i.closed_at is None]


def gate_blockers(
    job: Job, gate: Gate, now: datetime, *, but_waits: Sequence[str] = ()
) -> tuple[Blocker, ...]:
    """Why a gate stays shut for this job; waits named do not count."""
    dangers = dangers_of(job) if gate == "start" else ()
    card = card_of(job, dangers=dangers, with_cautions=False)
    return blockers(card, gate, now, but_waits=but_waits)


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
        raise Refused(title, [b.sentence for b in why])
    if not reason.strip() or not act.holds(Right.OVERRIDE):
        raise Refused(title, [b.sentence for b in why], act.holds(Right.OVERRIDE))
    act.proves()
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
        raise Refused("The work has not begun", ["the card comes first"])
    held = held_back(card_of(job, with_cautions=False), row.document)
    if held:
        raise refuse(held)
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
    Refused
        Somebody else has the job, and no foreman acts.
    Invalid
        Nobody of that name, or the one who has it.
    """
    job = act.job(number)
    if job.technician_id != act.person.id and not act.holds(Right.SIGN):
        raise Refused(
            "Not yours to hand on",
            [f"{job.technician.name} has this job and offers it, or a foreman does"],
        )
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
        It is offered to somebody else, or to nobody; the vehicle is marked, and this person is not
        qualified for it.
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
    check_qualified(job, act.person)
    unread = [i.what for i in open_items(job) if i.key not in read]
    if unread:
        raise Invalid({"read": "Read each one and tick it: " + ", ".join(unread)})
    was = job.technician.name
    job.technician, job.passing = act.person, Passing()
    act.trace(job, "job_accepted", was=was, read=[i.what for i in open_items(job)])
    act.db.flush()
    return job
