"""Bridges, what they read, what they were asked to do, and news of both for who waits."""

import json
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from datetime import datetime

from sqlalchemy import delete, select, text, update
from sqlalchemy.orm import Session

from galene.store.models import Bridge, Job, LiveBatch, LiveCommand, PairingCode, Vehicle

CHANNEL = "galene_live"
JOB_TOPIC = "job:"
"""How the topics of jobs begin; the job's key follows."""
LONGEST_NEWS = 7900
"""Bytes that one piece of news can carry (PostgreSQL: 8000)."""


def bridge_of_secret(db: Session, secret_hash: str) -> Bridge | None:
    """The bridge with this key, an ended one too."""
    return db.scalar(select(Bridge).where(Bridge.secret_hash == secret_hash))


def job_is_open(db: Session, job_id: int) -> bool:
    """Whether a job is still open; nothing else of it is read."""
    return db.scalar(select(Job.state).where(Job.id == job_id)) == "open"


def bridge_of_job(db: Session, job_id: int) -> Bridge | None:
    """The bridge that reads for a job now."""
    asked = select(Bridge).where(Bridge.job_id == job_id, Bridge.ended_at.is_(None))
    return db.scalar(asked.order_by(Bridge.id.desc()).limit(1))


def last_of_job(db: Session, job_id: int) -> Bridge | None:
    """The newest bridge of a job, an ended one too."""
    asked = select(Bridge).where(Bridge.job_id == job_id)
    return db.scalar(asked.order_by(Bridge.id.desc()).limit(1))


def bridges_of_bay(db: Session, bay: str) -> list[Bridge]:
    """Bridges that read in a bay now."""
    return list(db.scalars(select(Bridge).where(Bridge.bay == bay, Bridge.ended_at.is_(None))))


def pairing(db: Session, code_hash: str) -> PairingCode | None:
    """A code that was given out, held until the write is done."""
    asked = select(PairingCode).where(PairingCode.code_hash == code_hash)
    return db.scalar(asked.with_for_update(of=PairingCode))


def forget_codes(db: Session, job_id: int, now: datetime) -> None:
    """Let go of a job's codes, and of those of any job that count no more."""
    db.execute(
        delete(PairingCode).where((PairingCode.job_id == job_id) | (PairingCode.until < now))
    )


@dataclass(frozen=True, kw_only=True)
class Came:
    """A batch as it came: what is kept of it, and what of it is told to who waits.

    Attributes
    ----------
    kept : whether it has anything to keep
    told : news for the pages of the job, None for none
    rests_s : how long the bridge rests before the next one
    """

    seq: int
    at: datetime
    state: str
    words: str
    columns: Sequence[str]
    rows: Sequence[Sequence[float | None]]
    kept: bool
    told: str | None
    rests_s: float = 0.0


@dataclass(frozen=True, kw_only=True)
class Taken:
    """The bridge whose batches were taken, and the last number that it had sent before."""

    bridge_id: int
    job_id: int
    before: int


TAKE = text("""
with came as (
    select * from jsonb_to_recordset(cast(:came as jsonb)) as c (
        seq bigint, at timestamptz, state text, words text,
        columns jsonb, rows jsonb, kept boolean, told text, rests_s double precision
    )
), mine as (
    select bridge.id, bridge.job_id, bridge.last_seq, bridge.stranger
    from bridge join job on job.id = bridge.job_id
    where bridge.secret_hash = :secret and bridge.ended_at is null and job.state = 'open'
    for no key update of bridge
), new as (
    select mine.id as bridge_id, mine.job_id, mine.stranger, came.*
    from mine join came on came.seq > mine.last_seq
), keeping as (
    insert into live_batch (bridge_id, seq, job_id, at, state, columns, rows)
    select bridge_id, seq, job_id, at, state,
        array(select jsonb_array_elements_text(columns)), rows
    from new where kept and stranger = ''
    on conflict do nothing
), moving as (
    update bridge
    set last_seq = last.seq, state = last.state, words = last.words, seen_at = :now,
        rests_s = last.rests_s
    from (select * from new order by seq desc limit 1) as last
    where bridge.id = last.bridge_id
), telling as (
    select pg_notify(cast(:channel as text), concat(
        cast(:topic as text), job_id, E'\\n', case stranger when '' then told else :instead end
    ))
    from (select * from new where told is not null order by seq) as news
)
select id, job_id, last_seq, (select count(*) from telling) from mine
""")
"""All that a batch needs, in one statement: twenty cars send two hundred a second."""


def take_batches(
    db: Session, secret_hash: str, batches: Sequence[Came], now: datetime, *, instead: str
) -> Taken | None:
    """Keep batches by bridge and number, tell their news, and note how the bridge stands. What was
    taken before stays as it is and is not told again. Of a car that is not the job's nothing is
    kept, and `instead` is told.

    Returns
    -------
    Taken | None
        None: no bridge has this key, or it was ended, or its job is finished.
    """
    row = db.execute(
        TAKE,
        {
            "secret": secret_hash,
            "now": now,
            "channel": CHANNEL,
            "topic": JOB_TOPIC,
            "instead": instead,
            "came": json.dumps([{**asdict(b), "at": b.at.isoformat()} for b in batches]),
        },
    ).one_or_none()
    if row is None:
        return None
    return Taken(bridge_id=row.id, job_id=row.job_id, before=row.last_seq)


def batches_between(db: Session, job_id: int, start: datetime, end: datetime) -> list[LiveBatch]:
    """What was read for a job in a while, in order of time; a batch that only ends after it too."""
    asked = select(LiveBatch).where(LiveBatch.job_id == job_id, LiveBatch.at.between(start, end))
    return list(db.scalars(asked.order_by(LiveBatch.at, LiveBatch.bridge_id, LiveBatch.seq)))


def serial_of(db: Session, vehicle_id: int) -> str:
    """The number by which a vehicle's car named itself last, empty where it never did."""
    asked = (
        select(Bridge.serial)
        .join(Job, Job.id == Bridge.job_id)
        .where(Job.vehicle_id == vehicle_id, Bridge.serial != "")
    )
    return db.scalar(asked.order_by(Bridge.id.desc()).limit(1)) or ""


def plate_named(db: Session, serial: str, *, but: int) -> str:
    """The plate of another vehicle whose car named itself so, empty where there is none."""
    asked = (
        select(Vehicle.plate)
        .join(Job, Job.vehicle_id == Vehicle.id)
        .join(Bridge, Bridge.job_id == Job.id)
        .where(Vehicle.id != but, Bridge.serial == serial)
    )
    return db.scalar(asked.order_by(Bridge.id.desc()).limit(1)) or ""


def command(db: Session, job_id: int, command_id: int) -> LiveCommand | None:
    """One command of a job."""
    asked = select(LiveCommand).where(LiveCommand.id == command_id, LiveCommand.job_id == job_id)
    return db.scalar(asked)


def last_command(
    db: Session, job_id: int, purpose: str, *, since: datetime | None
) -> LiveCommand | None:
    """The newest command of a job for a purpose, not older than `since`."""
    asked = select(LiveCommand).where(
        LiveCommand.job_id == job_id, LiveCommand.fields["purpose"].as_string() == purpose
    )
    if since is not None:
        asked = asked.where(LiveCommand.at >= since)
    return db.scalar(asked.order_by(LiveCommand.id.desc()).limit(1))


def command_of_bridge(db: Session, bridge_id: int, command_id: int) -> LiveCommand | None:
    """One command that a bridge was given."""
    asked = select(LiveCommand).where(
        LiveCommand.id == command_id, LiveCommand.bridge_id == bridge_id
    )
    return db.scalar(asked)


def tell(db: Session, topic: str, payload: str) -> None:
    """News for who waits for `topic`, when this write is durable."""
    db.execute(
        text("select pg_notify(:channel, :told)"),
        {"channel": CHANNEL, "told": f"{topic}\n{payload}"},
    )


def thin_out(db: Session, *, thinned_before: datetime, gone_before: datetime) -> None:
    """Of what is old keep one batch in ten, of what is older nothing."""
    db.execute(delete(LiveBatch).where(LiveBatch.at < gone_before))
    db.execute(delete(LiveBatch).where(LiveBatch.at < thinned_before, LiveBatch.seq % 10 != 0))


def end_bridges_of(db: Session, job_id: int, now: datetime, why: str) -> None:
    """No bridge reads for this job any more."""
    db.execute(
        update(Bridge)
        .where(Bridge.job_id == job_id, Bridge.ended_at.is_(None))
        .values(ended_at=now, ended_why=why)
    )
