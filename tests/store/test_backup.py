"""The drill: fill, back up, destroy, restore, compare every table and picture."""

import io
import shutil
import subprocess
import tarfile
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path

import psycopg
import pytest
from PIL import Image
from sqlalchemy import create_engine, text
from sqlalchemy.orm import Session

from galene.jobs.backups import BackupPlan, is_due, is_old, rotate, run
from galene.store.backup import (
    PASSING,
    BackupError,
    _run,
    checked,
    make_backup,
    opened,
    restore,
    sealed_here,
    table_sums,
)
from galene.store.cluster import APPLICATION, Cluster
from galene.store.database import make_engine, migrate
from galene.store.models import BackupRun
from galene.store.objects import Folder
from galene.store.pictures import PictureStore
from galene.store.vault import key_in
from tests.conftest import COUNT, administer

NOW = datetime(2026, 11, 26, 3, 0, tzinfo=UTC)


@pytest.fixture
def home(tmp_path: Path) -> Path:
    """A data folder with a key and two pictures."""
    store = PictureStore(Folder(tmp_path / "home" / "pictures"))
    for colour in ("teal", "coral"):
        picture = io.BytesIO()
        Image.new("RGB", (60, 40), colour).save(picture, "PNG")
        store.keep(picture.getvalue())
    key_in(tmp_path / "home")
    return tmp_path / "home"


@pytest.fixture
def owner(cluster: Cluster, database: str) -> str:
    """Address of the demo's copy as the owner of its tables."""
    return cluster.url(database.rsplit("/", 1)[1])


@pytest.fixture
def elsewhere(cluster: Cluster) -> Iterator[str]:
    """Address of an empty database, as its owner."""
    name = f"elsewhere_{next(COUNT)}"
    administer(cluster, f"create database {name} template template0")
    yield cluster.url(name)
    administer(cluster, f"drop database {name} with (force)")


def sums(url: str) -> dict[str, object]:
    engine = create_engine(url)
    with engine.connect() as connection:
        found = table_sums(connection)
    engine.dispose()
    return {name: one for name, one in found.items() if name not in PASSING}


def pictures(home: Path) -> PictureStore:
    return PictureStore(Folder(home / "pictures"))


def test_what_was_backed_up_is_back_after_all_is_gone(
    database: str, home: Path, elsewhere: str, tmp_path: Path
) -> None:
    file, key = tmp_path / "shop.tar", key_in(home)
    there = {name: pictures(home).read(name) for name in pictures(home).names()}
    assert len(there) == 2
    # As the server does it: by the application's account.
    size = make_backup(database, pictures(home), home, file, now=NOW)
    assert size == file.stat().st_size and file.stat().st_mode & 0o077 == 0
    before = sums(database)
    shutil.rmtree(home)
    home.mkdir()
    manifest = restore(file, elsewhere, pictures(home), home)
    assert sums(elsewhere) == before and len(before) > 40
    assert {name: pictures(home).read(name) for name in pictures(home).names()} == there
    assert key_in(home) == key and manifest.made_at == NOW
    # And it is a workshop that a program serves.
    migrate(elsewhere, APPLICATION)


def test_a_restore_takes_the_place_of_what_is_there(
    database: str, owner: str, home: Path, tmp_path: Path
) -> None:
    file = tmp_path / "shop.tar"
    make_backup(database, pictures(home), home, file, now=NOW)
    before = sums(owner)
    engine = create_engine(owner)
    with engine.begin() as connection:
        connection.execute(text("update vehicle set model = 'changed since'"))
        connection.execute(text("create table of_a_later_day (n int)"))
    restore(file, owner, pictures(home), home)
    assert sums(owner) == before
    # Where it can not go through, nothing is changed.
    with engine.begin() as connection:
        connection.execute(text("update vehicle set model = 'changed again'"))
        connection.execute(text("create view leans_on as select * from vehicle"))
        connection.execute(text("create schema other"))
    engine.dispose()
    kept = sums(owner)
    spoilt = tmp_path / "spoilt.tar"
    spoilt.write_bytes(file.read_bytes()[: file.stat().st_size // 2])
    with pytest.raises((BackupError, tarfile.TarError)):
        restore(spoilt, owner, pictures(home), home)
    assert sums(owner) == kept


def test_a_backup_of_an_older_version_is_brought_up(
    cluster: Cluster, elsewhere: str, home: Path, tmp_path: Path
) -> None:
    from alembic import command

    from galene.store.database import configured, newest_revision, stands_at

    name = f"older_{next(COUNT)}"
    administer(cluster, f"create database {name} template template0")
    command.upgrade(configured(cluster.url(name)), "0019")
    engine = create_engine(cluster.url(name))
    with engine.begin() as connection:
        connection.execute(
            text(
                "insert into workshop (id, name, system, currency, hourly_rate, altitude_m,"
                " off_road_per_day, minutes_by, due_by, bay_temperature_c, bay_humidity, bays,"
                " policy, revision) values (1, 'Old shed', 'metric', 'kr', 70, 0, 180, 'book',"
                " 'grade', 18, 0.5, '{}', '{}', 1)"
            )
        )
    engine.dispose()
    file = tmp_path / "older.tar"
    make_backup(cluster.url(name), pictures(home), home, file, now=NOW)
    assert restore(file, elsewhere, pictures(home), home).revision == "0019"
    migrate(elsewhere, APPLICATION)
    assert stands_at(elsewhere) == newest_revision()
    engine = create_engine(elsewhere)
    with engine.connect() as connection:
        row = connection.execute(text("select name, session_hours, demo from workshop")).one()
    engine.dispose()
    assert tuple(row) == ("Old shed", 14, False)
    administer(cluster, f"drop database {name} with (force)")


def test_a_sealed_one_opens_by_its_passphrase_and_by_age_alone(
    database: str, home: Path, tmp_path: Path
) -> None:
    file = tmp_path / "sealed.tar"
    make_backup(database, pictures(home), home, file, now=NOW, passphrase="four grey nets")
    assert b"PGDMP" not in file.read_bytes()
    with opened(file, "four grey nets") as plain:
        assert checked(plain).workshop.startswith("Quillness")
    for wrong in ("", "five grey nets"):
        with pytest.raises(BackupError), opened(file, wrong):
            pass
    with tarfile.open(file) as archive:
        assert archive.getnames() == ["identity.age", "backup.tar.age"]
        identity = archive.extractfile("identity.age")
        assert identity is not None and identity.read().startswith(b"age-encryption.org/v1")


def changed(file: Path, to: Path, name: str, data: bytes | None) -> Path:
    """The archive with one file in it changed, added or (without data) left out."""
    with tarfile.open(file) as was, tarfile.open(to, "w") as made:
        members = {m.name: was.extractfile(m).read() for m in was}
        if data is None:
            del members[name]
        else:
            members[name] = data
        for inner, content in members.items():
            info = tarfile.TarInfo(inner)
            info.size = len(content)
            made.addfile(info, io.BytesIO(content))
    return to


def test_whatever_is_wrong_with_a_file_is_named(database: str, home: Path, tmp_path: Path) -> None:
    file, odd = tmp_path / "shop.tar", tmp_path / "odd.tar"
    make_backup(database, pictures(home), home, file, now=NOW)
    picture = next(pictures(home).names())
    for name, data, words in (
        ("database.dump", b"other", "changed in this backup"),
        (f"pictures/{picture}.jpg", None, "missing"),
        ("pictures/../../evil", b"x", "added"),
        ("manifest.json", b"{}", "manifest can not be read"),
        ("manifest.json", None, "no manifest"),
    ):
        with pytest.raises(BackupError, match=words):
            checked(changed(file, odd, name, data))
    with tarfile.open(file) as archive:
        manifest = archive.extractfile("manifest.json").read()
    newer = manifest.replace(b'"revision":"00', b'"revision":"90')
    with pytest.raises(BackupError, match="newer program"):
        checked(changed(file, odd, "manifest.json", newer))
    odd.write_bytes(b"no archive at all")
    with pytest.raises(BackupError, match="no whole backup"), opened(odd):
        pass


def test_no_half_backup_ever_has_a_name(
    database: str, home: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from galene.store import backup

    def full(*_: object) -> str:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(backup, "_added", full)
    with pytest.raises(BackupError, match="No space left"):
        make_backup(database, pictures(home), home, tmp_path / "shop.tar", now=NOW)
    assert list(tmp_path.glob("*.tar")) == [] and list(tmp_path.glob(".galene-*")) == []
    with pytest.raises(BackupError, match="no folder"):
        make_backup(database, pictures(home), home, tmp_path / "no" / "shop.tar", now=NOW)
    gone = database.rsplit("/", 1)[0] + "/nothing_here"
    with pytest.raises(Exception, match="nothing_here"):
        make_backup(gone, pictures(home), home, tmp_path / "shop.tar", now=NOW)


def test_one_each_night_is_made_noted_and_let_go_of(
    database: str, home: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    engine = make_engine(database, 3)
    local = datetime.now().astimezone().replace(hour=3, minute=0)
    plan = BackupPlan(folder=tmp_path / "backups", hour=2)
    assert run(engine, pictures(home), home, plan, now=local, nightly=True)
    again = run(engine, pictures(home), home, plan, now=local + timedelta(hours=1), nightly=True)
    assert again is None, "one a night"
    with Session(engine) as db:
        assert not is_due(db, plan, local + timedelta(hours=20))
        assert is_due(db, plan, local + timedelta(hours=24))
        done = local + timedelta(hours=1)
        assert not is_old(db, done) and is_old(db, local + timedelta(hours=72))
    failed = run(engine, pictures(home), home, plan, now=local, target=tmp_path / "no" / "x.tar")
    assert failed is not None and "no folder" in failed.fault
    with Session(engine) as db:
        assert [bool(r.fault) for r in db.query(BackupRun).order_by(BackupRun.id)] == [False, True]
    engine.dispose()
    for days in range(40):
        moment = datetime(2026, 11, 1) - timedelta(days=days)  # noqa: DTZ001
        (plan.folder / f"galene-{moment:%Y%m%d-%H%M%S}.tar").touch()
    (plan.folder / "galene-by-hand.tar").touch()
    gone = rotate(plan.folder)
    left = sorted(p.name for p in plan.folder.iterdir())
    assert "galene-by-hand.tar" in left and len(left) + len(gone) == 42 and len(left) < 16


def test_age_itself_opens_the_archive(tmp_path: Path, database: str, home: Path) -> None:
    age = shutil.which("age")
    if age is None:
        pytest.skip("the age program is not installed: the library's own reading is tested above")
    import pyrage

    file = tmp_path / "sealed.tar"
    make_backup(database, pictures(home), home, file, now=NOW, passphrase="four grey nets")
    with tarfile.open(file) as archive:
        archive.extractall(tmp_path, filter="data")
    identity = pyrage.passphrase.decrypt((tmp_path / "identity.age").read_bytes(), "four grey nets")
    (tmp_path / "key.txt").write_bytes(identity)
    subprocess.run(
        [age, "-d", "-i", "key.txt", "-o", "whole.tar", "backup.tar.age"], cwd=tmp_path, check=True
    )
    assert checked(tmp_path / "whole.tar").format == 1


def test_a_manifest_bears_the_seal_of_the_workshops_key(
    database: str, home: Path, tmp_path: Path
) -> None:
    file, odd = tmp_path / "shop.tar", tmp_path / "odd.tar"
    make_backup(database, pictures(home), home, file, now=NOW)
    assert sealed_here(file, home) is True
    with tarfile.open(file) as archive:
        told = archive.extractfile("manifest.json")
        assert told is not None
        other = told.read().replace(b'"rows":', b'"rows": ')
    # Whoever changes a backup can make its sums fit, but not the seal under them.
    assert sealed_here(changed(file, odd, "manifest.json", other), home) is False
    assert sealed_here(changed(file, odd, "manifest.seal", None), home) is False
    stranger = tmp_path / "stranger"
    stranger.mkdir()
    assert sealed_here(file, stranger) is None, "without a key nobody can tell"
    key_in(stranger)
    assert sealed_here(file, stranger) is False


def test_no_command_for_a_shell_is_run_out_of_a_dump(elsewhere: str, tmp_path: Path) -> None:
    mark = tmp_path / "ran"
    with psycopg.connect(elsewhere.replace("+psycopg", "")) as connection:
        fine = b"create table t (a text);\nCOPY t (a) FROM stdin;\nsalt\\\\sand\n\\.\n\nselect 1;\n"
        _run(connection, io.BytesIO(b"\\restrict abc\n" + fine + b"\\unrestrict abc\n"))
        assert connection.execute("select a from t").fetchall() == [("salt\\sand",)]
        for line in (f"\\! touch {mark}", f"\\o {mark}", "\\include /etc/hostname"):
            with pytest.raises(BackupError, match="refused"):
                _run(connection, io.BytesIO(line.encode() + b"\nselect 1;\n"))
        with pytest.raises(psycopg.Error):
            _run(connection, io.BytesIO(f"select 1 \\! touch {mark}\n;".encode()))
    assert not mark.exists()
