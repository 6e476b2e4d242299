"""What the air meter should read, and what the fuel trims say about it: `expected-airflow`,
`trim-split`."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any, ClassVar

from galene.core.calculations.declaring import Calculation, asked, check_ranges
from galene.core.calculations.strict import STRICT
from galene.core.errors import require
from galene.core.flow import PSI_MAX, STANDARD_KPA, psi
from galene.core.statistics import Line, fit_line


@dataclass(frozen=True)
class TrimPoint:
    """Total fuel trim (short and long together) held at one airflow."""

    airflow_g_s: float = field(
        metadata=asked(label="Air meter", quantity="airflow", low=0.1, high=2000, unit="g/s")
    )
    trim_percent: float = field(metadata=asked(label="Total trim, %", low=-60, high=100, unit="%"))
    map_kpa: float | None = field(
        default=None, metadata=asked(label="Manifold", quantity="pressure", measured=True)
    )
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True)
class TrimSplitInput:
    """Two or more points, idle included."""

    points: list[TrimPoint] = field(
        metadata=asked(
            rows=(("3.0", "18", ""), ("9.0", "9", ""), ("22", "6.2", ""), ("48", "5.1", ""))
        )
    )
    barometer_kpa: float = field(
        default=STANDARD_KPA,
        metadata=asked(
            label="Barometer", quantity="pressure", start="101.3", low=50, high=110, unit="kPa"
        ),
    )
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True, kw_only=True)
class TrimSplitResult:
    """`meter_gain` is indicated over true air; `leak_g_s` is unmetered air. Bounds are 95 %, null
    without a spare point."""

    meter_gain: float
    meter_gain_low: float | None
    meter_gain_high: float | None
    leak_g_s: float
    leak_g_s_low: float | None
    leak_g_s_high: float | None
    verdict: str
    sentence: str


GAIN_MATTERS = 0.03
"""A meter error below three percent is within what trims do on a healthy engine (project
default)."""
LEAK_TRIM_MATTERS = 0.03
"""A leak counts when it alone asks for three percent trim at the lowest airflow (project
default)."""


def trim_split(given: TrimSplitInput) -> TrimSplitResult:
    """Split fuel trims over airflow into an air meter that lies and air that enters behind it.

    Parameters
    ----------
    given.points : list of TrimPoint, at least 2
        `airflow_g_s` 0.1 to 2000 as the meter shows it, `trim_percent` -60 to 100, `map_kpa` below
        `barometer_kpa`.
    given.barometer_kpa : float, 50 to 110 kPa

    Raises
    ------
    InputError
        Fewer than two points or airflows, or a figure out of range.

    Notes
    -----
    t = (1/k - 1) + L s / m, least squares in s/m; s = Psi(map/baro)/Psi_max where the pressure is
    known, else 1. Verdict ``rises``: trims that grow with airflow, which no leak and no constant
    share makes. Verdict ``not_enough``: fewer than three points, or airflows that span less than a
    factor of two. A finding needs its 95 % interval clear of zero effect, and a size that matters
    (3 %).

    Examples
    --------
    >>> points = [TrimPoint(3, 18), TrimPoint(9, 9), TrimPoint(22, 6.2), TrimPoint(48, 5.1)]
    >>> r = trim_split(TrimSplitInput(points))
    >>> round(r.meter_gain, 4), round(r.leak_g_s, 4)
    (0.9585, 0.4112)
    """
    check_ranges(given)
    require(
        len(given.points) >= 2,
        "points",
        len(given.points),
        allowed="at least two points, as there are two unknowns",
    )
    x, y = _points(given)
    require(
        max(x) - min(x) > 1e-9,
        "points",
        "one airflow only",
        allowed="at least two different airflows",
    )
    line = fit_line(x, y)
    require(
        line.intercept > -0.9,
        "points",
        "trims",
        allowed="trims that leave the meter a positive gain",
    )
    found = _split_of(line)
    verdict = _verdict(found, flows=[p.airflow_g_s for p in given.points], most=max(x))
    return TrimSplitResult(
        meter_gain=found.gain,
        meter_gain_low=found.gain_low,
        meter_gain_high=found.gain_high,
        leak_g_s=found.leak,
        leak_g_s_low=found.leak_low,
        leak_g_s_high=found.leak_high,
        verdict=verdict,
        sentence=_sentence(verdict, found),
    )


def _points(given: TrimSplitInput) -> tuple[list[float], list[float]]:
    """Of each point the leak's share over the airflow, and the trim as a share."""
    x: list[float] = []
    y: list[float] = []
    for i, point in enumerate(given.points):
        share = 1.0
        if point.map_kpa is not None:
            require(
                5 <= point.map_kpa < given.barometer_kpa,
                f"points[{i}].map_kpa",
                point.map_kpa,
                allowed=f"5 to under the barometer's {given.barometer_kpa:g} kPa",
            )
            share = psi(point.map_kpa / given.barometer_kpa) / PSI_MAX
        x.append(share / point.airflow_g_s)
        y.append(point.trim_percent / 100)
    return x, y


@dataclass(frozen=True, kw_only=True)
class _Split:
    """The meter's gain and the leak, g/s, each with its interval where there are points enough."""

    gain: float
    leak: float
    gain_low: float | None = None
    gain_high: float | None = None
    leak_low: float | None = None
    leak_high: float | None = None


def _split_of(line: Line) -> _Split:
    gain, leak = 1 / (1 + line.intercept), line.slope
    if line.intercept_half is None or line.slope_half is None:
        return _Split(gain=gain, leak=leak)
    low, high = line.intercept - line.intercept_half, line.intercept + line.intercept_half
    return _Split(
        gain=gain,
        leak=leak,
        gain_low=1 / (1 + high),
        gain_high=1 / (1 + low) if low > -0.9 else None,
        leak_low=leak - line.slope_half,
        leak_high=leak + line.slope_half,
    )


def _verdict(found: _Split, *, flows: Sequence[float], most: float) -> str:
    """What the split says. `most` is the greatest share of the leak over the airflow."""
    if found.leak_low is None or max(flows) < 2 * min(flows):
        return "not_enough"
    trim = found.leak * most
    if found.leak_high is not None and found.leak_high < 0 and -trim >= LEAK_TRIM_MATTERS:
        return "rises"
    meter_off = (
        found.gain_low is not None
        and abs(found.gain - 1) >= GAIN_MATTERS
        and (found.gain_low > 1 or (found.gain_high is not None and found.gain_high < 1))
    )
    leaking = found.leak_low > 0 and trim >= LEAK_TRIM_MATTERS
    if meter_off:
        return "both" if leaking else "meter"
    return "leak" if leaking else "neither"


def _sentence(verdict: str, found: _Split) -> str:
    return {
        "not_enough": (
            "Hold three or more airflows, the highest at least twice the lowest, before this can be"
            " split."
        ),
        "rises": (
            "Lean that grows with airflow: the fuel supply falls behind, or the meter errs with"
            " flow. No leak does this: measure fuel pressure under load first."
        ),
        "both": (
            f"Air enters behind the meter ({found.leak:.2f} g/s) and the meter shows"
            f" {found.gain:.1%} of the truth. Mend the leak first, then measure again."
        ),
        "meter": (
            f"A constant share at every airflow: the meter shows {found.gain:.1%} of the true air,"
            " or fuel pressure or fuel kind is off by as much."
        ),
        "leak": (
            f"Large at idle, fading with airflow: {found.leak:.2f} g/s enter behind the meter. A"
            " torn boot or a loose clamp first."
        ),
        "neither": "The trims hold no steady share and no leak that matters.",
    }[verdict]


CALCULATION = Calculation(
    name="trim-split",
    title="Trim split",
    question="Does the meter lie, or does air leak in behind it?",
    takes=TrimSplitInput,
    run=trim_split,
    place=4,
)
