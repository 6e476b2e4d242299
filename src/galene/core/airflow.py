"""What the air meter should read, and what the fuel trims say about it: `expected-airflow`,
`trim-split`."""

import math
from dataclasses import dataclass
from typing import Any, ClassVar, Literal

from galene.core.errors import need, within
from galene.core.flow import PSI_MAX, STANDARD_KPA, charge_flow_g_s, psi
from galene.core.statistics import fit_line

STRICT: dict[str, Any] = {"extra": "forbid"}
METER_SIGMA = 0.03
"""Relative standard deviation of a healthy hot-film meter with its plumbing (project default)."""


@dataclass(frozen=True, kw_only=True)
class ExpectedAirflowInput:
    """Engine, state and, where there is one, the meter's reading."""

    displacement_l: float
    rpm: float
    map_kpa: float
    intake_c: float
    volumetric_efficiency: float
    strokes: int = 4
    measured_g_s: float | None = None
    volumetric_efficiency_tolerance: float = 0.05
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True, kw_only=True)
class ExpectedAirflowResult:
    """`ratio` is measured over expected; `verdict` is agree, reads_low, reads_high or
    no_measurement."""

    expected_g_s: float
    expected_low_g_s: float
    expected_high_g_s: float
    ratio: float | None
    verdict: str
    sentence: str


def expected_airflow(given: ExpectedAirflowInput) -> ExpectedAirflowResult:
    """Air that the engine takes in by speed and density, against the meter.

    Parameters
    ----------
    given.displacement_l : float, litres, 0.02 to 30
    given.rpm : float, 1/min, 50 to 20000
    given.map_kpa : float, kPa absolute, 5 to 600
    given.intake_c : float, degrees C at the ports, -40 to 200
    given.volumetric_efficiency : float, 0.1 to 1.5
    given.strokes : int, 2 or 4
    given.measured_g_s : float, optional, 0 to 3000
    given.volumetric_efficiency_tolerance : float, relative standard deviation, 0 to 0.3

    Raises
    ------
    InputError
        A figure out of range.

    Notes
    -----
    m = VE p V N / (c 60 R T); `expected_low_g_s` and `_high_` are two standard deviations of the
    volumetric efficiency. The verdict needs a gap of two standard deviations of efficiency and
    meter together.

    Examples
    --------
    >>> given = ExpectedAirflowInput(
    ...     displacement_l=2.2, rpm=2500, map_kpa=100, intake_c=25, volumetric_efficiency=0.85
    ... )
    >>> round(expected_airflow(given).expected_g_s, 2)
    45.52
    """
    within("displacement_l", given.displacement_l, 0.02, high=30, unit="l")
    within("rpm", given.rpm, 50, high=20000, unit="1/min")
    within("map_kpa", given.map_kpa, 5, high=600, unit="kPa")
    within("intake_c", given.intake_c, -40, high=200, unit="degC")
    within("volumetric_efficiency", given.volumetric_efficiency, 0.1, high=1.5)
    need(given.strokes in (2, 4), "strokes", given.strokes, allowed="2 or 4")
    within("volumetric_efficiency_tolerance", given.volumetric_efficiency_tolerance, 0, high=0.3)
    expected = charge_flow_g_s(
        given.displacement_l,
        given.rpm,
        given.map_kpa,
        charge_c=given.intake_c,
        volumetric_efficiency=given.volumetric_efficiency,
        strokes=given.strokes,
    )
    spread = 2 * given.volumetric_efficiency_tolerance
    low, high = expected * (1 - spread), expected * (1 + spread)
    if given.measured_g_s is None:
        return ExpectedAirflowResult(
            expected_g_s=expected,
            expected_low_g_s=low,
            expected_high_g_s=high,
            ratio=None,
            verdict="no_measurement",
            sentence=f"Expect {expected:.2f} g/s ({low:.2f} to {high:.2f}).",
        )
    within("measured_g_s", given.measured_g_s, 0, high=3000, unit="g/s")
    ratio = given.measured_g_s / expected
    allowed = 2 * math.hypot(given.volumetric_efficiency_tolerance, METER_SIGMA)
    verdict = "agree" if abs(ratio - 1) <= allowed else ("reads_low" if ratio < 1 else "reads_high")
    tail = {
        "agree": "the meter and the engine agree.",
        "reads_low": "the meter reads low, or air enters behind it.",
        "reads_high": "the meter reads high, or less reaches the cylinders than it counts.",
    }[verdict]
    return ExpectedAirflowResult(
        expected_g_s=expected,
        expected_low_g_s=low,
        expected_high_g_s=high,
        ratio=ratio,
        verdict=verdict,
        sentence=(
            f"{given.measured_g_s:.2f} g/s measured against {expected:.2f} g/s expected"
            f" ({ratio:.0%}): {tail}"
        ),
    )


@dataclass(frozen=True)
class TrimPoint:
    """Total fuel trim (short and long together) held at one airflow."""

    airflow_g_s: float
    trim_percent: float
    map_kpa: float | None = None
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True)
class TrimSplitInput:
    """Two or more points, idle included."""

    points: list[TrimPoint]
    barometer_kpa: float = STANDARD_KPA
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
    need(
        len(given.points) >= 2,
        "points",
        len(given.points),
        allowed="at least two points, as there are two unknowns",
    )
    within("barometer_kpa", given.barometer_kpa, 50, high=110, unit="kPa")
    x: list[float] = []
    y: list[float] = []
    for i, point in enumerate(given.points):
        within(f"points[{i}].airflow_g_s", point.airflow_g_s, 0.1, high=2000, unit="g/s")
        within(f"points[{i}].trim_percent", point.trim_percent, -60, high=100, unit="%")
        share = 1.0
        if point.map_kpa is not None:
            need(
                5 <= point.map_kpa < given.barometer_kpa,
                f"points[{i}].map_kpa",
                point.map_kpa,
                allowed=f"5 to under the barometer's {given.barometer_kpa:g} kPa",
            )
            share = psi(point.map_kpa / given.barometer_kpa) / PSI_MAX
        x.append(share / point.airflow_g_s)
        y.append(point.trim_percent / 100)
    need(
        max(x) - min(x) > 1e-9,
        "points",
        "one airflow only",
        allowed="at least two different airflows",
    )
    line = fit_line(x, y)
    need(
        line.intercept > -0.9,
        "points",
        "trims",
        allowed="trims that leave the meter a positive gain",
    )
    gain, leak = 1 / (1 + line.intercept), line.slope
    if line.intercept_half is None or line.slope_half is None:
        gain_low = gain_high = leak_low = leak_high = None
    else:
        low_a, high_a = line.intercept - line.intercept_half, line.intercept + line.intercept_half
        gain_low = 1 / (1 + high_a)
        gain_high = 1 / (1 + low_a) if low_a > -0.9 else None
        leak_low, leak_high = leak - line.slope_half, leak + line.slope_half
    flows = [p.airflow_g_s for p in given.points]
    lowest = min(flows)
    rising = leak_high is not None and leak_high < 0 and -leak * max(x) >= LEAK_TRIM_MATTERS
    if leak_low is None or max(flows) < 2 * lowest:
        verdict = "not_enough"
        sentence = (
            "Hold three or more airflows, the highest at least twice the lowest, before this can be"
            " split."
        )
    elif rising:
        verdict = "rises"
        sentence = (
            "Lean that grows with airflow: the fuel supply falls behind, or the meter errs with"
            " flow. No leak does this: measure fuel pressure under load first."
        )
    else:
        meter_off = (
            gain_low is not None
            and abs(gain - 1) >= GAIN_MATTERS
            and (gain_low > 1 or (gain_high is not None and gain_high < 1))
        )
        leaking = leak_low > 0 and leak * max(x) >= LEAK_TRIM_MATTERS
        verdict = {
            (True, True): "both",
            (True, False): "meter",
            (False, True): "leak",
            (False, False): "neither",
        }[(meter_off, leaking)]
        sentence = {
            "both": (
                f"Air enters behind the meter ({leak:.2f} g/s) and the meter shows {gain:.1%} of"
                " the truth. Mend the leak first, then measure again."
            ),
            "meter": (
                f"A constant share at every airflow: the meter shows {gain:.1%} of the true air, or"
                " fuel pressure or fuel kind is off by as much."
            ),
            "leak": (
                f"Large at idle, fading with airflow: {leak:.2f} g/s enter behind the meter. A torn"
                " boot or a loose clamp first."
            ),
            "neither": "The trims hold no steady share and no leak that matters.",
        }[verdict]
    return TrimSplitResult(
        meter_gain=gain,
        meter_gain_low=gain_low,
        meter_gain_high=gain_high,
        leak_g_s=leak,
        leak_g_s_low=leak_low,
        leak_g_s_high=leak_high,
        verdict=verdict,
        sentence=sentence,
    )


BANKS_APART_PERCENT = 6.0
"""Trims of two banks this far apart are no scatter (project default: twice what one bank
scatters)."""
BANKS_ALIKE_PERCENT = 3.0
"""Closer than this the banks agree (project default)."""
LEAN_TRIM_PERCENT = 5.0
"""Fuel added from here on is a lean bank (project default)."""


@dataclass(frozen=True, kw_only=True)
class BankTrims:
    """How far bank 1 stands above bank 2 in percent, and the verdict: bank_1_lean, bank_2_lean,
    alike or undecided."""

    difference_percent: float
    verdict: Literal["bank_1_lean", "bank_2_lean", "alike", "undecided"]

    @property
    def one_is_lean(self) -> bool:
        """Whether one bank alone runs lean: then no split of both together tells anything."""
        return self.verdict in ("bank_1_lean", "bank_2_lean")


def bank_trims(pairs: tuple[tuple[float, float], ...]) -> BankTrims:
    """Whether one bank alone runs lean, by the trims of both at the same points.

    Parameters
    ----------
    pairs : total trim of bank 1 and of bank 2 at each point, -60 to 100 %; at least one

    Raises
    ------
    InputError
        No points, or a trim out of range.

    Notes
    -----
    One meter counts the air of both banks, so what is wrong with it moves both alike; a leak, an
    injector or an oxygen sensor belongs to one bank (physics of the shared meter).
    """
    need(len(pairs) >= 1, "pairs", len(pairs), allowed="at least one point")
    for i, pair in enumerate(pairs):
        for bank, trim in enumerate(pair, start=1):
            within(f"pairs[{i}].bank_{bank}_percent", trim, -60, high=100, unit="%")
    one, two = (sum(p[b] for p in pairs) / len(pairs) for b in (0, 1))
    apart = one - two
    if abs(apart) >= BANKS_APART_PERCENT and max(one, two) >= LEAN_TRIM_PERCENT:
        return BankTrims(
            difference_percent=apart, verdict="bank_1_lean" if apart > 0 else "bank_2_lean"
        )
    alike = abs(apart) <= BANKS_ALIKE_PERCENT
    return BankTrims(difference_percent=apart, verdict="alike" if alike else "undecided")
