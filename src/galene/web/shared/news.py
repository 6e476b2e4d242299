"""News of changed jobs, and of what is live: one connection listens to the database, every open
page hears of its job within the same second, and ends when its session does."""

import asyncio
import threading
from collections import deque
from collections.abc import AsyncIterator, Callable
from dataclasses import dataclass, field
from typing import Any

import psycopg
import structlog
from sqlalchemy import Engine
from starlette.concurrency import run_in_threadpool

from galene.store.database import told_within
from galene.store.repositories.jobs import CHANGED as JOBS
from galene.store.repositories.live import CHANNEL as LIVE

SESSIONS = "galene_session"
HEARTBEAT_S = 15.0
PULSE_S, BRIDGE_PULSE_S = 1.0, 3.0
"""Silence on a live stream after which it says that it is there: to a page, and to a bridge, which
guards what is held by the hand's own signs."""
MOST_WAITING = 200
"""Pieces that a slow reader of a live stream may leave behind; the oldest are let go of."""
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


@dataclass(eq=False)
class LiveStream:
    """Who waits for what is told on a topic, in whose session; a bridge has none."""

    topic: str
    session: str
    pieces: deque[str] = field(default_factory=lambda: deque(maxlen=MOST_WAITING))
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
        self._live = set[LiveStream]()
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

    def _all(self) -> list[Stream | LiveStream]:
        return [*self._waiting, *self._live]

    def _wake(self, concerned: Callable[[Stream | LiveStream], bool]) -> None:
        loop = self._loop
        if loop is None or loop.is_closed():
            return
        with self._lock:
            streams = [s for s in self._all() if concerned(s)]
        for stream in streams:
            loop.call_soon_threadsafe(stream.event.set)

    def _hear(self, channel: str, payload: str) -> None:
        if channel == JOBS:
            self._wake(lambda stream: isinstance(stream, Stream) and payload == str(stream.job_id))
            return
        if channel == LIVE:
            topic, _, piece = payload.partition("\n")
            with self._lock:
                for live in self._live:
                    if live.topic == topic:
                        live.pieces.append(piece)
            self._wake(lambda stream: isinstance(stream, LiveStream) and stream.topic == topic)
            return
        with self._lock:
            for each in self._all():
                each.ended = each.ended or each.session == payload
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
                    connection.execute(f"listen {LIVE}")
                    self._wake(lambda stream: True)
                    while not self._over.is_set():
                        for notice in told_within(connection, PULSE_S):
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
        stream = Stream(job_id, session)
        self._begin(self._waiting, stream)
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

    def _begin(self, waiting: set[Any], stream: Stream | LiveStream) -> None:
        self._loop = asyncio.get_running_loop()
        with self._lock:
            waiting.add(stream)
            if self._thread is None:
                self._thread = threading.Thread(target=self._listen, daemon=True, name="news")
                self._thread.start()

    async def live(self, topic: str, session: str, lives: Callable[[], bool]) -> AsyncIterator[str]:
        """Server-sent events of a topic, each piece as its data; a comment now and then where
        nothing is told, so that a dead line is noticed.

        Parameters
        ----------
        session : key of the session in which it was asked for; empty: of a bridge
        lives : whether that still counts; asked every fifteen seconds
        """
        stream = LiveStream(topic, session)
        self._begin(self._live, stream)
        loop, pulse_s = asyncio.get_running_loop(), PULSE_S if session else BRIDGE_PULSE_S
        ask_at = loop.time() + HEARTBEAT_S
        try:
            yield "retry: 300\n\n"
            while not (self._over.is_set() or stream.ended):
                if loop.time() > ask_at:
                    ask_at = loop.time() + HEARTBEAT_S
                    if not await run_in_threadpool(lives):
                        return
                try:
                    await asyncio.wait_for(stream.event.wait(), pulse_s)
                except TimeoutError:
                    yield ": still here\n\n"
                    continue
                stream.event.clear()
                while stream.pieces:
                    yield f"data: {stream.pieces.popleft()}\n\n"
        finally:
            with self._lock:
                self._live.discard(stream)
