"""One throw-away cluster for the whole run; every test that needs data gets its own copy of a
template database."""

import fcntl
import itertools
import os
import subprocess
import sys
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from functools import cache
from pathlib import Path

import psycopg
import pytest
import structlog
from hypothesis import settings
from sqlalchemy import Connection, Engine, select
from sqlalchemy.orm import Session

from galene.bus import line
from galene.demo.world import load
from galene.jobs.act import Act
from galene.store.cluster import APPLICATION, Cluster
from galene.store.database import make_engine, migrate
from galene.store.models import Job, Person, Vehicle

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
# What a thread of an earlier test still has to say is not the output of the one that runs.
structlog.configure(logger_factory=structlog.PrintLoggerFactory(sys.__stderr__))
# A busy machine is no fault of an example.
settings.register_profile("whatever the machine", deadline=None)
settings.load_profile("whatever the machine")
line.LISTENS_S = 0.03  # many cars are put on a bus and taken off it
COUNT = itertools.count()
OWN = "own"
"""The name of a test's own database."""


MARKERS = ("core", "store", "jobs", "demo", "web", "browser", "running", "live")
WAITS = ("browser", "running", "live")
QUICK = (
    "core/",
    "store/test_codec",
    "store/test_one_door",
    "jobs/test_stages",
    "jobs/test_guards",
    "jobs/test_true_words",
    "web/test_pages",
    "web/test_held",
    "web/test_in_hand",
    "test_docs",
    "test_made_up_world",
)
"""Below `tests`: what a change needs most, by what is broken most often and costs least to ask."""
NOT_QUICK = ("core/test_live_stands", "core/test_hazards", "core/test_airpath_drawing")


def _quick(below: str) -> bool:
    return below.startswith(QUICK) and not below.startswith(NOT_QUICK)


def pytest_ignore_collect(collection_path: Path, config: pytest.Config) -> bool | None:
    """A quick run does not read what it will not run: gathering all tests takes as long as it."""
    below = str(collection_path).rpartition("/tests/")[2]
    wanted = config.option.markexpr != "quick" or collection_path.is_dir() or _quick(below)
    return None if wanted else True


def _walked_first(items: list[pytest.Item]) -> list[pytest.Item]:
    """The tests with those of a walk, but its first, behind all others: two workers that ask for
    one walk at a time would wait for each other."""
    seen: set[Path] = set()
    first: list[pytest.Item] = []
    behind: list[pytest.Item] = []
    for item in items:
        (behind if item.path in seen else first).append(item)
        if "/tests/walks/test_w" in str(item.path):
            seen.add(item.path)
    return first + behind


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Each test bears the marker of its folder; doctests of the core are the core's. What waits for
    browsers and servers is spread between what computes, so that neither waits for the other; what
    asks what a walk has shown comes last, when it was walked."""
    for item in items:
        for marker in MARKERS:
            if f"/tests/{marker}/" in str(item.path) or f"/galene/{marker}/" in str(item.path):
                item.add_marker(marker)
                if marker in WAITS:
                    item.add_marker("waits")
        below = str(item.path).rpartition("/tests/")[2]
        if _quick(below):
            item.add_marker("quick")
    waits = [item for item in items if item.get_closest_marker("waits")]
    others = _walked_first([i for i in items if not i.get_closest_marker("waits")])
    if not waits or not others:
        return
    spread: list[pytest.Item] = []
    # All that waits has begun when three quarters are done: nothing long is left to the end.
    every = max(1, round(0.75 * len(others) / len(waits)))
    for k, item in enumerate(waits):
        spread += [item, *others[k * every : (k + 1) * every]]
    items[:] = [*spread, *others[len(waits) * every :]]


def reachable(folder: Path, durable: bool = False) -> Cluster:
    """A cluster, not durable where nothing here outlives the run, in a folder that the database's
    account can reach."""
    for parent in (folder, *folder.parents):
        if parent == Path("/tmp"):  # noqa: S108
            break
        parent.chmod(0o755)
    return Cluster(folder, durable=durable)


def _load_demo(folder: Path) -> None:
    """A stopped cluster whose own database holds the demo world."""
    made = reachable(folder)
    made.start()
    migrate(made.url(), APPLICATION)
    engine = make_engine(made.url(), 1)
    with Session(engine, expire_on_commit=False) as db:
        load(db, datetime.now(UTC))
        db.commit()
    engine.dispose()
    made.stop()


@pytest.fixture(scope="session")
def demo(tmp_path_factory: pytest.TempPathFactory, worker_id: str) -> Path:
    """A stopped cluster with the demo world in it: the first worker that asks loads it."""
    base = tmp_path_factory.getbasetemp()
    shared = base if worker_id == "master" else base.parent
    with (shared / "demo.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not (shared / "demo.loaded").exists():
            (shared / "demo").mkdir()
            _load_demo(shared / "demo")
            (shared / "demo.loaded").touch()
    return shared / "demo"


@pytest.fixture(scope="session")
def cluster(tmp_path_factory: pytest.TempPathFactory, demo: Path) -> Iterator[Cluster]:
    """A PostgreSQL of our own with the demo world in it, by a copy of its files."""
    folder = tmp_path_factory.mktemp("cluster")
    subprocess.run(["cp", "-a", f"{demo}/.", folder], check=True)
    made = reachable(folder)
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
def known_engine(cluster: Cluster) -> Iterator[Engine]:
    """The engine of every test's own database: it has the same name each time, so that a statement
    is compiled once a run and not once a test."""
    made = make_engine(cluster.application_url(OWN), 4)
    yield made
    made.dispose()


@pytest.fixture
def database(cluster: Cluster, known_engine: Engine) -> Iterator[str]:
    """Address of a fresh copy of the demo database."""
    # Files are copied: quicker than writing all of it into the log, which nobody reads here.
    administer(cluster, f"create database {OWN} template galene strategy file_copy")
    yield cluster.application_url(OWN)
    known_engine.dispose()
    administer(cluster, f"drop database {OWN} with (force)")


@pytest.fixture
def engine(database: str, known_engine: Engine) -> Engine:
    return known_engine


@pytest.fixture(scope="session")
def undone(cluster: Cluster) -> Iterator[Connection]:
    """A connection to a copy of the demo database in which nothing stays."""
    administer(cluster, "create database undone template galene strategy file_copy")
    made = make_engine(cluster.application_url("undone"), 1)
    with made.connect() as connection:
        yield connection
    made.dispose()


@pytest.fixture
def db(request: pytest.FixtureRequest) -> Iterator[Session]:
    """A session on the demo data: of the test's own database where something beside it asks for
    one, else within a transaction that is undone, in which a commit ends a savepoint."""
    if "database" in request.fixturenames:
        with Session(request.getfixturevalue("engine"), expire_on_commit=False) as session:
            yield session
        return
    connection: Connection = request.getfixturevalue("undone")
    whole = connection.begin()
    with Session(
        connection, expire_on_commit=False, join_transaction_mode="create_savepoint"
    ) as session:
        yield session
    whole.rollback()


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


def newest_job(db: Session, plate: str) -> str:
    """The number of the demo's newest job of a vehicle."""
    of_it = select(Job.number).join(Job.vehicle).where(Vehicle.plate == plate)
    return db.scalars(of_it.order_by(Job.opened_at.desc()).limit(1)).one()


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
    return Act(db=db, person=person(db, "maren"), now=now + timedelta(minutes=1), proven=True)
