"""The hours ahead as a line: waits that end, vehicles that are due."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from galene.jobs.today import Standing

HOURS, LEFT, WIDTH = 10, 20.0, 1160.0
TURN = 1000.0
"""From here on words stand to the left of their mark."""
LANES, DUE_LANES, WORDS = 3, 5, 186.0
"""Waits shown, rows for due marks, and the room that a due mark's words take."""


@dataclass(frozen=True, kw_only=True)
class Mark:
    """A vehicle that is due at a moment; late ones stand at the left edge."""

    x: float
    lane: int
    plate: str
    text: str
    late: bool
    href: str


@dataclass(frozen=True, kw_only=True)
class Bar:
    """A wait from now to its end."""

    x: float
    width: float
    lane: int
    text: str


@dataclass(frozen=True, kw_only=True)
class DayStrip:
    """Hours, waits and dues in drawing units."""

    hours: tuple[tuple[float, str], ...]
    bars: tuple[Bar, ...]
    marks: tuple[Mark, ...]
    height: float
    now_x: float


def day_strip(standings: Sequence[Standing], now: datetime) -> DayStrip | None:
    """The strip for the next ten hours, None when nothing ends or is due in them."""
    local = now.astimezone()
    start = local.replace(minute=0, second=0, microsecond=0)
    end = start + timedelta(hours=HOURS)

    def x(when: datetime) -> float:
        share = (when.astimezone() - start) / (end - start)
        return round(LEFT + min(1.0, max(0.0, share)) * WIDTH, 1)

    bars = tuple(
        Bar(
            x=x(now),
            width=max(4.0, x(s.wait.ends_at) - x(now)),
            lane=i % LANES,
            text=f"{s.job.vehicle.plate} {s.wait.name[0].lower()}{s.wait.name[1:]}",
        )
        for i, s in enumerate([s for s in standings if s.wait][:LANES])
        if s.wait
    )
    marks: list[Mark] = []
    taken: list[list[tuple[float, float]]] = [[] for _ in range(DUE_LANES)]
    for s in sorted(
        (s for s in standings if s.job.due_at and s.job.due_at < end),
        key=lambda s: s.job.due_at or now,
    ):
        due = s.job.due_at or now
        place = x(due)
        room = (place - 4, place + WORDS) if place < TURN else (place - WORDS, place + 4)
        lane = next(
            (k for k, row in enumerate(taken) if all(room[1] <= a or b <= room[0] for a, b in row)),
            None,
        )
        if lane is None:
            continue
        taken[lane].append(room)
        marks.append(
            Mark(
                x=place,
                lane=lane,
                plate=s.job.vehicle.plate,
                text=f"{due.astimezone():%H:%M}",
                late=due < now,
                href=f"/jobs/{s.job.number}",
            )
        )
    if not bars and not marks:
        return None
    hours = tuple(
        (x(start + timedelta(hours=k)), f"{start + timedelta(hours=k):%H}")
        for k in range(HOURS + 1)
    )
    return DayStrip(
        hours=hours,
        bars=bars,
        marks=tuple(marks),
        height=70.0 + 26 * (max((m.lane for m in marks), default=0)) + 22 * len(bars),
        now_x=x(now),
    )
