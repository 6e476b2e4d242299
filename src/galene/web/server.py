"""The server that runs the application: streams of news end before it waits for what is in
flight."""

import socket

import uvicorn
from fastapi import FastAPI


class Server(uvicorn.Server):
    """One process that serves an application on loopback."""

    def __init__(self, app: FastAPI, port: int, log_level: str = "warning") -> None:
        super().__init__(
            uvicorn.Config(
                app,
                host="127.0.0.1",
                port=port,
                log_level=log_level,
                access_log=False,
                server_header=False,
                timeout_graceful_shutdown=3,
            )
        )
        self.app = app

    async def shutdown(self, sockets: list[socket.socket] | None = None) -> None:
        """Stop taking requests and finish those in flight; a stream of news would never end by
        itself."""
        self.app.state.news.stop()
        await super().shutdown(sockets)
