"""The hours ahead as a line: waits that end, vehicles that are due."""

import itertools
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from galene.jobs.today import Standing

HOURS, LEFT, WIDTH = 10, 20.0, 1160.0
LANES, MOST_MARKS = 4, 14
"""Waits and due marks shown."""
LETTER, GAP = 7.7, 16.0
"""Widest mean letter of a due mark's words, and the room round them."""
LANE, BAR = 22.0, 20.0
"""Height of a row of due marks, of a row of waits."""


@dataclass(frozen=True, kw_only=True)
class Mark:
    """A vehicle that is due at a moment; late ones stand at the left edge."""

    x: float
    lane: int
    leftward: bool
    """Whether its words stand to the left of it."""
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
    base: float
    """Height of the line of the hours."""
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
    due = sorted(
        (s for s in standings if s.job.due_at and s.job.due_at < end),
        key=lambda s: s.job.due_at or now,
    )[:MOST_MARKS]
    places = [x(s.job.due_at or now) for s in due]
    rooms = [
        GAP + LETTER * len(f"{s.job.vehicle.plate} {'late ' if s.job.due_at < now else ''}00:00")
        for s in due
        if s.job.due_at
    ]
    marks = [
        Mark(
            x=place,
            lane=lane,
            leftward=leftward,
            plate=s.job.vehicle.plate,
            text=f"{(s.job.due_at or now).astimezone():%H:%M}",
            late=(s.job.due_at or now) < now,
            href=f"/jobs/{s.job.number}",
        )
        for s, place, (lane, leftward) in zip(due, places, lanes_of(places, rooms), strict=True)
    ]
    if not bars and not marks:
        return None
    hours = tuple(
        (x(start + timedelta(hours=k)), f"{start + timedelta(hours=k):%H}")
        for k in range(HOURS + 1)
    )
    base = 30.0 + LANE * (1 + max((m.lane for m in marks), default=-1))
    return DayStrip(
        hours=hours,
        bars=bars,
        marks=tuple(marks),
        base=base,
        height=base + 26 + BAR * len(bars),
        now_x=x(now),
    )


def lanes_of(places: Sequence[float], rooms: Sequence[float]) -> list[tuple[int, bool]]:
    """The row of each mark, 0 on top, and whether its words stand to its left; no line of a mark
    runs through another's words, and no words through others.

    Parameters
    ----------
    places : x of each mark, rising
    rooms : width of each mark's words
    """
    count = len(places)
    leftward = [p + room > LEFT + WIDTH + 16 for p, room in zip(places, rooms, strict=True)]
    for j in range(count - 1, -1, -1):
        leftward[j] = leftward[j] or any(
            leftward[i] and places[i] - places[j] < rooms[i] for i in range(j + 1, count)
        )

    def spans(i: int) -> tuple[float, float]:
        return (
            (places[i] - rooms[i], places[i]) if leftward[i] else (places[i], places[i] + rooms[i])
        )

    def below(i: int, j: int) -> bool:
        """Whether mark j must begin below the words of mark i."""
        (a, b), (c, d) = spans(i), spans(j)
        outer = i > j if leftward[i] and leftward[j] else i < j
        return outer and a < d and c < b

    lanes = [0] * count
    for _ in range(count):
        for i, j in itertools.permutations(range(count), 2):
            if below(i, j):
                lanes[j] = max(lanes[j], lanes[i] + 1)
    return list(zip(lanes, leftward, strict=True))
