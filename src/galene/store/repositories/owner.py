"""Owners' addresses, and what owners said there."""

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from galene.store.models import OwnerLink, OwnerWord


def by_hash(db: Session, secret_hash: str) -> OwnerLink | None:
    """The address whose secret has this hash, closed ones too."""
    return db.scalar(select(OwnerLink).where(OwnerLink.secret_hash == secret_hash))


def by_id(db: Session, job_id: int, link_id: int) -> OwnerLink | None:
    """One address of a job."""
    return db.scalar(select(OwnerLink).where(OwnerLink.id == link_id, OwnerLink.job_id == job_id))


def of_job(db: Session, job_id: int) -> list[OwnerLink]:
    """A job's addresses, the newest first."""
    asked = select(OwnerLink).where(OwnerLink.job_id == job_id).order_by(OwnerLink.id.desc())
    return list(db.scalars(asked))


def words_of(db: Session, job_id: int) -> list[OwnerWord]:
    """What owners said on a job, the newest first."""
    asked = (
        select(OwnerWord)
        .join(OwnerLink, OwnerLink.id == OwnerWord.link_id)
        .where(OwnerLink.job_id == job_id)
        .order_by(OwnerWord.id.desc())
    )
    return list(db.scalars(asked))


def word(db: Session, job_id: int, word_id: int) -> OwnerWord | None:
    """One thing that was said on a job."""
    asked = (
        select(OwnerWord)
        .join(OwnerLink, OwnerLink.id == OwnerWord.link_id)
        .where(OwnerLink.job_id == job_id, OwnerWord.id == word_id)
    )
    return db.scalars(asked).one_or_none()


def said_before(db: Session, link_id: int, once: str) -> bool:
    """Whether this form was sent before."""
    asked = select(OwnerWord.id).where(OwnerWord.link_id == link_id, OwnerWord.once == once)
    return db.scalar(asked) is not None


def count(db: Session, link_id: int) -> int:
    """How much was said at an address."""
    asked = select(func.count()).select_from(OwnerWord).where(OwnerWord.link_id == link_id)
    return db.scalar(asked) or 0


def unanswered(db: Session, limit: int) -> list[OwnerWord]:
    """Questions that nobody has answered, the oldest first."""
    asked = (
        select(OwnerWord)
        .where(OwnerWord.kind == "ask", OwnerWord.replied_at.is_(None))
        .order_by(OwnerWord.id)
        .limit(limit)
    )
    return list(db.scalars(asked))
