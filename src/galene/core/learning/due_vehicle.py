"""A vehicle and when it is to be looked at again, in days."""

from dataclasses import dataclass
from datetime import date, datetime

from galene.core.jobcard.job_records import NextLook


@dataclass(frozen=True, kw_only=True)
class DueVehicle:
    """A vehicle and when it is to be looked at again.

    Parameters
    ----------
    look : what was reckoned when its last job was signed
    parts : labels of the part that is due first and of those done with it
    on, low, high : days, as the vehicle is used
    per_day : km or hours a day
    standing : overdue, soon, later, here (it is in the workshop)
    sequence : grows with every change, for calendars
    """

    plate: str
    plate_key: str
    model: str
    keeper: str
    vehicle_id: int
    number: str
    signed_at: datetime
    look: NextLook
    parts: tuple[str, ...]
    on: date
    low: date
    high: date
    per_day: float
    standing: str
    sequence: int
