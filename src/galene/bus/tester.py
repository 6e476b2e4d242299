"""Asks a car on a bus: live figures, codes, outputs, routines. What it asks is public standard; it
does not know, and can not know, whether a real car answers.

Every fault of the line has its own name: nobody answers, a unit refuses and says why, an answer can
not be read.
"""

import time
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from typing import Any

import can
from udsoncan import ClientConfig, DidCodec
from udsoncan.client import Client
from udsoncan.connections import PythonIsoTpConnection
from udsoncan.exceptions import (
    InvalidResponseException,
    NegativeResponseException,
    TimeoutException,
    UnexpectedResponseException,
)

from galene.bus import line, obd
from galene.bus.codes import code_from_bytes
from galene.bus.heavy import HeavyListener
from galene.bus.line import Ear, transport
from galene.core.airpath.family import BusEntry
from galene.core.errors import InputError

ANSWER_S, PENDING_S = 0.25, 5.0
"""How long an answer may take, and how long one that is said to be pending."""
REASONS = {
    0x11: "it does not know this service",
    0x12: "it does not know this part of the service",
    0x13: "the request has a wrong length",
    0x21: "it is busy",
    0x22: "the conditions are not right",
    0x24: "something comes first",
    0x31: "it has no such figure or output",
    0x33: "it asks for a key",
    0x7E: "not in this session",
    0x7F: "not in this session",
}
"""A unit's refusals in words (ISO 14229-1, annex A)."""


class BusFault(Exception):
    """Something between the question and a readable answer."""


class Silent(BusFault):
    """Nobody answered in time."""


class Refused(BusFault):
    """A unit said no."""

    def __init__(self, service: int, reason: int) -> None:
        self.service, self.reason = service, reason
        self.words = REASONS.get(reason, f"it says no ({reason:02X})")
        super().__init__(f"service {service:02X}: {self.words}")


class Lost(BusFault):
    """The adapter does not carry what is said."""


class Garbled(BusFault):
    """An answer that can not be read, or that answers something else."""


@dataclass(frozen=True, kw_only=True)
class Frozen:
    """The figures that were kept with a code."""

    code: str
    figures: dict[str, float]


class Conversation:
    """One conversation with one control unit.

    Parameters
    ----------
    bus : opened and closed by who made it
    own : the maker's own identifiers, as the engine family's document has them
    asks : identifier of requests; the unit answers on 8 more
    """

    def __init__(self, bus: can.BusABC, *, own: Sequence[BusEntry] = (), asks: int = 0x7E0) -> None:
        self._ear = Ear()
        self.heavy = HeavyListener(bus)
        """What a heavy vehicle says by itself meanwhile; a light one says nothing."""
        self._notifier = can.Notifier(bus, [self._ear, self.heavy], timeout=line.LISTENS_S)
        self._stack = transport(bus, self._notifier, receives=asks + 8, sends=asks)
        self._line = PythonIsoTpConnection(self._stack)
        self._line.open()
        self._own = {(e.kind, e.name): e for e in own}
        self._uds = Client(self._line, config=_config(own))
        self._supported: list[int] | None = None
        self._one_by_one = False
        """Whether the unit was found not to answer several identifiers in one request."""

    def close(self) -> None:
        """End the conversation."""
        self._line.close()
        self._notifier.stop()

    def require_line(self) -> None:
        """Raise `Lost` where the adapter told that it does not carry any more."""
        fault = self._stack.broken or self._ear.broken
        if fault is not None:
            raise Lost(str(fault)[:200]) from fault

    def ask(self, request: bytes) -> bytes:
        """The answer to a generic request, without its first byte.

        Raises
        ------
        Silent, Lost, Refused, Garbled
        """
        self._line.empty_rxqueue()  # what answers an older question
        self._line.send(request)
        ends = time.monotonic() + ANSWER_S
        while (left := ends - time.monotonic()) > 0:
            answer = self._line.wait_frame(timeout=left)
            if not answer:
                continue
            if answer[0] == 0x7F and len(answer) >= 3:
                if answer[1] != request[0]:
                    continue
                if answer[2] == 0x78:
                    ends = time.monotonic() + PENDING_S
                    continue
                raise Refused(request[0], answer[2])
            if answer[0] == request[0] + 0x40:
                return bytes(answer[1:])
            # Another question's answer that came late: this one's may still come.
        self.require_line()
        raise Silent(f"no answer to service {request[0]:02X}")

    # ---- generic services

    def supported(self) -> list[int]:
        """Parameters that the unit answers; asked once."""
        if self._supported is None:
            found: list[int] = []
            base: int | None = 0
            while base is not None:
                mask = self.ask(bytes([0x01, base]))
                if len(mask) < 5 or mask[0] != base:
                    raise Garbled("the mask of parameters can not be read")
                numbers = obd.supported_in(base, mask[1:5])
                following = base + obd.BLOCK
                found += [n for n in numbers if n != following]
                base = following if following in numbers else None
            self._supported = found
        return self._supported

    def read(self, columns: Sequence[str]) -> dict[str, float]:
        """Figures by column; those that the unit does not have are left out.

        Parameters
        ----------
        columns : names with their units, as in `obd.PIDS`
        """
        wanted = set(columns)
        numbers = [
            n for n in self.supported() if n in obd.BY_NUMBER and obd.BY_NUMBER[n].columns & wanted
        ]
        found: dict[str, float] = {}
        for at in range(0, len(numbers), 6):
            found |= self._figures(self.ask(bytes([0x01, *numbers[at : at + 6]])))
        return {name: value for name, value in found.items() if name in wanted}

    def _figures(self, data: bytes) -> dict[str, float]:
        found: dict[str, float] = {}
        at = 0
        while at < len(data):
            pid = obd.BY_NUMBER.get(data[at])
            if pid is None or at + 1 + pid.size > len(data):
                raise Garbled(f"parameter {data[at]:02X} can not be read")
            found |= pid.decode(data[at + 1 : at + 1 + pid.size])
            at += 1 + pid.size
        return found

    def codes(self, service: int = 0x03) -> list[str]:
        """Codes: stored (03), pending (07) or permanent (0A)."""
        data = self.ask(bytes([service]))
        if not data or len(data) != 1 + 2 * data[0]:
            raise Garbled("the list of codes has a wrong length")
        return [code_from_bytes(data[at : at + 2]) for at in range(1, len(data), 2)]

    def frozen(self) -> Frozen | None:
        """The freeze frame, None where there is none."""
        try:
            data = self.ask(bytes([0x02, 0x02, 0x00]))
        except Refused:
            return None
        if len(data) != 4:
            raise Garbled("the frame's code can not be read")
        figures: dict[str, float] = {}
        mask = self.ask(bytes([0x02, 0x00, 0x00]))
        for number in obd.supported_in(0, mask[2:6]):
            if number in obd.BY_NUMBER:
                part = self.ask(bytes([0x02, number, 0x00]))
                figures |= obd.BY_NUMBER[number].decode(part[2:])
        return Frozen(code=code_from_bytes(data[2:4]), figures=figures)

    def clear(self) -> None:
        """Clear codes, frames and readiness.

        Raises
        ------
        Refused
            The engine runs.
        """
        self.ask(b"\x04")

    def readiness(self) -> dict[str, bool]:
        """Monitors that the unit has, and whether each is complete."""
        data = self.ask(b"\x01\x01")
        if len(data) != 5:
            raise Garbled("the state of the monitors can not be read")
        return obd.monitors(data[1:])

    def serial(self) -> str:
        """The vehicle's identification number."""
        return self.ask(b"\x09\x02")[2:].decode("ascii", "replace")

    # ---- the maker's services

    def session(self, number: int) -> None:
        """Change the session: 1 default, 3 extended."""
        with self._named():
            self._uds.change_session(number)

    def present(self) -> None:
        """Say that somebody is there, so that what is held stays held."""
        with self._named():
            self._uds.tester_present()

    def identified(self, columns: Sequence[str]) -> dict[str, float]:
        """Figures by the families' own identifiers; those that the unit does not have are left
        out. All are asked at once, and one by one of a unit that answers that with something
        else."""
        wanted = [c for c in columns if ("figure", c) in self._own]
        if len(wanted) > 1 and not self._one_by_one:
            try:
                return self._identified(wanted)
            except (Refused, Garbled):
                self._one_by_one = True
        found: dict[str, float] = {}
        for column in wanted:
            with suppress(Refused):
                found |= self._identified([column])
        return found

    def _identified(self, columns: Sequence[str]) -> dict[str, float]:
        if not columns:
            return {}
        numbers = {c: self._own["figure", c].identifier for c in columns}
        with self._named():
            answer = self._uds.read_data_by_identifier(list(numbers.values()))
        if answer is None:
            raise Silent("no answer in time")
        values = answer.service_data.values
        return {column: values[number] for column, number in numbers.items()}

    def hold(self, actuator: str, percent: float) -> None:
        """Hold an output at a position, percent, until it is let go or nobody is present any
        more."""
        with self._named():
            self._uds.io_control(
                self._number("output", actuator), control_param=3, values=[percent]
            )

    def let_go(self, actuator: str) -> None:
        """Give an output back to the control unit."""
        with self._named():
            self._uds.io_control(self._number("output", actuator), control_param=0)

    def begin(self, routine: str) -> None:
        """Begin a routine."""
        with self._named():
            self._uds.start_routine(self._number("routine", routine))

    def runs(self, routine: str) -> bool:
        """Whether a routine is still under way."""
        with self._named():
            answer = self._uds.get_routine_result(self._number("routine", routine))
        record = answer.service_data.routine_status_record if answer else b""
        if len(record) != 1:
            raise Garbled("the routine's state can not be read")
        return bool(record[0])

    @contextmanager
    def _named(self) -> Iterator[None]:
        """Faults of the line under this product's names."""
        try:
            yield
        except NegativeResponseException as no:
            asked = no.response.original_payload or b"\x7f\x00"
            raise Refused(asked[1], no.response.code or 0) from no
        except TimeoutException as late:
            self.require_line()
            raise Silent("no answer in time") from late
        except (InvalidResponseException, UnexpectedResponseException) as odd:
            raise Garbled(str(odd)) from odd

    def _number(self, kind: str, name: str) -> int:
        entry = self._own.get((kind, name))
        if entry is None:
            allowed = ", ".join(n for k, n in self._own if k == kind) or "none is entered"
            raise InputError(kind, name, f"one of the family's: {allowed}")
        return entry.identifier


class FieldCodec(DidCodec):
    """One figure as its identifier carries it."""

    def __init__(self, field: obd.Field) -> None:
        self.field = field

    def encode(self, *values: float) -> bytes:
        return self.field.raw(values[0]).to_bytes(self.field.size, "big")

    def decode(self, payload: bytes) -> float:
        return self.field.value(payload)

    def __len__(self) -> int:
        return self.field.size


def _config(own: Sequence[BusEntry]) -> ClientConfig:
    codecs: dict[str, dict[Any, Any]] = {
        kind: {e.identifier: FieldCodec(obd.field_of(e)) for e in own if e.kind == kind}
        for kind in ("figure", "output")
    }
    return {
        "request_timeout": PENDING_S,
        "p2_timeout": ANSWER_S,
        "p2_star_timeout": PENDING_S,
        "use_server_timing": False,
        "data_identifiers": codecs["figure"],
        "input_output": codecs["output"],
    }
