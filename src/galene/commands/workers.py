"""Several web processes on one socket: started, started again when one ends, ended together."""

import shutil
import signal
import socket
import subprocess
import sys
import threading
import time
from dataclasses import dataclass, field
from pathlib import Path

from pydantic import SecretStr

from galene.commands.words import tell
from galene.lifeline import with_parent
from galene.settings import Settings
from galene.store.database import plain_url

LOOK_S, END_S = 0.2, 8.0
QUICK_S, LONGEST_PAUSE_S = 1.5, 5.0
"""After one that ends sooner than this after its start the next one waits, longer each time."""


@dataclass
class Workers:
    """The web processes of one server."""

    command: list[str]
    environment: dict[str, str]
    sock: socket.socket
    count: int
    running: list["subprocess.Popen[bytes]"] = field(default_factory=list)
    _over: threading.Event = field(default_factory=threading.Event)

    def _start(self) -> "subprocess.Popen[bytes]":
        return subprocess.Popen(
            [*self.command, str(self.sock.fileno())],
            env=self.environment,
            pass_fds=[self.sock.fileno()],
        )

    def run(self) -> None:
        """Keep them running until `stop`."""
        self.running = [self._start() for _ in range(self.count)]
        pause = 0.0
        begun = [time.monotonic()] * self.count
        while not self._over.wait(LOOK_S):
            for i, process in enumerate(self.running):
                if process.poll() is None:
                    continue
                tell(f"a web process ended with code {process.returncode}: another one starts")
                quick = time.monotonic() - begun[i] < QUICK_S
                pause = min(LONGEST_PAUSE_S, pause + 0.5) if quick else 0.0
                if self._over.wait(pause):
                    break
                self.running[i], begun[i] = self._start(), time.monotonic()
        self._end()

    def stop(self) -> None:
        """Let `run` end them and return."""
        self._over.set()

    def _end(self) -> None:
        for process in self.running:
            process.send_signal(signal.SIGTERM)
        until = time.monotonic() + END_S
        for process in self.running:
            try:
                process.wait(max(0.1, until - time.monotonic()))
            except subprocess.TimeoutExpired:
                process.kill()
                process.wait()


def _collected(settings: Settings, url: str, home: Path) -> Path:
    """Serve the figures of all processes together; the folder in which they count."""
    from prometheus_client import CollectorRegistry
    from prometheus_client.multiprocess import MultiProcessCollector

    from galene.web.shared.metrics import serve_metrics

    folder = home / "metrics"
    shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir(parents=True)
    registry = CollectorRegistry()
    MultiProcessCollector(registry, path=str(folder))  # type: ignore[no-untyped-call]
    serve_metrics(registry, settings.metrics_port, plain_url(url), home=home)
    return folder


OWNER = "database_owner_url"


def environment_of(settings: Settings, url: str, home: Path) -> dict[str, str]:
    """What a web process is told. The owner's address of the database is for migrations: no web
    process needs it, so none has it."""
    given = {
        f"GALENE_{name.upper()}": (
            value.get_secret_value() if isinstance(value, SecretStr) else str(value)
        )
        for name, value in settings.model_dump(exclude_none=True, exclude={OWNER}).items()
    }
    there = {k: v for k, v in with_parent().items() if k != f"GALENE_{OWNER.upper()}"}
    return {**there, **given, "GALENE_DATABASE_URL": url, "GALENE_HOME": str(home)}


def run_workers(settings: Settings, url: str, home: Path, *, sock: socket.socket) -> None:
    """Serve by several processes until the process is told to end."""
    sock.listen(2048)
    environment = environment_of(settings, url, home)
    if settings.metrics_port:
        environment["PROMETHEUS_MULTIPROC_DIR"] = str(_collected(settings, url, home))
    workers = Workers(
        command=[sys.executable, "-m", "galene.web.worker"],
        environment=environment,
        sock=sock,
        count=settings.workers,
    )
    try:
        workers.run()
    finally:
        workers.stop()
        workers._end()
