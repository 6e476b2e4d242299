"""The process of the demo's cars: they run beside the server and die with it."""

import os
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path

import httpx2 as httpx
import psycopg
import uvicorn
from sqlalchemy import Engine
from sqlalchemy.exc import DBAPIError
from sqlalchemy.orm import Session

from galene.commands.seat.page import seat_app
from galene.commands.words import tell
from galene.demo.cars import CARS, LOOK_S, Car, follow, put_in
from galene.lifeline import tied_to_parent, with_parent
from galene.store.database import make_engine, plain_url, told_within
from galene.store.repositories.jobs import CHANGED

STARTS_S = 60.0
"""How long the server may take to answer first."""
DATABASE = "GALENE_DATABASE_URL"
"""Where the database's address with its password is told: arguments are read by everybody."""


def begun(server: str, database: str, *, folder: Path, port: int) -> subprocess.Popen[bytes]:
    """Start the process of the cars."""
    arguments = (server, str(folder), str(port))
    return subprocess.Popen(
        [sys.executable, "-m", "galene.commands.seat.process", *arguments],
        env={**with_parent(), DATABASE: database},
    )


def _answers(server: str, stop: threading.Event) -> bool:
    ends = time.monotonic() + STARTS_S
    while time.monotonic() < ends and not stop.is_set():
        try:
            if httpx.get(f"{server}/healthz", timeout=2).status_code == 200:
                return True
        except httpx.HTTPError:
            pass
        stop.wait(0.2)
    return False


def main(server: str, database: str, folder: Path, port: int) -> None:
    """Put the cars into their bays, follow their cards, show their seats, until told to end."""
    stop = threading.Event()
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, lambda *_: stop.set())
    tied_to_parent()
    if not _answers(server, stop):
        return
    engine = make_engine(database, 1)
    cars: list[Car] = []
    try:
        with Session(engine, expire_on_commit=False) as db:
            for story in CARS:
                car = put_in(db, story, server=server, folder=folder, now=datetime.now(UTC))
                if car is not None:
                    cars.append(car)
        seats = uvicorn.Server(
            uvicorn.Config(seat_app(cars), host="127.0.0.1", port=port, log_level="critical")
        )
        seats.install_signal_handlers = lambda: None  # type: ignore[attr-defined]
        threading.Thread(target=seats.run, daemon=True).start()
        tell(f"two cars run; their seats are at http://127.0.0.1:{port}")
        for _ in told(database, stop):
            _follow(engine, cars)
    finally:
        for car in cars:
            car.close()
        engine.dispose()


def told(database: str, stop: threading.Event) -> Iterator[None]:
    """Whenever a card may have changed, until told to end: by the database's own word, which is
    asked nothing meanwhile."""
    while not stop.is_set():
        try:
            with psycopg.connect(plain_url(database), autocommit=True) as connection:
                connection.execute(f"listen {CHANGED}")
                yield
                while not stop.is_set():
                    if told_within(connection, LOOK_S):
                        yield
        except psycopg.Error:
            stop.wait(LOOK_S)  # it is on its way down or up: the cards are looked at again


def _follow(engine: Engine, cars: list[Car]) -> None:
    """Do to the cars what their cards say was done."""
    try:
        with Session(engine, expire_on_commit=False) as db:
            for car in cars:
                follow(db, car)
    except DBAPIError:
        return  # told again when the database is back


if __name__ == "__main__":
    main(sys.argv[1], os.environ.pop(DATABASE), Path(sys.argv[2]), int(sys.argv[3]))
