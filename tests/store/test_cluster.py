"""The private database server: it comes back when it is killed, also when all was."""

import os
import shutil
import signal
import time
from collections import namedtuple
from collections.abc import Callable, Iterator
from pathlib import Path

import psycopg
import pytest

from galene.store.cluster import APPLICATION, Cluster, ClusterError
from galene.store.database import TooNew, migrate
from tests.conftest import administer, reachable


@pytest.fixture
def own(tmp_path: Path) -> Iterator[Cluster]:
    made = reachable(tmp_path, durable=True)
    made.start()
    yield made
    made.stop()


def plain(url: str) -> str:
    return url.replace("+psycopg", "")


def until(holds: Callable[[], bool]) -> None:
    for _ in range(2400):
        if holds():
            return
        time.sleep(0.05)
    raise AssertionError("it did not come")


def answers(cluster: Cluster) -> bool:
    try:
        with psycopg.connect(plain(cluster.application_url()), connect_timeout=3) as connection:
            return connection.execute("select 1").fetchone() == (1,)
    except psycopg.Error:
        return False


def test_a_killed_server_comes_back_at_the_same_port_with_what_was_kept(own: Cluster) -> None:
    told: list[str] = []
    own.watch(told.append)
    with psycopg.connect(plain(own.url()), autocommit=True) as connection:
        connection.execute("create table kept (n int)")
    port = own.port
    for n in range(3):
        with psycopg.connect(plain(own.url()), autocommit=True) as connection:
            connection.execute("insert into kept values (%s)", [n])
        assert own.process is not None
        dead = own.process.pid
        os.kill(dead, signal.SIGKILL)
        until(lambda dead=dead: own.process is not None and own.process.pid != dead)
        until(lambda: answers(own))
    assert own.port == port
    with psycopg.connect(plain(own.url())) as connection:
        assert connection.execute("select count(*) from kept").fetchone() == (3,)
    assert any("started again" in line for line in told)


def test_a_start_right_after_everything_was_killed(own: Cluster) -> None:
    """Launcher and server die; its helpers still hold the memory when the next one comes."""
    for _ in range(3):
        assert own.process is not None
        os.kill(own.process.pid, signal.SIGKILL)
        own.process.wait()
        own.process = None
        assert (own.data / "postmaster.pid").exists()
        own.start()
        assert answers(own)


def test_the_pid_of_another_program_is_left_alone(own: Cluster) -> None:
    own.stop()
    (own.data / "postmaster.pid").write_text(f"{os.getpid()}\n")
    own.start()
    assert answers(own)


def test_no_room_is_told_before_anything_is_made(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    usage = namedtuple("usage", "total used free")
    monkeypatch.setattr(shutil, "disk_usage", lambda place: usage(10**9, 10**9, 30_000_000))
    with pytest.raises(ClusterError, match="30 MB free: a new database needs 200 MB"):
        Cluster(tmp_path / "new").launch()
    assert not (tmp_path / "new" / "postgres").exists()


def test_data_of_a_newer_program_is_left_alone(cluster: Cluster) -> None:
    administer(cluster, "create database newer template galene strategy file_copy")
    address = plain(cluster.url("newer"))
    with psycopg.connect(address, autocommit=True) as connection:
        connection.execute("update alembic_version set version_num = '9999'")
    with pytest.raises(TooNew, match="9999"):
        migrate(cluster.url("newer"), APPLICATION)
    with psycopg.connect(address) as connection:
        assert connection.execute("select version_num from alembic_version").fetchone() == ("9999",)
    administer(cluster, "drop database newer with (force)")
