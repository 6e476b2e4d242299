"""How often one address of the net may ask: a minute's requests, and secrets that were none."""

from datetime import datetime
from threading import Lock

from cachetools import TTLCache

MINUTE, MOST_A_MINUTE = 60.0, 60
GUESSING, MOST_GUESSES = 600.0, 10
MOST_KNOWN = 20_000
"""Addresses that are remembered at a time."""


class Limits:
    """Counts by address of the net. Each server process counts for itself."""

    def __init__(self) -> None:
        self._asked: TTLCache[str, int] = TTLCache(MOST_KNOWN, MINUTE)
        self._guessed: TTLCache[str, int] = TTLCache(MOST_KNOWN, GUESSING)
        self._lock = Lock()

    def allows(self, address: str) -> bool:
        """Count a request; whether it may go on."""
        with self._lock:
            asked = self._asked.get(address, 0) + 1
            self._asked[address] = asked
            return asked <= MOST_A_MINUTE and self._guessed.get(address, 0) < MOST_GUESSES

    def guessed(self, address: str) -> None:
        """A secret was none."""
        with self._lock:
            self._guessed[address] = self._guessed.get(address, 0) + 1


def retry_after(now: datetime) -> str:
    """Seconds until the next try, as a header says it."""
    return str(60 - now.second)
