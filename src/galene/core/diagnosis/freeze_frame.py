"""What the frame that was stored with a code says of where it came: cold, at idle, under way."""

from collections.abc import Collection
from dataclasses import dataclass

from galene.core.errors import require_range

COLD_BELOW_C = 50.0
"""Coolant below which an engine still runs on its warm-up mixture (project default)."""
STANDS_BELOW_KM_H, RUNS_FROM_KM_H = 3.0, 20.0
IDLE_UP_TO, AWAY_FROM = 1.15, 1.6
"""Shares of the highest idle speed of a family up to which an engine idles, and from which it
surely does not."""
IDLE_LOAD_PERCENT, AWAY_LOAD_PERCENT = 35.0, 45.0
"""Calculated load (SAE J1979) below which an engine can idle and above which it does not (project
defaults: 20 to 30 percent are usual at a warm idle, loads on included)."""
IDLE_RPM = 900.0
"""Highest idle of an engine whose family has no band."""
SURE = 0.7
"""How sure a single frame is: it is one moment of one drive."""
LEAN = "code_lean"


@dataclass(frozen=True, kw_only=True)
class FreezeFrame:
    """The frame stored with a code; None where it was not read."""

    coolant_c: float | None = None
    rpm: float | None = None
    load_percent: float | None = None
    speed_km_h: float | None = None

    @property
    def empty(self) -> bool:
        """Whether nothing of it was read."""
        return self == FreezeFrame()


RANGES: dict[str, tuple[float, float]] = {
    "coolant_c": (-40, 215),
    "rpm": (0, 16_000),
    "load_percent": (0, 100),
    "speed_km_h": (0, 255),
}
"""What each figure of a frame can be at all (SAE J1979 scalings)."""


def check_frame(frame: FreezeFrame) -> None:
    """Refuse what no frame holds.

    Raises
    ------
    InputError
        Naming the figure.
    """
    for name, (low, high) in RANGES.items():
        value = getattr(frame, name)
        if value is not None:
            require_range(name, value, low, high=high, unit="")


def evidence_of_frame(
    groups: Collection[str], frame: FreezeFrame, idle_high_rpm: float | None
) -> tuple[str, ...]:
    """Evidence that a code's frame shows.

    Parameters
    ----------
    groups : evidence that the code itself stands for
    idle_high_rpm : upper end of the family's idle band

    Notes
    -----
    Cold is said of any code. A lean code is told apart: at idle a leak is a large share of little
    air, under way the meter or the fuel runs short. A frame between both says neither.

    Examples
    --------
    >>> evidence_of_frame(["code_lean"], FreezeFrame(coolant_c=88, rpm=720, speed_km_h=0), 750)
    ('code_lean_at_idle',)
    """
    found: list[str] = []
    if frame.coolant_c is not None and frame.coolant_c < COLD_BELOW_C:
        found.append("worse_when_cold")
    if LEAN in groups:
        if _idles(frame, idle_high_rpm or IDLE_RPM):
            found.append("code_lean_at_idle")
        elif _under_way(frame, idle_high_rpm or IDLE_RPM):
            found.append("code_lean_off_idle")
    return tuple(found)


def _idles(frame: FreezeFrame, idle_rpm: float) -> bool:
    """Engine speed and standing still say it; a load says the contrary."""
    return (
        frame.rpm is not None
        and 0 < frame.rpm <= IDLE_UP_TO * idle_rpm
        and (frame.speed_km_h is None or frame.speed_km_h < STANDS_BELOW_KM_H)
        and (frame.load_percent is None or frame.load_percent < IDLE_LOAD_PERCENT)
    )


def _under_way(frame: FreezeFrame, idle_rpm: float) -> bool:
    fast = frame.rpm is not None and frame.rpm >= AWAY_FROM * idle_rpm
    loaded = frame.load_percent is not None and frame.load_percent > AWAY_LOAD_PERCENT
    drives = frame.speed_km_h is not None and frame.speed_km_h >= RUNS_FROM_KM_H
    return fast and (loaded or drives or (frame.load_percent is None and frame.speed_km_h is None))
