"""The bore gauge: bores seen along the flow, deposit as it was and as it is."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

RADIUS = 100.0
"""Drawn radius of the clean bore."""


@dataclass(frozen=True, kw_only=True)
class Handle:
    """A point that can be dragged: its place, and the hour it stands at."""

    index: int
    x: float
    y: float
    clock: str


@dataclass(frozen=True, kw_only=True)
class DrawnBore:
    """One bore in drawing units round its own centre."""

    name: str
    bore_mm: float
    thickness_mm: tuple[float, ...]
    outline: str
    before: str
    handles: tuple[Handle, ...]


def clock_word(index: int, count: int) -> str:
    """Where a point stands, as on a clock seen along the flow: ``3``, ``4:30``."""
    minutes = round(index / count * 720)
    hour, left = divmod(minutes, 60)
    return f"{hour or 12}" + (f":{left:02d}" if left else "")


def outline_of(bore_mm: float, thickness_mm: Sequence[float]) -> str:
    """The edge of the open area as SVG points, thickness linear in angle between the points."""
    count, fine = len(thickness_mm), 6
    points = []
    for step in range(count * fine):
        at = step / fine
        low = int(at) % count
        share = at - int(at)
        t = thickness_mm[low] * (1 - share) + thickness_mm[(low + 1) % count] * share
        r = max(0.0, RADIUS * (1 - 2 * t / bore_mm))
        angle = 2 * math.pi * at / count
        points.append(f"{r * math.sin(angle):.1f},{-r * math.cos(angle):.1f}")
    return " ".join(points)


def drawn(
    name: str,
    bore_mm: float,
    thickness_mm: Sequence[float],
    *,
    before_mm: tuple[float, Sequence[float]] | None = None,
) -> DrawnBore:
    """A bore ready for the template; `before_mm` is the earlier bore and its thicknesses, drawn as
    an outline."""
    count = len(thickness_mm)
    handles = []
    for i, t in enumerate(thickness_mm):
        r = max(0.0, RADIUS * (1 - 2 * t / bore_mm)) if bore_mm > 0 else RADIUS
        angle = 2 * math.pi * i / count
        handles.append(
            Handle(
                index=i, x=r * math.sin(angle), y=-r * math.cos(angle), clock=clock_word(i, count)
            )
        )
    before = outline_of(before_mm[0], before_mm[1]) if before_mm else ""
    return DrawnBore(
        name=name,
        bore_mm=bore_mm,
        thickness_mm=tuple(thickness_mm),
        outline=outline_of(bore_mm, thickness_mm),
        before=before,
        handles=tuple(handles),
    )
