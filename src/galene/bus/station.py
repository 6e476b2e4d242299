"""A simulated car on a bus: its control units answer requests of ISO 15765-2, and a heavy one sends
what SAE J1939 asks of it."""

import threading
import time
import zlib
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass

import can
import isotp

from galene.bus import j1939, line
from galene.bus.line import transport
from galene.bus.unit import ControlUnit
from galene.core.airpath.family import EngineFamily
from galene.simulation.run import ACTIONS, Case, check_script, vehicle_of
from galene.simulation.vehicle import Vehicle

TO_ALL = 0x7DF
"""Identifier of a request to every unit (ISO 15765-4)."""
TICK_S, BEAT_S = 0.01, 0.5
"""How often the car is moved on and the bus is served: while somebody asks, and else. What was
missed is caught up before an answer, so that whoever looks finds the car where it would be."""
ASKED_S = 0.1
"""How long after a frame somebody still counts as asking."""
SENT_EVERY_S = {0xF004: 0.05, 0xF003: 0.05, 0xFEF1: 0.1, 0xFEF6: 0.5, 0xF00A: 0.1}
"""Repetition of a group that a heavy engine sends by itself; a second for the others."""


@dataclass(kw_only=True)
class Seat:
    """One control unit with its two identifiers and its transport."""

    unit: ControlUnit
    receives: int
    sends: int
    stack: isotp.NotifierBasedCanStack


class Station:
    """Puts a car on a bus and moves it on as time passes.

    Parameters
    ----------
    vehicle : the car
    bus : where it answers; opened and closed by who made it
    units : its control units, each with the identifier that it receives on (it sends on 8 more)
    pace : simulated seconds a second
    """

    def __init__(
        self,
        vehicle: Vehicle,
        bus: can.BusABC,
        units: Sequence[tuple[ControlUnit, int]],
        *,
        pace: float = 1.0,
    ) -> None:
        self.vehicle, self.bus, self.pace = vehicle, bus, pace
        self.lock = threading.Lock()
        self._came = threading.Event()
        self._came_s = 0.0
        self._last_s, self._owed = time.monotonic(), 0.0
        self._asked: list[tuple[int, int]] = []
        self._notifier = can.Notifier(bus, [self._heard], timeout=line.LISTENS_S)
        self.seats = [self._seat(unit, receives) for unit, receives in units]
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, daemon=True)
        self._sent: dict[int, float] = {}
        self._thread.start()

    def close(self) -> None:
        """Off the bus: nothing answers any more."""
        self._stop.set()
        self._came.set()
        self._thread.join(5)
        for seat in self.seats:
            seat.stack.stop()
        self._notifier.stop()

    def _seat(self, unit: ControlUnit, receives: int) -> Seat:
        stack = transport(self.bus, self._notifier, receives=receives, sends=receives + 8)
        stack.start()
        return Seat(unit=unit, receives=receives, sends=receives + 8, stack=stack)

    # ---- what comes

    def _heard(self, message: can.Message) -> None:
        """Requests to all, and the heavy vehicle's requests: each in one frame."""
        if message.is_error_frame or message.is_remote_frame:
            return
        self._came_s = time.monotonic()
        self._came.set()
        data = bytes(message.data)
        if message.arbitration_id == TO_ALL and not message.is_extended_id and data:
            length = data[0]
            if data[0] >> 4 == 0 and 0 < length <= len(data) - 1:
                with self.lock:
                    self._catch_up()
                    for seat in self.seats:
                        self._say(seat, seat.unit.answer(data[1 : 1 + length], to_all=True))
        elif message.is_extended_id and self.vehicle.plant.venturi:
            pgn, target, source = j1939.parts_of(message.arbitration_id)
            mine = target in (j1939.ENGINE, j1939.EVERYBODY)
            if pgn == j1939.REQUEST and mine and len(data) >= 3:
                with self.lock:
                    self._asked.append((int.from_bytes(data[:3], "little"), source))

    def _say(self, seat: Seat, answers: Sequence[bytes]) -> None:
        for answer in answers:
            seat.stack.send(answer)

    # ---- what goes on

    @contextmanager
    def in_hand(self) -> Iterator[Vehicle]:
        """The car as it is now, for whoever looks at it or does something to it beside the bus."""
        with self.lock:
            self._catch_up()
            yield self.vehicle

    def _catch_up(self) -> None:
        now = time.monotonic()
        self._owed += (now - self._last_s) * self.pace * 100
        self._last_s = now
        # A machine that was held up does not make the car race: it stands still meanwhile.
        most = 200 * max(1.0, self.pace)
        for _ in range(int(min(self._owed, most))):
            self.vehicle.step()
        self._owed = self._owed % 1 if self._owed < most else 0.0

    def _run(self) -> None:
        while not self._stop.is_set():
            self._rest()
            with self.lock:
                self._catch_up()
                for seat in self.seats:
                    while seat.stack.available():
                        request = seat.stack.recv()
                        if request:
                            self._say(seat, seat.unit.answer(bytes(request)))
                    seat.unit.watch()
                if self._says_by_itself:
                    self._broadcast(time.monotonic())

    @property
    def _says_by_itself(self) -> bool:
        """Whether it is a heavy vehicle with its ignition on, which is heard unasked."""
        return self.vehicle.plant.venturi and self.vehicle.wishes.key

    def _rest(self) -> None:
        """Until the next tick; longer where nobody asks."""
        asked = time.monotonic() - self._came_s < ASKED_S
        self._came.wait(TICK_S if asked or self._says_by_itself else BEAT_S)
        if self._came.is_set():
            self._came.clear()
            # Its frames are put together by a thread of their own.
            self._stop.wait(TICK_S / 5)

    # ---- the heavy vehicle

    def _broadcast(self, now: float) -> None:
        row: dict[str, float] | None = None
        for group in j1939.GROUPS:
            if now - self._sent.get(group.pgn, 0.0) >= SENT_EVERY_S.get(group.pgn, 1.0):
                row = row or heavy_row(self.vehicle)
                self._sent[group.pgn] = now
                self._frame(group.pgn, group.encode(row))
        if now - self._sent.get(j1939.DM1, 0.0) >= 1.0:
            self._sent[j1939.DM1] = now
            self._faults(j1939.DM1, stored=True)
        asked, self._asked = self._asked, []
        for pgn, source in asked:
            if pgn == j1939.DM2:
                self._faults(j1939.DM2, stored=False)
            elif pgn == j1939.DM11:
                quiet = self.vehicle.engine.rpm == 0
                if quiet:
                    self.vehicle.memory.clear()
                done = bytes([0 if quiet else 1, 0xFF, 0xFF, 0xFF, source])
                self._frame(j1939.ACKNOWLEDGE, done + pgn.to_bytes(3, "little"), target=source)

    def _faults(self, pgn: int, *, stored: bool) -> None:
        known = self.vehicle.memory.codes.values()
        mine = [c.code for c in known if c.stored == stored and c.code in j1939.FAULT_OF]
        body = j1939.encode_faults([j1939.FAULT_OF[c] for c in mine], lamp=bool(mine))
        if len(body) <= 8:
            self._frame(pgn, body.ljust(8, b"\xff"))
            return
        first, *rest = j1939.announced(pgn, body)
        self._frame(j1939.ANNOUNCE, first)
        for frame in rest:
            self._frame(j1939.TRANSFER, frame)

    def _frame(self, pgn: int, data: bytes, *, target: int = j1939.EVERYBODY) -> None:
        identifier = j1939.frame_id(pgn, source=j1939.ENGINE, target=target)
        self.bus.send(can.Message(arbitration_id=identifier, is_extended_id=True, data=data))


def heavy_row(vehicle: Vehicle) -> dict[str, float]:
    """A car's figures as the heavy vehicles' groups name them."""
    row = vehicle.row()
    row["boost_gauge_kpa"] = row["boost_kpa"] - row["baro_kpa"]
    row["air_kg_h"] = 3.6 * row["air_g_s"]
    row["recirculated_kg_h"] = 3.6 * vehicle.senses.dp_flow_g_s(vehicle.engine)
    return row


def serial_of(plate: str) -> str:
    """A number that a simulated car can have, by its plate."""
    return f"GALENE{zlib.crc32(plate.encode()) % 10**11:011d}"


def station_of(vehicle: Vehicle, bus: can.BusABC, *, pace: float = 1.0, plate: str = "") -> Station:
    """A car with its two control units, the engine's and another one."""
    serial = serial_of(plate)
    units = [
        (ControlUnit(vehicle, name=f"ENGINE {vehicle.family.id}", serial=serial), 0x7E0),
        (ControlUnit(vehicle, name="BODY", engine=False, serial=serial), 0x7E1),
    ]
    return Station(vehicle, bus, units, pace=pace)


def play(case: Case, family: EngineFamily, bus: can.BusABC, stop: threading.Event) -> Vehicle:
    """Put a case's car on a bus and do its script as time passes, until it is over or stopped.

    Parameters
    ----------
    case, family : as for `simulation.run`
    bus : opened and closed by who made it
    stop : ends it before its time

    Raises
    ------
    InputError
        Before anything is on the bus.
    """
    check_script(case, family)
    vehicle = vehicle_of(case, family)
    station, left = station_of(vehicle, bus), list(case.script)
    try:
        while vehicle.time_s < case.seconds and not stop.wait(TICK_S):
            with station.in_hand():
                while left and left[0].at <= vehicle.time_s:
                    action = left.pop(0)
                    ACTIONS[action.do](vehicle, action.fields, "script.")
    finally:
        station.close()
    return vehicle
