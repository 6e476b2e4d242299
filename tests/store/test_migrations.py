"""Every migration goes up over a filled database, and the newest schema is that of the models."""

from collections.abc import Iterator
from datetime import UTC, datetime
from typing import Any

import pytest
from alembic import command
from alembic.autogenerate import compare_metadata
from alembic.config import Config
from alembic.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import (
    JSON,
    Boolean,
    Connection,
    Date,
    DateTime,
    Engine,
    Float,
    Integer,
    LargeBinary,
    MetaData,
    Table,
    create_engine,
    func,
    insert,
    select,
)
from sqlalchemy.dialects.postgresql import JSONB

from galene.store.cluster import Cluster
from galene.store.database import MIGRATIONS, driver_url
from galene.store.models import Base
from tests.conftest import administer

NOW = datetime(2026, 1, 2, 3, 4, tzinfo=UTC)
ASKED_BY_A_CHECK = {("bulletin", "vehicle_id")}
"""Columns that may be empty, but that a constraint of their table asks for."""
REVISIONS = [s.revision for s in reversed(list(ScriptDirectory(str(MIGRATIONS)).walk_revisions()))]


@pytest.fixture
def empty(cluster: Cluster) -> Iterator[str]:
    """Address of a database without a table."""
    administer(cluster, "create database migrated")
    yield cluster.url("migrated")
    administer(cluster, "drop database migrated with (force)")


def configured(url: str) -> Config:
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    config.set_main_option("sqlalchemy.url", driver_url(url).replace("%", "%%"))
    return config


def plain_value(table: Table, name: str, kind: Any) -> Any:
    """Something that a column of a kind can hold."""
    if isinstance(kind, (JSON, JSONB)):
        return {}
    for types, value in (
        (Boolean, False),
        (Float, 1.0),
        (Integer, 1),
        (DateTime, NOW),
        (Date, NOW.date()),
        (LargeBinary, b"x"),
    ):
        if isinstance(kind, types):
            return value
    return f"{table.name} {name}"[:40]


def filled(connection: Connection) -> dict[str, int]:
    """A row in every table that has none; rows by table."""
    known = MetaData()
    known.reflect(connection)
    for table in known.sorted_tables:
        if table.name == "alembic_version" or connection.scalar(
            select(func.count()).select_from(table)
        ):
            continue
        row = {}
        for column in table.columns:
            generated = column.server_default is not None or column.autoincrement is True
            needed = not column.nullable or (table.name, column.name) in ASKED_BY_A_CHECK
            if column.foreign_keys and needed:
                target = next(iter(column.foreign_keys)).column
                row[column.name] = connection.scalar(select(target).limit(1))
            elif needed and not generated:
                row[column.name] = plain_value(table, column.name, column.type)
        connection.execute(insert(table).values(**row))
    connection.commit()
    tables = (t for t in known.sorted_tables if t.name != "alembic_version")
    return {t.name: connection.scalar(select(func.count()).select_from(t)) or 0 for t in tables}


def test_each_goes_up_over_what_is_there_and_loses_no_row(empty: str) -> None:
    config, before = configured(empty), dict[str, int]()
    engine: Engine = create_engine(driver_url(empty))
    assert len(REVISIONS) >= 9
    for revision in REVISIONS:
        command.upgrade(config, revision)
        with engine.connect() as connection:
            present = MetaData()
            present.reflect(connection)
            for name, count in before.items():
                if name in present.tables:
                    table = present.tables[name]
                    now = connection.scalar(select(func.count()).select_from(table))
                    assert now == count, f"{revision}: {name}"
            connection.rollback()
            before = filled(connection)
            assert all(before.values()), f"{revision}: a table that could not be filled"
    engine.dispose()


def test_the_newest_schema_is_that_of_the_models(empty: str) -> None:
    command.upgrade(configured(empty), "head")
    engine = create_engine(driver_url(empty))
    with engine.connect() as connection:
        found = compare_metadata(MigrationContext.configure(connection), Base.metadata)
    engine.dispose()
    assert [d for d in found if d[0] in ("add_table", "add_column", "remove_table")] == []
