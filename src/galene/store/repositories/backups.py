"""Backups that were made or failed, and the lock under which one process makes them."""

from collections.abc import Iterator
from contextlib import contextmanager
from datetime import datetime

from sqlalchemy import Engine, select, text
from sqlalchemy.orm import Session

from galene.store.models import AuditEntry, BackupRun

LOCK = 0x6261636B7570
"""Number of the lock that the process holds that makes a backup."""


@contextmanager
def alone(engine: Engine) -> Iterator[bool]:
    """Whether this process may make a backup now: it holds the lock until the block is left."""
    with engine.connect() as connection:
        got = bool(connection.scalar(text(f"select pg_try_advisory_lock({LOCK})")))
        try:
            yield got
        finally:
            if got:
                connection.execute(text(f"select pg_advisory_unlock({LOCK})"))


def last_done(db: Session) -> BackupRun | None:
    """The newest backup that is whole."""
    asked = select(BackupRun).where(BackupRun.ended_at.is_not(None), BackupRun.fault == "")
    return db.scalar(asked.order_by(BackupRun.ended_at.desc()).limit(1))


def newest(db: Session, limit: int = 10) -> list[BackupRun]:
    """The newest backups, whole or not."""
    return list(db.scalars(select(BackupRun).order_by(BackupRun.id.desc()).limit(limit)))


def last_nightly(db: Session) -> datetime | None:
    """When the newest nightly backup was begun."""
    asked = select(BackupRun.began_at).where(BackupRun.nightly)
    return db.scalar(asked.order_by(BackupRun.id.desc()).limit(1))


def set_up_at(db: Session) -> datetime | None:
    """When the workshop's record begins."""
    return db.scalar(select(AuditEntry.at).order_by(AuditEntry.id).limit(1))
