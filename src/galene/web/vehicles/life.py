"""A part's deposit over the life of its vehicle: what was found and left, and what is to come."""

from dataclasses import dataclass

from galene.jobs.growth import Life, PartLine, stepped
from galene.web.proof.comparison import around

LEFT, RIGHT, TOP, BOTTOM = 46.0, 984.0, 14.0, 150.0
MOST_GRADE = 4.0


@dataclass(frozen=True, kw_only=True)
class LifeVisit:
    """A visit on the line: where, at which exposure, found and left as heights."""

    x: float
    at: float
    found: float
    left: float
    anchor: str


@dataclass(frozen=True, kw_only=True)
class LifeDrawing:
    """The line of one part in the drawing's own units.

    Parameters
    ----------
    due_at : km or hours of the due date, no finer than it is known
    grown : path over the visits, up to what was found and down to what was left
    to_come : path from what was left to the limit
    fan : outline between the fast and the slow end of four chances in five
    limit : height of the limit
    window : the ends of the due window, and its middle, on the axis
    grades : heights of the grades
    """

    line: PartLine
    due_at: float
    grown: str
    to_come: str
    fan: str
    limit: float
    window: tuple[float, float, float]
    visits: tuple[LifeVisit, ...]
    grades: tuple[tuple[float, int], ...]


def drawing_of(life: Life, line: PartLine) -> LifeDrawing:
    """The drawing of a part: from its first visit, or from new, to the end of its due window."""
    first = 0.0 if len(line.visits) < 2 else line.visits[0].at * 0.8
    end = max(line.due.high, life.now)
    end += (end - first) * 0.03

    def x(value: float) -> float:
        return around(LEFT + (min(value, end) - first) / (end - first) * (RIGHT - LEFT))

    def y(grade: float) -> float:
        return around(BOTTOM - min(grade, MOST_GRADE) / MOST_GRADE * (BOTTOM - TOP))

    grown, level, at = [], 0.0, first
    visits = []
    for visit in line.visits:
        found = visit.found if visit.found is not None else visit.left
        grown.append(
            f"M{x(at)},{y(level)} L{x(visit.at)},{y(found)} L{x(visit.at)},{y(visit.left)}"
        )
        place = x(visit.at)
        anchor = "start" if place < 120 else "end" if place > 900 else "middle"
        visits.append(
            LifeVisit(x=place, at=visit.at, found=y(found), left=y(visit.left), anchor=anchor)
        )
        level, at = visit.left, visit.at
    start = f"{x(at)},{y(level)}"
    top = y(line.limit)
    return LifeDrawing(
        line=line,
        due_at=stepped(line.due.at, life.hours),
        grown=" ".join(grown),
        to_come=f"M{start} L{x(line.due.at)},{top}",
        fan=f"M{start} L{x(line.due.low)},{top} L{x(line.due.high)},{top} Z",
        limit=top,
        window=(x(line.due.low), x(line.due.at), x(line.due.high)),
        visits=tuple(visits),
        grades=tuple((y(g), g) for g in range(5)),
    )
