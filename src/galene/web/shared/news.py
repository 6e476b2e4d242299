"""News of changed jobs: one connection listens to the database, every open page hears of its job
within the same second, and ends when its session does."""

import asyncio
import threading
from collections.abc import AsyncIterator, Callable
from dataclasses import dataclass, field

import psycopg
import structlog
from sqlalchemy import Engine
from starlette.concurrency import run_in_threadpool

JOBS, SESSIONS = "galene_job", "galene_session"
HEARTBEAT_S = 15.0
SILENCE_S = 2.0
"""Pause before a lost database is asked again."""
log = structlog.get_logger()


@dataclass(eq=False)
class Stream:
    """A page that waits: for which job, in whose session."""

    job_id: int
    session: str
    event: asyncio.Event = field(default_factory=asyncio.Event)
    ended: bool = False


class News:
    """Who waits for news of which job. The listening thread starts with the first page that waits,
    and ends with the process."""

    def __init__(self, engine: Engine) -> None:
        self._address = engine.url.set(drivername="postgresql").render_as_string(
            hide_password=False
        )
        self._waiting = set[Stream]()
        self._lock = threading.Lock()
        self._thread: threading.Thread | None = None
        self._loop: asyncio.AbstractEventLoop | None = None
        self._over = threading.Event()

    @property
    def over(self) -> bool:
        """Whether the server is ending."""
        return self._over.is_set()

    @property
    def count(self) -> int:
        """How many pages wait."""
        return len(self._waiting)

    def stop(self) -> None:
        """End the listening thread and every stream."""
        self._over.set()
        self._wake(lambda stream: True)

    def _wake(self, concerned: Callable[[Stream], bool]) -> None:
        loop = self._loop
        if loop is None or loop.is_closed():
            return
        with self._lock:
            streams = [s for s in self._waiting if concerned(s)]
        for stream in streams:
            loop.call_soon_threadsafe(stream.event.set)

    def _hear(self, channel: str, payload: str) -> None:
        if channel == JOBS:
            self._wake(lambda stream: payload == str(stream.job_id))
            return
        with self._lock:
            for stream in self._waiting:
                stream.ended = stream.ended or stream.session == payload
        self._wake(lambda stream: stream.ended)

    def _listen(self) -> None:
        """Listen until the process ends; a lost database is asked again, and pages look anew when
        it is back."""
        while not self._over.is_set():
            try:
                with psycopg.connect(
                    self._address, autocommit=True, connect_timeout=3
                ) as connection:
                    connection.execute(f"listen {JOBS}")
                    connection.execute(f"listen {SESSIONS}")
                    self._wake(lambda stream: True)
                    while not self._over.is_set():
                        for notice in connection.notifies(timeout=1.0):
                            self._hear(notice.channel, notice.payload)
            except psycopg.Error as fault:
                log.warning("news", fault=type(fault).__name__)
                self._over.wait(SILENCE_S)

    async def of(self, job_id: int, session: str, lives: Callable[[], bool]) -> AsyncIterator[str]:
        """Server-sent events of a job: ``changed`` at each change, a comment now and then so that a
        dead line is noticed.

        Parameters
        ----------
        session : key of the session in which the page was asked for
        lives : whether that session still counts; asked at every comment
        """
        self._loop = asyncio.get_running_loop()
        stream = Stream(job_id, session)
        with self._lock:
            self._waiting.add(stream)
            if self._thread is None:
                self._thread = threading.Thread(target=self._listen, daemon=True, name="news")
                self._thread.start()
        try:
            yield "retry: 1000\n\n"
            while not (self._over.is_set() or stream.ended):
                try:
                    await asyncio.wait_for(stream.event.wait(), HEARTBEAT_S)
                except TimeoutError:
                    if not await run_in_threadpool(lives):
                        return
                    yield ": still here\n\n"
                    continue
                stream.event.clear()
                if not stream.ended:
                    yield "event: changed\ndata: \n\n"
        finally:
            with self._lock:
                self._waiting.discard(stream)
