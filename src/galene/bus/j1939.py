"""Frames of heavy vehicles: figures, codes, and messages of several frames (SAE J1939-71, -73,
-21)."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

ENGINE, TESTER, EVERYBODY = 0x00, 0xF9, 0xFF
"""Source addresses: engine number one, an off-board tool, all."""
DM1, DM2, DM11, ACKNOWLEDGE, REQUEST = 0xFECA, 0xFECB, 0xFED3, 0xE800, 0xEA00
ANNOUNCE, TRANSFER = 0xEC00, 0xEB00
BROADCAST = 0x20
MISSING = 0xFF
"""A byte that stands where no figure is."""


@dataclass(frozen=True, kw_only=True)
class Spn:
    """One figure: byte from 1 and length, least significant first; figure = raw times `scale` plus
    `offset`."""

    number: int
    column: str
    at: int
    size: int
    scale: float
    offset: float = 0.0


@dataclass(frozen=True, kw_only=True)
class Group:
    """A parameter group with the figures that are read of it."""

    pgn: int
    figures: tuple[Spn, ...]

    def encode(self, row: Mapping[str, float]) -> bytes:
        """Eight bytes; what the row lacks is marked as missing."""
        data = bytearray([MISSING] * 8)
        for spn in self.figures:
            if spn.column not in row:
                continue
            top = 256**spn.size - 1
            most = (0xFA << 8 * (spn.size - 1)) | (top >> 8 if spn.size > 1 else 0)
            raw = min(most, max(0, round((row[spn.column] - spn.offset) / spn.scale)))
            data[spn.at - 1 : spn.at - 1 + spn.size] = raw.to_bytes(spn.size, "little")
        return bytes(data)

    def decode(self, data: bytes) -> dict[str, float]:
        """The figures that are there: raw values from FB00 on are no figures (J1939-71, 5.1)."""
        found = {}
        for spn in self.figures:
            part = data[spn.at - 1 : spn.at - 1 + spn.size]
            if len(part) == spn.size and part[-1] <= 0xFA:
                found[spn.column] = int.from_bytes(part, "little") * spn.scale + spn.offset
        return found


GROUPS: tuple[Group, ...] = (
    Group(
        pgn=0xF004,
        figures=(Spn(number=190, column="rpm", at=4, size=2, scale=0.125),),
    ),
    Group(
        pgn=0xF003,
        figures=(
            Spn(number=91, column="pedal_pct", at=2, size=1, scale=0.4),
            Spn(number=92, column="load_pct", at=3, size=1, scale=1),
        ),
    ),
    Group(
        pgn=0xFEF1,
        figures=(Spn(number=84, column="speed_kmh", at=2, size=2, scale=1 / 256),),
    ),
    Group(
        pgn=0xFEEE,
        figures=(Spn(number=110, column="coolant_c", at=1, size=1, scale=1, offset=-40),),
    ),
    Group(
        pgn=0xFEF6,
        figures=(
            Spn(number=102, column="boost_gauge_kpa", at=2, size=1, scale=2),
            Spn(number=105, column="intake_c", at=3, size=1, scale=1, offset=-40),
            Spn(number=173, column="before_catalyst_c", at=6, size=2, scale=0.03125, offset=-273),
        ),
    ),
    Group(
        pgn=0xFEF5,
        figures=(Spn(number=108, column="baro_kpa", at=1, size=1, scale=0.5),),
    ),
    Group(
        pgn=0xFEF7,
        figures=(Spn(number=168, column="voltage_v", at=5, size=2, scale=0.05),),
    ),
    Group(
        pgn=0xF00A,
        figures=(
            Spn(number=2659, column="recirculated_kg_h", at=1, size=2, scale=0.05),
            Spn(number=132, column="air_kg_h", at=3, size=2, scale=0.05),
        ),
    ),
    Group(
        pgn=0xFD7B,
        figures=(Spn(number=3719, column="soot_pct", at=1, size=1, scale=1),),
    ),
)
BY_PGN: Mapping[int, Group] = {g.pgn: g for g in GROUPS}
FAULT_OF: Mapping[str, tuple[int, int]] = {
    "P0102": (132, 4),
    "P0107": (102, 4),
    "P0069": (102, 2),
    "P0113": (105, 4),
    "P0237": (102, 4),
    "P0299": (102, 18),
    "P0472": (1209, 4),
    "P0471": (1209, 2),
    "P0401": (2659, 18),
    "P0404": (2791, 7),
    "P242F": (3719, 0),
}
"""SPN and kind of failure for what this product's control units store; the rest has none."""


def frame_id(pgn: int, *, source: int, target: int = EVERYBODY, priority: int = 6) -> int:
    """The 29 bits of a frame. Groups below F000 are sent to somebody, the others to all.

    Examples
    --------
    >>> hex(frame_id(0xF004, source=0, priority=3)), hex(frame_id(0xEA00, source=0xF9, target=0))
    ('0xcf00400', '0x18ea00f9')
    """
    low = target if (pgn >> 8) < 0xF0 else pgn & 0xFF
    return priority << 26 | (pgn & 0x3FF00) << 8 | low << 8 | source


def parts_of(identifier: int) -> tuple[int, int, int]:
    """Group, target and source of a frame's 29 bits.

    Examples
    --------
    >>> [hex(x) for x in parts_of(0x18EA00F9)], [hex(x) for x in parts_of(0x0CF00400)]
    (['0xea00', '0x0', '0xf9'], ['0xf004', '0xff', '0x0'])
    """
    pgn, source = identifier >> 8 & 0x3FFFF, identifier & 0xFF
    if (pgn >> 8 & 0xFF) < 0xF0:
        return pgn & 0x3FF00, pgn & 0xFF, source
    return pgn, EVERYBODY, source


def encode_faults(faults: Iterable[tuple[int, int]], *, lamp: bool) -> bytes:
    """The body of DM1 or DM2: lamps, then four bytes a fault (J1939-73, 5.7.1).

    Parameters
    ----------
    faults : SPN and kind of failure
    lamp : whether the amber lamp is on
    """
    body = bytearray([0b00000100 if lamp else 0, MISSING])
    for spn, kind in faults:
        body += bytes([spn & 0xFF, spn >> 8 & 0xFF, (spn >> 16 & 7) << 5 | kind & 31, 1])
    if len(body) == 2:
        body += bytes(4)
    return bytes(body)


def decode_faults(body: bytes) -> list[tuple[int, int]]:
    """SPN and kind of failure of each fault; six zeros mean none.

    Examples
    --------
    >>> decode_faults(encode_faults([(102, 4), (3719, 0)], lamp=True))
    [(102, 4), (3719, 0)]
    """
    found = []
    for at in range(2, len(body) - 3, 4):
        a, b, c = body[at : at + 3]
        spn = a | b << 8 | (c >> 5) << 16
        if spn:
            found.append((spn, c & 31))
    return found


def announced(pgn: int, body: bytes) -> list[bytes]:
    """A body longer than a frame: the announcement, then its frames of seven bytes (J1939-21,
    5.10.4, broadcast).

    Parameters
    ----------
    pgn : the group of the body
    body : 9 to 1785 bytes
    """
    frames = -(-len(body) // 7)
    head = bytes([BROADCAST, len(body) & 0xFF, len(body) >> 8, frames, MISSING])
    padded = body + bytes([MISSING]) * (7 * frames - len(body))
    return [
        head + pgn.to_bytes(3, "little"),
        *(bytes([k + 1]) + padded[7 * k : 7 * k + 7] for k in range(frames)),
    ]


class Assembly:
    """Puts broadcast bodies together again; what is out of order is dropped."""

    def __init__(self) -> None:
        self._open: dict[int, tuple[int, int, bytearray, int]] = {}

    def take(self, pgn: int, source: int, data: bytes) -> tuple[int, bytes] | None:
        """A frame; the group and body that it completes, None where it completes none."""
        if pgn == ANNOUNCE and len(data) == 8 and data[0] == BROADCAST:
            whole, group = data[1] | data[2] << 8, int.from_bytes(data[5:8], "little")
            self._open[source] = (group, whole, bytearray(), 1)
        elif pgn == TRANSFER and source in self._open and data:
            group, whole, body, due = self._open.pop(source)
            if data[0] == due:
                body += data[1:]
                if len(body) >= whole:
                    return group, bytes(body[:whole])
                self._open[source] = (group, whole, body, due + 1)
        return None
