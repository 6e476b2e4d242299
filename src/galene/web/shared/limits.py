"""How much one address of the net may ask in a minute: requests, time of the processor, and secrets
that were none."""

import time
from collections.abc import Callable
from dataclasses import dataclass
from math import ceil
from threading import Lock

from cachetools import TTLCache

MINUTE_S, GUESSING_S, MOST_GUESSES = 60.0, 600.0, 10
MOST_KNOWN = 20_000
"""Addresses that are remembered at a time."""


@dataclass(kw_only=True)
class Window:
    """What an address took since its first question, and when that is forgotten."""

    ends: float
    taken: float = 0.0


class Windows:
    """What each address took of one thing.

    Parameters
    ----------
    most : what it may take in so many seconds
    seconds : from the first one on
    """

    def __init__(self, most: float, seconds: float, clock: Callable[[], float]) -> None:
        self.most, self.seconds, self._clock = most, seconds, clock
        self._open: TTLCache[str, Window] = TTLCache(MOST_KNOWN, seconds, timer=clock)

    def of(self, address: str) -> Window:
        """The window of an address. It ends when it ends, however often is asked within it."""
        found = self._open.get(address)
        if found is None:
            found = self._open[address] = Window(ends=self._clock() + self.seconds)
        return found

    def rest(self, window: Window) -> int:
        """Whole seconds until it is over."""
        return max(1, ceil(window.ends - self._clock()))


class Limits:
    """Counts by address of the net. Each server process counts for itself.

    Parameters
    ----------
    requests : requests a minute
    seconds : seconds of computing a minute
    clock : seconds that only go forward
    """

    def __init__(
        self, requests: int, seconds: float = 60.0, clock: Callable[[], float] = time.monotonic
    ) -> None:
        self._asked = Windows(requests, MINUTE_S, clock)
        self._spent = Windows(seconds, MINUTE_S, clock)
        self._guessed = Windows(MOST_GUESSES, GUESSING_S, clock)
        self._lock = Lock()

    def wait(self, address: str) -> int:
        """Count a request: seconds until the next one is answered, 0 where this one is."""
        with self._lock:
            asked, spent = self._asked.of(address), self._spent.of(address)
            asked.taken += 1
            rests = [
                windows.rest(window)
                for windows, window, over in (
                    (self._asked, asked, asked.taken > self._asked.most),
                    (self._spent, spent, spent.taken >= self._spent.most),
                )
                if over
            ]
            return max(rests, default=0)

    def spent(self, address: str, seconds: float) -> None:
        """Computing took so long."""
        with self._lock:
            self._spent.of(address).taken += seconds

    def guess(self, address: str) -> int:
        """Count a secret as wrong before it is looked at, so that many at once are not all the
        first: seconds until it is looked at, 0 where it is now."""
        with self._lock:
            window = self._guessed.of(address)
            if window.taken >= self._guessed.most:
                return self._guessed.rest(window)
            window.taken += 1
            return 0

    def right(self, address: str) -> None:
        """The secret was one."""
        with self._lock:
            window = self._guessed.of(address)
            window.taken = max(0.0, window.taken - 1)
