"""While the database does not answer, requests are answered all the same: at once where it is
known, within seconds where it stops in their middle."""

import asyncio
from collections.abc import Awaitable, Callable
from dataclasses import dataclass

from starlette.types import ASGIApp, Message, Receive, Scope, Send

from galene.store.pulse import Pulse

LOOK_S = 0.25
WITHOUT_DATABASE = ("/static/", "/healthz", "/readyz", "/sw.js", "/api/v1/openapi.json")
Tell = Callable[[Scope, Receive, Send, bool], Awaitable[None]]
"""Answers that the database does not answer; whether the request was already under way."""


@dataclass
class _Sending:
    """Whether the answer has begun, and whether it is for nobody any more."""

    begun: bool = False
    given_up: bool = False


class Deadline:
    """Answers in the place of a route that hangs on the database.

    Its thread goes on by itself and ends when the database is back: what it was writing may still
    become durable then, so the words do not say that nothing was saved.
    """

    def __init__(self, app: ASGIApp, *, pulse: Pulse, tell: Tell) -> None:
        self.app, self.pulse, self.tell = app, pulse, tell
        self._left = set[asyncio.Task[None]]()

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http" or scope["path"].startswith(WITHOUT_DATABASE):
            await self.app(scope, receive, send)
            return
        if self._silent():
            await self.tell(scope, receive, send, False)
            return
        state = _Sending()

        async def send_on(message: Message) -> None:
            if not state.given_up:
                state.begun = True
                await send(message)

        task: asyncio.Task[None] = asyncio.ensure_future(self._run(scope, receive, send_on))
        while not state.begun and not (await asyncio.wait({task}, timeout=LOOK_S))[0]:
            if self._silent() and not state.begun:
                state.given_up = True
                self._leave(task)
                await self.tell(scope, receive, send, True)
                return
        await task

    def _silent(self) -> bool:
        return self.pulse.down

    async def _run(self, scope: Scope, receive: Receive, send: Send) -> None:
        await self.app(scope, receive, send)

    def _leave(self, task: "asyncio.Task[None]") -> None:
        """Let it end by itself; what it says then is for nobody."""
        self._left.add(task)

        def over(done: "asyncio.Task[None]") -> None:
            self._left.discard(done)
            if not done.cancelled():
                done.exception()

        task.add_done_callback(over)
