"""What the workshop's own finished jobs say about the rankings."""

from sqlalchemy.orm import Session

from galene.core.diagnosis.calibration import Calibration, Confirmed, calibration
from galene.store.repositories import jobs


def confirmed_jobs(db: Session, limit: int = 5000) -> list[Confirmed]:
    """Finished jobs whose causes a found thing confirmed, with the ranking kept then."""
    return [
        Confirmed(h.ranking, h.confirmed)
        for h in jobs.handovers(db, limit)
        if h.confirmed and h.ranking
    ]


def shop_calibration(db: Session) -> Calibration | None:
    """The calibration, None before the first finished job."""
    jobs = confirmed_jobs(db)
    return calibration(jobs) if jobs else None
