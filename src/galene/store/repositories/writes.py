"""What makes a write safe: tokens that count once, revisions that nobody takes twice."""

from datetime import datetime

from sqlalchemy import delete, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from galene.store.models import Section, WriteOnce


def claim_key(db: Session, token: str, person_id: int, *, at: datetime, location: str) -> bool:
    """Whether the token is new; a twin that is still in its transaction is waited for."""
    claimed = db.execute(
        insert(WriteOnce)
        .values(token=token, person_id=person_id, at=at, location=location)
        .on_conflict_do_nothing()
        .returning(WriteOnce.token)
    ).first()
    return claimed is not None


def token(db: Session, token_text: str) -> WriteOnce | None:
    """A token that was claimed."""
    return db.get(WriteOnce, token_text)


def forget_tokens(db: Session, before: datetime) -> None:
    """Tokens so old that nobody sends their form again."""
    db.execute(delete(WriteOnce).where(WriteOnce.at < before))


def section_locked(db: Session, job_id: int, name: str, *, at: datetime, person_id: int) -> Section:
    """A section's revision, made at 0 where it is new, locked until the write ends."""
    db.execute(
        insert(Section)
        .values(job_id=job_id, name=name, revision=0, at=at, person_id=person_id)
        .on_conflict_do_nothing()
    )
    return db.execute(
        select(Section)
        .where(Section.job_id == job_id, Section.name == name)
        .with_for_update()
        .execution_options(populate_existing=True)
    ).scalar_one()
