"""The running server with the demo data and a clock that the test may put forward, and Debian's Chromium."""

import threading
from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
import uvicorn
from playwright.sync_api import Page
from sqlalchemy import Engine

from galene.store.cluster import free_port
from galene.web.app import create_app


@dataclass
class Server:
    """Where the server is, and its clock."""

    address: str = ""
    ahead: timedelta = field(default_factory=timedelta)

    def clock(self) -> datetime:
        return datetime.now(UTC) + self.ahead

    def later(self, minutes: float) -> None:
        """Let time pass on the server."""
        self.ahead += timedelta(minutes=minutes)


@pytest.fixture
def server(engine: Engine, tmp_path: Path) -> Iterator[Server]:
    made = Server()
    port = free_port()
    made.address = f"http://127.0.0.1:{port}"
    runner = uvicorn.Server(uvicorn.Config(create_app(engine, made.clock, tmp_path), host="127.0.0.1", port=port, log_level="error"))
    thread = threading.Thread(target=runner.run, daemon=True)
    thread.start()
    while not runner.started:
        thread.join(0.02)
    yield made
    runner.should_exit = True
    thread.join(10)


@pytest.fixture(scope="session")
def browser_type_launch_args() -> dict[str, Any]:
    flags = (
        "--no-sandbox --disable-gpu --disable-quic --no-first-run --disable-background-networking --disable-component-update --disable-sync"
    )
    return {"executable_path": "/usr/bin/chromium", "args": flags.split()}


@pytest.fixture
def faults(page: Page) -> Iterator[list[str]]:
    """Console errors and failed requests: none may remain at the end, but those a test takes out."""
    seen: list[str] = []
    page.on("console", lambda m: seen.append(m.text) if m.type == "error" else None)
    page.on("pageerror", lambda e: seen.append(str(e)))
    # A part that was on its way when the page was left is aborted by the browser itself.
    page.on("requestfailed", lambda r: seen.append(f"failed: {r.url}") if r.failure != "net::ERR_ABORTED" else None)
    yield seen
    assert seen == []
