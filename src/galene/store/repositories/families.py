"""Engine families: versions, drafts, bulletins."""

from collections.abc import Iterator
from typing import Any

from sqlalchemy import delete, func, or_, select, update
from sqlalchemy.orm import Session

from galene.store.models import Bulletin, Family, FamilyDraft, FamilyVersion, Job


def ids(db: Session) -> set[str]:
    """Families that are known, drafts included."""
    return set(db.scalars(select(Family.id)))


def by_id(db: Session, family_id: str) -> Family | None:
    """A family, draft or in force."""
    return db.get(Family, family_id)


def locked(db: Session, family_id: str) -> Family | None:
    """A family as it is now, locked until the write ends."""
    return db.execute(
        select(Family)
        .where(Family.id == family_id)
        .with_for_update(of=Family)
        .execution_options(populate_existing=True)
    ).scalar_one_or_none()


def is_in_force(db: Session, family_id: str) -> bool:
    """Whether vehicles may be of this family."""
    return bool(db.scalar(select(Family.current_id).where(Family.id == family_id)))


def versions_in_force(db: Session) -> list[FamilyVersion]:
    """The current version of every family, by id."""
    return list(
        db.scalars(
            select(FamilyVersion)
            .join(Family, Family.current_id == FamilyVersion.id)
            .order_by(FamilyVersion.family_id)
        )
    )


def version_in_force(db: Session, family_id: str) -> FamilyVersion | None:
    """The current version of one family."""
    return db.scalar(
        select(FamilyVersion)
        .join(Family, Family.current_id == FamilyVersion.id)
        .where(Family.id == family_id)
    )


def versions(db: Session, family_id: str) -> list[FamilyVersion]:
    """All versions of a family, the newest first."""
    return list(
        db.scalars(
            select(FamilyVersion)
            .where(FamilyVersion.family_id == family_id)
            .order_by(FamilyVersion.version.desc())
        )
    )


def last_version(db: Session, family_id: str) -> int:
    """The highest version of a family, 0 where it has none."""
    return (
        db.scalar(
            select(func.max(FamilyVersion.version)).where(FamilyVersion.family_id == family_id)
        )
        or 0
    )


def give_jobs_their_version(db: Session) -> None:
    """Jobs from before versions were kept follow what is in force."""
    in_force = select(Family.current_id).where(Family.id == Job.family_id).scalar_subquery()
    db.execute(
        update(Job).where(Job.family_version_id.is_(None)).values(family_version_id=in_force)
    )


def drafts(db: Session) -> list[FamilyDraft]:
    """The newest state of every draft, by family."""
    newest = select(func.max(FamilyDraft.id)).group_by(FamilyDraft.family_id)
    return list(
        db.scalars(
            select(FamilyDraft).where(FamilyDraft.id.in_(newest)).order_by(FamilyDraft.family_id)
        )
    )


def draft(db: Session, family_id: str, *, before: int | None = None) -> FamilyDraft | None:
    """The newest state of a family's draft, or the newest before another."""
    asked = select(FamilyDraft).where(FamilyDraft.family_id == family_id)
    if before is not None:
        asked = asked.where(FamilyDraft.id < before)
    return db.scalar(asked.order_by(FamilyDraft.id.desc()).limit(1))


def forget_drafts(db: Session, family_id: str, *, but_newest: int = 0) -> None:
    """Throw a draft's states away, all but the newest few."""
    older = (
        select(FamilyDraft.id)
        .where(FamilyDraft.family_id == family_id)
        .order_by(FamilyDraft.id.desc())
        .offset(but_newest)
    )
    db.execute(delete(FamilyDraft).where(FamilyDraft.id.in_(older)))


def documents(db: Session) -> Iterator[dict[str, Any]]:
    """Every version and every draft as it is kept."""
    yield from db.scalars(select(FamilyVersion.document))
    yield from db.scalars(select(FamilyDraft.document))


def bulletins(db: Session, *, family_id: str | None, vehicle_id: int | None) -> list[Bulletin]:
    """Bulletins of a family, of a vehicle, or of both, the newest first."""
    wanted = []
    if family_id is not None:
        wanted.append(Bulletin.family_id == family_id)
    if vehicle_id is not None:
        wanted.append(Bulletin.vehicle_id == vehicle_id)
    return list(
        db.scalars(
            select(Bulletin)
            .where(or_(*wanted))
            .order_by(Bulletin.checked_at.desc(), Bulletin.id.desc())
        )
    )
