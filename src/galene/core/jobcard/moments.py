"""When something at the car was done: what a card's clock says is believed only as far as the
server knows better not."""

from dataclasses import dataclass
from datetime import datetime, timedelta

DRIFT = timedelta(minutes=2)
"""How far two clocks and the way between them may lie apart without anybody's fault."""
LONGEST_AWAY = timedelta(hours=72)
"""A card that was out of reach for longer: what it made counts from so long ago at the earliest."""
FLUSHED_IN = timedelta(minutes=15)
"""How long after a card was back in reach it may still be sending what it made before."""


@dataclass(frozen=True, kw_only=True)
class Away:
    """A stretch in which the server heard nothing of a card's browser, by the server's clock."""

    begin: datetime
    end: datetime


def believable(
    claimed: datetime, *, sent: datetime | None, received: datetime, away: Away | None
) -> datetime:
    """The moment at which an entry counts as made.

    Parameters
    ----------
    claimed, sent : what the card's clock said when it was made, and when it was sent: a clock that
        is wrong is wrong in both, so the time between counts
    received : when the server has it
    away : the last stretch without a word of this browser

    Returns
    -------
    datetime
        The moment by the server's clock, where it is no more than a drift ago or lies in a stretch
        out of reach that has just ended; else `received`. What dries has dried from the later of
        what may be: a moment that nobody can vouch for makes no wait shorter.

    Examples
    --------
    >>> noon = datetime(2026, 11, 26, 12)
    >>> believable(datetime(2026, 11, 24, 12), sent=noon, received=noon, away=None) == noon
    True
    """
    age = received - claimed if sent is None else max(timedelta(), sent - claimed)
    made = min(received, received - age)
    if received - made <= DRIFT:
        return made
    if away is None or received - away.end > FLUSHED_IN:
        return received
    begin = max(away.begin, received - LONGEST_AWAY)
    if begin - DRIFT <= made <= away.end + DRIFT:
        return max(made, begin)
    return received
