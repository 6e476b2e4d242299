"""What was read and is not yet durable at the server, on the laptop's disk; and the pairing."""

import sqlite3
import threading
from dataclasses import dataclass
from pathlib import Path

SCHEMA = """
create table if not exists batch (seq integer primary key autoincrement, body text not null);
create table if not exists pairing (one integer primary key check (one = 1),
    server text not null, key text not null, job text not null, entries text not null);
"""


@dataclass(frozen=True, kw_only=True)
class Pairing:
    """Where a bridge is let in: the server, its key there, the job, and what to read (JSON)."""

    server: str
    key: str
    job: str
    entries: str


class Buffer:
    """Batches in their order, numbered without a gap over restarts of the program.

    Parameters
    ----------
    file : where it lies; made where it is not there

    Notes
    -----
    A write-ahead log without a wait for the disk: what is kept outlives the program, not a laptop
    whose power fails (sqlite.org, pragma synchronous).
    """

    def __init__(self, file: Path) -> None:
        file.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        self._lock = threading.Lock()
        self._db = sqlite3.connect(file, check_same_thread=False, isolation_level=None)
        file.chmod(0o600)  # the key lies in it
        self._db.execute("pragma journal_mode=wal")
        self._db.execute("pragma synchronous=normal")
        self._db.executescript(SCHEMA)

    def close(self) -> None:
        """Close the file."""
        with self._lock:
            self._db.close()

    def keep(self, body: str) -> int:
        """Keep one batch; its number."""
        with self._lock:
            return self._db.execute("insert into batch (body) values (?)", (body,)).lastrowid or 0

    def oldest(self, most: int) -> list[tuple[int, str]]:
        """The oldest batches with their numbers."""
        with self._lock:
            asked = "select seq, body from batch order by seq limit ?"
            return list(self._db.execute(asked, (most,)))

    def drop_to(self, seq: int) -> None:
        """Let go of what the server has."""
        with self._lock:
            self._db.execute("delete from batch where seq <= ?", (seq,))

    def count(self) -> int:
        """How many batches wait."""
        with self._lock:
            return int(self._db.execute("select count(*) from batch").fetchone()[0])

    def pairing(self) -> Pairing | None:
        """The pairing that is kept."""
        with self._lock:
            row = self._db.execute("select server, key, job, entries from pairing").fetchone()
        return Pairing(server=row[0], key=row[1], job=row[2], entries=row[3]) if row else None

    def pair(self, pairing: Pairing) -> None:
        """Keep a new pairing: numbers begin anew, what waits for the one before is let go of."""
        with self._lock:
            self._db.execute("begin")
            self._db.execute("delete from batch")
            self._db.execute("delete from sqlite_sequence")
            self._db.execute(
                "insert or replace into pairing values (1, ?, ?, ?, ?)",
                (pairing.server, pairing.key, pairing.job, pairing.entries),
            )
            self._db.execute("commit")
