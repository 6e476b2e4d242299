"""Listens to what a heavy vehicle says by itself (SAE J1939), and asks for what it says only when
asked."""

import time

import can

from galene.bus import j1939

SAME = ("rpm", "coolant_c", "intake_c", "before_catalyst_c", "baro_kpa", "voltage_v", "soot_pct")
SAME_TOO = ("speed_kmh", "pedal_pct", "load_pct")
"""Figures whose column is the same everywhere."""
SECONDS_IN_HOUR = 3600.0


class HeavyListener(can.Listener):
    """What a heavy vehicle says by itself, and the answers to what is asked of it.

    Parameters
    ----------
    bus : opened and closed by who made it; it is listened to by a notifier, or by `listen`
    """

    def __init__(self, bus: can.BusABC) -> None:
        self.bus = bus
        self.figures: dict[str, float] = {}
        self.faults: dict[int, list[tuple[int, int]]] = {}
        self.acknowledged: dict[int, int] = {}
        self._heard_s: dict[str, float] = {}
        self._assembly = j1939.Assembly()

    def on_message_received(self, msg: can.Message) -> None:
        """Take in what the notifier heard."""
        if msg.is_extended_id and not msg.is_error_frame and not msg.is_remote_frame:
            self.take(msg.arbitration_id, bytes(msg.data))

    def on_error(self, exc: Exception) -> None:
        """Another listener keeps what goes wrong."""

    def listen(self, seconds: float) -> None:
        """Take in what comes for some time."""
        ends = time.monotonic() + seconds
        while (left := ends - time.monotonic()) > 0:
            message = self.bus.recv(left)
            if message is not None:
                self.on_message_received(message)

    def take(self, identifier: int, data: bytes) -> None:
        """One frame."""
        pgn, _, source = j1939.parts_of(identifier)
        whole = self._assembly.take(pgn, source, data)
        if whole is not None:
            pgn, data = whole
        if pgn in j1939.BY_PGN and len(data) == 8:
            found = j1939.BY_PGN[pgn].decode(data)
            self.figures |= found
            self._heard_s |= dict.fromkeys(found, time.monotonic())
        elif pgn in (j1939.DM1, j1939.DM2) and len(data) >= 6:
            self.faults[pgn] = j1939.decode_faults(data)
        elif pgn == j1939.ACKNOWLEDGE and len(data) == 8:
            self.acknowledged[int.from_bytes(data[5:8], "little")] = data[0]

    def ask(self, pgn: int) -> None:
        """Ask for a group."""
        identifier = j1939.frame_id(j1939.REQUEST, source=j1939.TESTER, target=j1939.ENGINE)
        data = pgn.to_bytes(3, "little")
        self.bus.send(can.Message(arbitration_id=identifier, is_extended_id=True, data=data))

    def columns(self, within_s: float) -> dict[str, float]:
        """The newest figures by the columns that OBD figures have; what was not heard for so long
        is left out."""
        since = time.monotonic() - within_s
        heard = {n for n, at in list(self._heard_s.items()) if at >= since}
        known = {n: self.figures[n] for n in heard}
        found = {n: known[n] for n in (*SAME, *SAME_TOO) if n in known}
        if "air_kg_h" in known:
            found["air_g_s"] = known["air_kg_h"] * 1000 / SECONDS_IN_HOUR
        if {"boost_gauge_kpa", "baro_kpa"} <= heard:
            found["boost_kpa"] = known["boost_gauge_kpa"] + known["baro_kpa"]
        return found
