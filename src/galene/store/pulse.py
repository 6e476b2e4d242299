"""Whether the database answers: asked again and again on a connection of its own, so that nobody
has to hang to find out."""

import threading
import time

import psycopg
import structlog

EVERY_S, PATIENCE_S = 0.5, 3.5
log = structlog.get_logger()


class Pulse:
    """A thread that asks the database every half second.

    A server that is stopped, not ended, takes every question and answers none; no time-out of the
    database's own helps there, so the question that is still out tells it.

    Parameters
    ----------
    url : address of the database
    patience_s : seconds after which a question without answer means that it does not answer
    """

    def __init__(self, url: str, patience_s: float = PATIENCE_S) -> None:
        self._url, self.patience_s = url, patience_s
        self._asked: float | None = None
        self._failed = False
        self._over = threading.Event()
        self._thread: threading.Thread | None = None

    @property
    def down(self) -> bool:
        """Whether the database does not answer now."""
        asked = self._asked
        waits = asked is not None and time.monotonic() - asked > self.patience_s
        return self._failed or waits

    def start(self) -> None:
        """Begin to ask."""
        self._over.clear()
        self._thread = threading.Thread(target=self._beat, daemon=True, name="pulse")
        self._thread.start()

    def stop(self) -> None:
        """Ask no more."""
        self._over.set()

    def _beat(self) -> None:
        connection: psycopg.Connection[tuple[object, ...]] | None = None
        while not self._over.is_set():
            self._asked = time.monotonic()
            was_down = self.down
            try:
                if connection is None:
                    connection = psycopg.connect(self._url, autocommit=True, connect_timeout=3)
                connection.execute("select 1")
            except psycopg.Error as fault:
                if not self._failed:
                    log.warning("database_lost", fault=type(fault).__name__)
                self._failed, connection = True, None
            else:
                if was_down or self._failed:
                    log.warning("database_back")
                self._failed = False
            self._asked = None
            self._over.wait(EVERY_S)
        if connection is not None:
            connection.close()
