"""Logs: a time that runs forward, and the steady stretches that readings are taken from."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from galene.core.errors import InputError, require

Values = NDArray[np.float64]
GRID_S, LONGEST_GAP_S, MOST_POINTS = 0.25, 3.0, 24_000
"""Seconds between the points that stretches are searched on, the longest hole that a line is drawn
across, and the most points."""


@dataclass(frozen=True, kw_only=True)
class Forward:
    """Rows of a log whose time runs forward.

    `rows` are indices into the log, `time_s` their times from the first row on (s). `left_out` rows
    had no time or one that was there already; `spread` rows shared a stamp of a coarse clock and
    were set between it and the next; `restarts` times the clock went back and was set on.
    """

    rows: NDArray[np.intp]
    time_s: Values
    left_out: int
    spread: int
    restarts: int


def run_forward(time_s: Values) -> Forward:
    """Put a log's rows in the order of time.

    Parameters
    ----------
    time_s : array of n, s, in the order of the file; NaN where a row has none

    Raises
    ------
    InputError
        Fewer than two rows with different times.

    Notes
    -----
    A third and more of the rows sharing their stamp with the row before: a coarse clock, its rows
    are spread evenly. Fewer: the row is a repeat and left out. Up to three rows that lie behind are
    stray; more of them are a logger that began anew, and go on one step after the last.
    """
    rows = np.flatnonzero(np.isfinite(time_s))
    times = time_s[rows].astype(np.float64)
    require(len(times) >= 2, "time", len(times), allowed="two rows and more with a time")
    require(
        bool((times != times[0]).any()), "time", "stands still", allowed="a time that runs forward"
    )
    same = np.concatenate([[False], times[1:] == times[:-1]])
    spread = 0
    if same.mean() >= 1 / 3:
        times, spread = _spread(times, same), int(same.sum())
    else:
        rows, times = rows[~same], times[~same]
    steps = np.diff(times)
    require(bool((steps > 0).any()), "time", "runs backward", allowed="a time that runs forward")
    step = float(np.median(steps[steps > 0]))
    restarts = 0
    while True:
        behind = times <= np.concatenate([[-np.inf], np.maximum.accumulate(times)[:-1]])
        starts, ends = runs(behind)
        long = np.flatnonzero(ends - starts > 3)
        if not len(long) or restarts >= 100:
            break
        first = starts[long[0]]
        times[first:] += times[:first].max() + step - times[first]
        restarts += 1
    rows, times = rows[~behind], times[~behind]
    return Forward(
        rows=rows,
        time_s=times - times[0],
        left_out=len(time_s) - len(rows),
        spread=spread,
        restarts=restarts,
    )


def _spread(times: Values, same: NDArray[np.bool_]) -> Values:
    """Rows that share a coarse stamp, set evenly from it to the next stamp."""
    firsts = np.flatnonzero(~same)
    counts = np.diff(np.append(firsts, len(times)))
    ticks = np.diff(times[firsts])
    usual = float(np.median(ticks[ticks > 0])) if (ticks > 0).any() else 1.0
    until = np.append(np.where((ticks > 0) & (ticks < 3 * usual), ticks, usual), usual)
    within = np.arange(len(times)) - np.repeat(firsts, counts)
    spread: Values = times + within * np.repeat(until / counts, counts)
    return spread


def runs(mask: NDArray[np.bool_]) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """Starts and ends (exclusive) of the stretches in which `mask` holds."""
    edges = np.diff(np.concatenate([[0], mask.astype(np.int8), [0]]))
    return np.flatnonzero(edges == 1), np.flatnonzero(edges == -1)


@dataclass(frozen=True, kw_only=True)
class ColumnPlace:
    """Where a channel stands in a file: the column's position, and the unit that it is in."""

    column: int
    unit: str


@dataclass(frozen=True, kw_only=True)
class ColumnMapping:
    """What the columns of a file stand for: its time, and channels by id."""

    time: ColumnPlace | None = None
    channels: Mapping[str, ColumnPlace] = field(default_factory=dict)


@dataclass(frozen=True, kw_only=True)
class ColumnSummary:
    """A column as the file has it: heading, unit as written, the first values, and of those that
    are filled how many, the lowest, the highest and the middle one."""

    name: str
    unit: str
    head: tuple[float | None, ...]
    filled: int
    low: float | None = None
    high: float | None = None
    middle: float | None = None


@dataclass(frozen=True, kw_only=True)
class Segment:
    """A part of a log: `kind` idle, trim, closed or open; seconds; why it was chosen."""

    kind: str
    start_s: float
    end_s: float
    why: str
    by_hand: bool = False


@dataclass(frozen=True)
class TimeSeries:
    """Channels of a log over one time (s, forward); NaN where a channel has no value in a row."""

    time_s: Values
    channels: dict[str, Values]

    def grid(self) -> Values:
        """Evenly spaced times that stretches are searched on."""
        span = float(self.time_s[-1] - self.time_s[0])
        step = max(GRID_S, span / MOST_POINTS)
        points: Values = self.time_s[0] + step * np.arange(int(span / step) + 1)
        return points

    def on(self, grid: Values, name: str) -> Values | None:
        """A channel on the grid, NaN in holes of more than three seconds; None where the log does
        not have it."""
        values = self.channels.get(name)
        return None if values is None else on_grid(self.time_s, values, grid)

    def block_means(self, name: str, start_s: float, end_s: float, *, blocks: int) -> list[float]:
        """Means of a channel over equal blocks of a stretch; a block without a value is left
        out."""
        values = self.channels.get(name)
        if values is None:
            return []
        edges = np.searchsorted(
            self.time_s, np.linspace(start_s, np.nextafter(end_s, np.inf), blocks + 1)
        )
        parts = [values[a:b] for a, b in pairwise(edges)]
        return [float(np.mean(p[np.isfinite(p)])) for p in parts if np.isfinite(p).any()]

    def mean(self, name: str, start_s: float, end_s: float) -> float | None:
        """Mean of a channel over a stretch, None where it has no value there."""
        return next(iter(self.block_means(name, start_s, end_s, blocks=1)), None)


def on_grid(time_s: Values, values: Values, grid: Values) -> Values:
    """Values by straight lines between their own samples; NaN outside of them and in holes of more
    than three seconds."""
    known = np.flatnonzero(np.isfinite(values))
    if len(known) < 2:
        return np.full(len(grid), np.nan)
    times = time_s[known]
    result = np.interp(grid, times, values[known], left=np.nan, right=np.nan)
    after = np.clip(np.searchsorted(times, grid), 1, len(times) - 1)
    result[times[after] - times[after - 1] > LONGEST_GAP_S] = np.nan
    return result


def _moving(values: Values, width: int, how: Any) -> Values:
    """`how` (mean, max, min) over `width` points round each point, ends repeated."""
    before = width // 2
    padded = np.pad(values, (before, width - 1 - before), mode="edge")
    done: Values = how(np.lib.stride_tricks.sliding_window_view(padded, width), axis=1)
    return done


def _calm(
    values: Values, step_s: float, seconds: float, *, share: float, least: float
) -> NDArray[np.bool_]:
    """Where a value, smoothed over a second, stays within `share` of itself (at least `least`) for
    `seconds` around."""
    smooth = _moving(values, max(1, round(1 / step_s)), np.mean)
    width = max(2, round(seconds / step_s))
    spread = _moving(smooth, width, np.max) - _moving(smooth, width, np.min)
    calm: NDArray[np.bool_] = spread <= np.maximum(share * np.abs(smooth), least)
    return calm


IDLE_LEAST_S, IDLE_MOST_S, SETTLE_S, WARM_C = 8.0, 60.0, 2.0, 70.0
"""Shortest and longest stretch of idle that is taken, what is left out after its beginning, and
what counts as warm."""


def find_idle(trace: TimeSeries, highest_rpm: float) -> Segment | None:
    """The longest stretch of untouched, warm idle.

    Parameters
    ----------
    trace : Trace with ``rpm``; ``coolant_c``, ``throttle_percent``, ``pedal_percent``,
        ``vehicle_km_h``,
        ``egr_command_percent`` and ``map_kpa`` narrow it where the log has them
    highest_rpm : float
        Speed above which this engine no longer idles.

    Returns
    -------
    Segment or None
        None where no eight seconds of idle are in the log.

    Notes
    -----
    An idle may hunt, so its speed is not asked to be calm; pedal and plate are. At most its last
    sixty seconds count.
    """
    grid = trace.grid()
    rpm = trace.on(grid, "rpm")
    if rpm is None or len(grid) < 3:
        return None
    step = float(grid[1] - grid[0])
    with np.errstate(invalid="ignore"):
        idle = (_moving(rpm, max(1, round(1 / step)), np.mean) <= highest_rpm) & (rpm > 250)
        for name, slack in (("pedal_percent", 2.0), ("throttle_percent", 4.0)):
            values = trace.on(grid, name)
            if values is not None and np.isfinite(values).any():
                idle &= ~(values > np.nanpercentile(values, 5) + slack)
        for name, limit in (("vehicle_km_h", 2.0), ("egr_command_percent", 5.0)):
            values = trace.on(grid, name)
            if values is not None:
                idle &= ~(values > limit)
        coolant = trace.on(grid, "coolant_c")
        warm = coolant is not None and bool((idle & (coolant >= WARM_C)).any())
        if warm and coolant is not None:
            idle &= coolant >= WARM_C
        pressure = trace.on(grid, "map_kpa")
        if pressure is not None and np.isfinite(pressure[idle]).any():
            idle &= ~(
                np.abs(pressure - np.nanmedian(pressure[idle]))
                > 0.25 * np.nanmedian(pressure[idle])
            )
    found = [
        (grid[a] + SETTLE_S, grid[b - 1])
        for a, b in zip(*runs(idle), strict=True)
        if grid[b - 1] - grid[a] >= IDLE_LEAST_S + SETTLE_S
    ]
    if not found:
        return None
    start, end = max(found, key=lambda s: s[1] - s[0])
    kept = max(start, end - IDLE_MOST_S)
    why = (
        "the longest untouched idle"
        + (", warm" if warm else ", coolant not known to be warm")
        + (", its last minute" if kept > start else "")
    )
    return Segment(kind="idle", start_s=float(kept), end_s=float(end), why=why)


STEADY_S, APART = 5.0, 1.35
"""Seconds of steadiness that make a trim point, and by how much the airs of two points differ at
least."""


def find_trim_points(trace: TimeSeries, most: int = 5) -> list[Segment]:
    """Steady stretches at airflows that lie apart, the longest of each, least air first.

    Parameters
    ----------
    trace : Trace with ``rpm`` and ``maf_g_s``
    most : int
        How many points at most.
    """
    grid = trace.grid()
    rpm, air = trace.on(grid, "rpm"), trace.on(grid, "maf_g_s")
    if rpm is None or air is None or len(grid) < 3:
        return []
    step = float(grid[1] - grid[0])
    known = np.isfinite(rpm) & np.isfinite(air)
    coolant = trace.on(grid, "coolant_c")
    if coolant is not None and (coolant >= WARM_C).any():
        known &= coolant >= WARM_C
    command = trace.on(grid, "egr_command_percent")
    if command is not None:
        known &= ~(command > 5)
    filled_rpm, filled_air = np.where(known, rpm, 0.0), np.where(known, air, 0.0)
    calm = (
        known
        & (filled_rpm > 250)
        & _calm(filled_rpm, step, STEADY_S, share=0.05, least=40)
        & _calm(filled_air, step, STEADY_S, share=0.10, least=0.3)
    )
    levels: list[tuple[float, float, float]] = []
    for a, b in zip(*runs(calm), strict=True):
        if grid[b - 1] - grid[a] >= STEADY_S / 2:
            levels.append((float(np.mean(air[a:b])), float(grid[a]), float(grid[b - 1])))
    groups: list[list[tuple[float, float, float]]] = []
    for level in sorted(levels):
        if groups and level[0] <= groups[-1][0][0] * APART:
            groups[-1].append(level)
        else:
            groups.append([level])
    chosen = [max(g, key=lambda s: s[2] - s[1]) for g in groups]
    while len(chosen) > most:
        # Too many: the one that tells least beside its neighbours goes.
        closest = min(range(1, len(chosen)), key=lambda i: chosen[i][0] / chosen[i - 1][0])
        chosen.pop(closest if closest < len(chosen) - 1 else closest - 1)
    return [
        Segment(kind="trim", start_s=start, end_s=end, why=f"steady at {level:.1f} g/s")
        for level, start, end in chosen
    ]


def find_plateaus(trace: TimeSeries) -> tuple[Segment, Segment]:
    """The stretch before a valve was opened, and the first one after it, in a trace at a held idle.

    Parameters
    ----------
    trace : Trace with ``map_kpa`` and ``rpm``; ``egr_command_percent`` says when, where the log has
        it

    Raises
    ------
    InputError
        No step is seen in the manifold pressure and no command says when the valve was driven.

    Notes
    -----
    Without a command the step is where the manifold rises from its lower to its upper level (the
    split of least variance). A second is left out after the step, and the open plateau ends when
    the valve shuts or six seconds are over, before the idle control has moved the throttle.
    """
    grid = trace.grid()
    pressure = trace.on(grid, "map_kpa")
    require(
        pressure is not None and len(grid) >= 8,
        "csv",
        len(trace.time_s),
        allowed="two seconds and more of manifold pressure and speed",
    )
    assert pressure is not None
    step = float(grid[1] - grid[0])
    driven, why = _driven(trace, grid, pressure)
    starts, ends = runs(driven)
    stretches = [
        (a, b)
        for a, b in zip(starts, ends, strict=True)
        if a >= round(1.5 / step) and b - a >= round(1.5 / step)
    ]
    if not stretches:
        raise InputError(
            "csv",
            "no stretch before and after an opening",
            "a second and a half shut, then a second and a half open",
        )
    a, b = stretches[0]
    before = max((e for e in ends if e <= a), default=0)
    quiet = min(round(1 / step), (a - before) // 3)
    closed = Segment(
        kind="closed",
        start_s=float(max(grid[before + quiet], grid[a] - 8)),
        end_s=float(grid[a - max(1, round(0.5 / step))]),
        why=f"before the valve was driven, {why}",
    )
    settled = a + min(round(1 / step), (b - a) // 3)
    return closed, Segment(
        kind="open",
        start_s=float(grid[settled]),
        end_s=float(min(grid[b - 1], grid[settled] + 6)),
        why=f"after the valve was driven, {why}",
    )


def _driven(trace: TimeSeries, grid: Values, pressure: Values) -> tuple[NDArray[np.bool_], str]:
    """When the valve was driven, sample by sample, and by what that is known."""
    command = trace.on(grid, "egr_command_percent")
    if (
        command is not None
        and np.isfinite(command).any()
        and np.nanmax(command) - np.nanmin(command) >= 5
    ):
        middle = (np.nanmax(command) + np.nanmin(command)) / 2
        return np.nan_to_num(command) >= middle, "by the command"
    speed = trace.on(grid, "rpm")
    # A log may hold more than the test: only its slow part can be a held idle.
    slow = (
        np.ones(len(grid), bool) if speed is None else ~(speed > 1.35 * np.nanpercentile(speed, 20))
    )
    level, noise = _two_levels(pressure[np.isfinite(pressure) & slow])
    if level is None:
        raise InputError(
            "csv",
            "no step in the manifold pressure",
            f"a step of more than {3 * noise:.1f} kPa, or the seconds at which the valve was"
            " shut and open",
        )
    half_second = max(1, round(0.5 / float(grid[1] - grid[0])))
    risen = np.nan_to_num(_moving(pressure, half_second, np.mean)) >= level
    return slow & risen, "by the rise of the manifold"


def _two_levels(values: Values) -> tuple[float | None, float]:
    """The level that parts values into two groups of least variance, None where they are one group;
    and their noise."""
    ordered = np.sort(values)
    n = len(ordered)
    sums, squares = np.cumsum(ordered), np.cumsum(ordered**2)
    k = np.arange(1, n)
    within = (squares[:-1] - sums[:-1] ** 2 / k) + (
        squares[-1] - squares[:-1] - (sums[-1] - sums[:-1]) ** 2 / (n - k)
    )
    best = int(np.argmin(within))
    low, high = ordered[: best + 1].mean(), ordered[best + 1 :].mean()
    noise = (
        float(np.median(np.abs(np.diff(values)))) * 1.0484 + 0.05
    )  # sample to sample, as a standard deviation
    return (float((low + high) / 2) if high - low > 3 * noise else None), noise
