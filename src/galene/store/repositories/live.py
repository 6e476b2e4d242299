"""Bridges, what they read, what they were asked to do, and news of both for who waits."""

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from sqlalchemy import delete, select, text, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from galene.store.models import Bridge, Job, LiveBatch, LiveCommand, PairingCode

CHANNEL = "galene_live"
LONGEST_NEWS = 7900
"""Bytes that one piece of news can carry (PostgreSQL: 8000)."""


def bridge_of_secret(db: Session, secret_hash: str) -> Bridge | None:
    """The bridge with this key, an ended one too."""
    return db.scalar(select(Bridge).where(Bridge.secret_hash == secret_hash))


def bridge_locked(db: Session, secret_hash: str) -> Bridge | None:
    """The bridge with this key, held until the write is done."""
    asked = (
        select(Bridge)
        .where(Bridge.secret_hash == secret_hash)
        .with_for_update(of=Bridge, key_share=True)
        .execution_options(populate_existing=True)
    )
    return db.scalar(asked)


def job_is_open(db: Session, job_id: int) -> bool:
    """Whether a job is still open; asked ten times a second, so nothing else of it is read."""
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


def keep_batches(db: Session, batches: Sequence[Mapping[str, Any]]) -> None:
    """Keep batches by bridge and number; one that is there stays as it is."""
    db.execute(insert(LiveBatch).on_conflict_do_nothing(), batches)


def batches_between(db: Session, job_id: int, start: datetime, end: datetime) -> list[LiveBatch]:
    """What was read for a job in a while, in order of time; a batch that only ends after it too."""
    asked = select(LiveBatch).where(LiveBatch.job_id == job_id, LiveBatch.at.between(start, end))
    return list(db.scalars(asked.order_by(LiveBatch.at, LiveBatch.bridge_id, LiveBatch.seq)))


def command(db: Session, job_id: int, command_id: int) -> LiveCommand | None:
    """One command of a job."""
    asked = select(LiveCommand).where(LiveCommand.id == command_id, LiveCommand.job_id == job_id)
    return db.scalar(asked)


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
