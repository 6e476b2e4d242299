"""The air path as positions, from the family's graph: spine left to right, breather below, sensors on stalks."""

from collections.abc import Sequence
from dataclasses import dataclass

import networkx as nx

from galene.core.airpath import EngineFamily, Part, graph
from galene.knowledge.codes import code_meaning
from galene.store.models import Job

STEP, TOP, BODY = 168, 166, 92
"""Distance between parts, height of the first row's axis, width of a part's body."""
STALK = 62


@dataclass(frozen=True)
class PlacedPart:
    """A part with its centre, its marks and its state."""

    part: Part
    x: float
    y: float
    row: int
    below: bool
    codes: tuple[str, ...]
    grade: int | None
    deposit: str
    in_scope: bool
    is_open: bool


@dataclass(frozen=True)
class PlacedSensor:
    """A sensor on its stalk: foot on the host, head above it, label beside the head."""

    part: Part
    x: float
    y: float
    foot_x: float
    foot_y: float
    codes: tuple[str, ...]
    grade: int | None
    deposit: str
    in_scope: bool
    is_open: bool


@dataclass(frozen=True)
class Line:
    """A pipe between parts as an SVG path. `circuit` decides its look; `strained` crowds its flow lines."""

    path: str
    circuit: str
    strained: bool


@dataclass(frozen=True)
class Picture:
    """A drawing ready for the template, in two foldings: wide, and folded for a narrow screen."""

    wide: "Layout"
    narrow: "Layout"
    family: EngineFamily


@dataclass(frozen=True)
class Layout:
    """One folding of the drawing."""

    width: float
    height: float
    parts: tuple[PlacedPart, ...]
    sensors: tuple[PlacedSensor, ...]
    lines: tuple[Line, ...]


@dataclass(frozen=True)
class Marks:
    """What stands on the parts."""

    codes: dict[str, tuple[str, ...]]
    grades: dict[str, tuple[int, str]]
    scope: frozenset[str]
    opened: frozenset[str]


def marks_of(family: EngineFamily, job: Job | None, scope: Sequence[str]) -> Marks:
    """Codes, grades, scope and open parts of a job."""
    if job is None:
        return Marks({}, {}, frozenset(scope), frozenset())
    codes: dict[str, list[str]] = {}
    from galene.knowledge.codes import GROUPS

    for row in job.codes:
        group = code_meaning(row.code).group
        kind = GROUPS[group].component if group and row.phase == "before" else None
        for part in family.parts:
            if kind and part.component == kind and row.code not in codes.get(part.id, []):
                codes.setdefault(part.id, []).append(row.code)
                break
    order = {"before": 0, "work": 1, "after": 2}
    grades = {k.part: (k.grade, k.deposit) for k in sorted(job.looks, key=lambda k: order[k.phase])}
    if not scope and job.plans:
        scope = [p["part"] for p in job.plans[0].document["parts"]]
    opened = frozenset(i.part for i in job.items if i.closed_at is None and i.part)
    return Marks({k: tuple(v) for k, v in codes.items()}, grades, frozenset(scope), opened)


def _spine(family: EngineFamily) -> list[str]:
    """The longest way of the main circuit, and on along the exhaust."""
    path = graph(family)
    main = nx.DiGraph([(a, b) for a, b, c in path.edges(data="circuit") if c == "main"])
    spine: list[str] = nx.dag_longest_path(main) if main else []
    exhaust = nx.DiGraph([(a, b) for a, b, c in path.edges(data="circuit") if c == "exhaust"])
    while spine and exhaust.has_node(spine[-1]):
        onward = [n for n in exhaust.successors(spine[-1]) if n not in spine]
        if not onward:
            break
        spine.append(onward[0])
    return spine


def layout(family: EngineFamily, marks: Marks, per_row: int) -> Layout:
    """Positions of everything, `per_row` spine parts side by side."""
    path, spine = graph(family), _spine(family)
    below = len([n for n in path.nodes if n not in spine])
    pitch = 350 + (110 + 76 * ((below - 1) // 3) if below else 0)
    at: dict[str, tuple[float, float, int]] = {}
    for i, node in enumerate(spine):
        row, column = divmod(i, per_row)
        at[node] = (STEP * (column + 0.5) + 12, TOP + pitch * row, row)
    extras = [n for n in path.nodes if n not in at]
    for k, node in enumerate(extras):
        near = [at[m] for m in (*path.predecessors(node), *path.successors(node)) if m in at]
        same = [p for p in near if p[2] == min(q[2] for q in near)] or [(STEP * (k + 0.5), TOP, 0)]
        x = sum(p[0] for p in same) / len(same) + (STEP * 0.5 if len(same) == 1 else 0)
        at[node] = (x, TOP + pitch * same[0][2] + 150 + 76 * (k // 3), same[0][2])
    by_id = {p.id: p for p in family.parts}

    def placed(node: str) -> PlacedPart:
        x, y, row = at[node]
        grade, deposit = marks.grades.get(node, (None, ""))
        return PlacedPart(
            by_id[node], x, y, row, node in extras, marks.codes.get(node, ()), grade, deposit, node in marks.scope, node in marks.opened
        )

    parts = tuple(placed(n) for n in at)
    sensors = _sensors(family, marks, at, by_id)
    lines = tuple(_line(at, a, b, c, marks) for a, b, c in path.edges(data="circuit") if a in at and b in at)
    rows = 1 + max((p[2] for p in at.values()), default=0)
    width = STEP * min(per_row, max(1, len(spine))) + 24
    height = max([TOP + pitch * (rows - 1) + 118, *(p[1] + 62 for p in at.values()), *(s.y + 34 for s in sensors)])
    return Layout(width, height, parts, sensors, lines)


def _sensors(
    family: EngineFamily, marks: Marks, at: dict[str, tuple[float, float, int]], by_id: dict[str, Part]
) -> tuple[PlacedSensor, ...]:
    found = []
    hosts = [t.on for t in family.taps]
    last_y = max(y for _, y, _ in at.values())
    for tap in family.taps:
        grade, deposit = marks.grades.get(tap.sensor, (None, ""))
        common = (marks.codes.get(tap.sensor, ()), grade, deposit, tap.sensor in marks.scope, tap.sensor in marks.opened)
        if tap.on is None:
            k = [t.sensor for t in family.taps if t.on is None].index(tap.sensor)
            # Beside the breather where there is one row, else below everything.
            free = min(x for x, _, _ in at.values())
            one_row = all(row == 0 for _, _, row in at.values()) and last_y > TOP
            found.append(PlacedSensor(by_id[tap.sensor], free + 150 * k, last_y + (8 if one_row else 150), 0, 0, *common))
            continue
        x, y, _ = at[tap.on]
        siblings = [t.sensor for t in family.taps if t.on == tap.on]
        k, n = siblings.index(tap.sensor), hosts.count(tap.on)
        foot = x + (k - (n - 1) / 2) * 50
        head = x + (k - (n - 1) / 2) * 98
        found.append(PlacedSensor(by_id[tap.sensor], head, y - 40 - STALK, foot, y - 34, *common))
    return tuple(found)


def _line(at: dict[str, tuple[float, float, int]], a: str, b: str, circuit: str, marks: Marks) -> Line:
    (xa, ya, ra), (xb, yb, rb) = at[a], at[b]
    half = BODY / 2
    strained = any(marks.grades.get(n, (0, ""))[0] >= 3 for n in (a, b))
    if circuit == "breather":
        if yb > ya:
            return Line(f"M{xa:.0f},{ya + 36:.0f} V{yb:.0f} H{xb + half if xa > xb else xb - half:.0f}", circuit, False)
        side = xa - half if xb < xa else xa + half
        return Line(f"M{side:.0f},{ya:.0f} H{xb:.0f} V{yb + 36:.0f}", circuit, False)
    if ra == rb:
        return Line(f"M{xa + half:.0f},{ya:.0f} H{xb - half:.0f}", circuit, strained)
    middle = yb - 172
    return Line(f"M{xa + half:.0f},{ya:.0f} h18 V{middle:.0f} H{xb - half - 18:.0f} V{yb:.0f} h18", circuit, strained)


def picture_of(family: EngineFamily, job: Job | None = None, scope: Sequence[str] = ()) -> Picture:
    """The drawing of a family, with a job's marks on it."""
    marks = marks_of(family, job, scope)
    return Picture(layout(family, marks, 8), layout(family, marks, 3), family)
