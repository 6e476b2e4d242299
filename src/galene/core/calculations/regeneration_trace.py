"""What a trace over time or command shows: `regeneration-trace`, `runner-sweep`,
`oxygen-response`."""

from dataclasses import dataclass, field
from itertools import pairwise
from typing import Any, ClassVar

from galene.core.calculations.declaring import Calculation, asked
from galene.core.calculations.strict import STRICT
from galene.core.errors import require_range
from galene.core.logs.rows import _rows, in_time


@dataclass(frozen=True, kw_only=True)
class BurnPoint:
    """Exhaust temperatures (degrees C) at one time (s)."""

    time_s: float
    before_catalyst_c: float
    before_filter_c: float
    after_filter_c: float
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


EXAMPLE = "\n".join(
    f"{60 * k},{min(380, 180 + 25 * k)},{min(600, 150 + 45 * k)},{min(585, 120 + 35 * k)}"
    for k in range(26)
)
"""A trace of a sound one, as a worksheet opens with it."""


@dataclass(frozen=True, kw_only=True)
class BurnInput:
    """A burn-off as `csv` or `points`; thresholds are the family's where it has them."""

    csv: str | None = field(
        default=None,
        metadata=asked(
            label="Rows: seconds, before catalyst, before filter, behind filter, °C",
            start=EXAMPLE,
            text="rows",
        ),
    )
    points: list[BurnPoint] = field(default_factory=list)
    light_off_c: float = 250.0
    burn_c: float = field(
        default=550.0, metadata=asked(label="Burns from", quantity="temperature", start="550")
    )
    needed_minutes: float = field(
        default=8.0, metadata=asked(label="Needed through the filter, min", start="8")
    )
    usual_minutes: float = field(default=25.0, metadata=asked(label="Usual, min", start="25"))
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True)
class Phase:
    """A stretch of the trace: warm_up, burn or tail, in seconds."""

    name: str
    start_s: float
    end_s: float


@dataclass(frozen=True, kw_only=True)
class BurnResult:
    """Phases, minutes of burning at the filter's inlet and through its whole depth."""

    phases: tuple[Phase, ...]
    minutes: float
    through_minutes: float
    verdict: str
    sentence: str


CATALYST_RISE, THROUGH = 80.0, 40.0
"""Degrees that mark heat made in the catalyst, and by which the filter's outlet may stay below
burning."""


def regeneration_trace(given: BurnInput) -> BurnResult:
    """Did the filter burn off whole?

    Raises
    ------
    InputError
        Fewer than five rows, time that does not run forward, temperatures that no exhaust has.

    Notes
    -----
    Never hot before the filter: no ignition, or, where the catalyst's own face grows hot, it burns
    there only. Hot before but not behind the filter for the needed minutes: partial. Thresholds are
    project defaults per engine family.
    """
    rows = _rows(
        given.csv,
        given.points,
        ("time_s", "before_catalyst_c", "before_filter_c", "after_filter_c"),
        name="points",
        least=5,
    )
    in_time(rows, "points")
    for i, row in enumerate(rows):
        for name, value in zip(
            ("before_catalyst_c", "before_filter_c", "after_filter_c"), row[1:], strict=True
        ):
            require_range(f"points[{i}].{name}", value, -50, high=1200, unit="degrees C")
    burning = [(a[0], b[0]) for a, b in pairwise(rows) if min(a[2], b[2]) >= given.burn_c]
    minutes = sum(b - a for a, b in burning) / 60
    through = (
        sum(b[0] - a[0] for a, b in pairwise(rows) if min(a[3], b[3]) >= given.burn_c - THROUGH)
        / 60
    )
    face = max(r[1] for r in rows)
    inlet = max(r[2] for r in rows)
    phases = [Phase("whole", rows[0][0], rows[-1][0])]
    if burning:
        phases = [
            Phase("warm_up", rows[0][0], burning[0][0]),
            Phase("burn", burning[0][0], burning[-1][1]),
            Phase("tail", burning[-1][1], rows[-1][0]),
        ]
    verdict, sentence = (
        _burned(given, minutes, through) if minutes else _not_burned(given, face, inlet)
    )
    return BurnResult(
        phases=tuple(phases),
        minutes=minutes,
        through_minutes=through,
        verdict=verdict,
        sentence=sentence,
    )


def _not_burned(given: BurnInput, face: float, inlet: float) -> tuple[str, str]:
    """Why the filter never came to its heat; the catalyst's face and the inlet at most, C."""
    made = inlet > face + CATALYST_RISE and face >= given.light_off_c
    if face >= given.burn_c and not made:
        verdict, sentence = (
            "burns_at_catalyst",
            (
                f"The catalyst's face reaches {face:.0f} °C, the filter's inlet only"
                f" {inlet:.0f}: it burns at the face."
            ),
        )
    elif face < given.light_off_c:
        verdict, sentence = (
            "no_ignition",
            (
                f"The catalyst is fed at {face:.0f} °C at most, below its light-off of"
                f" {given.light_off_c:.0f}: nothing ignites."
            ),
        )
    else:
        verdict, sentence = (
            "no_ignition",
            (
                f"The filter's inlet reaches {inlet:.0f} °C, burning needs {given.burn_c:.0f}:"
                " doser or catalyst."
            ),
        )
    return verdict, sentence


def _burned(given: BurnInput, minutes: float, through: float) -> tuple[str, str]:
    """How far it burned; minutes before the filter and behind it."""
    if through >= given.needed_minutes:
        late = (
            f" It took {minutes:.0f} min, far above the usual {given.usual_minutes:.0f}: look at"
            " the doser."
            if minutes > 1.6 * given.usual_minutes
            else ""
        )
        verdict, sentence = (
            "complete",
            f"Burned {minutes:.0f} min, {through:.0f} of them through the whole filter." + late,
        )
    else:
        verdict, sentence = (
            "partial",
            (
                f"Hot before the filter for {minutes:.0f} min, behind it for {through:.0f} only:"
                " partly burned."
            ),
        )
    return verdict, sentence


CALCULATION = Calculation(
    name="regeneration-trace",
    title="Burn-off trace",
    question="Did the particulate filter burn off whole?",
    takes=BurnInput,
    run=regeneration_trace,
    place=14,
)
