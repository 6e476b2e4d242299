"""How the database stands."""

from dataclasses import dataclass

from sqlalchemy import text
from sqlalchemy.orm import Session

from galene.store.database import may_change_trace, revision_of

LARGEST = 8


@dataclass(frozen=True, kw_only=True)
class DatabaseFacts:
    """The database: its version, migration and size in bytes, connections and how many there may
    be, and whether the application's account could alter the trace."""

    version: str
    revision: str
    bytes: int
    connections: int
    most_connections: int
    trace_open: bool


@dataclass(frozen=True, kw_only=True)
class TableFacts:
    """A table: about how many rows, and its size in bytes with its indexes."""

    name: str
    rows: int
    bytes: int


def database_facts(db: Session) -> DatabaseFacts:
    """The database as a whole."""
    row = db.execute(
        text(
            "select current_setting('server_version'), pg_database_size(current_database()),"
            " (select count(*) from pg_stat_activity where datname = current_database()),"
            " current_setting('max_connections')::int"
        )
    ).one()
    connection = db.connection()
    return DatabaseFacts(
        version=row[0].split(" ")[0],
        revision=revision_of(connection) or "",
        bytes=row[1],
        connections=row[2],
        most_connections=row[3],
        trace_open=may_change_trace(connection),
    )


def largest_tables(db: Session) -> list[TableFacts]:
    """The largest tables, largest first."""
    found = db.execute(
        text(
            "select c.relname, greatest(c.reltuples, s.n_live_tup, 0)::bigint,"
            " pg_total_relation_size(c.oid)"
            " from pg_class c join pg_stat_user_tables s on s.relid = c.oid"
            " where c.relkind = 'r' and c.relnamespace = 'public'::regnamespace"
            " order by 3 desc limit :most"
        ),
        {"most": LARGEST},
    )
    return [TableFacts(name=r[0], rows=r[1], bytes=r[2]) for r in found]
