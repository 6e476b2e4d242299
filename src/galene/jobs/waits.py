"""Waits of a job that still run."""

from datetime import datetime

from galene.store.models import Job, WaitRow


def running_waits(job: Job, now: datetime) -> list[WaitRow]:
    """Waits that still run, the next to end first."""
    left = [w for w in job.waits if w.ends_at > now and not w.cut_short]
    return sorted(left, key=lambda w: w.ends_at)
