"""The command line. Heavy imports wait until a command needs them."""

import contextlib
import fcntl
import importlib
import json
import os
import signal
import socket
import subprocess
import sys
import threading
from collections.abc import Callable, Iterator, Mapping
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime
from pathlib import Path
from typing import Annotated, Any

import typer

cli = typer.Typer(
    add_completion=False,
    no_args_is_help=True,
    pretty_exceptions_enable=False,
    help="Galene: the air path cleaned, timed and proven.",
)
FileArgument = Annotated[
    Path | None, typer.Argument(help="JSON file; standard input where it is left out.")
]
ROOT = Path(__file__).resolve().parents[2]


def fail(line: str) -> typer.Exit:
    """One clear line on standard error, exit 2."""
    print("galene: " + " ".join(line.split()), file=sys.stderr)
    return typer.Exit(2)


def _read(path: Path | None) -> Any:
    try:
        text = sys.stdin.read() if path is None or str(path) == "-" else path.read_text()
    except (OSError, UnicodeDecodeError) as fault:
        raise fail(f"{path}: {getattr(fault, 'strerror', None) or 'not text'}") from fault
    try:
        return json.loads(text)
    except json.JSONDecodeError as fault:
        raise fail(
            f"input is not JSON: line {fault.lineno}, column {fault.colno}: {fault.msg}"
        ) from fault


def _answer(run: Callable[[], Any]) -> None:
    from galene.core.errors import InputError

    try:
        print(json.dumps(run(), indent=1, ensure_ascii=False, allow_nan=False))
    except InputError as fault:
        raise fail(str(fault)) from fault


@cli.command()
def calc(name: str, file: FileArgument = None) -> None:
    """Run the calculation NAME."""
    from galene.exchange.cases import calculate

    given = _read(file)
    _answer(lambda: calculate(name, given))


@cli.command()
def assess(file: FileArgument = None) -> None:
    """Rank the causes of a case file."""
    from galene.exchange.cases import assess_case

    given = _read(file)
    _answer(lambda: assess_case(given))


@cli.command()
def prove(file: FileArgument = None) -> None:
    """Whether a repair is proven, and what is still missing."""
    from galene.exchange.proofs import prove_case

    given = _read(file)
    _answer(lambda: prove_case(given))


@cli.command()
def scope(file: FileArgument = None) -> None:
    """Access and minutes for a set of parts."""
    from galene.exchange.cases import scope_of

    given = _read(file)
    _answer(lambda: scope_of(given))


@cli.command()
def judge(file: FileArgument = None) -> None:
    """Whether an agent may touch a part, this way, in this state."""
    from galene.exchange.cases import judgement_of

    given = _read(file)
    _answer(lambda: judgement_of(given))


@cli.command()
def plan(
    file: FileArgument = None,
    lines: Annotated[
        bool, typer.Option("--lines", help="One case a line in, one plan a line out.")
    ] = False,
) -> None:
    """The proven plan of a case: steps, relearns, proof, minutes, price."""
    from galene.core.errors import InputError
    from galene.exchange.plans import plan_of

    if not lines:
        given = _read(file)
        _answer(lambda: plan_of(given))
        return
    for line in _lines(file):
        if not line.strip():
            continue
        try:
            found = plan_of(json.loads(line))
        except json.JSONDecodeError as fault:
            found = {"error": f"not JSON: column {fault.colno}: {fault.msg}"}
        except (InputError, RecursionError) as fault:
            found = {"error": str(fault)}
        print(json.dumps(found, ensure_ascii=False, allow_nan=False))


def _lines(path: Path | None) -> Iterator[str]:
    """The lines of a file or of standard input, one at a time."""
    try:
        if path is None or str(path) == "-":
            yield from sys.stdin
        else:
            with path.open() as opened:
                yield from opened
    except (OSError, UnicodeDecodeError) as fault:
        raise fail(f"{path}: {getattr(fault, 'strerror', None) or 'not text'}") from fault


@contextlib.contextmanager
def _only_one(home: Path) -> Iterator[None]:
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


def _port_free(port: int) -> None:
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", port))
        except PermissionError as fault:
            raise fail(
                f"port {port} needs more rights: set GALENE_PORT to one above 1023"
            ) from fault
        except OSError as fault:
            raise fail(f"port {port} is busy: set GALENE_PORT to another one") from fault


def _prepare(url: str) -> bool:
    """Migrate, and load the demo into an empty database. True when it was loaded."""
    from sqlalchemy.exc import OperationalError
    from sqlalchemy.orm import Session

    from galene.demo.world import is_empty, load
    from galene.jobs.families import install_shipped
    from galene.store.database import make_engine, migrate

    try:
        migrate(url)
        engine = make_engine(url, 1)
        with Session(engine, expire_on_commit=False) as db:
            if not is_empty(db):
                install_shipped(db, datetime.now(UTC))
                db.commit()
                return False
            load(db, datetime.now(UTC))
            db.commit()
            return True
    except OperationalError as fault:
        raise fail(f"the database does not answer: {str(fault.orig).splitlines()[0]}") from fault
    finally:
        with contextlib.suppress(UnboundLocalError):
            engine.dispose()


def _serve(url: str, port: int, home: Path, *, loaded: bool) -> None:
    from galene.demo.world import SIGN_INS
    from galene.store.database import make_engine
    from galene.web.app import create_app, quiet_log, tune_gc
    from galene.web.server import Server
    from galene.web.shared.templating import warm_templates

    quiet_log()
    engine = make_engine(url)
    server = Server(create_app(engine, home=home), port)
    print(f"\n  Galene is at http://127.0.0.1:{port}" + ("   (demo loaded)" if loaded else ""))
    for name, role, password in SIGN_INS:
        print(f"    {role:<11} {name:<7} {password}")
    print("  Ctrl-C stops everything.\n", flush=True)
    tune_gc()
    # Behind the start, so that nobody's first page waits for its template to be compiled.
    threading.Thread(target=warm_templates, args=(home / "templates",), daemon=True).start()
    server.run()
    engine.dispose()


@cli.command()
def demo(
    reset: Annotated[
        bool, typer.Option("--reset", help="Throw the demo's data away and start anew.")
    ] = False,
) -> None:
    """Start the database and the server, with the demo world when empty."""
    import shutil

    from pydantic import ValidationError

    from galene.settings import Settings
    from galene.store.cluster import Cluster, ClusterError

    try:
        settings = Settings()
    except ValidationError as fault:
        raise fail(
            f"GALENE_{str(fault.errors()[0]['loc'][0]).upper()}: {fault.errors()[0]['msg']}"
        ) from fault
    for number in (signal.SIGTERM, signal.SIGHUP):
        signal.signal(number, lambda *_: sys.exit(0))
    _port_free(settings.port)
    if settings.database_url:
        if reset:
            raise fail(
                "--reset is for the private database only; GALENE_DATABASE_URL names another one"
            )
        _serve(
            settings.database_url,
            settings.port,
            settings.home,
            loaded=_prepare(settings.database_url),
        )
        return
    home = settings.home.expanduser().resolve()
    with _only_one(home):
        if reset:
            for name in ("postgres", "postgres.ready", "postgres.secret", "postgres.log"):
                target = home / name
                shutil.rmtree(target) if target.is_dir() else target.unlink(missing_ok=True)
        cluster = Cluster(home)
        try:
            cluster.launch()
            # The server's modules load while the database gets ready.
            importlib.import_module("galene.web.app")
            cluster.wait_ready()
            _serve(cluster.url(), settings.port, home, loaded=_prepare(cluster.url()))
        except ClusterError as fault:
            raise fail(str(fault)) from fault
        except OSError as fault:
            raise fail(f"{fault.filename or home}: {fault.strerror}") from fault
        finally:
            cluster.stop()


@cli.command()
def dev() -> None:
    """The demo for those who work on it: the server starts anew when a source file changes."""
    import uvicorn

    from galene.settings import Settings
    from galene.store.cluster import Cluster

    settings = Settings()
    home = settings.home.expanduser().resolve()
    _port_free(settings.port)
    with _only_one(home):
        cluster = Cluster(home)
        try:
            cluster.start()
            _prepare(cluster.url())
            os.environ["GALENE_DATABASE_URL"] = cluster.url()
            print(f"\n  Galene, reloading, is at http://127.0.0.1:{settings.port}\n", flush=True)
            uvicorn.run(
                "galene.web.dev:app",
                factory=True,
                host="127.0.0.1",
                port=settings.port,
                reload=True,
                reload_dirs=[str(ROOT / "src")],
                log_level="info",
                timeout_graceful_shutdown=1,
            )
        finally:
            cluster.stop()


@cli.command()
def pictures(
    forget: Annotated[
        bool,
        typer.Option(
            "--forget",
            help="Take pictures off the disk that nobody names, but for the last hour's.",
        ),
    ] = False,
) -> None:
    """Compare the pictures on disk with the records that name them; the private database must not
    be in use."""
    import time

    from sqlalchemy.orm import Session

    from galene.jobs.pictures import check_pictures
    from galene.settings import Settings
    from galene.store.cluster import Cluster
    from galene.store.database import make_engine
    from galene.store.pictures import PictureStore

    settings = Settings()
    home = settings.home.expanduser().resolve()

    def compare(url: str) -> None:
        store, engine = PictureStore(home / "pictures"), make_engine(url, 1)
        with Session(engine) as db:
            orphans, missing = check_pictures(db, store)
        engine.dispose()
        for name in orphans:
            old = time.time() - store.path(name).stat().st_mtime > 3600
            print(f"nobody names  {name}" + (": forgotten" if forget and old else ""))
            if forget and old:
                store.forget(name)
        for name in missing:
            print(f"not on disk   {name}")
        print(f"{len(orphans)} that nobody names, {len(missing)} that are not on disk")
        if missing:
            raise typer.Exit(1)

    if settings.database_url:
        compare(settings.database_url)
        return
    with _only_one(home):
        cluster = Cluster(home)
        try:
            cluster.start()
            _prepare(cluster.url())
            compare(cluster.url())
        finally:
            cluster.stop()


CHECKS: tuple[tuple[str, list[str]], ...] = (
    ("style", ["ruff", "check", "."]),
    ("types", ["mypy"]),
    ("layers", ["lint-imports"]),
    ("templates", ["djlint", "--lint", "--quiet", "src/galene/web"]),
)


WHOLE_RUN = ("-n", str((os.cpu_count() or 1) + 1), "--dist", "worksteal")
"""A worker for each core, each with a database server and an application of its own, and one more:
the browser's tests wait more than they work."""


def _checked(environment: Mapping[str, str]) -> list[tuple[str, int, str]]:
    """Every check of the source and of the scripts: name, exit code, what it said."""
    programs = Path(sys.executable).parent
    files = sorted(str(p) for p in (ROOT / "tests" / "scripts").glob("*.test.mjs"))
    commands = [
        *((name, [str(programs / command[0]), *command[1:]]) for name, command in CHECKS),
        ("scripts", ["node", "--test", "--test-reporter=dot", *files]),
    ]
    found = []
    for name, command in commands:
        done = subprocess.run(
            command, cwd=ROOT, env=environment, check=False, capture_output=True, text=True
        )
        found.append((name, done.returncode, done.stdout + done.stderr))
    return found


@cli.command(context_settings={"allow_extra_args": True, "ignore_unknown_options": True})
def test(context: typer.Context) -> None:
    """Everything that CI runs; further arguments go to pytest, and then only pytest runs."""
    programs = Path(sys.executable).parent
    environment = {**os.environ, "PATH": f"{programs}:{os.environ.get('PATH', '')}"}
    failed = []
    with ThreadPoolExecutor(1) as beside:
        # The tests wait for browsers and servers now and then: the checks take up that time.
        checks = None if context.args else beside.submit(_checked, environment)
        print("== tests", flush=True)
        arguments = context.args or list(WHOLE_RUN)
        if subprocess.run(
            [sys.executable, "-m", "pytest", *arguments], cwd=ROOT, env=environment, check=False
        ).returncode:
            failed.append("tests")
        for name, code, said in checks.result() if checks else ():
            print(f"== {name}\n{said.rstrip()}", flush=True)
            if code:
                failed.append(name)
    if failed:
        raise fail("failed: " + ", ".join(failed))


if __name__ == "__main__":
    cli()
