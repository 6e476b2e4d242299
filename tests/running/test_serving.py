"""The server as a workshop runs it: killed in mid-write, several processes, several machines behind
a proxy."""

import asyncio
import io
import itertools
import json
import os
import random
import re
import signal
import subprocess
import sys
import threading
import time
import uuid
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any

import boto3
import httpx2 as httpx
import psutil
import psycopg
import pytest
from moto.server import ThreadedMotoServer
from PIL import Image
from sqlalchemy import create_engine, text

from galene.commands.workers import environment_of
from galene.settings import Settings
from galene.store.cluster import APPLICATION, Cluster, free_port
from galene.store.vault import Vault, key_in, new_key
from tests.conftest import COUNT, administer, demo_jobs, reachable
from tests.often import often

PASSWORD = "four grey herring nets"
FORM = {
    "workshop": "Kelpford Sheds",
    "system": "metric",
    "currency": "kr",
    "bays": "north",
    "name": "Runa Vik",
    "sign_in": "runa",
    "new_password": PASSWORD,
}
PATIENCE_S = 300.0
"""Ends a run that hangs; a busy machine fails nothing."""
STOPPED_S = 30.0


def until(holds: Callable[[], bool]) -> None:
    ends = time.monotonic() + PATIENCE_S
    while time.monotonic() < ends:
        if holds():
            return
        time.sleep(0.1)
    raise AssertionError("it did not come")


@contextmanager
def serving(port: int, *arguments: str, **environment: str) -> Iterator["subprocess.Popen[str]"]:
    """A server of its own in a process of its own."""
    process = subprocess.Popen(
        [sys.executable, "-m", "galene.cli", "serve", *arguments],
        env={**os.environ, "GALENE_PORT": str(port), **environment},
        stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT,
        text=True,
    )
    try:
        yield process
    finally:
        process.send_signal(signal.SIGTERM)
        try:
            process.wait(60)
        except subprocess.TimeoutExpired:
            process.kill()
            process.wait()


def told_address(process: "subprocess.Popen[str]") -> str:
    """The address of the set-up, as the start prints it."""
    assert process.stdout is not None
    said = ""
    for line in process.stdout:
        said += line
        found = re.search(r"http\S+/set-up/\S+", line)
        if found:
            # Read on, so that the process never waits for its own words to be read.
            threading.Thread(target=lambda f=process.stdout: print(f.read()), daemon=True).start()
            return found[0]
    raise AssertionError(said)


class Patient(httpx.Client):
    """A client that asks again where the server is busy: on a slow machine it may be."""

    def request(self, *arguments: Any, **more: Any) -> httpx.Response:
        ends = time.monotonic() + PATIENCE_S
        while True:
            answer = super().request(*arguments, **more)
            if answer.status_code != 503 or time.monotonic() > ends:
                return answer
            time.sleep(0.5)


def client(port: int, kind: type[httpx.Client] = Patient) -> httpx.Client:
    address = f"http://127.0.0.1:{port}"
    return kind(base_url=address, headers={"origin": address}, timeout=60)


@contextmanager
def shop(port: int, home: Path, *arguments: str) -> Iterator[httpx.Client]:
    """A served workshop that is set up, and its foreman signed in."""
    with serving(port, *arguments, GALENE_HOME=str(home)) as process:
        address = told_address(process)
        until(lambda: answers(port))
        web = client(port)
        assert web.post(address, data=FORM).status_code == 303
        yield web


def posted(web: httpx.Client, path: str, **data: str) -> httpx.Response:
    return web.post(path, data={"once": uuid.uuid4().hex, **data})


def answers(port: int, path: str = "/readyz") -> bool:
    try:
        return httpx.get(f"http://127.0.0.1:{port}{path}", timeout=5).status_code == 200
    except httpx.HTTPError:
        return False


class Sender(threading.Thread):
    """A card that sends one entry after another, each until it is acknowledged."""

    def __init__(self, web: httpx.Client, number: str, me: int) -> None:
        super().__init__(daemon=True)
        self.web, self.number, self.me = web, number, me
        self.acknowledged = list[str]()
        self.over = threading.Event()

    def run(self) -> None:
        for n in itertools.count():
            if self.over.is_set():
                return
            self._send(f"part {n}", uuid.uuid4().hex)

    def _send(self, what: str, entry: str) -> None:
        data = {"kind": "hose", "what": what}
        one = {"id": entry, "kind": "item", "at": "2026-11-26T12:00:00Z", "data": data}
        while True:
            try:
                answer = self.web.post(
                    f"/jobs/{self.number}/entries", json={"me": self.me, "entries": [one]}
                )
                if answer.status_code == 200:
                    outcome = answer.json()["results"][0]["outcome"]
                    assert outcome in ("done", "before"), answer.text
                    self.acknowledged.append(what)
                    return
            except httpx.HTTPError:
                pass
            time.sleep(0.05)


def test_killed_again_and_again_and_nothing_lost_or_twice(tmp_path: Path) -> None:
    """Web processes and the database server are killed while a card writes: what was acknowledged
    is there, once, and what was not is sent again by the card."""
    reachable(tmp_path)  # the folder must be one that the database's account can reach
    port, home = free_port(), tmp_path / "shop"
    with serving(port, "--workers", "2", GALENE_HOME=str(home)) as process:
        address = told_address(process)
        until(lambda: answers(port))
        web = client(port)
        assert web.post(address, data=FORM).status_code == 303
        assert posted(web, "/vehicles/new", plate="KF-12", model="van", family="A").is_redirect
        begun = posted(web, "/jobs/new", plate="KF-12", complaint="it stalls")
        number = begun.headers["location"].split("/")[2]
        sender = Sender(web, number, me=1)
        sender.start()
        chance = random.Random(7)
        parent = psutil.Process(process.pid)

        def web_processes() -> list[psutil.Process]:
            found = []
            for child in parent.children():
                with suppress(psutil.Error):
                    if "galene.web.worker" in " ".join(child.cmdline()):
                        found.append(child)
            return found

        kills = often(3, 20)
        for _ in range(kills):
            before = len(sender.acknowledged)
            until(lambda: len(web_processes()) == 2)
            chance.choice(web_processes()).kill()
            until(lambda before=before: len(sender.acknowledged) > before)
        database = Cluster(home)
        for _ in range(kills):
            before = len(sender.acknowledged)
            pid = int((home / "postgres" / "postmaster.pid").read_text().split("\n")[0])
            os.kill(pid, signal.SIGKILL)
            until(lambda before=before: len(sender.acknowledged) > before + 1)
        sender.over.set()
        sender.join(PATIENCE_S)
        database.port = database.running_port or 0
        with psycopg.connect(database.url().replace("+psycopg", "")) as connection:
            rows = connection.execute("select what from must_go_back").fetchall()
        there = [row[0] for row in rows]
        assert len(there) == len(set(there)), "none is there twice"
        assert set(sender.acknowledged) <= set(there) and len(sender.acknowledged) >= 2 * kills


class Proxy(threading.Thread):
    """A plain proxy: each connection goes to the next server that takes it."""

    def __init__(self, ports: list[int]) -> None:
        super().__init__(daemon=True)
        self.ports, self.port = ports, free_port()
        self._turn = itertools.count()

    def run(self) -> None:
        asyncio.run(self._serve())

    async def _serve(self) -> None:
        server = await asyncio.start_server(self._one, "127.0.0.1", self.port)
        await server.serve_forever()

    async def _one(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        for _ in self.ports:
            port = self.ports[next(self._turn) % len(self.ports)]
            try:
                inner, outer = await asyncio.open_connection("127.0.0.1", port)
                break
            except OSError:
                continue
        else:
            writer.close()
            return
        await asyncio.gather(self._pump(reader, outer), self._pump(inner, writer))

    async def _pump(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        try:
            while data := await reader.read(65536):
                writer.write(data)
                await writer.drain()
        except OSError:
            pass
        finally:
            writer.close()


@pytest.fixture
def bucket(monkeypatch: pytest.MonkeyPatch) -> Iterator[str]:
    """A store that speaks S3, on loopback."""
    server = ThreadedMotoServer("127.0.0.1", port=0, verbose=False)
    server.start()
    host, port = server.get_host_and_port()
    for name, value in {
        "AWS_ENDPOINT_URL_S3": f"http://{host}:{port}",
        "AWS_ACCESS_KEY_ID": "shed",
        "AWS_SECRET_ACCESS_KEY": "shed",
        "AWS_DEFAULT_REGION": "us-east-1",
    }.items():
        monkeypatch.setenv(name, value)
    boto3.client("s3").create_bucket(Bucket="pictures")
    yield "s3://pictures/shed"
    server.stop()


@pytest.fixture
def addresses(cluster: Cluster) -> Iterator[tuple[str, str]]:
    """A copy of the demo's database that is a workshop's own: as the application, as the owner."""
    name = f"two_{next(COUNT)}"
    administer(cluster, f"create database {name} template galene strategy file_copy")
    owner = create_engine(cluster.url(name))
    with owner.begin() as connection:
        connection.execute(text("update workshop set demo = false"))
    owner.dispose()
    yield cluster.application_url(name), cluster.url(name)
    administer(cluster, f"drop database {name} with (force)")


def test_two_machines_on_one_database_are_as_one(
    addresses: tuple[str, str], bucket: str, tmp_path: Path
) -> None:
    """Sign-in, ticks, news and pictures through a proxy that takes turns; then one is killed."""
    application, owner = addresses
    assert APPLICATION in application
    shared = {
        "GALENE_DATABASE_URL": application,
        "GALENE_DATABASE_OWNER_URL": owner,
        "GALENE_SECRET_KEY": new_key(),
        "GALENE_PICTURES_URL": bucket,
    }
    ports = [free_port(), free_port()]
    engine = create_engine(owner)
    with engine.connect() as connection:
        from sqlalchemy.orm import Session

        with Session(connection) as db:
            number = demo_jobs(db)["work"]
        me = connection.scalar(text("select id from person where sign_in = 'odd'"))
    with (
        serving(ports[0], GALENE_HOME=str(tmp_path / "one"), **shared) as first,
        serving(ports[1], GALENE_HOME=str(tmp_path / "two"), **shared),
    ):
        until(lambda: all(answers(port) for port in ports))
        proxy = Proxy(ports)
        proxy.start()
        until(lambda: answers(proxy.port))
        address = f"http://127.0.0.1:{proxy.port}"
        # A connection a request, so that each goes to the next one.
        limits = httpx.Limits(max_keepalive_connections=0)
        web = Patient(base_url=address, headers={"origin": address}, timeout=60, limits=limits)
        signed = web.post("/sign-in", data={"name": "odd", "password": "slipway-odd"})
        assert signed.status_code == 303
        assert [web.get("/").status_code for _ in range(6)] == [200] * 6
        heard = list[str]()

        def listen() -> None:
            # The stream from the process that is killed ends in its middle.
            with (
                suppress(httpx.HTTPError),
                web.stream("GET", f"/jobs/{number}/events") as stream,
            ):
                for line in stream.iter_lines():
                    heard.append(line)

        # Two pages listen, one on each process.
        for _ in range(2):
            threading.Thread(target=listen, daemon=True).start()
        until(lambda: heard.count("event: changed") >= 2)
        heard.clear()
        sender = Sender(web, number, me)
        sender.start()
        until(lambda: heard.count("event: changed") >= 4)
        out = io.BytesIO()
        Image.new("RGB", (800, 500), "teal").save(out, "JPEG")
        kept = web.post(
            f"/jobs/{number}/pictures",
            data={"once": uuid.uuid4().hex, "part": "throttle_body", "phase": "before"},
            files={"file": ("a.jpg", out.getvalue())},
        )
        assert kept.status_code in (200, 303), kept.text
        names = re.findall(r"/pictures/[0-9a-f]{64}\.jpg", web.get(f"/jobs/{number}/pictures").text)
        assert [web.get(names[0]).status_code for _ in range(4)] == [200] * 4
        first.kill()
        before = len(sender.acknowledged)
        until(lambda: len(sender.acknowledged) > before + 5)
        sender.over.set()
        sender.join(PATIENCE_S)
        assert [web.get("/").status_code for _ in range(4)] == [200] * 4
    with engine.connect() as connection:
        there = connection.scalars(
            text("select what from must_go_back where what like 'part %'")
        ).all()
    engine.dispose()
    assert sorted(there) == sorted(set(there)) and set(sender.acknowledged) <= set(there)


def test_a_stopped_database_is_answered_for_and_all_recovers(tmp_path: Path) -> None:
    """Stopped, not ended: every request gets a clear page, and all goes on by itself."""
    reachable(tmp_path)
    port, home = free_port(), tmp_path / "shop"
    with shop(port, home) as web:
        server = int((home / "postgres" / "postmaster.pid").read_text().split("\n")[0])
        stopped = [psutil.Process(server), *psutil.Process(server).children(recursive=True)]
        for one in stopped:
            one.suspend()
        plain = client(port, httpx.Client)
        plain.cookies = web.cookies
        try:
            took = []
            ends = time.monotonic() + STOPPED_S
            for path in itertools.cycle(("/", "/sign-in", "/people", "/healthz", "/vehicles")):
                begun = time.monotonic()
                answer = plain.get(path)
                took.append(time.monotonic() - begun)
                assert answer.status_code == 503, path
                assert "does not answer" in answer.text, path
                if time.monotonic() > ends:
                    break
                time.sleep(0.5)
            kept = posted(plain, "/vehicles/new", plate="KF-77", model="typed meanwhile")
            assert kept.status_code == 503 and "typed meanwhile" in kept.text
            print(json.dumps({"longest": round(max(took), 2)}))
        finally:
            for one in stopped:
                one.resume()
        until(lambda: answers(port, "/healthz"))
        until(lambda: web.get("/people").status_code == 200)
        added = posted(web, "/vehicles/new", plate="KF-77", model="van", family="A")
        assert added.status_code == 303


def test_who_forgot_the_password_is_let_in_from_the_console(tmp_path: Path) -> None:
    """The only foreman, while the server runs."""
    reachable(tmp_path)
    port, home = free_port(), tmp_path / "shop"
    with shop(port, home) as web:

        def code_for(sign_in: str) -> "subprocess.CompletedProcess[str]":
            return subprocess.run(
                [sys.executable, "-m", "galene.cli", "code", sign_in],
                env={**os.environ, "GALENE_HOME": str(home)},
                capture_output=True,
                text=True,
                timeout=PATIENCE_S,
                check=False,
            )

        nobody = code_for("gunnar")
        assert nobody.returncode == 2 and "nobody signs in as gunnar" in nobody.stderr
        given = code_for("Runa")
        assert given.returncode == 0, given.stderr
        assert web.get("/people").headers["location"].startswith("/sign-in"), "sessions ended"
        fresh = client(port)
        old = posted(fresh, "/sign-in", name="runa", password=PASSWORD)
        assert old.status_code != 303
        asked = posted(fresh, "/sign-in", name="runa", password=given.stdout.split()[0])
        ticket = re.search(r'name="ticket" value="([^"]+)"', asked.text)
        assert ticket, asked.text
        chosen = "seven slow brown otters"
        posted(fresh, "/sign-in/first-password", ticket=ticket[1], new_password=chosen)
        assert fresh.get("/people").status_code == 200


@pytest.fixture
def small_disk(tmp_path: Path) -> Iterator[Path]:
    """A file system of its own, small enough to be filled."""
    place = tmp_path / "small"
    place.mkdir()
    made = subprocess.run(
        ["mount", "-t", "tmpfs", "-o", "size=400m,mode=0777", "tmpfs", str(place)], check=False
    )
    if made.returncode:
        pytest.skip("this account may not mount a file system")
    reachable(tmp_path)
    yield place
    subprocess.run(["umount", "--lazy", str(place)], check=True)


def filled(place: Path) -> Path:
    """Write until nothing more goes onto the disk."""
    ballast = place / "ballast"
    with suppress(OSError), ballast.open("wb", buffering=0) as file:
        while True:
            file.write(bytes(1 << 20))
    return ballast


def test_a_full_disk_is_named_loses_nothing_and_is_recovered_from(small_disk: Path) -> None:
    port, home = free_port(), small_disk / "shop"
    with shop(port, home) as web:
        plain = client(port, httpx.Client)
        plain.cookies = web.cookies
        ballast = filled(small_disk)
        written = list[str]()
        while True:
            plate = f"KF-{len(written) + 100}"
            answer = posted(plain, "/vehicles/new", plate=plate, model="van " * 20, family="A")
            if answer.status_code != 303:
                break
            written.append(plate)
            assert len(written) < 20_000, "the database never noticed"
        assert answer.status_code in (503, 507) and plate in answer.text, answer.text
        until(lambda: "disk" in plain.get("/healthz").text)
        assert plain.get("/healthz").status_code == 503
        ballast.unlink()
        until(lambda: answers(port, "/healthz"))
        done = posted(web, "/vehicles/new", plate="KF-7", model="van", family="A")
        assert done.status_code == 303
        shown = web.get("/vehicles").text
        assert "KF-7" in shown
        for plate in written:
            assert web.get("/vehicles", params={"q": plate}).text.count(f">{plate}<") == 1


def test_a_first_start_on_a_full_disk_says_so(small_disk: Path) -> None:
    ballast = small_disk / "ballast"
    ballast.write_bytes(bytes(380 << 20))
    said = subprocess.run(
        [sys.executable, "-m", "galene.cli", "serve"],
        env={
            **os.environ,
            "GALENE_HOME": str(small_disk / "shop"),
            "GALENE_PORT": str(free_port()),
        },
        capture_output=True,
        text=True,
        timeout=PATIENCE_S,
        check=False,
    )
    assert said.returncode == 2 and "20 MB free" in said.stderr and "initdb" not in said.stderr


def test_a_start_says_what_is_wrong(tmp_path: Path) -> None:
    """One clear line, exit 2."""

    def start(command: str, **environment: str) -> tuple[int, str]:
        done = subprocess.run(
            [sys.executable, "-m", "galene.cli", command],
            env={**os.environ, "GALENE_HOME": str(tmp_path), **environment},
            capture_output=True,
            text=True,
            timeout=PATIENCE_S,
            check=False,
        )
        assert "Traceback" not in done.stderr and done.stderr.count("\n") == 1, done.stderr
        return done.returncode, done.stderr

    url = "postgresql://nobody:x@127.0.0.1:1/galene"
    for command, environment, words in (
        ("demo", {"GALENE_DATABASE_URL": url}, "the demo has a database of its own"),
        ("serve", {"GALENE_DATABASE_URL": url}, "the database does not answer"),
        ("serve", {"GALENE_PORT": "0"}, "GALENE_PORT"),
        ("serve", {"GALENE_WORKERS": "many"}, "GALENE_WORKERS"),
        ("serve", {"GALENE_HOST": "203.0.113.9"}, "can not be listened at"),
    ):
        code, said = start(command, **environment)
        assert code == 2 and words in said, (command, environment, said)


def test_no_web_process_is_told_the_owners_address(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    monkeypatch.setenv("GALENE_DATABASE_OWNER_URL", "postgresql://owner:secret@db/galene")
    told = environment_of(Settings(), "postgresql://galene_app@db/galene", tmp_path)
    assert not [k for k, v in told.items() if "OWNER" in k or "owner:secret" in v]
    assert told["GALENE_DATABASE_URL"] == "postgresql://galene_app@db/galene"


@pytest.mark.parametrize("by_environment", [True, False])
def test_new_secrets_seal_second_factors_anew(
    addresses: tuple[str, str], tmp_path: Path, by_environment: bool
) -> None:
    application, owner = addresses
    old = new_key() if by_environment else key_in(tmp_path)
    engine = create_engine(owner)
    sealed = "update person set totp_secret = :sealed where sign_in = 'maren'"
    with engine.begin() as connection:
        connection.execute(text(sealed), {"sealed": Vault(old).seal("JBSWY3DP")})
    done = subprocess.run(
        [sys.executable, "-m", "galene.cli", "secrets"],
        env={
            **os.environ,
            "GALENE_HOME": str(tmp_path),
            "GALENE_DATABASE_URL": application,
            "GALENE_DATABASE_OWNER_URL": owner,
            **({"GALENE_SECRET_KEY": old} if by_environment else {}),
        },
        capture_output=True,
        text=True,
        timeout=PATIENCE_S,
        check=True,
    )
    printed = re.search(r"GALENE_SECRET_KEY to (\S+)", done.stdout)
    assert (printed is not None) == by_environment
    fresh = printed[1] if printed else key_in(tmp_path)
    with engine.connect() as connection:
        kept = connection.scalar(text("select totp_secret from person where sign_in = 'maren'"))
    engine.dispose()
    assert fresh != old and Vault(fresh).open(kept) == "JBSWY3DP"
    assert Vault(old).open(kept) is None


def test_the_demos_data_is_no_workshop(addresses: tuple[str, str], tmp_path: Path) -> None:
    application, owner = addresses
    engine = create_engine(owner)
    with engine.begin() as connection:
        connection.execute(text("update workshop set demo = true"))
    engine.dispose()
    done = subprocess.run(
        [sys.executable, "-m", "galene.cli", "serve"],
        env={
            **os.environ,
            "GALENE_HOME": str(tmp_path),
            "GALENE_DATABASE_URL": application,
            "GALENE_DATABASE_OWNER_URL": owner,
            "GALENE_PORT": str(free_port()),
        },
        capture_output=True,
        text=True,
        timeout=PATIENCE_S,
        check=False,
    )
    assert done.returncode == 2 and "passwords are published" in done.stderr
