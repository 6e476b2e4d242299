"""The command line and the launcher: contracts, exits, and nothing left running."""

import contextlib
import json
import os
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path
from urllib.error import HTTPError
from urllib.request import urlopen

import psutil
import pytest

from galene.store.cluster import free_port

ROOT = Path(__file__).resolve().parents[1]


def galene(*words: str, given: str = "") -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, "-m", "galene.cli", *words],
        input=given,
        capture_output=True,
        text=True,
        cwd=ROOT,
        check=False,
    )


def test_calc_reads_standard_input_or_a_file(tmp_path: Path) -> None:
    piped = galene("calc", "isa-pressure", given='{"altitude_m": 640}')
    assert piped.returncode == 0
    assert json.loads(piped.stdout)["pressure_kpa"] == pytest.approx(93.869, rel=1e-5)
    path = tmp_path / "case.json"
    path.write_text('{"base_minutes": 15, "class": "alkane", "temperature_c": "41 degF"}')
    filed = galene("calc", "drying-time", str(path))
    assert json.loads(filed.stdout)["factor"] == pytest.approx(2.247, rel=0.003)


@pytest.mark.parametrize(
    ("words", "given", "said"),
    [
        (("calc", "isa-pressure"), '{"altitude_m": 99999}', "altitude_m"),
        (("calc", "isa-pressure"), '{"altitude_m": NaN}', "altitude_m"),
        (("calc", "isa-pressure"), '{"height": 5}', "altitude_m"),
        (("calc", "horoscope"), "{}", "horoscope"),
        (("calc", "isa-pressure"), "{oops", "line 1, column 2"),
        (("calc", "isa-pressure"), "[]", "JSON object"),
        (("calc", "isa-pressure", "/no/such/file"), "", "/no/such/file"),
        (("calc", "trim-split"), '{"points": [{"airflow_g_s": 3, "trim_percent": 5}]}', "points"),
        (("assess",), '{"engine": {"family": "A"}, "evidence": {"wobble": "present"}}', "wobble"),
        (("scope",), '{"family": "A", "components": ["egr_valve"]}', "egr_valve"),
    ],
)
def test_a_fault_is_one_line_and_exit_two(words: tuple[str, ...], given: str, said: str) -> None:
    done = galene(*words, given=given)
    assert done.returncode == 2 and done.stdout == ""
    assert len(done.stderr.strip().splitlines()) == 1 and said in done.stderr


def test_assess_and_scope_answer_by_their_contracts() -> None:
    ranked = json.loads(
        galene(
            "assess",
            given=(
                '{"engine": {"family": "A"}, "evidence": {"rough_idle": "present"}, "codes":'
                ' ["P0506"]}'
            ),
        ).stdout
    )
    assert ranked["causes"][0]["id"] == "throttle_deposit"
    assert set(ranked["repair_order"][0]) >= {
        "action",
        "component",
        "probability",
        "cost",
        "minutes",
    }
    assert (
        json.loads(
            galene("scope", given='{"family": "A", "components": ["throttle_body"]}').stdout
        )["hands_on_minutes"]
        == 11
    )


@pytest.fixture
def home(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Path]:
    """A data folder that the database's account can reach."""
    folder = tmp_path_factory.mktemp("home")
    for parent in (folder, *folder.parents):
        if parent == Path("/tmp"):  # noqa: S108
            break
        parent.chmod(0o755)
    yield folder
    for process in psutil.process_iter(["cmdline"]):
        if any(str(folder) in word for word in process.info["cmdline"] or []):
            with contextlib.suppress(psutil.NoSuchProcess):
                process.kill()


def start(home: Path, port: int) -> subprocess.Popen[str]:
    environment = {**os.environ, "GALENE_HOME": str(home), "GALENE_PORT": str(port)}
    return subprocess.Popen(
        [sys.executable, "-m", "galene.cli", "demo"],
        env=environment,
        cwd=ROOT,
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
    )


def healthy(port: int) -> bool:
    with (
        contextlib.suppress(OSError, HTTPError),
        urlopen(f"http://127.0.0.1:{port}/healthz", timeout=5) as answer,
    ):
        return bool(json.load(answer) == {"status": "ok"})
    return False


def until(condition, seconds: float = 240.0) -> bool:
    """Poll until a condition holds or the time is over."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        if condition():
            return True
        time.sleep(0.05)
    return False


def servers(home: Path) -> list[int]:
    """Processes whose command line names the data folder."""
    found = []
    for process in psutil.process_iter(["cmdline", "status"]):
        if (
            any(str(home) in word for word in process.info["cmdline"] or [])
            and process.info["status"] != psutil.STATUS_ZOMBIE
        ):
            found.append(process.pid)
    return found


def cars(home: Path) -> list[int]:
    """Processes of the simulated cars of a data folder."""
    return [pid for pid in servers(home) if "seat.process" in " ".join(words_of(pid))]


def words_of(pid: int) -> list[str]:
    with contextlib.suppress(psutil.Error):
        return psutil.Process(pid).cmdline()
    return []


def told(home: Path) -> list[str]:
    """Where a password or the key stands in a process's arguments or in a file's name."""
    secrets = [p.read_text().strip() for p in home.rglob("*.secret")]
    assert len(secrets) >= 2
    places = [" ".join(words_of(pid)) for pid in psutil.pids()]
    places += [str(p) for p in home.rglob("*")]
    return [place for place in places if any(secret in place for secret in secrets)]


def alive(processes: list[psutil.Process]) -> list[str]:
    """Those that still run."""
    found = []
    for one in processes:
        with contextlib.suppress(psutil.Error):
            if one.is_running() and one.status() != psutil.STATUS_ZOMBIE:
                found.append(f"{one.pid} {one.name()}")
    return found


def test_a_restart_keeps_the_data_and_nothing_is_left_running_however_it_ends(home: Path) -> None:
    port, loaded = free_port(), True
    for how in (signal.SIGINT, signal.SIGTERM, signal.SIGKILL):
        process = start(home, port)
        assert until(lambda: healthy(port)), process.communicate(timeout=60)
        assert servers(home), "the database runs as a child of ours"
        assert until(lambda: cars(home)), "the cars run as a child of ours"
        started = psutil.Process(process.pid).children(recursive=True)
        assert not told(home), "no secret is readable by every user of the machine"
        if loaded:
            second = start(home, free_port())
            _, said = second.communicate(timeout=120)
            assert second.returncode == 2 and "runs already" in said
        process.send_signal(how)
        out, _ = process.communicate(timeout=120)
        assert ("demo loaded" in out) == loaded, "the demo is loaded into an empty database only"
        assert f"http://127.0.0.1:{port}" in out
        assert until(lambda: not servers(home), 120), f"the database outlived its launcher: {how}"
        ended = until(lambda family=started: not alive(family), 120)
        assert ended, f"{alive(started)} outlived it: {how}"
        assert not healthy(port)
        loaded = False


def test_a_busy_port_is_one_line(home: Path) -> None:
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        process = start(home, taken.getsockname()[1])
        assert process.wait(120) == 2
        said = process.stderr.read() if process.stderr else ""
    assert "busy" in said and len(said.strip().splitlines()) == 1


def test_a_data_folder_that_can_not_be_used_is_one_line(tmp_path: Path) -> None:
    blocked = tmp_path / "file"
    blocked.write_text("not a folder")
    process = start(blocked, free_port())
    assert process.wait(120) == 2
    said = process.stderr.read() if process.stderr else ""
    assert "can not be used" in said and len(said.strip().splitlines()) == 1
