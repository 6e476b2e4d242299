"""A simulated car's control unit as the bus knows it: requests in, answers out.

Pure: bytes and the car. Every refusal is a negative answer with its reason (ISO 14229-1, annex A);
what is longer than its time is answered by "pending" first.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cached_property

from galene.bus import obd
from galene.bus.codes import code_to_bytes
from galene.core.errors import InputError
from galene.knowledge.bus_names import BYPASS, FLAPS, GAS_VALVE, PLATE
from galene.simulation.monitors import Code
from galene.simulation.vehicle import Vehicle

NAME_OF_UNIT = 0xF197
"""The system's name, in letters (ISO 14229-1, annex C)."""
NEGATIVE = 0x7F
NOT_SUPPORTED, NO_SUCH_PART, WRONG_LENGTH = 0x11, 0x12, 0x13
CONDITIONS, SEQUENCE, OUT_OF_RANGE, PENDING, NOT_NOW = 0x22, 0x24, 0x31, 0x78, 0x7F
SESSION_S = 5.0
"""Seconds after which a session without a word ends (ISO 14229-2, S3)."""
DEFAULT, EXTENDED = 0x01, 0x03
MOST_PIDS = 6
STATUS_PENDING, STATUS_CONFIRMED, STATUS_FAILED, STATUS_UNTESTED = 0x04, 0x08, 0x01, 0x40


@dataclass(kw_only=True)
class Refusal(Exception):
    """A negative answer."""

    reason: int


class ControlUnit:
    """One control unit of a car.

    Parameters
    ----------
    vehicle : the car, which somebody else moves on
    name : what it says of itself
    engine : whether it is the engine's; another one answers of its own voltage and speed only
    serial : 17 letters and figures of the vehicle
    """

    def __init__(
        self, vehicle: Vehicle, *, name: str, engine: bool = True, serial: str = "GALENE00000000000"
    ) -> None:
        self.vehicle, self.name, self.engine = vehicle, name, engine
        self.serial = serial[:17].ljust(17, "0")
        self.session = DEFAULT
        self._heard = 0.0
        self._mine: set[str] = set()
        """Actuators that a tester holds through it."""
        self._permanent: set[str] = set()
        own = vehicle.family.bus if engine else ()
        self._entries = {(e.kind, e.identifier): e for e in own}
        self._services: Mapping[int, Callable[[bytes], list[bytes]]] = {
            0x01: self._live,
            0x02: self._frozen,
            0x03: lambda r: [self._codes(0x43, [c.code for c in self._known() if c.stored])],
            0x04: self._clear,
            0x07: lambda r: [self._codes(0x47, [c.code for c in self._known() if not c.stored])],
            0x09: self._about,
            0x0A: lambda r: [self._codes(0x4A, sorted(self._permanent))],
            0x10: self._change_session,
            0x14: self._clear_group,
            0x19: self._codes_by_status,
            0x22: self._by_identifier,
            0x2F: self._output,
            0x31: self._routine,
            0x3E: self._present,
        }

    # ---- asked and answered

    def answer(self, request: bytes, *, to_all: bool = False) -> list[bytes]:
        """What it sends for a request, in order; nothing for what is not its own or needs no word.

        Parameters
        ----------
        to_all : asked of every unit at once: then what is not supported is met with silence
        """
        if not request or not self.vehicle.wishes.key:
            return []
        self._heard = self.vehicle.time_s
        service = self._services.get(request[0])
        try:
            if service is None:
                raise Refusal(reason=NOT_SUPPORTED)
            return service(request)
        except Refusal as no:
            if to_all and no.reason in (NOT_SUPPORTED, NO_SUCH_PART, OUT_OF_RANGE):
                return []
            return [bytes([NEGATIVE, request[0], no.reason])]

    def watch(self) -> None:
        """Let go of what a tester held that says nothing more, or when the key is off."""
        silent = self.vehicle.time_s - self._heard > SESSION_S
        if self.session != DEFAULT and (silent or not self.vehicle.wishes.key):
            self._to_default()
        known = {c.code for c in self._known()}
        for code in self._known():
            if code.stored:
                self._permanent.add(code.code)
        # No tester takes them away: the monitor does, once it has run and found nothing.
        self._permanent -= {c for c in self.vehicle.memory.ready if c not in known}

    def _to_default(self) -> None:
        self.session = DEFAULT
        for actuator in self._mine:
            self.vehicle.wishes.commands.pop(actuator, None)
        self._mine.clear()

    # ---- generic services

    def row(self) -> dict[str, float]:
        """The figures that it has now."""
        row = self.vehicle.row()
        if not self.engine:
            return {k: row[k] for k in ("speed_kmh", "voltage_v")}
        row["load_pct"] = self.vehicle.frame()["load_pct"]
        row["running_s"] = self.vehicle.control.running_s
        row["since_clear_km"] = self.vehicle.odometer_km
        return row

    def _known(self) -> list[Code]:
        return list(self.vehicle.memory.codes.values()) if self.engine else []

    @cached_property
    def supported(self) -> list[int]:
        """Parameters that it answers; a car has the same figures all its life."""
        row = self.row()
        own = [p.number for p in obd.PIDS if p.columns & row.keys()]
        return sorted([0x01, 0x1C, *own]) if self.engine else sorted([0x01, *own])

    @cached_property
    def _masks(self) -> dict[int, bytes]:
        return obd.masks(self.supported)

    def _live(self, request: bytes) -> list[bytes]:
        asked = request[1:]
        if not 1 <= len(asked) <= MOST_PIDS:
            raise Refusal(reason=WRONG_LENGTH)
        row = self.row()
        body = b"".join(self._parameter(number, row, self._masks) for number in asked)
        if not body:
            raise Refusal(reason=NO_SUCH_PART)
        return [bytes([0x41]) + body]

    def _parameter(
        self, number: int, row: Mapping[str, float], masks: Mapping[int, bytes]
    ) -> bytes:
        head = bytes([number])
        if number % obd.BLOCK == 0:
            return head + masks[number] if number in masks else b""
        if number == 0x01:
            return head + self._readiness()
        if number == 0x1C and self.engine:
            return head + b"\x06"  # on-board diagnosis as in Europe
        pid = obd.BY_NUMBER.get(number)
        return head + pid.encode(row) if pid and pid.columns & row.keys() else b""

    def _readiness(self) -> bytes:
        """Lamp and number of stored codes, then which monitors are there and not yet complete."""
        memory = self.vehicle.memory
        stored = sum(c.stored for c in self._known())
        natures = self.vehicle.plant.natures if self.engine else frozenset()
        groups = (
            (0x01, "first_catalyst", "P0300"),
            (0x20, "oxygen", "P0133"),
            (0x80, "gas_valve", "P0404"),
        )
        there = sum(bit for bit, nature, _ in groups if nature in natures)
        due = [b for b, nature, code in groups if nature in natures and code not in memory.ready]
        continuous = 0x07 | (0x08 if self.vehicle.plant.diesel else 0)
        return bytes([(0x80 if stored else 0) | min(stored, 127), continuous, there, sum(due)])

    def _frozen(self, request: bytes) -> list[bytes]:
        if len(request) != 3:
            raise Refusal(reason=WRONG_LENGTH)
        number, place = request[1], request[2]
        first = next((c for c in self._known() if c.frame), None)
        if first is None or place != 0:
            raise Refusal(reason=NO_SUCH_PART)
        head = bytes([0x42, number, place])
        if number == 0x02:
            return [head + code_to_bytes(first.code)]
        own = [p.number for p in obd.PIDS if p.columns & first.frame.keys()]
        masks = obd.masks([0x02, *own])
        if number in masks:
            return [head + masks[number]]
        if number not in own:
            raise Refusal(reason=NO_SUCH_PART)
        return [head + obd.BY_NUMBER[number].encode(first.frame)]

    def _codes(self, head: int, codes: list[str]) -> bytes:
        return bytes([head, len(codes)]) + b"".join(code_to_bytes(c) for c in codes)

    def _clear(self, request: bytes) -> list[bytes]:
        if self.vehicle.engine.rpm > 0:
            raise Refusal(reason=CONDITIONS)
        if self.engine:
            self.vehicle.memory.clear()
            self.vehicle.odometer_km = 0.0
        return [b"\x44"]

    def _about(self, request: bytes) -> list[bytes]:
        if len(request) != 2:
            raise Refusal(reason=WRONG_LENGTH)
        known = {0x02: self.serial.encode("ascii"), 0x0A: self.name[:20].encode("ascii")}
        number = request[1]
        if number == 0:
            return [bytes([0x49, 0]) + obd.masks(known)[0]]
        if number not in known:
            raise Refusal(reason=NO_SUCH_PART)
        body = known[number].ljust(20, b"\x00") if number == 0x0A else known[number]
        return [bytes([0x49, number, 1]) + body]

    # ---- the maker's services

    def _change_session(self, request: bytes) -> list[bytes]:
        if len(request) != 2:
            raise Refusal(reason=WRONG_LENGTH)
        wanted = request[1] & 0x7F
        if wanted not in (DEFAULT, EXTENDED):
            raise Refusal(reason=NO_SUCH_PART)
        if wanted == DEFAULT:
            self._to_default()
        self.session = wanted
        return [] if request[1] & 0x80 else [bytes([0x50, wanted, 0x00, 0x32, 0x01, 0xF4])]

    def _present(self, request: bytes) -> list[bytes]:
        if len(request) != 2:
            raise Refusal(reason=WRONG_LENGTH)
        if request[1] & 0x7F:
            raise Refusal(reason=NO_SUCH_PART)
        return [] if request[1] & 0x80 else [b"\x7e\x00"]

    def _clear_group(self, request: bytes) -> list[bytes]:
        if len(request) != 4:
            raise Refusal(reason=WRONG_LENGTH)
        if request[1:] != b"\xff\xff\xff":
            raise Refusal(reason=OUT_OF_RANGE)
        self._clear(request)
        return [b"\x54"]

    def _codes_by_status(self, request: bytes) -> list[bytes]:
        if len(request) < 2:
            raise Refusal(reason=WRONG_LENGTH)
        part = request[1]
        if part not in (0x01, 0x02):
            raise Refusal(reason=NO_SUCH_PART)
        if len(request) != 3:
            raise Refusal(reason=WRONG_LENGTH)
        meant = [(c, self._status(c)) for c in self._known() if self._status(c) & request[2]]
        mask = STATUS_PENDING | STATUS_CONFIRMED | STATUS_FAILED
        if part == 0x01:
            return [bytes([0x59, 0x01, mask, 0x00]) + len(meant).to_bytes(2, "big")]
        body = b"".join(code_to_bytes(c.code) + bytes([0, status]) for c, status in meant)
        return [bytes([0x59, 0x02, mask]) + body]

    def _status(self, code: Code) -> int:
        status = STATUS_CONFIRMED if code.stored else STATUS_PENDING
        return status | STATUS_FAILED

    def _by_identifier(self, request: bytes) -> list[bytes]:
        asked = request[1:]
        if not asked or len(asked) % 2:
            raise Refusal(reason=WRONG_LENGTH)
        row, body = self.row(), b""
        for at in range(0, len(asked), 2):
            number = int.from_bytes(asked[at : at + 2], "big")
            entry = self._entries.get(("figure", number))
            if number == NAME_OF_UNIT:
                body += asked[at : at + 2] + self.name.encode("ascii")
            elif entry is not None and entry.name in row:
                raw = obd.field_of(entry).raw(row[entry.name])
                body += asked[at : at + 2] + raw.to_bytes(entry.size, "big")
        if not body:
            raise Refusal(reason=OUT_OF_RANGE)
        return [b"\x62" + body]

    def _output(self, request: bytes) -> list[bytes]:
        """Hold an output, or give it back: only in an extended session, which ends by itself."""
        if len(request) < 4:
            raise Refusal(reason=WRONG_LENGTH)
        if self.session != EXTENDED:
            raise Refusal(reason=NOT_NOW)
        number, what = int.from_bytes(request[1:3], "big"), request[3]
        entry = self._entries.get(("output", number))
        if entry is None:
            raise Refusal(reason=OUT_OF_RANGE)
        actuator, field = entry.name, obd.field_of(entry)
        if what == 0x00:
            if len(request) != 4:
                raise Refusal(reason=WRONG_LENGTH)
            self.vehicle.wishes.commands.pop(actuator, None)
            self._mine.discard(actuator)
        elif what == 0x03:
            if len(request) != 4 + field.size:
                raise Refusal(reason=WRONG_LENGTH)
            self._hold(actuator, field.value(request[4:]))
        else:
            raise Refusal(reason=NO_SUCH_PART)
        shown = field.raw(self._position(actuator)).to_bytes(field.size, "big")
        return [b"\x6f" + request[1:4] + shown]

    def _position(self, actuator: str) -> float:
        control = self.vehicle.control
        movers = {
            GAS_VALVE: control.valve,
            PLATE: control.throttle,
            BYPASS: control.bypass,
            FLAPS: control.flaps,
        }
        return movers[actuator].position

    def _hold(self, actuator: str, percent: float) -> None:
        if self.vehicle.wishes.speed_kmh > 0 or self.vehicle.control.protective:
            raise Refusal(reason=CONDITIONS)
        if not 0 <= percent <= 100:
            raise Refusal(reason=OUT_OF_RANGE)
        try:
            self.vehicle.command(actuator, percent)
        except InputError:
            raise Refusal(reason=OUT_OF_RANGE) from None
        self._mine.add(actuator)

    def _routine(self, request: bytes) -> list[bytes]:
        """Begin a routine, or ask how it stands. What takes longer is said to be pending first."""
        if len(request) != 4:
            raise Refusal(reason=WRONG_LENGTH)
        if self.session != EXTENDED:
            raise Refusal(reason=NOT_NOW)
        what, number = request[1], int.from_bytes(request[2:4], "big")
        entry = self._entries.get(("routine", number))
        if entry is None:
            raise Refusal(reason=OUT_OF_RANGE)
        routine = entry.name
        if what == 0x01:
            if routine == "regeneration" and not self.vehicle.engine.running:
                raise Refusal(reason=CONDITIONS)
            self.vehicle.control.begin(routine)
            return [bytes([NEGATIVE, 0x31, PENDING]), b"\x71" + request[1:4]]
        if what == 0x03:
            runs = self.vehicle.control.routine == routine
            return [b"\x71" + request[1:4] + bytes([1 if runs else 0])]
        raise Refusal(reason=NO_SUCH_PART)
