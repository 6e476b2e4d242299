"""The server that runs the application: streams of news end before it waits for what is in flight,
and a connection that says nothing is not held for ever."""

import asyncio
import socket
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import uvicorn
from fastapi import FastAPI
from uvicorn.protocols.http.httptools_impl import HttpToolsProtocol

HEAD_S = 10.0
"""Seconds in which a new connection must have sent the head of a request."""
MOST_CONNECTIONS = 2000


@dataclass(frozen=True, kw_only=True)
class Listening:
    """Where a server listens, whom it believes, and its certificate.

    `proxies` are the addresses of those proxies whose word about the caller is taken; none: nobody
    stands between.
    """

    host: str = "127.0.0.1"
    port: int
    proxies: str = ""
    certificate: Path | None = None
    key: Path | None = None


class PatientProtocol(HttpToolsProtocol):
    """Closes a connection on which the head of a request does not come."""

    _waits: asyncio.TimerHandle | None = None

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        """Begin to wait for the head of a request."""
        super().connection_made(transport)
        self._waits = self.loop.call_later(HEAD_S, self._give_up)

    @property
    def _idle(self) -> bool:
        return self.cycle is None or self.cycle.response_complete

    def _give_up(self) -> None:
        self._waits = None
        if self._idle and not self.transport.is_closing():
            self.transport.close()

    def data_received(self, data: bytes) -> None:
        """The begin of a later request on the same connection must be followed by its rest too."""
        super().data_received(data)
        if self._idle and self._waits is None and not self.transport.is_closing():
            self._waits = self.loop.call_later(HEAD_S, self._give_up)

    def on_headers_complete(self) -> None:
        """The head is here."""
        if self._waits is not None:
            self._waits.cancel()
            self._waits = None
        super().on_headers_complete()

    def connection_lost(self, exc: Exception | None) -> None:
        """Nothing is waited for any longer."""
        if self._waits is not None:
            self._waits.cancel()
        super().connection_lost(exc)


class Server(uvicorn.Server):
    """One process that serves an application."""

    def __init__(self, app: FastAPI, at: Listening, log_level: str = "warning") -> None:
        more: dict[str, Any] = {}
        if at.certificate is not None:
            more = {"ssl_certfile": str(at.certificate), "ssl_keyfile": at.key and str(at.key)}
        super().__init__(
            uvicorn.Config(
                app,
                host=at.host,
                port=at.port,
                http=PatientProtocol,
                proxy_headers=bool(at.proxies),
                forwarded_allow_ips=at.proxies or None,
                limit_concurrency=MOST_CONNECTIONS,
                log_level=log_level,
                access_log=False,
                server_header=False,
                timeout_graceful_shutdown=3,
                **more,
            )
        )
        self.app = app

    async def shutdown(self, sockets: list[socket.socket] | None = None) -> None:
        """Stop taking requests and finish those in flight; a stream of news would never end by
        itself."""
        self.app.state.news.stop()
        await super().shutdown(sockets)
