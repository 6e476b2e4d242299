"""Waits: started by steps or by hand, any number side by side, lengthened or cut short with a
reason."""

from datetime import datetime, timedelta

from galene.jobs.act import Act
from galene.jobs.errors import Invalid, Missing
from galene.jobs.intake import check_text
from galene.store.models import Job, WaitRow

LONGEST_MINUTES = 2880.0


def running_waits(job: Job, now: datetime) -> list[WaitRow]:
    """Waits that still run, the next to end first."""
    left = [w for w in job.waits if w.ends_at > now and not w.cut_short]
    return sorted(left, key=lambda w: w.ends_at)


def _find(job: Job, name: str) -> WaitRow:
    named = [w for w in job.waits if w.name == name and not w.cut_short]
    row = max(named, key=lambda w: w.ends_at, default=None)
    if row is None:
        raise Missing(f"wait {name[:60]}")
    return row


def _faults(minutes: float | None, reason: str) -> dict[str, str]:
    """What is wrong with the minutes and the reason of a wait, by field."""
    faults = {}
    if minutes is None or not 0 < minutes <= LONGEST_MINUTES:
        faults["wait_minutes"] = "From one minute to two days."
    if not 3 <= len(reason.strip()) <= 200:
        faults["wait_reason"] = "Say why: it stands beside the clock."
    return faults


def start_wait(act: Act, number: str, name: str, *, minutes: float | None, reason: str) -> Job:
    """Start a wait by hand.

    Raises
    ------
    Invalid
        ``wait_name``, ``wait_minutes`` or ``wait_reason``; a name that runs already.
    """
    job = act.job(number)
    check_text({"wait_name": name, "wait_reason": reason})
    faults = _faults(minutes, reason)
    if not 2 <= len(name.strip()) <= 60:
        faults["wait_name"] = "Say what waits, in up to 60 characters."
    elif any(w.name == name.strip() for w in running_waits(job, act.now)):
        faults["wait_name"] = "That one runs already: lengthen it, or name another."
    if faults:
        raise Invalid(faults)
    job.waits.append(
        WaitRow(
            name=name.strip(),
            reason=reason.strip(),
            started_at=act.now,
            ends_at=act.now + timedelta(minutes=minutes or 0),
            person_id=act.person.id,
        )
    )
    act.trace(job, "wait_started", name=name.strip(), minutes=minutes, reason=reason.strip())
    act.db.flush()
    return job


def extend_wait(act: Act, number: str, name: str, *, minutes: float | None, reason: str) -> Job:
    """Lengthen a wait from its end, or from now where it is over.

    Raises
    ------
    Invalid, Missing
    """
    job = act.job(number)
    check_text({"wait_reason": reason})
    faults = _faults(minutes, reason)
    if faults:
        raise Invalid(faults)
    row = _find(job, name)
    row.ends_at = max(row.ends_at, act.now) + timedelta(minutes=minutes or 0)
    row.reason = f"{row.reason}; {minutes:g} min more: {reason.strip()}"
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
    if not 3 <= len(reason.strip()) <= 200:
        raise Invalid({"wait_reason": "Say why it is over already."})
    if not any(w.name == name for w in job.waits):
        raise Missing(f"wait {name[:60]}")
    for row in running_waits(job, act.now):
        if row.name == name:
            row.cut_short = reason.strip()
            act.trace(job, "wait_stopped", name=name, reason=reason.strip())
    return job
