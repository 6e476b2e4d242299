"""The application on the demo's workshop, its people at their pages, the clock in hand."""

from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from sqlalchemy import Engine
from sqlalchemy.orm import Session

from galene.jobs.signing_in import open_session
from galene.web.app import Site, create_app
from tests.conftest import person
from tests.walks.hand import Clock, Hand
from tests.walks.walk import Walk
from tests.web.conftest import HOST, PASSWORDS, Browser


@pytest.fixture
def clock() -> Clock:
    return Clock()


@pytest.fixture
def hand_of(engine: Engine, tmp_path: Path, clock: Clock) -> Iterator[Callable[[str], Hand]]:
    """Signs a person of the workshop in."""
    site = Site(home=tmp_path, patience_s=600)
    with Browser(
        create_app(engine, site, clock), base_url=HOST, raise_server_exceptions=False
    ) as client:

        def sign(name: str) -> Hand:
            with Session(engine) as db:
                secret = open_session(db, person(db, name), clock())
                db.commit()
            return Hand(browser=client, clock=clock, secret=secret, password=PASSWORDS[name])

        yield sign


@pytest.fixture
def walk(hand_of: Callable[[str], Hand], engine: Engine) -> Walk:
    """A job that has not come in yet, a technician and a foreman."""
    return Walk(odd=hand_of("odd"), maren=hand_of("maren"), engine=engine)
