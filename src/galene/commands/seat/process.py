"""The process of the demo's cars: they run beside the server and die with it."""

import os
import signal
import subprocess
import sys
import threading
import time
from datetime import UTC, datetime
from pathlib import Path

import httpx2 as httpx
import uvicorn

from galene.commands.seat.page import seat_app
from galene.commands.words import tell
from galene.demo.cars import CARS, LOOK_S, Car, follow, put_in
from galene.store.database import session_at

STARTS_S = 60.0
"""How long the server may take to answer first."""


def begun(server: str, database: str, *, folder: Path, port: int) -> subprocess.Popen[bytes]:
    """Start the process of the cars."""
    return subprocess.Popen(
        [
            sys.executable,
            "-m",
            "galene.commands.seat.process",
            server,
            database,
            str(folder),
            str(port),
        ],
        env={**os.environ, "GALENE_PARENT": str(os.getpid())},
    )


def _answers(server: str) -> bool:
    ends = time.monotonic() + STARTS_S
    while time.monotonic() < ends:
        try:
            if httpx.get(f"{server}/healthz", timeout=2).status_code == 200:
                return True
        except httpx.HTTPError:
            pass
        time.sleep(0.2)
    return False


def main(server: str, database: str, folder: Path, port: int) -> None:
    """Put the cars into their bays, follow their cards, show their seats, until told to end."""
    stop = threading.Event()
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, lambda *_: stop.set())
    if not _answers(server):
        return
    cars: list[Car] = []
    try:
        for story in CARS:
            with session_at(database) as db:
                car = put_in(db, story, server=server, folder=folder, now=datetime.now(UTC))
            if car is not None:
                cars.append(car)
        seats = uvicorn.Server(
            uvicorn.Config(seat_app(cars), host="127.0.0.1", port=port, log_level="critical")
        )
        seats.install_signal_handlers = lambda: None  # type: ignore[attr-defined]
        threading.Thread(target=seats.run, daemon=True).start()
        tell(f"two cars run; their seats are at http://127.0.0.1:{port}")
        parent = int(os.environ.get("GALENE_PARENT", "0"))
        while not stop.wait(LOOK_S):
            if parent and os.getppid() != parent:
                return
            _follow(database, cars)
    finally:
        for car in cars:
            car.close()


def _follow(database: str, cars: list[Car]) -> None:
    from sqlalchemy.exc import DBAPIError

    try:
        with session_at(database) as db:
            for car in cars:
                follow(db, car)
    except DBAPIError:
        return  # the database is on its way down or up: the cards are looked at again


if __name__ == "__main__":
    main(sys.argv[1], sys.argv[2], Path(sys.argv[3]), int(sys.argv[4]))
