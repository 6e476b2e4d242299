"""Where everything of an air path stands: one routine for any valid family, low enough to stand at
the top of a page.

The way of the air is one row: intake from the left, the engine, exhaust to the right. Above it
are the sensors on their stalks with breather and bypass, below it what leads exhaust back and what
ends blind. A pipe leaves a part of the row at its side, rises or falls in the gap between two
columns and runs on in the middle of its band, or in a track outside where that is taken.
Labels stay inside their columns, so nothing can overlap whatever the family.
"""

import itertools
import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from functools import cached_property

from galene.core.airpath.family import EngineFamily, Pipe, spine
from galene.core.airpath.natures import kind_is

FULL = 1216.0
"""Width that a drawing fills on a desk."""
BODY, ENGINE, SIDE = (66.0, 48.0), (92.0, 58.0), (58.0, 36.0)
"""Width and height of a part of the row, of the engine, of a part above or below."""
HEAD, STALK = 20.0, 7.0
PART_TYPE, SENSOR_TYPE = 12.5, 11.5
TRACK, RISER, LANE, MARGIN = 10.0, 11.0, 7.0, 8.0
GLYPH = 0.52
"""Mean width of a letter as a share of its size, rounded up: a label that fits by this fits in the
browser."""
UPPER = frozenset({"main", "bypass", "breather"})
COOLANT = "coolant"
RANK = {"recirculation": 0, COOLANT: 2}
"""Who has the middle of a band first."""
"""The circuit of the line that is no gas: drawn, but nothing is placed by it."""


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
    """A part in its place. `form` is row, engine, side, or unit for a sensor in the control unit,
    which sits on no part."""

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
    """A pipe as corner points. `straight` ones run from body to body in the row; the rest end at an
    arrow."""

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
            r = min(9.0, before / 2, after / 2)
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
    """The drawing: its size in pixels at which the type is legible, and all that stands in it."""

    width: float
    height: float
    row: float
    """Height of the row's middle."""
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


@dataclass(frozen=True, kw_only=True)
class _Words:
    """A label before it has its place."""

    lines: tuple[str, ...]
    size: float

    @cached_property
    def width(self) -> float:
        return max(len(line) for line in self.lines) * self.size * GLYPH

    @cached_property
    def height(self) -> float:
        return self.size * 1.12 * len(self.lines)

    def at(self, x: float, top: float) -> Label:
        return Label(
            lines=self.lines,
            x=x,
            y=top + self.size * 0.86,
            size=self.size,
            box=Box(x=x, y=top + self.height / 2, w=self.width, h=self.height),
        )


def _words(text: str, size: float, *, least: float, most: float) -> _Words:
    """A label as wide as its longest word asks, within bounds."""
    longest = max((len(w) for w in text.split()), default=1) * size * GLYPH
    lines = wrap(text, min(most, max(least, longest + 0.1)), size)
    return _Words(lines=lines, size=size)


@dataclass(kw_only=True)
class _Place:
    """A part with its sensors above it: the half width it claims, and where it stands."""

    id: str
    form: str
    body: tuple[float, float]
    words: _Words
    sensors: tuple[tuple[str, _Words], ...]
    lanes: dict[int, int] = field(default_factory=dict)
    """How many pipes leave it sideways for a track, by side (-1 left, 1 right)."""
    x: float = 0.0

    @cached_property
    def crown(self) -> float:
        """Width of the sensors above it."""
        return sum(self.slot(words) for _, words in self.sensors)

    def slot(self, words: _Words) -> float:
        """Width that a sensor claims: beside its label over a part of a band, where height is
        dear, else under it."""
        if self.form == "side":
            return HEAD + 4 + words.width + 6
        return max(words.width, HEAD) + 6

    @cached_property
    def core(self) -> float:
        """Half width of body, label and sensors."""
        return max(self.body[0], self.words.width, self.crown) / 2 + 3

    def reach(self, side: int) -> float:
        """How far it reaches to a side, with its lanes."""
        count = self.lanes.get(side, 0)
        return self.core + (LANE * count + 4 if count else 9)

    @cached_property
    def head(self) -> float:
        """Height of its sensors over the body."""
        if not self.sensors:
            return 0.0
        tallest = max(w.height for _, w in self.sensors)
        if self.form == "side":
            return max(HEAD, tallest) + STALK + 1
        return tallest + HEAD + STALK + 3


@dataclass(kw_only=True)
class _End:
    """Where a pipe meets a part of the row: its column, its gap, the band that it goes to."""

    column: int
    gap: int
    side: int
    """-1 above, 1 below."""
    heading: float = 0.0
    """Where it leads: smaller is further left."""
    level: float = 0.0
    x: float = 0.0

    @property
    def leftward(self) -> bool:
        """Whether the pipe is at the left edge of its part."""
        return self.gap == self.column


@dataclass(kw_only=True)
class _Way:
    """A pipe on its way: its ends at the row, or the lane and stub at a part of a band."""

    pipe: Pipe
    side: int
    source: _End | None = None
    target: _End | None = None
    track: int | None = None
    lanes: dict[str, tuple[int, int]] = field(default_factory=dict)
    """By end: the side of the part and the number of the lane there."""


def coolant_line(family: EngineFamily) -> tuple[Pipe, ...]:
    """From the engine to what its coolant cools or warms: the recirculation cooler, else the part
    whose coolant hoses the family names. None on an engine cooled by air."""
    intake, _ = spine(family)
    if family.cooling != "liquid" or not intake:
        return ()
    cooler = [p.id for p in family.parts if kind_is(p.component, "cooler")]
    hosed = [
        o.part
        for o in family.operations
        for item in o.opens
        if item.kind == "hose" and "coolant" in item.what.lower()
    ]
    return tuple(Pipe(intake[-1], part, COOLANT) for part in (*cooler, *hosed)[:1])


def lay_out(family: EngineFamily) -> Layout:
    """Place the parts of a family and lead its pipes.

    Raises nothing: what is joined to nothing stands in the lower band.
    """
    claims: dict[tuple[str, int], int] = {}
    for _ in range(4):
        drawing = _Drawing(family, claims)
        asked = drawing.lead()
        if asked == claims:
            break
        claims = {
            key: max(asked.get(key, 0), claims.get(key, 0)) for key in asked.keys() | claims.keys()
        }
    return drawing.finished()


class _Drawing:
    """One attempt: columns, bands, ways. `claims` are the lanes that the attempt before asked
    for."""

    def __init__(self, family: EngineFamily, claims: dict[tuple[str, int], int]) -> None:
        self.family = family
        intake, exhaust = spine(family)
        self.row = (*intake, *exhaust)
        self.column = {part: i for i, part in enumerate(self.row)}
        self.engine = intake[-1] if intake else ""
        taken = {t.sensor for t in family.taps}
        self.loose = [p.id for p in family.parts if p.id not in taken and p.id not in self.column]
        self.places = self._places(claims)
        self.pipes = self._sorted_pipes()
        """Of gas, but for those that run straight along the row."""
        self.groups = self._groups()
        self.group_of = {part: group for group in self.groups for part in group}
        self.side_of = {part: self._side_of(g) for part, g in self.group_of.items()}
        self.ways = [self._way(pipe) for pipe in (*self.pipes, *coolant_line(family))]
        self._columns()
        self._place_bands()

    # ---- what there is

    def _places(self, claims: dict[tuple[str, int], int]) -> dict[str, _Place]:
        labels = {p.id: p.label for p in self.family.parts}
        bodies = {*self.row, *self.loose}
        crowns: dict[str, list[tuple[str, _Words]]] = {}
        inside = []
        for tap in self.family.taps:
            words = _words(labels[tap.sensor], SENSOR_TYPE, least=44, most=76)
            if tap.on in bodies:
                crowns.setdefault(tap.on, []).append((tap.sensor, words))
            else:
                inside.append(tap.sensor)
        found = {}
        for part in (*self.row, *self.loose, *inside):
            in_row = part in self.column
            form = (
                "engine"
                if part == self.engine
                else "row"
                if in_row
                else "unit"
                if part in inside
                else "side"
            )
            found[part] = _Place(
                id=part,
                form=form,
                body={"engine": ENGINE, "row": BODY}.get(form, SIDE),
                words=_words(
                    labels[part], PART_TYPE, least=84 if in_row else 92, most=88 if in_row else 104
                ),
                sensors=tuple(crowns.get(part, ())),
                lanes={side: n for (who, side), n in claims.items() if who == part},
            )
        return found

    def _sorted_pipes(self) -> list[Pipe]:
        """The pipes that do not run straight along the row."""
        self.mains: list[Pipe] = []
        rest = []
        joined = set[tuple[str, str]]()
        for pipe in self.family.pipes:
            a, b = self.column.get(pipe.source, -9), self.column.get(pipe.target, -9)
            if b == a + 1 and a >= 0 and (pipe.source, pipe.target) not in joined:
                joined.add((pipe.source, pipe.target))
                self.mains.append(pipe)
            else:
                rest.append(pipe)
        return rest

    def _groups(self) -> list[list[str]]:
        """Parts beside the row that are joined to each other, each in the order of flow."""
        left = list(self.loose)
        groups = []
        while left:
            group, edge = {left[0]}, [left[0]]
            while edge:
                one = edge.pop()
                for pipe in self.pipes:
                    for a, b in ((pipe.source, pipe.target), (pipe.target, pipe.source)):
                        if a == one and b in left and b not in group:
                            group.add(b)
                            edge.append(b)
            groups.append(self._in_flow([p for p in left if p in group]))
            left = [p for p in left if p not in group]
        return sorted(groups, key=lambda g: (not self._leads_back(g), -len(g)))

    def _in_flow(self, group: list[str]) -> list[str]:
        before = {
            p: {q.source for q in self.pipes if q.target == p and q.source in group} for p in group
        }
        ordered: list[str] = []
        while len(ordered) < len(group):
            left = [p for p in group if p not in ordered]
            ordered.append(next((p for p in left if before[p] <= set(ordered)), left[0]))
        return ordered

    def _circuits(self, group: Sequence[str]) -> set[str]:
        return {p.circuit for p in self.pipes if p.source in group or p.target in group}

    def _leads_back(self, group: Sequence[str]) -> bool:
        return "recirculation" in self._circuits(group)

    def _side_of(self, group: Sequence[str]) -> int:
        """Above the row or below it. What only turns or moves a part stands above it, unless it
        carries sensors, for which there is no height there."""
        circuits = self._circuits(group)
        if circuits == {"signal"}:
            return 1 if any(self.places[p].sensors for p in group) else -1
        return -1 if circuits and circuits <= UPPER else 1

    # ---- which gap a pipe takes

    def _way(self, pipe: Pipe) -> _Way:
        group = self.group_of.get(pipe.source) or self.group_of.get(pipe.target) or []
        side = 1 if pipe.circuit in ("recirculation", COOLANT) else -1
        if group:
            side = self.side_of[group[0]]
        way = _Way(pipe=pipe, side=side)
        for name, part, other in (
            ("source", pipe.source, pipe.target),
            ("target", pipe.target, pipe.source),
        ):
            if part in self.column:
                gap = self._gap(
                    self.column[part],
                    group,
                    self.column.get(other),
                    round_it=side > 0 or name == "source",
                )
                heading = self._heading(group, self.column[part], gap)
                end = _End(column=self.column[part], gap=gap, side=side, heading=heading)
                setattr(way, name, end)
        return way

    def _heading(self, group: Sequence[str], column: int, gap: int) -> float:
        """The middle of the columns that a group joins; what ends blind leads outward."""
        joined = {
            self.column[p]
            for q in self.pipes
            for p, g in ((q.source, q.target), (q.target, q.source))
            if g in group and p in self.column
        }
        if len(joined) > 1:
            return sum(joined) / len(joined)
        return gap + 1000 if gap > column else gap - 1000

    def _gap(self, column: int, group: Sequence[str], other: int | None, *, round_it: bool) -> int:
        """Toward the other end where there is room for what lies between, else round the outside
        (`round_it`); what ends blind goes away from the engine's middle."""
        if other is not None:
            return column + 1 if other > column else column
        joined = {
            self.column[p]
            for q in self.pipes
            for p, g in ((q.source, q.target), (q.target, q.source))
            if g in group and p in self.column
        } - {column}
        if not joined:
            return column + 1 if column >= len(self.row) / 2 else column
        nearest = min(joined, key=lambda c: abs(c - column))
        inside = abs(nearest - column) - 1 >= len(group) or not round_it
        return column + 1 if (nearest > column) == inside else column

    def _ends(self) -> Iterable[_End]:
        for way in self.ways:
            for end in (way.source, way.target):
                if end is not None:
                    yield end

    # ---- columns

    def _columns(self) -> None:
        """Centres of the columns, places of the risers between them."""
        count = len(self.row)
        gaps = [12.0] * (count + 1)
        for gap, side in itertools.product(range(count + 1), (-1, 1)):
            risers = sum(e.gap == gap and e.side == side for e in self._ends())
            gaps[gap] = max(gaps[gap], 10 + risers * RISER)
        widths = [2 * self.places[p].core for p in self.row]
        for group in self.groups:
            self._widen(group, widths, gaps)
        room = FULL - sum(widths) - sum(gaps)
        if room > 0 and count:
            widths = [w + room / count for w in widths]
        x = 0.0
        self.gap_at = []
        for k, part in enumerate(self.row):
            self.gap_at.append((x, gaps[k]))
            x += gaps[k]
            self.places[part].x = x + widths[k] / 2
            x += widths[k]
        self.gap_at.append((x, gaps[count]))
        self.width = max(FULL, x + gaps[count])
        for gap, side in itertools.product(range(count + 1), (-1, 1)):
            self._risers(gap, side)

    def _widen(self, group: Sequence[str], widths: list[float], gaps: list[float]) -> None:
        """Give the columns over a group the room that its parts need."""
        side = self.side_of[group[0]]
        ends = [
            e.gap
            for w in self.ways
            for e in (w.source, w.target)
            if e is not None
            and w.pipe.circuit != COOLANT
            and (w.pipe.source in group or w.pipe.target in group)
        ]
        if len(ends) < 2 or min(ends) == max(ends):
            return
        inner = range(min(ends), max(ends))
        need = sum(self.places[p].reach(-1) + self.places[p].reach(1) for p in group) + 16
        if side < 0:
            need += sum(self.places[self.row[k]].crown for k in inner)
        have = sum(widths[k] for k in inner) + sum(gaps[k] for k in inner)
        for k in inner:
            widths[k] += max(0.0, need - have) / len(inner)

    def _risers(self, gap: int, side: int) -> None:
        here = [e for e in self._ends() if e.gap == gap and e.side == side]
        here.sort(key=lambda e: e.heading)
        left = [e for e in here if not e.leftward]
        right = [e for e in here if e.leftward]
        start, width = self.gap_at[gap]
        first = start + width / 2 - (len(here) - 1) * RISER / 2
        for k, end in enumerate((*left, *right)):
            end.x = first + k * RISER
        for group, outward in ((left, True), (right, False)):
            for k, end in enumerate(group):
                rank = len(group) - 1 - k if outward else k
                end.level = 15 + rank * 8 / max(1, len(group) - 1)

    # ---- bands above and below

    def _place_bands(self) -> None:
        self.taken: dict[int, list[tuple[float, float]]] = {-1: [], 1: []}
        for part in self.row:
            place = self.places[part]
            if place.crown:
                half = place.crown / 2 + 2
                self.taken[-1].append((place.x - half, place.x + half))
        for end in self._ends():
            self.taken[end.side].append((end.x - 6, end.x + 6))
        for group in self.groups:
            self._place_group(group)
        self.unit_side = 1 if 1 in self.side_of.values() else -1
        for place in self.places.values():
            if place.form == "unit":
                self._drop(place, self.unit_side, 60.0)

    def _place_group(self, group: Sequence[str]) -> None:
        side = self.side_of[group[0]]
        gas = [w for w in self.ways if w.pipe.circuit != COOLANT]
        begins = [w.source.x for w in gas if w.source and w.pipe.target in group]
        finishes = [w.target.x for w in gas if w.target and w.pipe.source in group]
        a = sum(begins) / len(begins) if begins else None
        b = sum(finishes) / len(finishes) if finishes else None
        if a is None and b is None:
            a, b = 0.0, self.width
        elif a is None or b is None:
            only = a if a is not None else b
            assert only is not None
            span = sum(self.places[p].reach(-1) + self.places[p].reach(1) for p in group)
            a, b = (only, only + span) if a is not None else (only - span, only)
        widths = [self.places[p].reach(-1) + self.places[p].reach(1) for p in group]
        whole = sum(widths)
        way = 1 if b >= a else -1
        slack = (abs(b - a) - whole) / (len(group) + 1)
        at = a + way * slack
        edge = a
        for part, width in zip(group, widths, strict=True):
            place = self.places[part]
            self._drop(place, side, at + way * width / 2, beyond=(edge, way))
            edge = place.x + way * width / 2
            at += way * (width + slack)

    def _drop(
        self,
        place: _Place,
        side: int,
        wanted: float,
        *,
        beyond: tuple[float, int] | None = None,
    ) -> None:
        """Put a part where it fits, as near as can be to where it is wanted; further along than
        `beyond` in its direction where that costs no long way."""
        low, high = place.reach(-1), place.reach(1)
        options = []
        free = MARGIN
        for begin, end in (*sorted(self.taken[side]), (math.inf, math.inf)):
            if begin - free >= low + high:
                first, last = free + low, begin - high
                options.append(min(max(wanted, first), last))
            free = max(free, end)

        def cost(x: float) -> float:
            behind = 0.0
            if beyond is not None:
                edge, way = beyond
                behind = 400.0 if (x - edge) * way < 0 else 0.0
            out = 3 * max(0.0, x + high + MARGIN - self.width)
            return abs(x - wanted) + behind + out

        place.x = min(options, key=cost)
        self.width = max(self.width, place.x + high + MARGIN)
        self.taken[side].append((place.x - low, place.x + high))

    # ---- pipes

    def lead(self) -> dict[tuple[str, int], int]:
        """Lead every pipe; the lanes that it takes, by part and side."""
        self.claimed: dict[tuple[str, int], int] = {}
        self.tracks: dict[int, list[tuple[int, float, float]]] = {-1: [], 1: []}
        self.middle: dict[int, list[tuple[float, float]]] = {-1: [], 1: []}
        self.sides = set[tuple[str, int]]()
        for way in sorted(self.ways, key=lambda w: RANK.get(w.pipe.circuit, 1)):
            if not self._straight(way):
                self._by_track(way)
        return self.claimed

    def _tip(self, way: _Way, name: str) -> float | None:
        """Where a pipe's riser stands, None where that end is a part of the band."""
        end: _End | None = getattr(way, name)
        return end.x if end is not None else None

    def _straight(self, way: _Way) -> bool:
        """Whether the middle of the band is free for it; then it is taken."""
        a, b = way.pipe.source, way.pipe.target
        ax, bx = self._tip(way, "source"), self._tip(way, "target")
        if ax is not None and bx is not None:
            return False
        from_x = ax if ax is not None else self.places[a].x
        to_x = bx if bx is not None else self.places[b].x
        if from_x == to_x:
            return False
        way_of = 1 if to_x > from_x else -1
        sides = []
        if ax is None:
            from_x += way_of * self.places[a].body[0] / 2
            sides.append((a, way_of))
        if bx is None:
            to_x -= way_of * self.places[b].body[0] / 2
            sides.append((b, -way_of))
        low, high = min(from_x, to_x), max(from_x, to_x)
        if (to_x - from_x) * way_of <= 0 or self.sides & set(sides):
            return False
        own = {p for p in (a, b) if p not in self.column}
        for part, place in self.places.items():
            if part in self.column:
                blocked = way.side < 0 and place.crown > 0
                half = place.crown / 2 + 2
            else:
                blocked = self._band(part) == way.side and part not in own
                half = place.core
            if blocked and place.x - half < high and place.x + half > low:
                return False
        if any(x1 < high and x2 > low for x1, x2 in self.middle[way.side]):
            return False
        self.middle[way.side].append((low - 4, high + 4))
        self.sides |= set(sides)
        return True

    def _band(self, part: str) -> int:
        return self.side_of.get(part, self.unit_side)

    def _by_track(self, way: _Way) -> None:
        tips = []
        for name, part, other in (
            ("source", way.pipe.source, "target"),
            ("target", way.pipe.target, "source"),
        ):
            tip = self._tip(way, name)
            if tip is None:
                place = self.places[part]
                far = self._tip(way, other)
                if far is None:
                    far = self.places[getattr(way.pipe, other)].x
                hand = 1 if far > place.x else -1
                number = self.claimed.get((part, hand), 0)
                self.claimed[part, hand] = number + 1
                way.lanes[name] = (hand, number)
                tip = place.x + hand * place.core
            tips.append(tip)
        low, high = min(tips) - 24, max(tips) + 24
        track = 0
        while any(t == track and x1 < high and x2 > low for t, x1, x2 in self.tracks[way.side]):
            track += 1
        self.tracks[way.side].append((track, low, high))
        way.track = track

    # ---- heights, and the whole

    def finished(self) -> Layout:
        """The layout."""
        above = [p for p in self.places.values() if p.id not in self.column]
        upper = [p for p in above if self._band(p.id) < 0]
        lower = [p for p in above if self._band(p.id) > 0]
        row = [self.places[p] for p in self.row]
        outer = {s: 1 + max((t for t, _, _ in self.tracks[s]), default=-1) for s in (-1, 1)}
        top = 4.0 + outer[-1] * TRACK
        band = max((p.head for p in row), default=0.0)
        if upper:
            bodies = max(p.head for p in upper) + SIDE[1]
            band = max(band, bodies + max(p.words.height for p in upper) + 9)
        half = max([p.body[1] for p in row], default=0.0) / 2
        self.centre = {0: top + band + half}
        self.centre[-1] = top + max((p.head for p in upper), default=0.0) + SIDE[1] / 2
        under = self.centre[0] + half + max((p.words.height for p in row), default=0.0) + 8
        self.centre[1] = under + max((p.head for p in lower), default=0.0) + SIDE[1] / 2 + 2
        foot = under
        if lower:
            foot = self.centre[1] + SIDE[1] / 2 + 7 + max(p.words.height for p in lower)
        self.base = {-1: top, 1: foot + 2}
        height = foot + (outer[1] * TRACK + 2 if outer[1] else 8)
        nodes, stalks = [], []
        for part, place in self.places.items():
            y = self.centre[0 if part in self.column else self._band(part)]
            box = Box(x=place.x, y=y, w=place.body[0], h=place.body[1])
            nodes.append(
                Node(
                    id=part,
                    form=place.form,
                    box=box,
                    label=place.words.at(place.x, y + place.body[1] / 2 + 7),
                )
            )
            stalks += self._stalks(place, box)
        lines = [self._main(pipe) for pipe in self.mains] + [self._line(way) for way in self.ways]
        return Layout(
            width=self.width,
            height=height,
            row=self.centre[0],
            nodes=tuple(nodes),
            stalks=tuple(stalks),
            lines=tuple(lines),
        )

    def _stalks(self, place: _Place, box: Box) -> list[Stalk]:
        found = []
        x = place.x - place.crown / 2
        room = HEAD
        if place.form == "side":
            room = max([HEAD, *(w.height for _, w in place.sensors)])
        head_y = box.y - box.h / 2 - STALK - room / 2
        for sensor, words in place.sensors:
            slot = place.slot(words)
            if place.form == "side":
                middle = x + 3 + HEAD / 2
                label = words.at(middle + HEAD / 2 + 4 + words.width / 2, head_y - words.height / 2)
            else:
                middle = x + slot / 2
                label = words.at(middle, head_y - HEAD / 2 - 3 - words.height)
            reach = box.w / 2 - 8
            found.append(
                Stalk(
                    id=sensor,
                    host=place.id,
                    box=Box(x=middle, y=head_y, w=HEAD, h=HEAD),
                    label=label,
                    foot=(min(max(middle, box.x - reach), box.x + reach), box.y - box.h / 2 + 4),
                )
            )
            x += slot
        return found

    def _main(self, pipe: Pipe) -> Line:
        a, b = self.places[pipe.source], self.places[pipe.target]
        y = self.centre[0]
        return Line(
            source=pipe.source,
            target=pipe.target,
            circuit=pipe.circuit,
            points=((a.x + a.body[0] / 2, y), (b.x - b.body[0] / 2, y)),
            straight=True,
        )

    def _run(self, way: _Way, name: str) -> list[tuple[float, float]]:
        """The points of one end, from the part to the middle of its band or to its track."""
        end: _End | None = getattr(way, name)
        y = self.centre[way.side]
        if way.track is not None:
            y = self.base[way.side] + way.side * (way.track * TRACK + 4)
        tail = 3.0 if name == "target" else 0.0
        if end is not None:
            place = self.places[self.row[end.column]]
            hand = -1 if end.leftward else 1
            level = self.centre[0] + end.side * end.level
            return [
                (place.x + hand * (place.body[0] / 2 + tail), level),
                (end.x, level),
                (end.x, y),
            ]
        place = self.places[getattr(way.pipe, name)]
        middle = self.centre[way.side]
        if way.track is None:
            other = self._tip(way, "target" if name == "source" else "source")
            if other is None:
                other = self.places[way.pipe.target if name == "source" else way.pipe.source].x
            hand = 1 if other > place.x else -1
            return [(place.x + hand * (place.body[0] / 2 + tail), middle)]
        hand, number = way.lanes[name]
        count = place.lanes.get(hand, number + 1)
        stub = middle + way.side * (8 + 9 * (count - number) / (count + 1))
        lane = place.x + hand * (place.core + LANE * (number + 1) - 2)
        return [
            (place.x + hand * (place.body[0] / 2 + tail), stub),
            (lane, stub),
            (lane, y),
        ]

    def _line(self, way: _Way) -> Line:
        points = [*self._run(way, "source"), *reversed(self._run(way, "target"))]
        kept = [points[0]]
        for point in points[1:]:
            if math.dist(point, kept[-1]) > 0.01:
                kept.append(point)
        if len(kept) == 1:
            kept.append((kept[0][0] + 1, kept[0][1]))
        return Line(
            source=way.pipe.source,
            target=way.pipe.target,
            circuit=way.pipe.circuit,
            points=tuple(kept),
            straight=False,
        )
