"""Backups: made by hand or each night, noted, rotated, and complained about when they are old."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from pathlib import Path

import structlog
from sqlalchemy import Engine
from sqlalchemy.orm import Session

from galene.core.workshop.rotation import kept
from galene.store.backup import BackupError, make_backup
from galene.store.models import BackupRun
from galene.store.pictures import PictureStore
from galene.store.repositories import backups as rows

OLD = timedelta(hours=26)
"""A nightly backup that is older has been missed."""
STAMP = "%Y%m%d-%H%M%S"
log = structlog.get_logger()


@dataclass(frozen=True, kw_only=True)
class BackupPlan:
    """Where backups go and when.

    Parameters
    ----------
    hour : of the day, by the server's local clock, from which the nightly one is made
    passphrase : seals them; empty: they lie open
    settings : what the server was started with, without secrets
    """

    folder: Path
    hour: int = 2
    passphrase: str = ""
    settings: tuple[tuple[str, str], ...] = ()


def is_old(db: Session, now: datetime) -> bool:
    """Whether the last whole backup is older than a day, or there is none after a day's work."""
    done = rows.last_done(db)
    since = done.ended_at if done else rows.set_up_at(db)
    return since is not None and now - since > OLD


def is_due(db: Session, plan: BackupPlan, now: datetime) -> bool:
    """Whether tonight's backup is still to be made."""
    local = now.astimezone()
    slot = local.replace(hour=plan.hour, minute=0, second=0, microsecond=0)
    last = rows.last_nightly(db)
    return local >= slot and (last is None or last < slot)


def run(
    engine: Engine,
    pictures: PictureStore,
    home: Path,
    plan: BackupPlan,
    *,
    now: datetime,
    nightly: bool = False,
    target: Path | None = None,
) -> BackupRun | None:
    """Make a backup, note it, and let go of those that the rotation does not keep; None where
    another process makes one.

    Parameters
    ----------
    target : the file; else one in the plan's folder, named by the moment
    """
    with rows.alone(engine) as mine:
        if not mine:
            return None
        with Session(engine, expire_on_commit=False) as db:
            if nightly and not is_due(db, plan, now):
                return None
            file = target or plan.folder / f"galene-{now.strftime(STAMP)}.tar"
            row = BackupRun(began_at=now, ended_at=None, file=file.name, nightly=nightly)
            db.add(row)
            db.commit()
            try:
                if target is None:
                    plan.folder.mkdir(parents=True, exist_ok=True, mode=0o700)
                row.bytes = make_backup(
                    engine.url.render_as_string(hide_password=False),
                    pictures,
                    home,
                    file,
                    now=now,
                    passphrase=plan.passphrase,
                    settings=dict(plan.settings),
                )
            except (BackupError, OSError) as fault:
                row.fault = str(fault)[:400]
                log.error("backup_failed", fault=row.fault)
            row.ended_at = max(now, datetime.now(now.tzinfo))
            db.commit()
        if nightly and not row.fault:
            rotate(plan.folder)
        return row


def rotate(folder: Path) -> list[str]:
    """Let go of nightly backups that are kept no longer; their names."""
    made = {}
    for file in folder.glob("galene-*.tar"):
        try:
            made[file] = datetime.strptime(file.stem.removeprefix("galene-"), STAMP)  # noqa: DTZ007
        except ValueError:
            continue  # a file of somebody else's naming stays
    stays = kept(made.values())
    gone = [file for file, moment in made.items() if moment not in stays]
    for file in gone:
        file.unlink(missing_ok=True)
    return sorted(file.name for file in gone)
