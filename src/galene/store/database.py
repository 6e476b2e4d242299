"""Engine, sessions and migrations."""

from pathlib import Path

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine, create_engine, text
from sqlalchemy.exc import DBAPIError
from sqlalchemy.exc import TimeoutError as PoolTimeout
from sqlalchemy.orm import Session, sessionmaker

MIGRATIONS = Path(__file__).parent / "migrations"
CONNECT_SECONDS = 3


def driver_url(url: str) -> str:
    """A PostgreSQL address with the driver that is installed."""
    for prefix in ("postgres://", "postgresql://"):
        if url.startswith(prefix):
            return "postgresql+psycopg://" + url.removeprefix(prefix)
    return url


def make_engine(url: str, pool: int = 12) -> Engine:
    """Connections with a short connect time-out, tested before use so that a database restart costs
    nobody an error."""
    return create_engine(
        driver_url(url),
        pool_size=pool,
        max_overflow=8,
        pool_timeout=CONNECT_SECONDS,
        pool_pre_ping=True,
        connect_args={
            "connect_timeout": CONNECT_SECONDS,
            "options": "-c statement_timeout=15000 -c lock_timeout=5000",
        },
    )


def make_sessions(engine: Engine) -> sessionmaker[Session]:
    """Sessions that keep loaded rows after a commit."""
    return sessionmaker(engine, expire_on_commit=False)


def migrate(url: str) -> None:
    """Bring the schema to the newest migration."""
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    config.set_main_option("sqlalchemy.url", driver_url(url).replace("%", "%%"))
    command.upgrade(config, "head")


def answers(engine: Engine) -> bool:
    """Whether the database answers now."""
    try:
        with engine.connect() as connection:
            connection.execute(text("select 1"))
    except (PoolTimeout, DBAPIError):
        return False
    return True
