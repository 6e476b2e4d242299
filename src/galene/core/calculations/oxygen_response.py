"""What a trace over time or command shows: `regeneration-trace`, `runner-sweep`,
`oxygen-response`."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from itertools import pairwise
from typing import Any, ClassVar

from galene.core.calculations.declaring import Calculation, asked
from galene.core.calculations.strict import STRICT
from galene.core.errors import require, require_range
from galene.core.logs.rows import _rows, in_time


@dataclass(frozen=True)
class VoltPoint:
    """Volts of the sensor at one time."""

    time_s: float
    volts: float
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


EXAMPLE = "\n".join(
    f"{k * 0.1:.1f},{0.1 + 0.7 * ((k % 20) in range(3, 13)):.2f}" for k in range(80)
)
"""A trace of a sound one, as a worksheet opens with it."""


@dataclass(frozen=True)
class OxygenInput:
    """A narrow-band sensor's trace before the catalyst, warm, at a fast idle, forced rich and lean
    once, as `csv` or `points`.

    A sensor behind the catalyst hardly moves when all is well; a wide-band one does not switch at
    all.
    """

    csv: str | None = field(
        default=None, metadata=asked(label="Rows: seconds, volts", start=EXAMPLE, text="rows")
    )
    points: list[VoltPoint] = field(default_factory=list)
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True, kw_only=True)
class OxygenResult:
    """Crossings of 0.45 V in ten seconds, mean rise and fall between 0.3 and 0.6 V (s), amplitude
    (V)."""

    crossings_per_10s: float
    rise_s: float | None
    fall_s: float | None
    amplitude_v: float
    verdict: str
    sentence: str


MIDDLE, LOW_V, HIGH_V = 0.45, 0.3, 0.6
RICH_V, LEAN_V = 0.6, 0.25
"""Means of a narrow-band sensor that does not move, from which it says rich or lean all the time:
its cell may be sound."""
FLAT_V, SLOW_S, FEW = 0.2, 0.3, 4.0
"""Amplitude of a dead sensor, rise or fall of a slow one, crossings in ten seconds that a live one
makes at least (general workshop practice for switching zirconia sensors)."""


def oxygen_response(given: OxygenInput) -> OxygenResult:
    """Is the sensor alive, slow, or flat?

    Raises
    ------
    InputError
        Fewer than ten rows, less than three seconds, volts outside -0.2 to 1.4.
    """
    rows = _rows(given.csv, given.points, ("time_s", "volts"), name="points", least=10)
    in_time(rows, "points")
    for i, row in enumerate(rows):
        require_range(f"points[{i}].volts", row[1], -0.2, high=1.4, unit="V")
    seconds = rows[-1][0] - rows[0][0]
    require(seconds >= 3, "points", f"{seconds:g} s", allowed="three seconds and more")
    crossings = sum((a[1] < MIDDLE) != (b[1] < MIDDLE) for a, b in pairwise(rows)) * 10 / seconds
    amplitude = max(r[1] for r in rows) - min(r[1] for r in rows)
    rises, falls = _edges(rows, LOW_V, HIGH_V), _edges([(t, -v) for t, v in rows], -HIGH_V, -LOW_V)
    rise = sum(rises) / len(rises) if rises else None
    fall = sum(falls) / len(falls) if falls else None
    slow = max((x for x in (rise, fall) if x is not None), default=None)
    level = sum(r[1] for r in rows) / len(rows)
    if amplitude < FLAT_V and level >= RICH_V:
        verdict, sentence = (
            "steady_rich",
            (
                f"It stands at {level:.2f} V: rich, or a wire to supply. Not dead yet: force it"
                " lean, then look again."
            ),
        )
    elif amplitude < FLAT_V and level <= LEAN_V:
        verdict, sentence = (
            "steady_lean",
            (
                f"It stands at {level:.2f} V: lean, cold, or a wire to ground. Not dead yet: force"
                " it rich, then look again."
            ),
        )
    elif amplitude < FLAT_V:
        verdict, sentence = (
            "flat",
            (
                f"It moves by {amplitude:.2f} V only: dead, cracked or soaked. No cleaning brings"
                " it back."
            ),
        )
    elif crossings < FEW or (slow is not None and slow > SLOW_S):
        speed = f", up to {slow:.2f} s for a change" if slow is not None else ""
        verdict, sentence = (
            "slow",
            f"{crossings:.0f} crossings in ten seconds{speed}: alive but slow.",
        )
    else:
        verdict, sentence = (
            "alive",
            f"{crossings:.0f} crossings in ten seconds over {amplitude:.2f} V: alive.",
        )
    return OxygenResult(
        crossings_per_10s=crossings,
        rise_s=rise,
        fall_s=fall,
        amplitude_v=amplitude,
        verdict=verdict,
        sentence=sentence,
    )


def _edges(rows: Sequence[tuple[float, ...]], low: float, high: float) -> list[float]:
    """Times of each way from `low` to `high`, between the rows by straight lines."""
    found, begun = [], None
    for (t1, v1), (t2, v2) in pairwise(rows):
        if v1 <= low < v2:
            begun = t1 + (t2 - t1) * (low - v1) / (v2 - v1)
        elif v2 <= low:
            begun = None
        if begun is not None and v1 < high <= v2:
            found.append(t1 + (t2 - t1) * (high - v1) / (v2 - v1) - begun)
            begun = None
    return found


CALCULATION = Calculation(
    name="oxygen-response",
    title="Oxygen sensor response",
    question="Is the oxygen sensor alive, slow or flat?",
    takes=OxygenInput,
    run=oxygen_response,
    place=16,
)
