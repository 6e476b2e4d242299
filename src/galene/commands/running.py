"""Starting: the workshop's own server, the demo beside it, the server for those who work on it."""

import contextlib
import fcntl
import importlib
import os
import shutil
import signal
import socket
import subprocess
import sys
import threading
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from sqlalchemy import make_url
from sqlalchemy.exc import OperationalError

from galene.commands.words import fail, tell
from galene.commands.workers import run_workers
from galene.settings import EVERY_ADDRESS, Settings
from galene.store.cluster import Cluster, ClusterError
from galene.store.database import (
    TooNew,
    driver_url,
    migrate,
    newest_revision,
    plain_url,
    revisions,
    session_at,
    stands_at,
)

ROOT = Path(__file__).resolve().parents[3]
DEMO, SERVER = "demo", "galene.web.app"


@dataclass(frozen=True, kw_only=True)
class Addresses:
    """A database's addresses: as the owner of its tables, and for the application."""

    owner: str
    application: str

    @property
    def account(self) -> str:
        """The application's account, empty where it is the owner's."""
        if self.owner == self.application:
            return ""
        return make_url(driver_url(self.application)).username or ""


def data_folder(settings: Settings) -> Path:
    """The workshop's data folder."""
    return settings.home.expanduser().resolve()


@contextlib.contextmanager
def only_one(home: Path) -> Iterator[None]:
    """Hold the data folder, so that two servers never share a cluster."""
    try:
        home.mkdir(parents=True, exist_ok=True)
        lock = (home / "galene.lock").open("w")
    except OSError as fault:
        raise fail(f"the data folder {home} can not be used: {fault.strerror}") from fault
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError as fault:
        raise fail(
            f"Galene runs already with the data folder {home}: stop it, or set GALENE_HOME to"
            " another folder"
        ) from fault
    with lock:
        yield


@contextlib.contextmanager
def own_cluster(home: Path, *, loads: bool = True) -> Iterator[Cluster]:
    """The private database server of a data folder, kept running while it is needed.

    Parameters
    ----------
    loads : whether the server's modules are loaded while the database gets ready
    """
    with only_one(home):
        cluster = Cluster(home)
        try:
            cluster.launch()
            if loads:
                importlib.import_module(SERVER)
            cluster.wait_ready()
            cluster.watch(tell)
            yield cluster
        except ClusterError as fault:
            raise fail(str(fault)) from fault
        except OSError as fault:
            raise fail(f"{fault.filename or home}: {fault.strerror}") from fault
        finally:
            cluster.stop()


@contextlib.contextmanager
def database(settings: Settings, home: Path) -> Iterator[Addresses]:
    """The database of a workshop: the one that the settings name, or a private one; migrated."""
    if settings.database_url:
        found = Addresses(
            owner=settings.database_owner_url or settings.database_url,
            application=settings.database_url,
        )
        with answering():
            saved_before(settings, found, home)
        migrated(found)
        yield found
        return
    with own_cluster(home) as cluster:
        found = Addresses(owner=cluster.url(), application=cluster.application_url())
        saved_before(settings, found, home)
        migrated(found)
        yield found


@contextlib.contextmanager
def application_at(settings: Settings, home: Path) -> Iterator[str]:
    """The application's address of a workshop's database, for a command that may run beside the
    server: of the private one that runs, else of one that is started for it."""
    running = Cluster(home)
    port = None if settings.database_url else running.running_port
    if port is not None:
        running.port = port
        yield running.application_url()
        return
    with database(settings, home) as at:
        yield at.application


@contextlib.contextmanager
def answering() -> Iterator[None]:
    """One clear line where the database does not answer."""
    try:
        yield
    except OperationalError as fault:
        raise fail(f"the database does not answer: {str(fault.orig).splitlines()[0]}") from fault


def saved_before(settings: Settings, at: Addresses, home: Path) -> None:
    """A backup before the schema is brought up, where there is a workshop whose data is older."""
    from galene.store.backup import BackupError, make_backup
    from galene.store.objects import objects_at
    from galene.store.pictures import PictureStore

    revision = stands_at(at.owner)
    if revision is None or revision == newest_revision() or revision not in revisions():
        return
    folder = settings.backup_folder or home / "backups"
    now = datetime.now(UTC)
    file = folder / f"before-upgrade-from-{revision}-{now:%Y%m%d-%H%M%S}.tar"
    try:
        folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        store = PictureStore(objects_at(settings.pictures_url, home))
        make_backup(at.owner, store, home, file, now=now)
    except (BackupError, OSError) as fault:
        raise fail(
            f"no backup could be made before the upgrade, so nothing was done: {fault}"
        ) from (fault)
    tell(f"the data is brought from migration {revision} to {newest_revision()}; before: {file}")


def migrated(at: Addresses) -> None:
    """Bring the schema up to this program, and let the application's account use it."""
    with answering():
        try:
            migrate(at.owner, at.account)
        except TooNew as fault:
            raise fail(str(fault)) from fault


def listening(settings: Settings) -> socket.socket:
    """The socket that the server listens at.

    Raises
    ------
    typer.Exit
        The address is none of this machine's, or the port is busy.
    """
    kind = socket.AF_INET6 if ":" in settings.host else socket.AF_INET
    found = socket.socket(kind)
    found.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        found.bind((settings.host, settings.port))
    except PermissionError as fault:
        raise fail(
            f"port {settings.port} needs more rights: set GALENE_PORT to one above 1023"
        ) from fault
    except OSError as fault:
        words = "is busy: set GALENE_PORT to another one"
        if fault.errno is not None and fault.errno != 98:
            words = f"at {settings.host} can not be listened at: {fault.strerror}"
        raise fail(f"port {settings.port} {words}") from fault
    return found


def address_of(settings: Settings) -> str:
    """The address at which a browser of this machine finds the server."""
    host = "127.0.0.1" if settings.host in EVERY_ADDRESS else settings.host
    scheme = "https" if settings.tls_certificate else "http"
    return f"{scheme}://{f'[{host}]' if ':' in host else host}:{settings.port}"


def until_told(
    settings: Settings, at: Addresses, home: Path, *, sock: socket.socket, demo: bool = False
) -> None:
    """Serve until the process is told to end. A demo is one process, and makes no backups."""
    if settings.workers > 1 and not demo:
        run_workers(settings, at.application, home, sock=sock)
        return
    from galene.web.app import tune_gc
    from galene.web.server import Server
    from galene.web.shared.metrics import serve_metrics
    from galene.web.shared.templating import warm_templates
    from galene.web.worker import application, listening_at

    app = application(settings, at.application, home, nightly=not demo)
    if settings.metrics_port:
        serve_metrics(
            app.state.watch.registry, settings.metrics_port, plain_url(at.application), home=home
        )
    tune_gc()
    # Behind the start, so that nobody's first page waits for its template to be compiled.
    threading.Thread(target=warm_templates, args=(home / "templates",), daemon=True).start()
    Server(app, listening_at(settings)).run(sockets=[sock])
    app.state.engine.dispose()


def ends_by_signal() -> None:
    """End in good order when told to."""
    for number in (signal.SIGTERM, signal.SIGHUP):
        signal.signal(number, lambda *_: sys.exit(0))


def serve(settings: Settings) -> None:
    """Serve the workshop's own data; a new one is set up at a one-time address."""
    from galene.jobs.families import install_shipped
    from galene.jobs.workshop import open_set_up
    from galene.store.repositories import people

    ends_by_signal()
    home = data_folder(settings)
    with listening(settings) as sock, database(settings, home) as at:
        with session_at(at.application) as db:
            shop = people.workshop_or_none(db)
            if shop is not None and shop.demo:
                raise fail(
                    "this data folder or database holds a demo, whose passwords are published:"
                    " set GALENE_HOME to another folder"
                )
            install_shipped(db, datetime.now(UTC))
            secret = open_set_up(db, datetime.now(UTC)) if shop is None else ""
        address = address_of(settings)
        print(f"\n  Galene is at {address}")
        if secret:
            print(f"  Set your workshop up at {address}/set-up/{secret}")
            print("  That address counts once, and until it is used nothing else answers.")
        if settings.host in EVERY_ADDRESS and not settings.trusted_hosts:
            print("  Only this machine may call it so far: name it in GALENE_TRUSTED_HOSTS.")
        print("  Ctrl-C stops everything.\n", flush=True)
        until_told(settings, at, home, sock=sock)


def demo(settings: Settings, *, reset: bool = False) -> None:
    """Serve the demo, in a folder of its own inside the data folder."""
    ends_by_signal()
    if settings.database_url:
        raise fail(
            "the demo has a database of its own: unset GALENE_DATABASE_URL, or start"
            " './galene serve' for the database that it names"
        )
    home = data_folder(settings) / DEMO
    with listening(settings) as sock:
        if reset:
            with only_one(home):
                shutil.rmtree(home)
        with demo_loaded(home) as (at, loaded):
            told_demo(settings, loaded=loaded)
            with live_cars(settings, at, home):
                until_told(settings, at, home, sock=sock, demo=True)


@contextlib.contextmanager
def live_cars(settings: Settings, at: Addresses, home: Path) -> Iterator[None]:
    """The demo's two simulated cars with their bridges, in a process of their own."""
    from galene.commands.seat.process import begun

    port = settings.seat_port or settings.port + 1
    cars = begun(
        address_of(settings), at.application, folder=home / "bridges", port=min(port, 65535)
    )
    try:
        yield
    finally:
        cars.terminate()
        with contextlib.suppress(TimeoutError, subprocess.TimeoutExpired):
            cars.wait(8)


def brought_up(at: Addresses) -> bool:
    """Whether a demo is there, whose families are then brought up to this program's."""
    from galene.jobs.families import install_shipped
    from galene.store.repositories import people

    with session_at(at.application) as db:
        if people.workshop_or_none(db) is None:
            return False
        install_shipped(db, datetime.now(UTC))
        return True


@contextlib.contextmanager
def demo_loaded(home: Path) -> Iterator[tuple[Addresses, bool]]:
    """The demo's database, told into where it is empty; whether it was. The first time the stories
    are made ready while the database is, and the server loads while they are told."""
    from galene.demo.telling import Teller, Untold

    first = not (home / "postgres").exists()
    teller = Teller() if first else None
    try:
        with own_cluster(home, loads=not first) as cluster:
            at = Addresses(owner=cluster.url(), application=cluster.application_url())
            migrated(at)
            loaded = False
            if first or not brought_up(at):
                teller = teller or Teller()
                teller.tell(at.application)
                importlib.import_module(SERVER)
                loaded = teller.told()
            yield at, loaded
    except Untold as fault:
        raise fail(str(fault)) from fault
    finally:
        if teller is not None:
            teller.stop()


def told_demo(settings: Settings, *, loaded: bool) -> None:
    """Print where the demo is and who signs in."""
    from galene.demo.world import SIGN_INS

    print(f"\n  Galene is at {address_of(settings)}" + ("   (demo loaded)" if loaded else ""))
    for name, role, password in SIGN_INS:
        print(f"    {role:<11} {name:<7} {password}")
    print("  Ctrl-C stops everything.\n", flush=True)


def dev(settings: Settings) -> None:
    """Serve the demo, anew at every change of a source file."""
    import uvicorn

    home = data_folder(settings) / DEMO
    listening(settings).close()
    with demo_loaded(home) as (at, _):
        os.environ["GALENE_DATABASE_URL"] = at.application
        os.environ["GALENE_HOME"] = str(home)
        print(f"\n  Galene, reloading, is at {address_of(settings)}\n", flush=True)
        uvicorn.run(
            "galene.web.dev:app",
            factory=True,
            host=settings.host,
            port=settings.port,
            reload=True,
            reload_dirs=[str(ROOT / "src")],
            log_level="info",
            timeout_graceful_shutdown=1,
        )
