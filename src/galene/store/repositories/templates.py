"""Foremen's versions of templates."""

from collections.abc import Collection

from sqlalchemy import ColumnElement, select
from sqlalchemy.dialects.postgresql import distinct_on
from sqlalchemy.orm import Session

from galene.store.models import TemplateVersion


def in_force(db: Session, *, family_ids: Collection[str] | None = None) -> list[TemplateVersion]:
    """The newest version of each template, of all families or of some; none that was taken
    back."""
    keys = (TemplateVersion.kind, TemplateVersion.template_id, TemplateVersion.family_id)
    where: list[ColumnElement[bool]] = []
    if family_ids is not None:
        where.append(TemplateVersion.family_id.in_(family_ids))
    rows = db.scalars(
        select(TemplateVersion)
        .ext(distinct_on(*keys))
        .where(*where)
        .order_by(*keys, TemplateVersion.version.desc())
    )
    return [row for row in rows if row.document is not None]


def versions(db: Session, kind: str, template_id: str, *, family_id: str) -> list[TemplateVersion]:
    """All versions of one template, the newest first."""
    return list(
        db.scalars(
            select(TemplateVersion)
            .where(
                TemplateVersion.kind == kind,
                TemplateVersion.template_id == template_id,
                TemplateVersion.family_id == family_id,
            )
            .order_by(TemplateVersion.version.desc())
        )
    )
