"""What a job's car says by itself at its idle: the newest figures, and those from before its valve
was opened."""

from dataclasses import dataclass
from datetime import datetime, timedelta

import numpy as np
from sqlalchemy.orm import Session

from galene.core.diagnosis.live_stands import OPEN_PERCENT, SHUT_PERCENT, Stand, idles, stands
from galene.jobs.act import family_of
from galene.jobs.bands import with_own_bands
from galene.jobs.live_taking import Values, Window, window_of
from galene.store.models import Job

MEAN_S, STALE_S = 3.0, 2.0
OPEN_S, SHUT_S, BACK_S = 2.0, 6.0, 70.0
"""How long the valve is open at least, how long it was shut before, and how far back that is looked
for: a valve is held for a minute at most."""
VALVE, TOLD = "egr_position_pct", ("egr_command_pct", "runner_command_pct")
STILL_PERCENT = 2.0


@dataclass(frozen=True, kw_only=True)
class Standing:
    """What the newest figures say, and whether they are such that anything can be said."""

    idles: bool = False
    stands: tuple[Stand, ...] = ()


def standing_of(db: Session, job: Job, now: datetime) -> Standing:
    """What the figures of the last seconds say; nothing where none came.

    Parameters
    ----------
    now : the end of those seconds
    """
    newest = window_of(db, job, now - timedelta(seconds=MEAN_S), now)
    if not len(newest.time_s) or newest.time_s[-1] < MEAN_S - STALE_S:
        return Standing()
    family = with_own_bands(db, family_of(job))
    valve, shut = newest.last(VALVE, OPEN_S), None
    if len(valve) and valve.min() >= OPEN_PERCENT:
        shut = _before(window_of(db, job, now - timedelta(seconds=BACK_S), now))
    seconds = OPEN_S if shut else MEAN_S
    means = _means(newest, seconds)
    # What was just told to go elsewhere is on its way: that it is not there says nothing yet.
    still = all(np.ptp(told) < STILL_PERCENT for told in _told(newest, seconds))
    return Standing(
        idles=idles(family, family.bands, means),
        stands=stands(family, family.bands, means, shut=shut) if still else (),
    )


def _told(window: Window, seconds: float) -> list[Values]:
    """What valves and flaps were told in the last seconds."""
    found = (window.last(name, seconds) for name in TOLD)
    return [values for values in found if len(values)]


def _means(window: Window, seconds: float) -> dict[str, float]:
    known = {name: window.last(name, seconds) for name in window.columns}
    return {name: float(values.mean()) for name, values in known.items() if len(values)}


def _before(window: Window) -> dict[str, float] | None:
    """Means of the last seconds in which the valve was shut."""
    valve = window.columns[VALVE]
    with np.errstate(invalid="ignore"):
        shut = np.flatnonzero(valve < SHUT_PERCENT)
    if not len(shut):
        return None
    ends = window.time_s[shut[-1]]
    kept = (window.time_s > ends - SHUT_S) & (window.time_s <= ends)
    columns = {name: values[kept] for name, values in window.columns.items()}
    return {
        name: float(np.nanmean(values))
        for name, values in columns.items()
        if np.isfinite(values).any()
    }
