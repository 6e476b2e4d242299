"""The command line. Heavy imports wait until a command needs them."""

import gc
import importlib
import json
import os
import subprocess
import sys
from collections.abc import Callable, Iterator, Mapping
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from pathlib import Path
from typing import Annotated, Any

import typer

from galene.commands.words import fail, settings_with

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


@cli.callback()
def _own_trade_holds() -> None:
    """Hold a workshop's own documents together before anything is done with them."""
    from galene.knowledge.documents import own_folder

    if own_folder() is None:
        return
    from galene.core.errors import InputError

    try:
        importlib.import_module("galene.simulation.condition")  # holds the effects of causes
        from galene.knowledge.own_trade import trade_faults

        faults = trade_faults()
    except InputError as fault:
        raise fail(f"the documents in {own_folder()}: {fault}") from fault
    if faults:
        raise fail(f"the documents in {own_folder()}: " + "; ".join(map(str, faults[:5])))


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
    from galene.exchange.calculations import calculate

    given = _read(file)
    _answer(lambda: calculate(name, given))


@cli.command()
def simulate(
    file: FileArgument = None,
    bus: Annotated[
        str,
        typer.Option(help="Put the car on this bus as time passes, as socketcan:can0."),
    ] = "",
) -> None:
    """Run the simulated vehicle of a case and print its CSV, or put it on a bus."""
    from galene.core.errors import InputError
    from galene.knowledge.families import FAMILIES
    from galene.simulation.run import csv_of, read_case

    given = _read(file)
    try:
        case = read_case(given)
        if case.family not in FAMILIES:
            known = ", ".join(FAMILIES)
            raise InputError("family", case.family, f"one of: {known}")
        if bus:
            from galene.commands.bus import on_the_bus

            on_the_bus(case, FAMILIES[case.family], bus)
            return
        with suppress(BrokenPipeError):
            for line in csv_of(case, FAMILIES[case.family]):
                print(line)
    except InputError as fault:
        raise fail(str(fault)) from fault


@cli.command()
def bridge(
    server: Annotated[str, typer.Option(help="The server, as https://galene.example.")] = "",
    code: Annotated[str, typer.Option(help="The six figures that the job's page shows.")] = "",
    bus: Annotated[str, typer.Option(help="The adapter's bus.")] = "socketcan:can0",
    name: Annotated[str, typer.Option(help="What this laptop is called.")] = "laptop",
    folder: Annotated[
        Path, typer.Option(help="Where it keeps what the server does not have yet.")
    ] = Path("~/.galene-bridge"),
    authorities: Annotated[
        Path | None, typer.Option(help="Certificates that the server's is signed by.")
    ] = None,
) -> None:
    """Read the car at this laptop's adapter for a job, and do what its page asks. Without a code:
    go on as it was paired before."""
    from galene.commands.bridge import run
    from galene.core.errors import InputError

    try:
        run(
            server=server,
            code=code,
            bus=bus,
            name=name,
            folder=folder,
            authorities=authorities,
        )
    except InputError as fault:
        raise fail(str(fault)) from fault


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
    from galene.exchange.scopes import scope_of

    given = _read(file)
    _answer(lambda: scope_of(given))


@cli.command()
def judge(file: FileArgument = None) -> None:
    """Whether an agent may touch a part, this way, in this state."""
    from galene.exchange.judgements import judgement_of

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


def _load_at_once() -> None:
    """Let the collector rest while a server loads: nothing of that is garbage. `tune_gc` wakes
    it."""
    gc.disable()


@cli.command()
def serve(
    host: Annotated[str, typer.Option(help="Address to listen at; 0.0.0.0 for all.")] = "",
    port: Annotated[int, typer.Option(help="Port to listen at.")] = 0,
    workers: Annotated[int, typer.Option(help="Web processes.")] = 0,
) -> None:
    """Start your own workshop: the first start prints the address at which it is set up."""
    _load_at_once()
    from galene.commands.running import serve as run

    given = {"host": host, "port": port, "workers": workers}
    run(settings_with(**{name: value for name, value in given.items() if value}))


@cli.command()
def demo(
    reset: Annotated[
        bool, typer.Option("--reset", help="Throw the demo's data away and start anew.")
    ] = False,
) -> None:
    """Start the demo: a workshop with a month of jobs, beside your own and apart from it."""
    _load_at_once()
    from galene.commands.running import demo as run

    run(settings_with(), reset=reset)


@cli.command()
def dev() -> None:
    """The demo for those who work on it: the server starts anew when a source file changes."""
    from galene.commands.running import dev as run

    run(settings_with())


Passphrase = Annotated[
    Path | None,
    typer.Option("--passphrase-file", help="File with the passphrase that seals the backup."),
]


@cli.command()
def backup(file: Annotated[Path, typer.Argument()], passphrase_file: Passphrase = None) -> None:
    """Write the whole workshop into FILE, also while it runs."""
    from galene.commands.backing import back_up

    back_up(settings_with(), file, passphrase_file)


@cli.command()
def restore(
    file: Annotated[Path, typer.Argument()],
    replace: Annotated[
        bool, typer.Option("--replace", help="Put it in the place of the data that is there.")
    ] = False,
    foreign: Annotated[
        bool, typer.Option("--foreign", help="Take it though its seal is not this workshop's.")
    ] = False,
    passphrase_file: Passphrase = None,
) -> None:
    """Bring a workshop back from FILE: into an empty place, or in the place of what is there."""
    from galene.commands.backing import take_back

    take_back(settings_with(), file, passphrase_file, replace=replace, foreign=foreign)


@cli.command()
def code(sign_in: Annotated[str, typer.Argument(help="The name they sign in with.")]) -> None:
    """Print a one-time code for who has forgotten the password, also while the server runs."""
    from galene.commands.letting_in import print_code

    print_code(settings_with(), sign_in)


@cli.command()
def secrets() -> None:
    """Make new secrets: the database's passwords, the workshop's key. Everybody signs in anew."""
    from galene.commands.backing import new_secrets

    new_secrets(settings_with())


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
    from sqlalchemy.orm import Session

    from galene.commands.running import data_folder, database
    from galene.jobs.pictures import check_pictures
    from galene.store.database import make_engine
    from galene.store.objects import objects_at
    from galene.store.pictures import PictureStore

    settings = settings_with()
    home = data_folder(settings)

    def compare(url: str) -> None:
        store, engine = PictureStore(objects_at(settings.pictures_url, home)), make_engine(url, 2)
        with Session(engine) as db:
            orphans, missing = check_pictures(db, store)
        engine.dispose()
        for name in orphans:
            old = store.age_s(name) > 3600
            print(f"nobody names  {name}" + (": forgotten" if forget and old else ""))
            if forget and old:
                store.forget(name)
        for name in missing:
            print(f"not on disk   {name}")
        print(f"{len(orphans)} that nobody names, {len(missing)} that are not on disk")
        if missing:
            raise typer.Exit(1)

    with database(settings, home) as at:
        compare(at.application)


CHECKS: tuple[tuple[str, list[str]], ...] = (
    ("style", ["ruff", "check", "."]),
    ("form", ["ruff", "format", "--check", "--quiet", "."]),
    ("layers", ["lint-imports"]),
    ("types", ["mypy"]),
    ("templates", ["djlint", "--lint", "--quiet", "src/galene/web"]),
)
AT_ONCE = (os.cpu_count() or 1) + 1
"""A worker for each core, each with a database server and an application of its own, and one more,
for some tests wait."""
DEALT_SINGLY = ("-n", str(AT_ONCE), "--dist", "load", "--maxschedchunk", "1")


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
def test(
    context: typer.Context,
    quick: Annotated[
        bool, typer.Option("--quick", help="The checks, and the tests that a change needs most.")
    ] = False,
    long: Annotated[
        bool, typer.Option("--long", help="Everything, and random walks ten times as often.")
    ] = False,
    only: Annotated[str, typer.Option(help="Only tests whose name has this in it.")] = "",
) -> None:
    """Everything that CI runs; what is not named here goes to pytest, and then only pytest runs."""
    programs = Path(sys.executable).parent
    environment = {**os.environ, "PATH": f"{programs}:{os.environ.get('PATH', '')}"}
    if long:
        environment["GALENE_LONG"] = "yes"
    chosen = [*(("-k", only) if only else ()), *context.args]
    if quick:
        arguments = ["-m", "quick", *DEALT_SINGLY, *chosen]
    elif chosen:
        arguments = chosen
    else:
        arguments = [*DEALT_SINGLY, *([] if long else ["--budget"])]
    failed = []
    with ThreadPoolExecutor(1) as beside:
        # The tests wait for browsers and servers now and then: the checks take up that time.
        checks = None if chosen else beside.submit(_checked, environment)
        print("== tests", flush=True)
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
