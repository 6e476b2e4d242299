"""What a trace over time or command shows: `regeneration-trace`, `runner-sweep`,
`oxygen-response`."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from itertools import pairwise
from typing import Any, ClassVar

from galene.core.errors import InputError, need, within
from galene.core.units import parse_number

STRICT: dict[str, Any] = {"extra": "forbid"}


def read_columns(
    csv: str, columns: Sequence[str], more: Sequence[str] = ()
) -> list[tuple[float, ...]]:
    """Rows of a trace: numbers by comma, semicolon or tab, decimal comma where the parting sign is
    none; a heading line may stand first.

    Every row has `columns`; those of `more` may follow, in all rows or in none.

    Raises
    ------
    InputError
        Naming line and column of what is no number.
    """
    lines = [line for line in csv.replace("\r", "").split("\n") if line.strip()]
    need(bool(lines), "csv", "", allowed="rows of " + ", ".join(columns))
    sign = "\t" if "\t" in lines[0] else ";" if ";" in lines[0] else ","
    rows: list[tuple[float, ...]] = []
    for number, line in enumerate(lines, 1):
        cells = [c.strip() for c in line.split(sign)]
        try:
            values = tuple(
                parse_number(f"csv line {number}, column {i}", c) for i, c in enumerate(cells, 1)
            )
        except InputError:
            if number == 1:
                continue
            raise
        width = (
            len(rows[0]) if rows else min(max(len(values), len(columns)), len(columns) + len(more))
        )
        need(
            len(values) == width,
            f"csv line {number}",
            len(values),
            allowed=f"{width} columns: {', '.join((*columns, *more)[:width])}",
        )
        rows.append(values)
    return rows


def _rows(
    csv: str | None, typed: Sequence[Any], columns: Sequence[str], *, name: str, least: int
) -> list[tuple[float, ...]]:
    need(
        (csv is None) != (not typed),
        "csv",
        "both" if csv is not None else "neither",
        allowed=f"either csv or {name}",
    )
    rows = (
        read_columns(csv, columns)
        if csv is not None
        else [tuple(float(getattr(p, c)) for c in columns) for p in typed]
    )
    need(
        len(rows) >= least,
        "csv" if csv is not None else name,
        len(rows),
        allowed=f"at least {least} rows",
    )
    return rows


def in_time(rows: Sequence[tuple[float, ...]], where: str) -> None:
    """Raise `InputError` where the first column, the time, does not run forward."""
    for i, (a, b) in enumerate(pairwise(rows)):
        need(
            b[0] > a[0],
            f"{where}[{i + 1}].time_s",
            b[0],
            allowed=f"later than the row before, {a[0]:g} s",
        )


@dataclass(frozen=True, kw_only=True)
class BurnPoint:
    """Exhaust temperatures (degrees C) at one time (s)."""

    time_s: float
    before_catalyst_c: float
    before_filter_c: float
    after_filter_c: float
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True, kw_only=True)
class BurnInput:
    """A burn-off as `csv` or `points`; thresholds are the family's where it has them."""

    csv: str | None = None
    points: list[BurnPoint] = field(default_factory=list)
    light_off_c: float = 250.0
    burn_c: float = 550.0
    needed_minutes: float = 8.0
    usual_minutes: float = 25.0
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
            within(f"points[{i}].{name}", value, -50, high=1200, unit="degrees C")
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
    if minutes == 0:
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
    elif through >= given.needed_minutes:
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
    return BurnResult(
        phases=tuple(phases),
        minutes=minutes,
        through_minutes=through,
        verdict=verdict,
        sentence=sentence,
    )


@dataclass(frozen=True)
class SweepPoint:
    """Command and position of the flaps, percent."""

    command: float
    position: float
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True)
class SweepInput:
    """A sweep up and down as `csv` or `points`; `expected_travel` is the family's, percent."""

    csv: str | None = None
    points: list[SweepPoint] = field(default_factory=list)
    expected_travel: float = 90.0
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
    """A sweep parted at its largest command, which stands in both halves."""
    turn = max(range(len(rows)), key=lambda i: rows[i][0])
    return rows[: turn + 1], rows[turn:]


def runner_sweep(given: SweepInput) -> SweepResult:
    """Do the flaps follow, over their whole travel and alike in both directions?

    Raises
    ------
    InputError
        Fewer than four points, percent outside -20 to 120, a command that never moves.
    """
    rows = _rows(given.csv, given.points, ("command", "position"), name="points", least=4)
    for i, row in enumerate(rows):
        for name, value in zip(("command", "position"), row, strict=True):
            within(f"points[{i}].{name}", value, -20, high=120, unit="percent")
    within("expected_travel", given.expected_travel, 5, high=120, unit="percent")
    need(
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


@dataclass(frozen=True)
class VoltPoint:
    """Volts of the sensor at one time."""

    time_s: float
    volts: float
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True)
class OxygenInput:
    """A narrow-band sensor's trace before the catalyst, warm, at a fast idle, forced rich and lean
    once, as `csv` or `points`.

    A sensor behind the catalyst hardly moves when all is well; a wide-band one does not switch at
    all.
    """

    csv: str | None = None
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
        within(f"points[{i}].volts", row[1], -0.2, high=1.4, unit="V")
    seconds = rows[-1][0] - rows[0][0]
    need(seconds >= 3, "points", f"{seconds:g} s", allowed="three seconds and more")
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
