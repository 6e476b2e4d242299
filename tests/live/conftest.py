"""A running server, a simulated car on a virtual bus, and a bridge between them."""

import itertools
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

import can
import pytest
from sqlalchemy import Engine, select
from sqlalchemy.orm import Session

from galene.bridge.buffer import Buffer
from galene.bridge.link import paired
from galene.bridge.program import Program, buffer_in
from galene.bus.station import Station, station_of
from galene.jobs import live
from galene.jobs.act import Act
from galene.knowledge.families import FAMILIES
from galene.simulation.vehicle import Vehicle
from galene.store.models import Bridge, Job, LiveBatch
from tests.browser.conftest import Server
from tests.conftest import person

BUSES = itertools.count()
PATIENCE_S = 60.0
"""How long something is waited for that must come: only a run that hangs ends by it."""


def until(there: Callable[[], object], what: str) -> None:
    """Wait until something is so."""
    ends = time.monotonic() + PATIENCE_S
    while not there():
        assert time.monotonic() < ends, f"in vain waited for: {what}"
        time.sleep(0.02)


class Adapter:
    """An adapter on a virtual bus that can be pulled."""

    def __init__(self, channel: str) -> None:
        self.channel, self.pulled, self._open = channel, False, list[can.BusABC]()

    def open(self) -> can.BusABC:
        """Open it, as the bridge does."""
        if self.pulled:
            raise can.CanInitializationError("no such device")
        bus = can.Bus(interface="virtual", channel=self.channel)
        own = bus.send

        def send(message: can.Message, timeout: float | None = None) -> None:
            if self.pulled:
                raise can.CanOperationError("device is gone")
            own(message, timeout)

        bus.send = send
        self._open.append(bus)
        return bus


@dataclass(kw_only=True)
class Bay:
    """One car at its bridge, for one job."""

    server: Server
    number: str
    car: Vehicle
    station: Station
    adapter: Adapter
    folder: Path
    buffer: Buffer
    program: Program
    clock: Callable[[], float] = time.monotonic

    def restart(self) -> None:
        """The bridge is killed where it stands and started anew."""
        self.program._stop.set()
        self.program = Program(
            self.buffer.pairing(), self.buffer, self.adapter.open, clock=self.clock
        )
        self.program.start()

    def db(self) -> Session:
        """A session of its own."""
        return Session(self.server.engine, expire_on_commit=False)

    def bridge(self) -> Bridge:
        """The newest bridge as the store has it."""
        with self.db() as db:
            return db.scalars(select(Bridge).order_by(Bridge.id.desc())).first()

    def batches(self) -> list[LiveBatch]:
        """What is kept, in order."""
        with self.db() as db:
            return list(db.scalars(select(LiveBatch).order_by(LiveBatch.seq)))

    def act(self, db: Session) -> Act:
        """What Odd does now."""
        return Act(db=db, person=person(db, "odd"), now=self.server.clock())


@pytest.fixture
def server(engine: Engine, tmp_path: Path) -> Iterator[Server]:
    made = Server(engine=engine, home=tmp_path)
    made.start()
    yield made
    made.kill()


@pytest.fixture
def bay_of(server: Server, tmp_path: Path) -> Iterator[Callable[..., Bay]]:
    """Makes a bay: a job of the demo by the plate of its vehicle, its car with faults, running."""
    made: list[Bay] = []

    def make(
        number: str = "26-0003",
        faults: dict[str, float] | None = None,
        *,
        start: bool = True,
        clock: Callable[[], float] = time.monotonic,
    ) -> Bay:
        with Session(server.engine) as db:
            job = db.scalars(select(Job).where(Job.number == number)).one()
            act = Act(db=db, person=person(db, "odd"), now=datetime.now(UTC))
            code = live.offer_code(act, number)
            family = FAMILIES[job.family_id]
            db.commit()
        channel = f"bay-{next(BUSES)}"
        car = Vehicle(family, faults or {})
        car.key_on()
        if start:
            car.start()
        side = can.Bus(interface="virtual", channel=channel)
        station = station_of(car, side, plate=number)
        adapter, folder = Adapter(channel), tmp_path / channel
        buffer = buffer_in(folder)
        buffer.pair(paired(server.address, code, "test cart"))
        pairing = buffer.pairing()
        program = Program(pairing, buffer, adapter.open, clock=clock)
        program.start()
        made.append(
            Bay(
                server=server,
                number=number,
                car=car,
                station=station,
                adapter=adapter,
                folder=folder,
                buffer=buffer,
                program=program,
                clock=clock,
            )
        )
        return made[-1]

    yield make
    for bay in made:
        bay.program.stop()
        bay.station.close()
        bay.station.bus.shutdown()
        bay.buffer.close()
