"""Makers' own codes in the workshop's words."""

from datetime import datetime

from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from galene.store.models import MakerCode


def every(db: Session) -> dict[str, MakerCode]:
    """All that are named, by code."""
    return {row.code: row for row in db.scalars(select(MakerCode))}


def groups(db: Session) -> dict[str, str]:
    """The evidence that each counts as, by code."""
    return {
        row.code: row.evidence for row in db.execute(select(MakerCode.code, MakerCode.evidence))
    }


def save(
    db: Session, code: str, text: str, *, evidence: str | None, at: datetime, person_id: int
) -> MakerCode:
    """Name a code, or name it anew; what was read of it before is read again."""
    values = {"text": text, "evidence": evidence, "at": at, "person_id": person_id}
    db.execute(
        insert(MakerCode)
        .values(code=code, **values)
        .on_conflict_do_update(index_elements=["code"], set_=values)
    )
    db.flush()
    db.expire_all()
    return db.get_one(MakerCode, code)
