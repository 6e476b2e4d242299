"""A whole workshop as one file, and back: an archive (tar) of the database as PostgreSQL's own
dump, the pictures, the key, and a manifest with the hash of each and the sum of every table.

With a passphrase the archive is sealed as age does it: a fresh identity opens it, the passphrase
opens the identity; both lie in the outer archive, so that the `age` program alone opens it too.
"""

import hashlib
import hmac
import io
import os
import re
import subprocess
import tarfile
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import IO, Any

import psycopg
from pydantic import TypeAdapter, ValidationError
from sqlalchemy import (
    ColumnElement,
    Connection,
    create_engine,
    func,
    literal_column,
    make_url,
    select,
    table,
    text,
)

from galene.store.cluster import binaries
from galene.store.database import driver_url, newest_revision, revision_of, revisions
from galene.store.pictures import PictureStore
from galene.store.vault import key_file

FORMAT = 1
DUMP, MANIFEST, KEY = "database.dump", "manifest.json", "secret.key"
SEAL = "manifest.seal"
IDENTITY, SEALED = "identity.age", "backup.tar.age"
BLOCK = 1024 * 1024
PASSING = frozenset({"web_session", "tries", "set_up_address", "backup_run"})
"""Tables that are not compared after a restore: what they hold passes by itself."""


class BackupError(RuntimeError):
    """A backup that can not be made or taken back; the message is one clear line."""


@dataclass(frozen=True, kw_only=True)
class TableSum:
    """How many rows a table has, and a sum over what is in them that does not depend on their
    order."""

    rows: int
    sum: str


@dataclass(frozen=True, kw_only=True)
class Manifest:
    """What a backup holds.

    Parameters
    ----------
    revision : the migration at which the data stands
    files : SHA-256 of each file by its name
    tables : sums by table, taken in the same snapshot as the dump
    settings : what the server was started with, without secrets
    """

    format: int
    made_at: datetime
    workshop: str
    revision: str
    files: dict[str, str]
    tables: dict[str, TableSum]
    settings: dict[str, str]


_MANIFEST = TypeAdapter(Manifest)


def table_sums(connection: Connection) -> dict[str, TableSum]:
    """The sums of all tables, by name."""
    names = connection.scalars(
        text("select tablename from pg_tables where schemaname = 'public' order by 1")
    ).all()
    of_rows: ColumnElement[str] = literal_column(
        "coalesce(sum(hashtextextended(t::text, 0)::numeric), 0)::text"
    )
    found = {}
    for name in names:
        asked = select(func.count(), of_rows).select_from(table(name).alias("t"))
        rows, whole = connection.execute(asked).one()
        found[name] = TableSum(rows=rows, sum=whole)
    return found


def _program(name: str, url: str, *arguments: str, **more: Any) -> "subprocess.Popen[bytes]":
    """One of PostgreSQL's own programs on a database; its password is not on the command line."""
    found = make_url(driver_url(url))
    environment = {
        **os.environ,
        "PGHOST": found.host or "127.0.0.1",
        "PGPORT": str(found.port or 5432),
        "PGUSER": found.username or "",
        "PGPASSWORD": str(found.password or ""),
        "PGDATABASE": found.database or "",
        "PGCONNECT_TIMEOUT": "10",
    }
    return subprocess.Popen(
        [str(binaries() / name), *arguments], env=environment, stderr=subprocess.PIPE, **more
    )


def _finish(process: "subprocess.Popen[bytes]", what: str) -> None:
    said = process.stderr.read().decode(errors="replace") if process.stderr else ""
    if process.wait():
        last = said.strip().splitlines()[-1:] or ["no reason was given"]
        raise BackupError(f"{what}: {last[0]}")


def _dumped(url: str, target: Path) -> tuple[str, dict[str, TableSum], str]:
    """Dump a database; its workshop, sums and migration in the same snapshot."""
    engine = create_engine(driver_url(url))
    try:
        with engine.connect().execution_options(isolation_level="REPEATABLE READ") as held:
            name = held.scalar(text("select name from workshop")) or ""
            snapshot = held.scalar(text("select pg_export_snapshot()"))
            revision = revision_of(held) or ""
            process = _program(
                "pg_dump",
                url,
                "--format=custom",
                "--no-owner",
                "--no-privileges",
                f"--snapshot={snapshot}",
                f"--file={target}",
            )
            _finish(process, "the database could not be dumped")
            return name, table_sums(held), revision
    finally:
        engine.dispose()


def _hash_of(file: IO[bytes]) -> str:
    found = hashlib.sha256()
    while block := file.read(BLOCK):
        found.update(block)
    return found.hexdigest()


def make_backup(
    url: str,
    pictures: PictureStore,
    home: Path,
    target: Path,
    *,
    now: datetime,
    passphrase: str = "",
    settings: dict[str, str] | None = None,
) -> int:
    """Write a backup, read it back and compare, then give it its name; bytes.

    Parameters
    ----------
    url : address of the database; the application's account will do
    target : the file; there is either the whole of it or none

    Raises
    ------
    BackupError
    """
    target = target.absolute()
    if not target.parent.is_dir():
        raise BackupError(f"there is no folder {target.parent}")
    try:
        with tempfile.TemporaryDirectory(dir=target.parent, prefix=".galene-") as half:
            work = Path(half)
            name, tables, revision = _dumped(url, work / DUMP)
            files = {}
            with tarfile.open(work / "whole.tar", "w") as archive:
                for inner, data in _members(work, pictures, home):
                    files[inner] = _added(archive, inner, data, now)
                manifest = Manifest(
                    format=FORMAT,
                    made_at=now,
                    workshop=name,
                    revision=revision,
                    files=files,
                    tables=tables,
                    settings=settings or {},
                )
                told = _MANIFEST.dump_json(manifest)
                _added(archive, MANIFEST, io.BytesIO(told), now)
                if key_file(home).exists():
                    _added(archive, SEAL, io.BytesIO(_seal(told, home)), now)
            checked(work / "whole.tar")
            made = _sealed(work, passphrase, now) if passphrase else work / "whole.tar"
            with made.open("rb") as file:
                os.fsync(file.fileno())
            made.chmod(0o600)
            made.replace(target)
    except OSError as fault:
        raise BackupError(f"{target}: {fault.strerror}") from fault
    return target.stat().st_size


def _members(work: Path, pictures: PictureStore, home: Path) -> Iterator[tuple[str, IO[bytes]]]:
    with (work / DUMP).open("rb") as file:
        yield DUMP, file
    if key_file(home).exists():
        yield KEY, io.BytesIO(key_file(home).read_bytes())
    # After the dump: what it names lies there already, as a picture is kept before its record.
    for name in pictures.names():
        data = pictures.read(name)
        if data is not None:
            yield f"pictures/{name}.jpg", io.BytesIO(data)


def _added(archive: tarfile.TarFile, name: str, data: IO[bytes], now: datetime) -> str:
    """Add a file to an archive; its hash."""
    info = tarfile.TarInfo(name)
    info.size = data.seek(0, os.SEEK_END)
    info.mtime, info.mode = int(now.timestamp()), 0o600
    data.seek(0)
    archive.addfile(info, data)
    data.seek(0)
    return _hash_of(data)


def _sealed(work: Path, passphrase: str, now: datetime) -> Path:
    import pyrage

    identity = pyrage.x25519.Identity.generate()
    with (work / "whole.tar").open("rb") as plain, (work / SEALED).open("wb") as sealed:
        pyrage.encrypt_io(plain, sealed, [identity.to_public()])
    (work / "whole.tar").unlink()
    held = pyrage.passphrase.encrypt(str(identity).encode(), passphrase)
    with tarfile.open(work / "outer.tar", "w") as archive:
        _added(archive, IDENTITY, io.BytesIO(held), now)
        with (work / SEALED).open("rb") as file:
            _added(archive, SEALED, file, now)
    return work / "outer.tar"


@contextmanager
def opened(path: Path, passphrase: str = "") -> Iterator[Path]:
    """The plain archive of a backup; a sealed one is opened beside it for as long.

    Raises
    ------
    BackupError
        No backup, or not its passphrase.
    """
    try:
        with tarfile.open(path) as archive:
            names = archive.getnames()
            if IDENTITY not in names:
                yield path
                return
            if not passphrase:
                raise BackupError("this backup is sealed: give its passphrase")
            with tempfile.TemporaryDirectory(dir=path.parent, prefix=".galene-") as half:
                yield _unsealed(archive, Path(half), passphrase)
    except (tarfile.TarError, EOFError) as fault:
        raise BackupError(f"{path} is no whole backup: {fault}") from fault
    except OSError as fault:
        raise BackupError(f"{path}: {fault.strerror or fault}") from fault


def _unsealed(archive: tarfile.TarFile, work: Path, passphrase: str) -> Path:
    import pyrage

    held, sealed = archive.extractfile(IDENTITY), archive.extractfile(SEALED)
    if held is None or sealed is None:
        raise BackupError("a sealed backup that lacks a part")
    try:
        identity = pyrage.x25519.Identity.from_str(
            pyrage.passphrase.decrypt(held.read(), passphrase).decode()
        )
        with (work / "whole.tar").open("wb") as plain:
            pyrage.decrypt_io(sealed, plain, [identity])
    except (pyrage.DecryptError, pyrage.IdentityError) as fault:
        raise BackupError("not the passphrase of this backup, or it was changed") from fault
    return work / "whole.tar"


def _seal(manifest: bytes, home: Path) -> bytes:
    """What only who has the workshop's key can write under a manifest."""
    key = key_file(home).read_bytes().strip()
    return hmac.new(key, b"galene backup\n" + manifest, hashlib.sha256).hexdigest().encode()


def sealed_here(path: Path, home: Path) -> bool | None:
    """Whether a plain archive's manifest bears the seal of the key that lies here; None where none
    does, so that nobody can tell. Nothing else of it is read.

    Raises
    ------
    BackupError
        It has no manifest.
    """
    if not key_file(home).exists():
        return None
    with tarfile.open(path) as archive:
        names = archive.getnames()
        if MANIFEST not in names:
            raise BackupError("no backup of this program: it has no manifest")
        told = archive.extractfile(MANIFEST)
        seal = archive.extractfile(SEAL) if SEAL in names else None
        if told is None or seal is None:
            return False
        return hmac.compare_digest(seal.read(200).strip(), _seal(told.read(), home))


def checked(path: Path) -> Manifest:
    """The manifest of a plain archive, after every file in it was read and compared.

    Raises
    ------
    BackupError
        The first thing that is not as it should be.
    """
    found = {}
    manifest: Manifest | None = None
    with tarfile.open(path) as archive:
        for member in archive:
            data = archive.extractfile(member)
            if data is None:
                raise BackupError(f"{member.name[:80]!r} is no plain file")
            if member.name == MANIFEST:
                manifest = _manifest(data.read())
            elif member.name != SEAL:
                found[member.name] = _hash_of(data)
    if manifest is None:
        raise BackupError("no backup of this program: it has no manifest")
    for name in sorted(manifest.files.keys() | found.keys()):
        if manifest.files.get(name) != found.get(name):
            raise BackupError(f"{name[:80]!r} is missing, added or changed in this backup")
    return manifest


def _manifest(data: bytes) -> Manifest:
    try:
        found = _MANIFEST.validate_json(data)
    except ValidationError as fault:
        raise BackupError("its manifest can not be read") from fault
    if found.format != FORMAT:
        raise BackupError(f"a backup of format {found.format}, this program knows {FORMAT}")
    if found.revision not in revisions():
        raise BackupError(
            f"a backup of a newer program: its data stands at migration {found.revision}, this one"
            f" knows them up to {newest_revision()}"
        )
    return found


_EMPTY = """
do $$ declare one record; begin
  for one in select tablename as name from pg_tables where schemaname = 'public' loop
    execute format('drop table public.%I cascade', one.name); end loop;
  for one in select sequencename as name from pg_sequences where schemaname = 'public' loop
    execute format('drop sequence public.%I cascade', one.name); end loop;
  for one in select p.oid::regprocedure as name from pg_proc p
    where p.pronamespace = 'public'::regnamespace
    and not exists (select from pg_depend d where d.objid = p.oid and d.deptype = 'e') loop
    execute format('drop function %s cascade', one.name); end loop;
end $$;
"""


def restore(path: Path, url: str, pictures: PictureStore, home: Path) -> Manifest:
    """Put a checked plain archive in the place of what a database holds, in one transaction; then
    compare every table. Nothing is changed where that fails before its end.

    Parameters
    ----------
    url : address as the owner of the tables

    Raises
    ------
    BackupError
    """
    manifest = checked(path)
    with tempfile.TemporaryDirectory(dir=home, prefix=".galene-") as half:
        work = Path(half)
        with tarfile.open(path) as archive:
            for member in archive:
                data = archive.extractfile(member)
                if data is None:
                    continue
                if member.name.startswith("pictures/"):
                    pictures.put_back(Path(member.name).stem, data.read())
                elif member.name in (DUMP, KEY):
                    with (work / member.name).open("wb") as file:
                        while block := data.read(BLOCK):
                            file.write(block)
        _into(url, work)
        if (work / KEY).exists():
            (work / KEY).chmod(0o600)
            (work / KEY).replace(key_file(home))
    compare(url, manifest)
    return manifest


_RESTRICTS = re.compile(rb"\\(?:un)?restrict \w+\r?\n?")
_COPIES = re.compile(rb"COPY [^;]+ FROM stdin;\r?\n?")


def _into(url: str, work: Path) -> None:
    with (work / "data.sql").open("wb") as out:
        script = _program(
            "pg_restore",
            url,
            "--no-owner",
            "--no-privileges",
            "--file=-",
            str(work / DUMP),
            stdout=out,
        )
        _finish(script, "the dump could not be read")
    address = make_url(driver_url(url)).set(drivername="postgresql")
    try:
        with psycopg.connect(address.render_as_string(False)) as connection:
            connection.execute(_EMPTY)
            with (work / "data.sql").open("rb") as statements:
                _run(connection, statements)
    except psycopg.Error as fault:
        said = str(fault).strip().splitlines()[:1] or ["no reason was given"]
        raise BackupError(f"the data could not be put back: {said[0]}") from fault


def _run(connection: "psycopg.Connection[Any]", script: IO[bytes]) -> None:
    """Run what `pg_restore` wrote: statements, and rows that are copied in. No shell of PostgreSQL
    reads it, so that none of its commands in a changed dump is ever carried out."""
    waiting: list[bytes] = []

    def flush() -> None:
        if statements := b"".join(waiting).strip():
            connection.execute(statements)
        waiting.clear()

    for line in script:
        if _RESTRICTS.fullmatch(line):
            # Its own guard against the same, for a shell that we do not use.
            continue
        if line.startswith(b"\\"):
            raise BackupError("a command for another program stands in its dump: it is refused")
        if not _COPIES.fullmatch(line):
            waiting.append(line)
            continue
        flush()
        with connection.cursor() as cursor, cursor.copy(line) as copied:
            for row in script:
                if row.rstrip(b"\r\n") == b"\\.":
                    break
                copied.write(row)
    flush()


def compare(url: str, manifest: Manifest) -> None:
    """Hold every table of a database against a manifest.

    Raises
    ------
    BackupError
        Naming the tables that differ.
    """
    engine = create_engine(driver_url(url))
    try:
        with engine.connect() as connection:
            there = table_sums(connection)
    finally:
        engine.dispose()
    names = manifest.tables.keys() | there.keys()
    odd = sorted(n for n in names - PASSING if there.get(n) != manifest.tables.get(n))
    if odd:
        raise BackupError(f"these tables are not as they were: {', '.join(odd)}")
