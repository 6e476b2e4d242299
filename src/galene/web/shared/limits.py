"""How much one address of the net may ask in a minute: requests, time of the processor, and secrets
that were none."""

from datetime import datetime
from threading import Lock

from cachetools import TTLCache

MINUTE, GUESSING, MOST_GUESSES = 60.0, 600.0, 10
MOST_KNOWN = 20_000
"""Addresses that are remembered at a time."""


class Limits:
    """Counts by address of the net. Each server process counts for itself.

    Parameters
    ----------
    requests : requests a minute
    seconds : seconds of computing a minute
    """

    def __init__(self, requests: int, seconds: float = 60.0) -> None:
        self.requests, self.seconds = requests, seconds
        self._asked: TTLCache[str, int] = TTLCache(MOST_KNOWN, MINUTE)
        self._spent: TTLCache[str, float] = TTLCache(MOST_KNOWN, MINUTE)
        self._guessed: TTLCache[str, int] = TTLCache(MOST_KNOWN, GUESSING)
        self._lock = Lock()

    def allows(self, address: str) -> bool:
        """Count a request; whether it may go on."""
        with self._lock:
            asked = self._asked.get(address, 0) + 1
            self._asked[address] = asked
            return (
                asked <= self.requests
                and self._spent.get(address, 0.0) < self.seconds
                and self._guessed.get(address, 0) < MOST_GUESSES
            )

    def spent(self, address: str, seconds: float) -> None:
        """Computing took so long."""
        with self._lock:
            self._spent[address] = self._spent.get(address, 0.0) + seconds

    def guessed(self, address: str) -> None:
        """A secret was none."""
        with self._lock:
            self._guessed[address] = self._guessed.get(address, 0) + 1


def retry_after(now: datetime) -> str:
    """Seconds until the next try, as a header says it."""
    return str(60 - now.second)
