"""Hours at work in a week, and who is there at a moment."""

import re
from dataclasses import dataclass
from datetime import datetime, time, timedelta

from galene.core.errors import InputError

DAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
_SPAN = re.compile(r"(\d{1,2})(?:[:.](\d{2}))?\s*[-–]\s*(\d{1,2})(?:[:.](\d{2}))?", re.ASCII)


@dataclass(frozen=True, kw_only=True)
class WeekHours:
    """From and to of each weekday as minutes of the day, Monday first; None on a day off.

    A week without any day at work means that nothing was said of it.
    """

    days: tuple[tuple[int, int] | None, ...] = (None,) * 7

    @property
    def said(self) -> bool:
        """Whether any day has hours."""
        return any(self.days)

    def at_work(self, moment: datetime) -> bool:
        """Whether the person is at work at a local moment; without any hours: always.

        Examples
        --------
        >>> week = WeekHours(days=((480, 1000),) + (None,) * 6)
        >>> week.at_work(datetime(2026, 11, 23, 9, 0))  # a Monday
        True
        >>> week.at_work(datetime(2026, 11, 24, 9, 0))
        False
        """
        if not self.said:
            return True
        span = self.days[moment.weekday()]
        return span is not None and span[0] <= moment.hour * 60 + moment.minute < span[1]

    def next_change(self, moment: datetime) -> datetime | None:
        """The local moment at which the person leaves, or comes; None without any hours.

        Examples
        --------
        >>> week = WeekHours(days=((480, 1000),) + (None,) * 6)
        >>> week.next_change(datetime(2026, 11, 23, 9, 0)).strftime("%a %H:%M")
        'Mon 16:40'
        """
        if not self.said:
            return None
        there = self.at_work(moment)
        for ahead in range(8):
            day = (moment + timedelta(days=ahead)).date()
            span = self.days[day.weekday()]
            if span is None:
                continue
            at = datetime.combine(day, time(), tzinfo=moment.tzinfo)
            change = at + timedelta(minutes=span[1] if there else span[0])
            if change > moment:
                return change
        return None


def read_hours(name: str, text: str) -> tuple[int, int] | None:
    """Hours of a day as they are written, None where nothing is.

    Parameters
    ----------
    name : the field, for the fault
    text : such as ``7:30-16:00`` or ``8-17``

    Raises
    ------
    InputError

    Examples
    --------
    >>> read_hours("mon", "7:30-16:00")
    (450, 960)
    """
    if not text.strip():
        return None
    found = _SPAN.fullmatch(text.strip())
    if found:
        begin, begin_minutes, end, end_minutes = (int(x or 0) for x in found.groups())
        span = (begin * 60 + begin_minutes, end * 60 + end_minutes)
        if begin_minutes < 60 and end_minutes < 60 and span[0] < span[1] <= 24 * 60:
            return span
    raise InputError(name, text[:20], "from and to, such as 7:30-16:00, or nothing on a day off")


def hours_text(span: tuple[int, int] | None) -> str:
    """Hours of a day as they are written; empty on a day off.

    Examples
    --------
    >>> hours_text((450, 960))
    '7:30-16:00'
    """
    if span is None:
        return ""
    return "-".join(f"{minutes // 60}:{minutes % 60:02d}" for minutes in span)
