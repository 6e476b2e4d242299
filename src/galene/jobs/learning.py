"""What the workshop's own finished jobs say about the rankings."""

from sqlalchemy import select
from sqlalchemy.orm import Session

from galene.core.learning import Calibration, Confirmed, calibration
from galene.store.models import Job


def confirmed_jobs(db: Session, limit: int = 5000) -> list[Confirmed]:
    """Finished jobs whose ranking was kept when the technician confirmed the cause."""
    rows = db.scalars(
        select(Job.handover)
        .where(Job.state == "finished")
        .order_by(Job.finished_at.desc())
        .limit(limit)
    )
    return [
        Confirmed(tuple((c, float(p)) for c, p in h["ranking"]), h["cause"])
        for h in rows
        if h.get("cause") and h.get("ranking")
    ]


def how_right(db: Session) -> Calibration | None:
    """The calibration, None before the first finished job."""
    jobs = confirmed_jobs(db)
    return calibration(jobs) if jobs else None
