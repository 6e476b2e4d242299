"""How long the next try waits after wrong ones: longer each time, never for good."""

from dataclasses import dataclass
from datetime import datetime, timedelta


@dataclass(frozen=True, kw_only=True)
class Slowing:
    """How tries of one kind are slowed.

    Parameters
    ----------
    free : wrong tries that cost no wait
    most_s : the longest wait, seconds
    forgotten : after how long without a try all is forgotten
    """

    free: int
    most_s: float
    forgotten: timedelta


BY_NAME = Slowing(free=5, most_s=900.0, forgotten=timedelta(hours=12))
BY_ADDRESS = Slowing(free=20, most_s=300.0, forgotten=timedelta(hours=1))
BY_PIN = Slowing(free=3, most_s=900.0, forgotten=timedelta(hours=12))
"""Project's defaults: a PIN of four figures takes some months to guess at this pace."""


def counted(slowing: Slowing, count: int, *, last: datetime | None, now: datetime) -> int:
    """Wrong tries with the one of now.

    Parameters
    ----------
    count, last : wrong tries before, and when the last of them was
    """
    if last is None or now - last > slowing.forgotten:
        return 1
    return count + 1


def wait_after(slowing: Slowing, count: int) -> timedelta:
    """The wait after so many wrong tries: doubled by each beyond the free ones.

    Examples
    --------
    >>> [wait_after(BY_NAME, n).total_seconds() for n in (4, 5, 6, 10, 40)]
    [0.0, 1.0, 2.0, 32.0, 900.0]
    """
    if count < slowing.free:
        return timedelta()
    return timedelta(seconds=min(slowing.most_s, 2.0 ** min(count - slowing.free, 20)))
