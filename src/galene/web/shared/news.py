"""News of changed jobs: one connection listens to the database, every open page hears of its job
within the same second."""

import asyncio
import threading
from collections.abc import AsyncIterator

import psycopg
import structlog
from sqlalchemy import Engine

CHANNEL = "galene_job"
HEARTBEAT_S = 15.0
log = structlog.get_logger()


class News:
    """Who waits for news of which job. The listening thread starts with the first page that waits,
    and ends with the process."""

    def __init__(self, engine: Engine) -> None:
        self._address = engine.url.set(drivername="postgresql").render_as_string(
            hide_password=False
        )
        self._waiting: dict[int, set[asyncio.Event]] = {}
        self._lock = threading.Lock()
        self._thread: threading.Thread | None = None
        self._loop: asyncio.AbstractEventLoop | None = None
        self._over = threading.Event()

    def stop(self) -> None:
        """End the listening thread and every stream."""
        self._over.set()
        self._tell(None)

    def _tell(self, job_id: int | None) -> None:
        loop = self._loop
        if loop is None or loop.is_closed():
            return
        with self._lock:
            events = [e for j, held in self._waiting.items() if job_id in (None, j) for e in held]
        for event in events:
            loop.call_soon_threadsafe(event.set)

    def _listen(self) -> None:
        """Listen until the process ends; a lost database is asked again, and pages look anew when
        it is back."""
        while not self._over.is_set():
            try:
                with psycopg.connect(
                    self._address, autocommit=True, connect_timeout=3
                ) as connection:
                    connection.execute(f"listen {CHANNEL}")
                    self._tell(None)
                    while not self._over.is_set():
                        for notice in connection.notifies(timeout=1.0):
                            self._tell(int(notice.payload))
            except psycopg.Error as fault:
                log.warning("news", fault=type(fault).__name__)
                self._over.wait(2.0)

    async def of(self, job_id: int) -> AsyncIterator[str]:
        """Server-sent events of a job: ``changed`` at each change, a comment now and then so that a
        dead line is noticed."""
        self._loop = asyncio.get_running_loop()
        event = asyncio.Event()
        with self._lock:
            self._waiting.setdefault(job_id, set()).add(event)
            if self._thread is None:
                self._thread = threading.Thread(target=self._listen, daemon=True, name="news")
                self._thread.start()
        try:
            yield "retry: 1000\n\n"
            while not self._over.is_set():
                try:
                    await asyncio.wait_for(event.wait(), HEARTBEAT_S)
                    event.clear()
                    yield "event: changed\ndata: \n\n"
                except TimeoutError:
                    yield ": still here\n\n"
        finally:
            with self._lock:
                self._waiting.get(job_id, set()).discard(event)
