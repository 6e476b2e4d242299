"""The application on the demo's workshop, its people at their pages, the clock in hand."""

import fcntl
import pickle
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from sqlalchemy import Engine
from sqlalchemy.orm import Session

from galene.jobs.signing_in import open_session
from galene.web.app import Site, create_app
from tests.conftest import person
from tests.walks.hand import Clock, Hand
from tests.walks.walk import Facts, Walk
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
            def signed_in() -> str:
                with Session(engine) as db:
                    secret = open_session(db, person(db, name), clock())
                    db.commit()
                return secret

            return Hand(browser=client, clock=clock, sign_in=signed_in, password=PASSWORDS[name])

        yield sign


@pytest.fixture
def facts(
    request: pytest.FixtureRequest, tmp_path_factory: pytest.TempPathFactory, worker_id: str
) -> Facts:
    """What the module's own `walked` has shown: the first test of it that asks walks it, whichever
    worker that runs on."""
    base = tmp_path_factory.getbasetemp()
    shared = base if worker_id == "master" else base.parent
    name = request.module.__name__.rpartition(".")[2]
    kept = shared / f"{name}.walked"
    with (shared / f"{name}.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not kept.exists():
            walk: Walk = request.getfixturevalue("walk")
            request.module.walked(walk)
            kept.write_bytes(pickle.dumps(walk.facts))
    found: Facts = pickle.loads(kept.read_bytes())  # noqa: S301 -- written a moment ago, by us
    return found


@pytest.fixture
def walk(hand_of: Callable[[str], Hand], engine: Engine) -> Walk:
    """A job that has not come in yet, a technician and a foreman."""
    return Walk(odd=hand_of("odd"), maren=hand_of("maren"), engine=engine)
