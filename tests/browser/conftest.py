"""The running server with the demo data and a clock that the test may put forward, and Debian's
Chromium."""

import threading
from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
from fastapi import FastAPI
from playwright.sync_api import Page, expect
from sqlalchemy import Engine
from sqlalchemy.orm import Session

from galene.jobs.signing_in import open_session
from galene.store.cluster import free_port
from galene.web.app import Site, create_app
from galene.web.server import Listening
from galene.web.server import Server as Runner
from galene.web.shared.caller import SESSION
from tests.conftest import person

# What is waited for is an event; the limit only ends a run that hangs, however busy the machine is.
expect.set_options(timeout=60_000)


@dataclass(kw_only=True)
class Server:
    """Where the server is, and its clock."""

    engine: Engine
    home: Path
    port: int = field(default_factory=free_port)
    ahead: timedelta = field(default_factory=timedelta)
    _app: FastAPI | None = None
    _runner: Runner | None = None
    _thread: threading.Thread | None = None

    @property
    def address(self) -> str:
        """Where a browser finds it."""
        return f"http://127.0.0.1:{self.port}"

    def start(self) -> None:
        """Start it, or start it again at the same address."""
        site = Site(home=self.home, patience_s=600)
        self._app = create_app(self.engine, site, self.clock)
        self._runner = Runner(self._app, Listening(port=self.port), "critical")
        self._thread = threading.Thread(target=self._runner.run, daemon=True)
        self._thread.start()
        while not self._runner.started:
            self._thread.join(0.02)

    def kill(self) -> None:
        """Cut everybody off, streams in mid-flow too."""
        if self._runner and self._thread:
            self._runner.should_exit = self._runner.force_exit = True
            self._thread.join(10)
        if self._app:
            # A killed process takes them with it: here they would ask a lost database for ever.
            self._app.state.pulse.stop()
            self._app.state.news.stop()

    def clock(self) -> datetime:
        return datetime.now(UTC) + self.ahead

    def later(self, minutes: float) -> None:
        """Let time pass on the server."""
        self.ahead += timedelta(minutes=minutes)


@pytest.fixture
def server(engine: Engine, tmp_path: Path) -> Iterator[Server]:
    made = Server(engine=engine, home=tmp_path)
    made.start()
    yield made
    made.kill()


@pytest.fixture(scope="session")
def browser_type_launch_args() -> dict[str, Any]:
    flags = (
        "--no-sandbox --disable-gpu --disable-quic --no-first-run --disable-background-networking"
        " --disable-component-update --disable-sync"
    )
    return {"executable_path": "/usr/bin/chromium-headless-shell", "args": flags.split()}


@pytest.fixture(scope="session")
def browser_context_args(browser_context_args: dict[str, Any]) -> dict[str, Any]:
    """Nothing moves by itself: a browser without a graphics card draws every frame of it by hand.
    What moves has a test of its own."""
    return {**browser_context_args, "reduced_motion": "reduce"}


@pytest.fixture
def faults(page: Page) -> Iterator[list[str]]:
    """Console errors and failed requests: none may remain at the end, but those a test takes
    out."""
    page.set_default_navigation_timeout(120_000)
    seen: list[str] = []
    # htmx tells of every request that ends without an answer; what really failed is seen below.
    cut_off = ("htmx:afterRequest", "htmx:sendError", "htmx:sendAbort")
    page.on(
        "console",
        lambda m: (
            seen.append(m.text) if m.type == "error" and not m.text.startswith(cut_off) else None
        ),
    )
    page.on("pageerror", lambda e: seen.append(str(e)))
    # A part that was on its way when the page was left is aborted by the browser itself.
    page.on(
        "requestfailed",
        lambda r: seen.append(f"failed: {r.url}") if r.failure != "net::ERR_ABORTED" else None,
    )
    yield seen
    assert seen == []


def sign_in(page: Page, server: Server, name: str, *, at: str = "/") -> None:
    """Signed in and looking at a page, by what signing in leaves: the form itself has a test of
    its own."""
    with Session(server.engine) as db:
        secret = open_session(db, person(db, name), server.clock())
        db.commit()
    page.context.add_cookies(
        [{"name": SESSION, "value": secret, "url": server.address, "httpOnly": True}]
    )
    page.goto(server.address + at)
