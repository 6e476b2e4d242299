"""What a trace over time or command shows: `regeneration-trace`, `runner-sweep`,
`oxygen-response`."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from itertools import pairwise
from typing import Any, ClassVar

from galene.core.calculations.declaring import Calculation, asked, check_ranges
from galene.core.calculations.strict import STRICT
from galene.core.errors import require, require_range
from galene.core.logs.rows import _rows


@dataclass(frozen=True)
class SweepPoint:
    """Command and position of the flaps, percent."""

    command: float
    position: float
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


EXAMPLE = "\n".join(
    f"{c},{5 + 0.9 * c + (2 if down else 0):.0f}"
    for down, run in ((False, range(0, 101, 20)), (True, range(80, -1, -20)))
    for c in run
)
"""A trace of a sound one, as a worksheet opens with it."""


@dataclass(frozen=True)
class SweepInput:
    """A sweep up and down as `csv` or `points`; `expected_travel` is the family's, percent."""

    csv: str | None = field(
        default=None,
        metadata=asked(label="Rows: command, position, percent", start=EXAMPLE, text="rows"),
    )
    points: list[SweepPoint] = field(default_factory=list)
    expected_travel: float = field(
        default=90.0,
        metadata=asked(
            label="Travel that is due",
            quantity="share",
            start="90",
            low=5,
            high=120,
            unit="percent",
        ),
    )
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True, kw_only=True)
class SweepResult:
    """Travel, largest difference between up and down at one command, and both stops, percent."""

    travel: float
    hysteresis: float
    low_stop: float
    high_stop: float
    verdict: str
    sentence: str


HYSTERESIS, SHORT, OVER = 8.0, 0.85, 1.12
"""Percent between up and down that stiff flaps show, shares of the expected travel that are too
little and too much."""


def _between(points: Sequence[tuple[float, ...]], command: float) -> float | None:
    for (c1, p1), (c2, p2) in pairwise(points):
        if min(c1, c2) <= command <= max(c1, c2) and c1 != c2:
            return p1 + (command - c1) * (p2 - p1) / (c2 - c1)
    return None


def up_and_down(
    rows: Sequence[tuple[float, ...]],
) -> tuple[Sequence[tuple[float, ...]], Sequence[tuple[float, ...]]]:
    """A sweep parted at its largest command, which stands in both halves.

    Parameters
    ----------
    rows : command and position, percent, in the order of time
    """
    turn = max(range(len(rows)), key=lambda i: rows[i][0])
    return rows[: turn + 1], rows[turn:]


def runner_sweep(given: SweepInput) -> SweepResult:
    """Do the flaps follow, over their whole travel and alike in both directions?

    Raises
    ------
    InputError
        Fewer than four points, percent outside -20 to 120, a command that never moves.
    """
    check_ranges(given)
    rows = _rows(given.csv, given.points, ("command", "position"), name="points", least=4)
    for i, row in enumerate(rows):
        for name, value in zip(("command", "position"), row, strict=True):
            require_range(f"points[{i}].{name}", value, -20, high=120, unit="percent")
    require(
        max(r[0] for r in rows) - min(r[0] for r in rows) >= 20,
        "points",
        "a still command",
        allowed="a command that sweeps 20 percent and more",
    )
    up, down = up_and_down(rows)
    gaps = [abs(p - q) for c, p in up if (q := _between(down, c)) is not None]
    hysteresis = max(gaps, default=0.0)
    low, high = min(r[1] for r in rows), max(r[1] for r in rows)
    travel = high - low
    if travel < SHORT * given.expected_travel:
        verdict, sentence = (
            "short_travel",
            (
                f"{travel:.0f} % of travel where {given.expected_travel:.0f} are due: something is"
                " in the way."
            ),
        )
    elif travel > OVER * given.expected_travel:
        verdict, sentence = (
            "over_travel",
            (
                f"{travel:.0f} % of travel where {given.expected_travel:.0f} are due: the lever is"
                " off, or a stop is gone."
            ),
        )
    elif hysteresis > HYSTERESIS:
        verdict, sentence = (
            "sticky",
            (
                f"Up and down differ by {hysteresis:.0f} %: the flaps stick, or their linkage has"
                " play."
            ),
        )
    else:
        verdict, sentence = (
            "ok",
            f"{travel:.0f} % of travel, up and down within {hysteresis:.0f} %.",
        )
    return SweepResult(
        travel=travel,
        hysteresis=hysteresis,
        low_stop=low,
        high_stop=high,
        verdict=verdict,
        sentence=sentence,
    )


CALCULATION = Calculation(
    name="runner-sweep",
    title="Runner sweep",
    question="Do the flaps follow over their whole travel?",
    takes=SweepInput,
    run=runner_sweep,
    place=15,
)
