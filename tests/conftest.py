"""One throw-away cluster for the whole run; every test that needs data gets its own copy of a
template database."""

import itertools
import os
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from functools import cache
from pathlib import Path

import psycopg
import pytest
from sqlalchemy import Engine, select
from sqlalchemy.orm import Session

from galene.demo.world import load
from galene.jobs.act import Act
from galene.store.cluster import Cluster
from galene.store.database import make_engine, migrate
from galene.store.models import Job, Person

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
COUNT = itertools.count()


MARKERS = ("core", "store", "jobs", "demo", "web", "browser")


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Each test bears the marker of its folder; doctests of the core are the core's."""
    for item in items:
        for marker in MARKERS:
            if f"/tests/{marker}/" in str(item.path) or f"/galene/{marker}/" in str(item.path):
                item.add_marker(marker)
    # The browser's are the longest and wait the most: begun first, others fill their pauses.
    items.sort(key=lambda item: item.get_closest_marker("browser") is None)


@pytest.fixture(scope="session")
def cluster(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Cluster]:
    """A PostgreSQL of our own, not durable: nothing here outlives the run."""
    folder = tmp_path_factory.mktemp("cluster")
    for parent in (folder, *folder.parents):
        if parent == Path("/tmp"):  # noqa: S108
            break
        parent.chmod(0o755)
    made = Cluster(folder, durable=False)
    made.start()
    yield made
    _administration(made.url("postgres").replace("+psycopg", "")).close()
    made.stop()


@cache
def _administration(address: str) -> psycopg.Connection[tuple[object, ...]]:
    return psycopg.connect(address, autocommit=True)


def administer(cluster: Cluster, statement: str) -> None:
    """A statement outside every transaction, such as one that makes a database."""
    _administration(cluster.url("postgres").replace("+psycopg", "")).execute(statement)


@pytest.fixture(scope="session")
def demo_template(cluster: Cluster) -> str:
    """Name of a database with the demo world in it."""
    migrate(cluster.url())
    engine = make_engine(cluster.url(), 1)
    with Session(engine, expire_on_commit=False) as db:
        load(db, datetime.now(UTC))
        db.commit()
    engine.dispose()
    return "galene"


@pytest.fixture
def database(cluster: Cluster, demo_template: str) -> Iterator[str]:
    """Address of a fresh copy of the demo database."""
    name = f"test_{next(COUNT)}"
    # Files are copied: quicker than writing all of it into the log, which nobody reads here.
    administer(cluster, f"create database {name} template {demo_template} strategy file_copy")
    yield cluster.url(name)
    administer(cluster, f"drop database {name} with (force)")


@pytest.fixture
def engine(database: str) -> Iterator[Engine]:
    made = make_engine(database, 4)
    yield made
    made.dispose()


@pytest.fixture
def db(engine: Engine) -> Iterator[Session]:
    with Session(engine, expire_on_commit=False) as session:
        yield session


def person(db: Session, name: str) -> Person:
    """One of the demo's people."""
    return db.scalars(select(Person).where(Person.sign_in == name)).one()


def demo_jobs(db: Session) -> dict[str, str]:
    """The demo's newest job of family A at each stage, by number."""
    return {
        j.stage: j.number
        for j in db.scalars(
            select(Job).where(Job.family_id == "A").order_by(Job.opened_at)
        ).unique()
    }


@pytest.fixture
def now() -> datetime:
    return datetime.now(UTC)


@pytest.fixture
def odd(db: Session, now: datetime) -> Act:
    """A technician acting now."""
    return Act(db=db, person=person(db, "odd"), now=now)


@pytest.fixture
def pia(db: Session, now: datetime) -> Act:
    return Act(db=db, person=person(db, "pia"), now=now)


@pytest.fixture
def maren(db: Session, now: datetime) -> Act:
    """The foreman acting now."""
    return Act(db=db, person=person(db, "maren"), now=now + timedelta(minutes=1))
