"""Which nightly backups are kept: each of the last days, one a week for some weeks, one a month for
some months."""

from collections.abc import Iterable
from datetime import datetime

DAYS, WEEKS, MONTHS = 7, 5, 6
"""Project's defaults: what is found spoilt within half a year can be fetched back."""


def kept(made: Iterable[datetime]) -> frozenset[datetime]:
    """Moments of the backups that stay: the newest of each of the last `DAYS` days, `WEEKS` weeks
    and `MONTHS` months that have one.

    Parameters
    ----------
    made : when each was made

    Examples
    --------
    >>> from datetime import timedelta
    >>> night = datetime(2026, 11, 26, 2)
    >>> stays = kept(night - timedelta(days=n) for n in range(400))
    >>> len(stays), min(stays)
    (15, datetime.datetime(2026, 6, 30, 2, 0))
    """
    newest_first = sorted(made, reverse=True)
    stays: set[datetime] = set()
    # Named by day, by ISO week, by month.
    for most, pattern in ((DAYS, "%Y-%m-%d"), (WEEKS, "%G-%V"), (MONTHS, "%Y-%m")):
        seen: dict[str, datetime] = {}
        for moment in newest_first:
            seen.setdefault(moment.strftime(pattern), moment)
        stays.update(list(seen.values())[:most])
    return frozenset(stays)
