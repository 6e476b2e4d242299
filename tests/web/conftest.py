"""The application through its ASGI client, signed in as one of the demo's people."""

import itertools
import re
from collections.abc import Callable, Iterator
from datetime import UTC, datetime
from pathlib import Path

import pytest
from fastapi import FastAPI
from fastapi.testclient import TestClient
from httpx2 import Response
from sqlalchemy import Engine
from sqlalchemy.orm import Session

from galene.jobs.signing_in import open_session
from galene.web.api import answers
from galene.web.app import Site, create_app
from galene.web.shared.caller import SESSION
from tests.conftest import demo_jobs, person

HOST = "http://127.0.0.1"
# A busy machine is no fault of a calculation.
answers.LONGEST_S = answers.START_S = 600.0
PROVEN = ("/sign", "/reopen", "/resolve", "/overrides")
"""Ends of paths whose forms ask for the own password."""
TOKENS = itertools.count()
PASSWORDS = {"odd": "slipway-odd", "pia": "slipway-pia", "maren": "slipway-maren"}


def flat(answer: Response) -> str:
    """A page's text on one line: how its template is broken into lines says nothing."""
    return " ".join(answer.text.split())


class Browser(TestClient):
    """A client that sends what a browser sends with a form of our own pages. Where a form asks for
    the own password anew, it is given, unless the data say another one."""

    app: FastAPI
    password = ""

    def submit(self, path: str, data: dict[str, object] | None = None, **more: object):
        """Post a form with a token of its own, as a page would, and do not follow where it
        leads."""
        token = {"once": f"token-{next(TOKENS):08d}"}
        asks = path.endswith(PROVEN) or "override_reason" in (data or {})
        proof = {"password_again": self.password} if asks else {}
        return self.post(
            path,
            data={**token, **proof, **(data or {})},
            headers={"origin": HOST},
            follow_redirects=False,
            **more,
        )

    def seen(self, path: str, after: str) -> str:
        """The revision that the form with the text `after` shows."""
        page = self.get(path).text
        found = re.search(r'name="seen" value="(\d+)"', page[page.index(after) :])
        assert found
        return found[1]


@pytest.fixture
def visitor(engine: Engine, tmp_path: Path) -> Iterator[Browser]:
    """Nobody signed in."""
    with Browser(
        create_app(engine, Site(home=tmp_path, patience_s=600)),
        base_url=HOST,
        raise_server_exceptions=False,
    ) as client:
        yield client


@pytest.fixture
def as_person(visitor: Browser, engine: Engine) -> Callable[[str], Browser]:
    def sign(name: str) -> Browser:
        # What signing in leaves, without what a password's hash costs so many tests;
        # signing in itself has tests of its own.
        visitor.cookies.clear()
        with Session(engine) as db:
            secret = open_session(db, person(db, name), datetime.now(UTC))
            db.commit()
        visitor.cookies.set(SESSION, secret)
        visitor.password = PASSWORDS.get(name, "")
        return visitor

    return sign


@pytest.fixture
def web(as_person: Callable[[str], Browser]) -> Browser:
    """The technician Odd."""
    return as_person("odd")


@pytest.fixture
def numbers(db: Session) -> dict[str, str]:
    """Job numbers of the demo by stage."""
    return demo_jobs(db)
