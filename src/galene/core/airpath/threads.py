"""What a fastener's thread bears: heads, threads and torques."""

from dataclasses import dataclass

from galene.core.airpath.family import Fastener


@dataclass(frozen=True, kw_only=True)
class Thread:
    """A coarse thread with the torque that a dry bolt of a property class bears in steel, N m."""

    size: str
    class_8_8_nm: float
    class_10_9_nm: float


THREADS: dict[str, Thread] = {
    t.size: t
    for t in (
        Thread(size="M4", class_8_8_nm=3.3, class_10_9_nm=4.8),
        Thread(size="M5", class_8_8_nm=6.5, class_10_9_nm=9.5),
        Thread(size="M6", class_8_8_nm=11.3, class_10_9_nm=16.5),
        Thread(size="M8", class_8_8_nm=27.3, class_10_9_nm=40.1),
        Thread(size="M10", class_8_8_nm=54.0, class_10_9_nm=79.0),
    )
}
"""Assembly torques at a friction of 0.14 (VDI 2230 sheet 1, table A1): above them the bolt is past
its yield point."""
HEADS: dict[str, str] = {
    "7 mm nut driver": "M4",
    "8 mm nut driver": "M5",
    "8 mm socket": "M5",
    "10 mm nut driver": "M6",
    "10 mm socket": "M6",
    "12 mm socket": "M8",
    "13 mm socket": "M8",
    "15 mm socket": "M10",
    "16 mm socket": "M10",
    "T15 driver": "M4",
    "T20 driver": "M4",
    "T25 driver": "M5",
    "T30 driver": "M6",
    "4 mm hex": "M5",
    "5 mm hex": "M6",
}
"""Head to the usual thread under it (ISO 4014, 4762 and 14579; 12 mm where small flanges are
usual)."""
BOLTED = frozenset(
    {"bolt", "bolts", "nut", "nuts", "screw", "screws", "V-clamp", "hose clamp", "clamp"}
)
"""Fasteners of such a thread; sensors' own threads and union nuts are others."""


def most_torque_nm(fastener: Fastener) -> float | None:
    """What the thread under a fastener's head bears in class 8.8, N m; None where the head does not
    tell."""
    size = HEADS.get(fastener.driver)
    return THREADS[size].class_8_8_nm if size and fastener.what in BOLTED else None
