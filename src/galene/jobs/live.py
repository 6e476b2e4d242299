"""Bridges of a job: let in by six figures, what they read kept once and in order, what they are
asked to do and what came of it."""

import json
import secrets
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy.orm import Session

from galene.exchange.live import (
    LINE_WORDS,
    Answer,
    Batch,
    Command,
    Do,
    Kept,
    OwnEntry,
    Paired,
    Sent,
)
from galene.jobs.act import Act, family_of
from galene.jobs.errors import Invalid, Missing, Refused
from galene.jobs.passwords import digest
from galene.store.models import Bridge, Job, LiveCommand, PairingCode
from galene.store.repositories import live as rows

CODE_KEPT = timedelta(minutes=10)
FRESH_S = 2.0
"""Age up to which what was read is shown; what comes later is kept only."""
SILENT = timedelta(seconds=3)
"""Silence of a bridge after which it counts as lost: it speaks twice a second."""
TOOK_OVER = "Another bridge reads in this bay now."
LONGEST_HOLD_S = 60.0


class NotLetIn(Exception):
    """A key or a code that does not count; the words say why."""


def topic_of_job(job_id: int) -> str:
    """Where the news of a job's car is told."""
    return f"{rows.JOB_TOPIC}{job_id}"


def topic_of_bridge(bridge_id: int) -> str:
    """Where a bridge is told what to do."""
    return f"bridge:{bridge_id}"


# ---- pairing


def offer_code(act: Act, number: str) -> str:
    """Six figures that let one bridge in for this job, for ten minutes. An earlier code counts no
    more.

    Raises
    ------
    Missing, ReadOnly
    """
    job = act.job(number)
    rows.forget_codes(act.db, job.id, act.now)
    code = f"{secrets.randbelow(1_000_000):06d}"
    while rows.pairing(act.db, digest(code)) is not None:
        code = f"{secrets.randbelow(1_000_000):06d}"
    act.db.add(
        PairingCode(
            code_hash=digest(code),
            job_id=job.id,
            made_at=act.now,
            made_by_id=act.person.id,
            until=act.now + CODE_KEPT,
        )
    )
    act.trace(job, "bridge_code_shown")
    act.db.flush()
    return code


def pair(db: Session, code: str, name: str, now: datetime) -> Paired:
    """Let a bridge in by the code of a job's page. It takes the place of any other of this job and
    this bay.

    Raises
    ------
    NotLetIn
        No such code, or one that counts no more.
    """
    found = rows.pairing(db, digest(code))
    if found is None or found.until < now or found.job.state == "finished":
        raise NotLetIn("These six figures do not count: ask for new ones on the job's page.")
    job, act = found.job, Act(db=db, person=found.made_by, now=now)
    rows.end_bridges_of(db, job.id, now, TOOK_OVER)
    for other in rows.bridges_of_bay(db, job.bay) if job.bay else ():
        other.ended_at, other.ended_why = now, TOOK_OVER
    key = secrets.token_urlsafe(32)
    bridge = Bridge(
        secret_hash=digest(key),
        name=name.strip() or "laptop",
        job_id=job.id,
        bay=job.bay,
        paired_at=now,
        paired_by_id=found.made_by_id,
    )
    db.add(bridge)
    db.delete(found)
    act.trace(job, "bridge_paired", name=bridge.name)
    db.flush()
    entries = tuple(
        OwnEntry(
            kind=e.kind,
            name=e.name,
            identifier=e.identifier,
            size=e.size,
            scale=e.scale,
            offset=e.offset,
        )
        for e in family_of(job).bus
    )
    _tell_line(db, job.id, "waiting")
    return Paired(key=key, job=job.number, bay=job.bay, entries=entries)


def unpair(act: Act, number: str) -> None:
    """Let the bridge of a job in no more. Twice is harmless."""
    job = act.job(number, finished=True)
    if rows.bridge_of_job(act.db, job.id) is not None:
        rows.end_bridges_of(act.db, job.id, act.now, "It was let go on the job's page.")
        act.trace(job, "bridge_unpaired")
        _tell_line(act.db, job.id, "ended")


def let_in(db: Session, key: str) -> Bridge:
    """The bridge with this key.

    Raises
    ------
    NotLetIn
        No such key, or it was ended, or its job is finished.
    """
    bridge = rows.bridge_of_secret(db, digest(key)) if 20 <= len(key) <= 100 else None
    return _counts(db, bridge)


def _counts(db: Session, bridge: Bridge | None) -> Bridge:
    if bridge is None:
        raise NotLetIn("This bridge is not known here: pair it again.")
    if bridge.ended_at is not None:
        raise NotLetIn(bridge.ended_why or "This bridge was let go: pair it again.")
    if not rows.job_is_open(db, bridge.job_id):
        raise NotLetIn("The job is finished: pair it with the next one.")
    return bridge


# ---- what it reads


def take_in(db: Session, key: str, sent: Sent, now: datetime) -> Kept:
    """Keep batches, each once whatever is sent again, and tell who waits what is fresh.

    Parameters
    ----------
    sent : their times count backward from the moment they came

    Raises
    ------
    NotLetIn
    """
    secret = digest(key) if 20 <= len(key) <= 100 else ""
    for serial in dict.fromkeys(b.serial for b in sent.batches if b.serial):
        _named(db, secret, serial)
    came = [_came(b, sent.now_s, now) for b in sent.batches]
    taken = rows.take_batches(db, secret, came, now, instead=_line_news("other"))
    if taken is None:
        _counts(db, rows.bridge_of_secret(db, secret))
        raise NotLetIn("This bridge was let go just now: pair it again.")
    for batch in sent.batches:
        for answer in batch.answers if batch.seq > taken.before else ():
            _answered(db, taken.bridge_id, answer, now)
    db.flush()
    last = max(taken.before, *(b.seq for b in sent.batches))
    return Kept(kept_to=last, now_s=now.timestamp())


def _named(db: Session, secret_hash: str, serial: str) -> None:
    """The car has said its number: it is the job's, as far as is known, or another one."""
    bridge = rows.bridge_of_secret(db, secret_hash)
    if bridge is None or bridge.ended_at is not None:
        return
    if _why_other(db, db.get_one(Job, bridge.job_id), serial):
        bridge.stranger = serial
    else:
        bridge.serial, bridge.stranger = serial, ""
    db.flush()


def _why_other(db: Session, job: Job, serial: str) -> str:
    """Why a car with this number is not the job's; empty where nothing speaks against it."""
    known = rows.serial_of(db, job.vehicle_id)
    if known:
        tells = f"Its number ends in {serial[-4:]}, that of this vehicle in {known[-4:]}."
        return tells if known != serial else ""
    plate = rows.plate_named(db, serial, but=job.vehicle_id)
    return f"Its number ends in {serial[-4:]}: it was read for {plate} before." if plate else ""


def same_car(act: Act, number: str) -> None:
    """Whoever stands at the car says that it is this job's, whatever number it tells. Twice is
    harmless.

    Raises
    ------
    Missing, ReadOnly
    """
    job = act.job(number)
    bridge = rows.bridge_of_job(act.db, job.id)
    if bridge is not None and bridge.stranger:
        why = _why_other(act.db, job, bridge.stranger)
        act.trace(job, "car_is_this_one", against=why)
        bridge.serial, bridge.stranger = bridge.stranger, ""


def _came(batch: Batch, leaving_s: float, now: datetime) -> rows.Came:
    age_s = max(0.0, leaving_s - batch.at_s)
    at = now - timedelta(seconds=age_s)
    return rows.Came(
        seq=batch.seq,
        at=at,
        state=batch.state,
        words=batch.words,
        columns=batch.columns,
        rows=batch.rows,
        # A silent car is kept too: a hold with the ignition off is judged by its silence.
        kept=bool(batch.rows) or batch.state == "off",
        told=_news(batch, at) if age_s <= FRESH_S or batch.answers else None,
        rests_s=batch.rests_s,
    )


def _answered(db: Session, bridge_id: int, answer: Answer, now: datetime) -> None:
    command = rows.command_of_bridge(db, bridge_id, answer.id)
    if command is None or command.answered_at is not None:
        return
    if answer.phase == "began":
        command.began_at = now
        return
    command.answered_at = now
    command.answer = answer.model_dump(mode="json")


def _news(batch: Batch, at: datetime) -> str:
    told: dict[str, Any] = {
        "at": round(at.timestamp(), 3),
        "state": batch.state,
        "words": batch.words,
        "answers": [a.model_dump(mode="json") for a in batch.answers],
        "columns": batch.columns,
        "rows": batch.rows,
    }
    text = json.dumps(told, separators=(",", ":"))
    if len(text) > rows.LONGEST_NEWS and batch.rows:
        # Too much for one piece of news: the newest row says what the page has to know.
        told["rows"] = batch.rows[-1:]
        text = json.dumps(told, separators=(",", ":"))
    if len(text) > rows.LONGEST_NEWS:
        # A long list of codes: the page asks for the command's answer itself.
        answers = [{k: a[k] for k in ("id", "phase", "done", "words")} for a in told["answers"]]
        text = json.dumps({**told, "rows": [], "columns": [], "answers": answers})
    return text


def _tell_line(db: Session, job_id: int, state: str) -> None:
    rows.tell(db, topic_of_job(job_id), _line_news(state))


def _line_news(state: str) -> str:
    return json.dumps({"state": state, "words": "", "answers": []})


# ---- what it is asked to do


def ask(
    act: Act,
    job: Job,
    do: Do,
    *,
    actuator: str = "",
    value: float | None = None,
    longest_s: float | None = None,
    sweep_s: float | None = None,
    routine: str = "",
    purpose: str = "",
) -> LiveCommand:
    """Ask the bridge of a job to do something; what comes of it is told to the page.

    Parameters
    ----------
    purpose : the test or the relearn that it is for

    Raises
    ------
    Refused
        No bridge reads this car, or it is not heard of.
    Invalid
        An output or a routine that the car's document does not name.
    """
    bridge = rows.bridge_of_job(act.db, job.id)
    if bridge is None or line_of(bridge, act.now) != "live":
        words = LINE_WORDS["none" if bridge is None else line_of(bridge, act.now)]
        raise Refused("The car is not on the line", [words])
    known = {(e.kind, e.name) for e in family_of(job).bus}
    if do == "hold" and ("output", actuator) not in known:
        raise Invalid({"actuator": "This car's document names no such output."})
    if do == "routine" and ("routine", routine) not in known:
        raise Invalid({"routine": "This car's document names no such routine."})
    if do == "hold" and (value is None or not 0 <= value <= 100):
        raise Invalid({"value": "From 0 to 100 %."})
    fields = {
        "actuator": actuator,
        "value": value,
        "longest_s": min(longest_s or LONGEST_HOLD_S, LONGEST_HOLD_S),
        "routine": routine,
        "purpose": purpose,
    }
    command = LiveCommand(
        bridge_id=bridge.id,
        job_id=job.id,
        person_id=act.person.id,
        at=act.now,
        do=do,
        fields={k: v for k, v in fields.items() if v not in ("", None)},
    )
    act.db.add(command)
    act.db.flush()
    act.trace(job, "car_asked", do=do, **command.fields)
    _send(
        act.db,
        bridge,
        Command(
            id=command.id,
            issued_s=act.now.timestamp(),
            do=do,
            actuator=actuator,
            value=value,
            longest_s=fields["longest_s"] if do == "hold" else None,
            sweep_s=sweep_s,
            routine=routine,
        ),
    )
    return command


def still_held(db: Session, job: Job, command_id: int, now: datetime) -> None:
    """The hand is still on the control."""
    command = rows.command(db, job.id, command_id)
    if command is None:
        raise Missing(f"command {command_id}")
    bridge = rows.bridge_of_job(db, job.id)
    if bridge is not None and bridge.id == command.bridge_id and command.answered_at is None:
        held = Command(id=0, issued_s=now.timestamp(), do="held", of=command_id)
        _send(db, bridge, held)


def let_go(db: Session, job: Job, now: datetime) -> None:
    """The hand is off: whatever is held is let go of. Never refused."""
    bridge = rows.bridge_of_job(db, job.id)
    if bridge is not None:
        _send(db, bridge, Command(id=0, issued_s=now.timestamp(), do="let_go"))


def look(db: Session, job_id: int, now: datetime) -> None:
    """Somebody looks at the car of a job: its bridge reads at full pace for a while."""
    bridge = rows.bridge_of_job(db, job_id)
    if bridge is not None:
        _send(db, bridge, Command(id=0, issued_s=now.timestamp(), do="look"))


def look_where_recorded(db: Session, bridge: Bridge, now: datetime) -> None:
    """What is recorded is read at full pace though no page is open: a drive that was begun, a hold
    of a relearn that the car itself is listened to for."""
    job = db.get_one(Job, bridge.job_id)
    holds = job.relearn.live and job.relearn.phase is not None and job.relearn.outcome == "running"
    if holds or job.road_test.run_began is not None:
        look(db, job.id, now)


def _send(db: Session, bridge: Bridge, command: Command) -> None:
    rows.tell(db, topic_of_bridge(bridge.id), command.model_dump_json(exclude_none=True))


# ---- how the line stands


@dataclass(frozen=True, kw_only=True)
class Line:
    """How the line to a job's car stands."""

    state: str
    name: str = ""
    words: str = ""
    other: str = ""


def line_of(bridge: Bridge, now: datetime) -> str:
    """The state of a bridge's line as the page says it."""
    if bridge.seen_at is None:
        return "waiting"
    if now - bridge.seen_at > SILENT + timedelta(seconds=bridge.rests_s):
        return "lost"
    return "other" if bridge.stranger else bridge.state


def line_of_job(db: Session, job: Job, now: datetime) -> Line:
    """How the line to a job's car stands now."""
    # A newer bridge ends the older ones: only the newest can still be let in.
    last = rows.last_of_job(db, job.id) if job.state == "open" else None
    if last is None or last.ended_at is not None:
        why = last.ended_why if last is not None else ""
        return Line(state="none", words=why or LINE_WORDS["none"])
    state = line_of(last, now)
    other = _why_other(db, job, last.stranger) if last.stranger else ""
    return Line(state=state, name=last.name, words=LINE_WORDS[state], other=other)


def command_told(db: Session, job: Job, command_id: int) -> LiveCommand:
    """A command with what came of it.

    Raises
    ------
    Missing
    """
    command = rows.command(db, job.id, command_id)
    if command is None:
        raise Missing(f"command {command_id}")
    return command
