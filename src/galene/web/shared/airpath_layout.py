"""Where everything of an air path stands: one routine for any valid family, in cells of a grid.

Intake rows run left to right, the exhaust comes back right to left underneath, what joins them
(recirculation, breather, bypass, tubes of sensors) lies between. Lines run only in the channels
between cells and in tracks between rows, labels stay inside their cells, so nothing can overlap
whatever the family.
"""

import itertools
import math
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field

from galene.core.airpath.family import CIRCUITS, EngineFamily, Pipe, spine

BODY_W, BODY_H, HEAD = 92.0, 84.0, 32.0
STALK, GUTTER, TRACK, LEVEL = 40.0, 26.0, 13.0, 29.0
"""Length of a sensor's stalk, width of the outer channels, distance of tracks, height at which side
lines leave a body."""
GLYPH = 0.52
"""Mean width of a letter as a share of its size, rounded up: a label that fits by this fits in the
browser."""


@dataclass(frozen=True, kw_only=True)
class Shape:
    """A folding: cells side by side, smallest and largest cell, the room that a sensor takes, size
    of the type."""

    columns: int
    cell: tuple[float, float]
    width: float
    slot: float
    part_type: float
    sensor_type: float


WIDE = Shape(
    columns=7, cell=(168.0, 230.0), width=1180.0, slot=84.0, part_type=15.0, sensor_type=12.0
)
NARROW = Shape(
    columns=3, cell=(168.0, 190.0), width=540.0, slot=126.0, part_type=19.0, sensor_type=17.0
)


@dataclass(frozen=True, kw_only=True)
class Box:
    """A rectangle by its centre."""

    x: float
    y: float
    w: float
    h: float

    def overlaps(self, other: "Box") -> bool:
        """Whether the two share more than an edge."""
        return (
            abs(self.x - other.x) * 2 < self.w + other.w - 0.01
            and abs(self.y - other.y) * 2 < self.h + other.h - 0.01
        )


@dataclass(frozen=True, kw_only=True)
class Label:
    """A label's lines, its first baseline, the size of its type, and the room it takes."""

    lines: tuple[str, ...]
    x: float
    y: float
    size: float
    box: Box


@dataclass(frozen=True, kw_only=True)
class Node:
    """A part in its place. `form` is part, or free for a sensor that sits on nothing."""

    id: str
    form: str
    box: Box
    label: Label


@dataclass(frozen=True, kw_only=True)
class Stalk:
    """A sensor above its host, with the foot of its stalk."""

    id: str
    host: str
    box: Box
    label: Label
    foot: tuple[float, float]


@dataclass(frozen=True, kw_only=True)
class Line:
    """A pipe as corner points. `straight` ones run from body to body in the middle; the rest end at
    an arrow."""

    source: str
    target: str
    circuit: str
    points: tuple[tuple[float, float], ...]
    straight: bool

    @property
    def path(self) -> str:
        """As an SVG path with rounded corners."""
        (x, y), *rest = self.points
        words = [f"M{x:.1f} {y:.1f}"]
        for k, (cx, cy) in enumerate(rest):
            if k == len(rest) - 1:
                words.append(f"L{cx:.1f} {cy:.1f}")
                break
            (px, py), (nx, ny) = self.points[k], rest[k + 1]
            before, after = math.dist((px, py), (cx, cy)), math.dist((cx, cy), (nx, ny))
            r = min(7.0, before / 2, after / 2)
            if not before or not after:
                continue
            words.append(f"L{cx + (px - cx) / before * r:.1f} {cy + (py - cy) / before * r:.1f}")
            words.append(
                f"Q{cx:.1f} {cy:.1f} {cx + (nx - cx) / after * r:.1f}"
                f" {cy + (ny - cy) / after * r:.1f}"
            )
        return "".join(words)

    @property
    def heading(self) -> float:
        """Direction of the last stretch in degrees, 0 to the right."""
        (ax, ay), (bx, by) = self.points[-2], self.points[-1]
        return math.degrees(math.atan2(by - ay, bx - ax))


@dataclass(frozen=True, kw_only=True)
class Layout:
    """One folding of the drawing."""

    width: float
    height: float
    nodes: tuple[Node, ...]
    stalks: tuple[Stalk, ...]
    lines: tuple[Line, ...]


def wrap(text: str, width: float, size: float) -> tuple[str, ...]:
    """`text` in lines no wider than `width`; a word that is too long is parted by a hyphen, a
    fourth line is cut."""
    most = max(4, int(width / (size * GLYPH)))
    lines: list[str] = []
    for word in text.split():
        while len(word) > most:
            lines.append(word[: most - 1] + "-")
            word = word[most - 1 :]
        if lines and not lines[-1].endswith("-") and len(lines[-1]) + 1 + len(word) <= most:
            lines[-1] += " " + word
        elif lines and lines[-1].endswith("-") and len(lines[-1]) == most:
            lines.append(word)
        else:
            lines.append(word)
    if len(lines) > 3:
        lines = [*lines[:2], lines[2][: most - 1] + "…"]
    return tuple(lines or ("",))


def _label(text: str, x: float, top: float, *, width: float, size: float) -> Label:
    lines = wrap(text, width, size)
    height = size * 1.12 * len(lines)
    wide = max(len(line) for line in lines) * size * GLYPH
    return Label(
        lines=lines,
        x=x,
        y=top + size * 0.86,
        size=size,
        box=Box(x=x, y=top + height / 2, w=wide, h=height),
    )


@dataclass(kw_only=True)
class _Cell:
    """A node in its row: first cell and how many it takes."""

    id: str
    row: int
    start: int
    span: int

    @property
    def middle(self) -> float:
        return self.start + self.span / 2


@dataclass(kw_only=True)
class _Route:
    """A line on its way: the boundaries and zones that it turns at, filled in by the tracks
    later."""

    pipe: Pipe
    turns: list[tuple[int, int, int]]
    """Stretches along a boundary: (boundary, from zone or row side, to zone)."""
    zones: list[int]
    boundaries: list[int]
    tracks: list[int] = field(default_factory=list)
    shifts: list[float] = field(default_factory=list)


def _pack(nodes: Sequence[str], spans: dict[str, int], columns: int) -> list[list[str]]:
    """Nodes in rows that hold `columns` cells."""
    rows: list[list[str]] = []
    used = columns + 1
    for node in nodes:
        if used + spans[node] > columns:
            rows.append([])
            used = 0
        rows[-1].append(node)
        used += spans[node]
    return rows


def _place(
    family: EngineFamily, shape: Shape, cell_of: dict[str, float]
) -> tuple[list[_Cell], int, int]:
    """Cells of every part, the number of columns and of rows. `cell_of` gives the widest need of
    each part in pixels."""
    intake, exhaust = spine(family)
    sensors = {t.sensor for t in family.taps}
    free = [t.sensor for t in family.taps if t.on is None]
    extras = [
        p.id
        for p in family.parts
        if p.id not in sensors and p.id not in intake and p.id not in exhaust
    ]
    spans = {
        n: max(1, math.ceil(cell_of.get(n, 0) / shape.cell[0]))
        for n in (*intake, *exhaust, *extras, *free)
    }
    columns = max([shape.columns, *spans.values()])
    if sum(spans[n] for n in (*intake, *exhaust)) <= columns:
        # All in one row: the exhaust goes on where the intake ends.
        intake, exhaust = (*intake, *exhaust), ()
    front, back = _pack(intake, spans, columns), _pack(exhaust, spans, columns)
    columns = max(
        [min(3, columns), *(sum(spans[n] for n in row) for row in (*front, *back)), *spans.values()]
    )
    cells: dict[str, _Cell] = {}
    for r, row in enumerate(front):
        at = 0
        for node in row:
            cells[node] = _Cell(id=node, row=r, start=at, span=spans[node])
            at += spans[node]
    for r, row in enumerate(back):
        at = columns
        for node in row:
            at -= spans[node]
            cells[node] = _Cell(
                id=node, row=r, start=at, span=spans[node]
            )  # counted from the first exhaust row for now
    lanes = _lanes(family, extras, free, spans=spans, cells=cells, columns=columns)
    for node in exhaust:
        cells[node].row += len(front) + len(lanes)
    for k, lane in enumerate(lanes):
        for cell in lane:
            cell.row = len(front) + k
            cells[cell.id] = cell
    return list(cells.values()), columns, len(front) + len(lanes) + len(back)


LANE_CIRCUITS = (
    "bypass",
    "breather",
    "signal",
    "secondary",
    "recirculation",
    "main",
    "exhaust",
)
"""Circuits in the order in which their parts find room between intake and exhaust."""


def _lanes(
    family: EngineFamily,
    extras: list[str],
    free: list[str],
    *,
    spans: dict[str, int],
    cells: dict[str, _Cell],
    columns: int,
) -> list[list[_Cell]]:
    """Lanes between intake and exhaust: each circuit's parts near the middle of what they join."""
    placed = _Lanes(spans, columns, cells)
    for circuit in LANE_CIRCUITS:
        pipes = [p for p in family.pipes if p.circuit == circuit]
        group = [
            n for n in extras if n not in cells and any(n in (p.source, p.target) for p in pipes)
        ]
        if not group:
            continue
        ordered = _along(group, pipes)
        start, step = _spread(group, pipes, cells=cells, columns=columns, count=len(ordered))
        for k, node in enumerate(ordered):
            half = spans[node] / 2
            placed.drop(node, min(columns - half, max(half, start + step * (k + 1))), circuit)
    for node in extras:
        if node not in cells:
            placed.drop(node, columns / 2, "")
    for node in free:
        placed.drop(node, 0.5, "free")
    return placed.lanes


def _spread(
    group: Sequence[str],
    pipes: Sequence[Pipe],
    *,
    cells: dict[str, _Cell],
    columns: int,
    count: int,
) -> tuple[float, float]:
    """From where a circuit's parts are spread, and how far apart: between what they join."""
    ends = [
        cells[e].middle
        for p in pipes
        for e in (p.source, p.target)
        if e in cells and (p.source in group or p.target in group)
    ]
    begins = [cells[p.source].middle for p in pipes if p.target in group and p.source in cells]
    goes = [cells[p.target].middle for p in pipes if p.source in group and p.target in cells]
    start = _middle_of(begins) or _middle_of(ends) or columns / 2
    end = _middle_of(goes) or start
    step = (end - start) / (count + 1)
    if abs(step) < 1 and count > 1:
        step = -1.0 if end <= start else 1.0
        start = (start + end) / 2 - step * (count + 1) / 2
    return start, step


def _middle_of(places: Sequence[float]) -> float | None:
    return sum(places) / len(places) if places else None


class _Lanes:
    """Lanes that grow as parts are dropped into them, each near its wish and beside its circuit."""

    def __init__(self, spans: dict[str, int], columns: int, cells: dict[str, _Cell]) -> None:
        self.lanes: list[list[_Cell]] = []
        self.spans, self.columns, self.cells = spans, columns, cells
        self.last: dict[str, int] = {}

    def drop(self, node: str, wish: float, circuit: str) -> None:
        """Put a part where it costs least: far from its wish, deep, or off its circuit's lane."""
        span = self.spans[node]
        spots = [
            (self._cost(k, start + span / 2 - wish, circuit), k, start)
            for k in range(len(self.lanes) + 1)
            for start in self._room(k, span)
        ]
        _, k, start = min(spots)  # a new lane always has room
        if k == len(self.lanes):
            self.lanes.append([])
        cell = _Cell(id=node, row=0, start=start, span=span)
        self.lanes[k].append(cell)
        self.cells[node] = cell
        self.last[circuit] = k

    def _room(self, k: int, span: int) -> list[int]:
        lane = self.lanes[k] if k < len(self.lanes) else []
        taken = {i for c in lane for i in range(c.start, c.start + c.span)}
        return [
            start
            for start in range(self.columns - span + 1)
            if not taken.intersection(range(start, start + span))
        ]

    def _cost(self, k: int, off: float, circuit: str) -> float:
        cost = abs(off) + (0.9 * k if k < len(self.lanes) else 0.9 * k + 1.2)
        return cost + (0.8 if self.last.get(circuit, k) != k else 0.0)


def _along(group: Iterable[str], pipes: Sequence[Pipe]) -> list[str]:
    """The group in the order of flow, as far as there is one."""
    left, ordered = list(group), []
    while left:
        node = next(
            (n for n in left if not any(p.target == n and p.source in left for p in pipes)), left[0]
        )
        left.remove(node)
        ordered.append(node)
    return ordered


class _Router:
    """Lines through the channels: boundaries between cells (vertical) and zones below rows
    (horizontal)."""

    def __init__(self, cells: Sequence[_Cell], columns: int, rows: int) -> None:
        self.cells = {c.id: c for c in cells}
        self.columns, self.rows = columns, rows
        self.blocked = {(c.row, b) for c in cells for b in range(c.start + 1, c.start + c.span)}
        self.by_row: dict[int, list[_Cell]] = {}
        for cell in sorted(cells, key=lambda c: c.start):
            self.by_row.setdefault(cell.row, []).append(cell)

    def straight(self, pipe: Pipe) -> bool:
        """Whether nothing stands between the two in their row."""
        a, b = self.cells[pipe.source], self.cells[pipe.target]
        row = self.by_row[a.row]
        return a.row == b.row and abs(row.index(a) - row.index(b)) == 1

    def _free(self, boundary: int, rows: Iterable[int]) -> bool:
        return all((r, boundary) not in self.blocked for r in rows)

    def route(self, pipe: Pipe) -> _Route:
        """The shortest way: out at a side, along a boundary to a zone, along it, and along a
        boundary to the other side."""
        a, b = self.cells[pipe.source], self.cells[pipe.target]
        down = a.row <= b.row
        zones = range(a.row, max(a.row + 1, b.row)) if down else range(b.row, a.row)
        best: tuple[float, int, int, int] | None = None
        for bs in (a.start, a.start + a.span):
            for bt in (b.start, b.start + b.span):
                for z in zones:
                    first = range(a.row + 1, z + 1) if down else range(z + 1, a.row)
                    then = range(z + 1, b.row) if down else range(b.row + 1, z + 1)
                    if not (self._free(bs, first) and self._free(bt, then)):
                        continue
                    cost = abs(bs - bt) * 4 + abs(bs - b.middle) + abs(bt - a.middle)
                    if best is None or cost < best[0]:
                        best = (cost, bs, z, bt)
        if best is not None:
            _, bs, z, bt = best
            return _Route(pipe=pipe, turns=[], zones=[z], boundaries=[bs, bt])
        bs = a.start if a.middle < self.columns / 2 else a.start + a.span
        bt = b.start if b.middle < self.columns / 2 else b.start + b.span
        gutter = 0 if a.middle + b.middle < self.columns else self.columns
        z1, z2 = (a.row, b.row - 1) if down else (a.row - 1, b.row)
        return _Route(pipe=pipe, turns=[], zones=[z1, z2], boundaries=[bs, gutter, bt])

    def spread(self, routes: Sequence[_Route]) -> tuple[list[int], dict[int, float]]:
        """Give every stretch a track of its own where stretches would lie on each other.

        Returns
        -------
        tuple
            Tracks needed per zone, and how far stretches reach to the side of each boundary.
        """
        across: dict[int, list[list[tuple[float, float]]]] = {}
        beside: dict[int, list[list[tuple[float, float]]]] = {}
        slots: list[list[int]] = []
        for route in routes:
            a, b = self.cells[route.pipe.source], self.cells[route.pipe.target]
            slots.append([])
            if len(set(route.boundaries)) == 1:
                # Straight down one channel: a single stretch that turns nowhere.
                low, high = (
                    min(a.row, b.row) - 0.2,
                    max(a.row, b.row) + (0.7 if a.row == b.row else 0.2),
                )
                slot = _slot(beside.setdefault(route.boundaries[0], []), low, high)
                route.tracks = [0] * len(route.zones)
                slots[-1] = [slot] * len(route.boundaries)
                continue
            for z, (b1, b2) in zip(
                route.zones, zip(route.boundaries, route.boundaries[1:], strict=False), strict=True
            ):
                route.tracks.append(
                    _slot(across.setdefault(z, []), min(b1, b2) - 0.3, max(b1, b2) + 0.3)
                )
            stops = [a.row, *(z + 0.5 for z in route.zones), b.row]
            for boundary, (y1, y2) in zip(route.boundaries, itertools.pairwise(stops), strict=True):
                slots[-1].append(
                    _slot(beside.setdefault(boundary, []), min(y1, y2) - 0.2, max(y1, y2) + 0.2)
                )
        # Many stretches in one channel move closer together, so that they never leave it.
        step = {k: min(8.0, 20.0 / max(1, len(v) // 2)) for k, v in beside.items()}
        for route, own in zip(routes, slots, strict=True):
            route.shifts = [
                _side(slot) * step[k] for k, slot in zip(route.boundaries, own, strict=True)
            ]
        reach = {
            k: max(abs(_side(slot)) for slot in range(len(v))) * step[k] for k, v in beside.items()
        }
        return [len(across.get(z, [])) for z in range(self.rows)], reach


def _side(slot: int) -> int:
    """Where the n-th stretch of a channel runs: the middle, then one to each side by turns."""
    return (slot + 1) // 2 * (1 if slot % 2 else -1)


def _slot(lanes: list[list[tuple[float, float]]], low: float, high: float) -> int:
    """The first lane in which the stretch from `low` to `high` touches nothing."""
    for k, lane in enumerate(lanes):
        if all(high <= a or b <= low for a, b in lane):
            lane.append((low, high))
            return k
    lanes.append([(low, high)])
    return len(lanes) - 1


def lay_out(family: EngineFamily, shape: Shape) -> Layout:
    """Positions of all that a family has.

    Parameters
    ----------
    family : EngineFamily
        Need not be without faults: what is joined to nothing stands in a lane of its own.
    shape : Shape
        `WIDE` for a desk, `NARROW` for a hand.
    """
    labels = {p.id: p.label for p in family.parts}
    tapped: dict[str, list[str]] = {}
    for tap in family.taps:
        if tap.on is not None and tap.on in labels and tap.sensor in labels:
            tapped.setdefault(tap.on, []).append(tap.sensor)
    need = {host: len(sensors) * shape.slot for host, sensors in tapped.items()}
    cells, columns, rows = _place(family, shape, need)
    if not cells:
        return Layout(width=shape.width, height=40, nodes=(), stalks=(), lines=())
    cell_w = min(shape.cell[1], max(shape.cell[0], (shape.width - 2 * GUTTER) / columns))
    router = _Router(cells, columns, rows)
    known = router.cells
    pipes = [
        p
        for p in family.pipes
        if p.source in known
        and p.target in known
        and p.source != p.target
        and p.circuit in CIRCUITS
    ]
    straight = [p for p in pipes if router.straight(p)]
    routes = [router.route(p) for p in pipes if p not in straight]
    tracks, reach = router.spread(routes)

    def x_of(cell: _Cell) -> float:
        return GUTTER + cell.middle * cell_w

    def aside(boundary: int) -> float:
        """What a channel takes from the cells beside it."""
        return reach[boundary] + 6 if boundary in reach else 4.0

    def room_of(cell: _Cell, offset: float = 0.0) -> float:
        """Width of a label that stands `offset` from the middle of a cell and leaves the channels
        free."""
        half = cell.span * cell_w / 2
        return 2 * min(
            half + offset - aside(cell.start), half - offset - aside(cell.start + cell.span)
        )

    def pitch_of(cell: _Cell) -> float:
        """Distance of a part's sensors: what its cells leave, at least a slot."""
        return min(
            118.0 if shape is WIDE else 150.0,
            cell.span * cell_w / max(1, len(tapped.get(cell.id, ()))),
        )

    heads: dict[str, list[tuple[str, float, float]]] = {}
    for cell in cells:
        sensors = tapped.get(cell.id, [])
        offsets = [(k - (len(sensors) - 1) / 2) * pitch_of(cell) for k in range(len(sensors))]
        heads[cell.id] = [
            (s, o, min(pitch_of(cell) - 8, room_of(cell, o)))
            for s, o in zip(sensors, offsets, strict=True)
        ]
    centre, below = [0.0] * rows, [0.0] * rows
    y = 10.0
    for r in range(rows):
        members = [c for c in cells if c.row == r]
        above = [(s, room) for c in members for s, _, room in heads[c.id]]
        head = (
            max((len(wrap(labels[s], room, shape.sensor_type)) for s, room in above), default=0)
            * shape.sensor_type
            * 1.12
        )
        centre[r] = y + (head + HEAD + STALK + 11 if above else 8) + BODY_H / 2
        lines = max(
            (len(wrap(labels[c.id], room_of(c) - 4, shape.part_type)) for c in members), default=0
        )
        # A row of codes may stand under the label.
        below[r] = centre[r] + BODY_H / 2 + 6 + lines * shape.part_type * 1.12 + 24
        y = below[r] + 8 + (tracks[r] * TRACK + 6 if tracks[r] else 0)
    nodes, stalks = [], []
    for cell in cells:
        x, mid = x_of(cell), centre[cell.row]
        form = "free" if cell.id in {t.sensor for t in family.taps} else "part"
        nodes.append(
            Node(
                id=cell.id,
                form=form,
                box=Box(x=x, y=mid, w=BODY_W, h=BODY_H),
                label=_label(
                    labels[cell.id],
                    x,
                    mid + BODY_H / 2 + 6,
                    width=room_of(cell) - 4,
                    size=shape.part_type,
                ),
            )
        )
        for sensor, offset, room in heads[cell.id]:
            size = shape.sensor_type
            lines = len(wrap(labels[sensor], room, size))
            head_y = mid - BODY_H / 2 - STALK - HEAD / 2
            foot = max(-36.0, min(36.0, offset * 0.5))
            stalks.append(
                Stalk(
                    id=sensor,
                    host=cell.id,
                    box=Box(x=x + offset, y=head_y, w=HEAD, h=HEAD),
                    label=_label(
                        labels[sensor],
                        x + offset,
                        head_y - HEAD / 2 - 9 - lines * size * 1.12,
                        width=room,
                        size=size,
                    ),
                    foot=(x + foot, mid - BODY_H / 2 + 8),
                )
            )
    drawn = [_straight(p, known, x_of, centre=centre) for p in straight]
    drawn += [_routed(r, router, x_of, centre=centre, below=below, cell_w=cell_w) for r in routes]
    return Layout(
        width=2 * GUTTER + columns * cell_w,
        height=y + 6,
        nodes=tuple(nodes),
        stalks=tuple(stalks),
        lines=tuple(drawn),
    )


def _straight(
    pipe: Pipe, cells: dict[str, _Cell], x_of: Callable[[_Cell], float], *, centre: list[float]
) -> Line:
    a, b = cells[pipe.source], cells[pipe.target]
    side = 1 if x_of(b) > x_of(a) else -1
    y = centre[a.row]
    return Line(
        source=pipe.source,
        target=pipe.target,
        circuit=pipe.circuit,
        points=((x_of(a) + side * BODY_W / 2, y), (x_of(b) - side * BODY_W / 2, y)),
        straight=True,
    )


def _routed(
    route: _Route,
    router: _Router,
    x_of: Callable[[_Cell], float],
    *,
    centre: list[float],
    below: list[float],
    cell_w: float,
) -> Line:
    a, b = router.cells[route.pipe.source], router.cells[route.pipe.target]

    def bx(k: int) -> float:
        return GUTTER + route.boundaries[k] * cell_w + route.shifts[k]

    def zy(k: int) -> float:
        return below[route.zones[k]] + 6 + route.tracks[k] * TRACK

    down = a.row <= b.row
    out_y = centre[a.row] + (LEVEL if down else -LEVEL)
    in_y = centre[b.row] + (LEVEL if not down or a.row == b.row else -LEVEL)
    points = [(x_of(a) + (20 if bx(0) > x_of(a) else -20), out_y), (bx(0), out_y)]
    for k in range(len(route.zones)):
        points += [(bx(k), zy(k)), (bx(k + 1), zy(k))]
    end = x_of(b) + (BODY_W / 2 + 3 if bx(len(route.zones)) > x_of(b) else -BODY_W / 2 - 3)
    points += [(bx(len(route.zones)), in_y), (end, in_y)]
    kept = [points[0]]
    for point in points[1:]:
        if point != kept[-1]:
            kept.append(point)
    return Line(
        source=route.pipe.source,
        target=route.pipe.target,
        circuit=route.pipe.circuit,
        points=tuple(kept),
        straight=False,
    )
