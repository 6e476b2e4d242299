"""Engine, sessions, migrations, and what the application's account may do."""

import logging
import select
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import psycopg
import structlog
from alembic import command
from alembic.config import Config
from alembic.runtime.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import Connection, Engine, create_engine, event, make_url, text
from sqlalchemy.orm import Session, sessionmaker

MIGRATIONS = Path(__file__).parent / "migrations"
CONNECT_SECONDS, POOL_SECONDS, STATEMENT_SECONDS, LOCK_SECONDS = 3, 10, 15, 5
APPENDED_ONLY = ("trace",)
"""Tables to which the application's account may only add."""
READ_ONLY = ("alembic_version",)
SLOW_SECONDS = 0.5
"""A statement that takes longer is noted in the log."""
log = structlog.get_logger()


class TooNew(RuntimeError):
    """The data was written by a newer program than this one."""


def driver_url(url: str) -> str:
    """A PostgreSQL address with the driver that is installed."""
    for prefix in ("postgres://", "postgresql://"):
        if url.startswith(prefix):
            return "postgresql+psycopg://" + url.removeprefix(prefix)
    return url


def plain_url(url: str) -> str:
    """A PostgreSQL address as its own programs and the bare driver read it."""
    return make_url(driver_url(url)).set(drivername="postgresql").render_as_string(False)


def told_within(connection: psycopg.Connection[Any], seconds: float) -> list[psycopg.Notify]:
    """What a listening connection is told next, nothing where nothing comes in time. It sleeps on
    the socket: the driver's own wait looks ten times a second."""
    if not select.select([connection], [], [], seconds)[0]:
        return []
    return list(connection.notifies(timeout=0))


def make_engine(url: str, pool: int = 12) -> Engine:
    """Connections with a short connect time-out, tested before use so that a database restart costs
    nobody an error.

    Parameters
    ----------
    pool : connections that are kept; two in three as many more come and go in a rush
    """
    engine = create_engine(
        driver_url(url),
        pool_size=pool,
        max_overflow=pool * 2 // 3,
        pool_timeout=POOL_SECONDS,
        pool_pre_ping=True,
        connect_args={
            "connect_timeout": CONNECT_SECONDS,
            "options": (
                f"-c statement_timeout={STATEMENT_SECONDS * 1000}"
                f" -c lock_timeout={LOCK_SECONDS * 1000}"
            ),
        },
    )
    event.listen(engine, "before_cursor_execute", _begun)
    event.listen(engine, "after_cursor_execute", _done)
    return engine


def _begun(connection: Connection, *_: Any) -> None:
    connection.info["begun"] = time.perf_counter()


def _done(connection: Connection, _: Any, statement: str, *__: Any) -> None:
    """Note a statement that took long: its text, never what was put into it."""
    seconds = time.perf_counter() - connection.info.get("begun", time.perf_counter())
    if seconds > SLOW_SECONDS:
        log.warning(
            "slow_query", ms=round(seconds * 1000), statement=" ".join(statement.split())[:400]
        )


def make_sessions(engine: Engine) -> sessionmaker[Session]:
    """Sessions that keep loaded rows after a commit."""
    return sessionmaker(engine, expire_on_commit=False)


@contextmanager
def session_at(url: str) -> Iterator[Session]:
    """A session of its own, durable when it is left."""
    engine = make_engine(url, 2)
    try:
        with Session(engine, expire_on_commit=False) as db:
            yield db
            db.commit()
    finally:
        engine.dispose()


def configured(url: str) -> Config:
    """Alembic's configuration for a database."""
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    config.set_main_option("sqlalchemy.url", driver_url(url).replace("%", "%%"))
    return config


def revisions() -> frozenset[str]:
    """All migrations that this program knows."""
    return frozenset(s.revision for s in ScriptDirectory(str(MIGRATIONS)).walk_revisions())


def newest_revision() -> str:
    """The newest migration that this program knows."""
    return ScriptDirectory(str(MIGRATIONS)).get_current_head() or ""


def revision_of(connection: Connection) -> str | None:
    """The migration at which a database stands, None for an empty one."""
    return MigrationContext.configure(connection).get_current_revision()


def stands_at(url: str) -> str | None:
    """The migration at which the data of a database stands, None for an empty one."""
    engine = create_engine(driver_url(url), connect_args={"connect_timeout": CONNECT_SECONDS})
    try:
        with engine.connect() as connection:
            return revision_of(connection)
    finally:
        engine.dispose()


def migrate(url: str, application: str = "") -> None:
    """Bring the schema to the newest migration, and let the application's account use it.

    Parameters
    ----------
    url : address as the owner of the tables
    application : the account that the application works by, where that is another one

    Raises
    ------
    TooNew
        The data stands at a migration that this program does not know. Nothing was changed.
    """
    at = stands_at(url)
    engine = create_engine(driver_url(url))
    try:
        if at is not None and at not in revisions():
            raise TooNew(
                f"the data stands at migration {at}, this program knows them up to"
                f" {newest_revision()}: start the newer program. Nothing was changed"
            )
        logging.getLogger("alembic").setLevel(logging.WARNING)
        command.upgrade(configured(url), "head")
        if application:
            with engine.begin() as connection:
                allow(connection, application)
    finally:
        engine.dispose()


def allow(connection: Connection, account: str) -> None:
    """What the application's account may do: read, add, change and take away rows, but for the
    trace, to which it may only add. It owns no table, so no guard can be lifted by it."""
    quoted = connection.dialect.identifier_preparer.quote(account)
    appended = ", ".join(APPENDED_ONLY)
    for statement in (
        f"grant usage on schema public to {quoted}",
        f"grant select, insert, update, delete on all tables in schema public to {quoted}",
        f"grant usage, select on all sequences in schema public to {quoted}",
        f"revoke update, delete, truncate on {appended} from {quoted}",
        f"revoke insert, update, delete, truncate on {', '.join(READ_ONLY)} from {quoted}",
    ):
        connection.execute(text(statement))


def may_change_trace(connection: Connection) -> bool:
    """Whether the account of this connection could change or delete what the trace holds."""
    asked = (
        "select has_table_privilege('trace', 'update') or has_table_privilege('trace', 'delete')"
    )
    return bool(connection.scalar(text(asked)))
