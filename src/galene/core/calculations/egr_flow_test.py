"""How much exhaust gas comes back: `egr-flow-test` by manifold pressure, `egr-flow-crosscheck` by
venturi against balance."""

import math
from dataclasses import dataclass, field, replace
from typing import Any, ClassVar

import numpy as np

from galene.core.calculations.declaring import Calculation, asked, check_ranges
from galene.core.calculations.strict import STRICT
from galene.core.errors import InputError, require, require_range
from galene.core.flow import KELVIN, charge_flow_g_s, orifice_area_mm2, psi
from galene.core.logs.rows import in_time, read_columns
from galene.core.logs.series import TimeSeries, find_plateaus

PLUGGED_BELOW, RESTRICTED_BELOW = 40.0, 75.0
"""Percent of the clean passage under which it counts as plugged, as restricted (project
defaults)."""
TOO_OPEN = 0.9
"""Manifold over ambient from which the throttle's flow is no longer known: there Psi falls steeply
to nothing, and one percent of pressure is a third of the flow (the orifice equation; Heywood, app.
C). A diesel stands there always."""
STATE_OR_TRACE = "a figure, or a trace in its place"
NO_FLOW = 0.02
"""Recirculated share of the charge that a test can not tell from none."""


@dataclass(frozen=True)
class IdlePoint:
    """Manifold pressure (kPa absolute) and engine speed (rpm) of one state of the valve; speed 0:
    the engine stalled."""

    map_kpa: float = field(metadata=asked(label="Manifold", quantity="pressure"))
    rpm: float = field(metadata=asked(label="Speed", hint="rpm; 0 when it stalled"))
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True, kw_only=True)
class FlowTestInput:
    """A warm idle with the valve shut and commanded open; `exhaust_c` is the gas at the valve.

    The two states as `closed` and `open`, or as the trace `csv`: time_s, map_kpa, rpm and, where it
    was logged, the valve's command in percent. In a trace the plateaus are found; `closed_from_s`
    and its like set their ends by hand.
    """

    closed: IdlePoint | None = field(
        default=None,
        metadata=asked(label="valve shut", start="34 720", part="points", measured=True),
    )
    open: IdlePoint | None = field(
        default=None,
        metadata=asked(label="valve open", start="61 560", part="points", measured=True),
    )
    csv: str | None = field(
        default=None,
        metadata=asked(
            label="Or a trace: seconds, manifold kPa, rpm, and the command in percent where it"
            " was logged",
            text="rows",
        ),
    )
    closed_from_s: float | None = field(
        default=None,
        metadata=asked(
            label="Shut from, s", hint="found by the program where left empty", part="trace"
        ),
    )
    closed_to_s: float | None = field(
        default=None, metadata=asked(label="Shut to, s", part="trace")
    )
    open_from_s: float | None = field(
        default=None, metadata=asked(label="Open from, s", part="trace")
    )
    open_to_s: float | None = field(default=None, metadata=asked(label="Open to, s", part="trace"))
    ambient_kpa: float = field(
        metadata=asked(
            label="Air outside", quantity="pressure", start="100.5", low=40, high=110, unit="kPa"
        )
    )
    intake_c: float = field(
        metadata=asked(
            label="Air at the ports",
            quantity="temperature",
            start="38",
            hint="intake air and about 12 °C more, where it is not measured",
            measured=True,
            low=-50,
            high=150,
            unit="degrees C",
        )
    )
    exhaust_kpa: float = field(
        metadata=asked(
            label="Exhaust before the valve",
            quantity="pressure",
            start="103",
            hint="about 2 kPa above the air outside at a warm idle",
            measured=True,
        )
    )
    exhaust_c: float = field(
        metadata=asked(
            label="Gas at the valve",
            quantity="temperature",
            start="190",
            hint="150 to 250 °C at a warm idle",
            measured=True,
        )
    )
    displacement_l: float = field(
        metadata=asked(
            label="Engine size", start="2.0", hint="litres", low=0.02, high=80, unit="litres"
        )
    )
    volumetric_efficiency: float = field(
        metadata=asked(
            label="Volumetric efficiency", start="0.78", hint="a share", low=0.05, high=1.5
        )
    )
    discharge_coefficient: float = field(default=0.8, metadata=asked(low=0.3, high=1))
    reference_area_mm2: float | None = field(
        default=None,
        metadata=asked(
            label="Clean passage",
            quantity="area",
            hint="from an engine that was known to be clean",
            low=0.1,
            high=10000,
            unit="mm2",
        ),
    )
    throttle_held: bool = field(
        default=True,
        metadata=asked(
            label="Throttle",
            start="yes",
            choices=(("yes", "held still during the test"), ("no", "the idle control moved it")),
        ),
    )
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True, kw_only=True)
class Plateau:
    """A stretch of the trace with its means; the standard errors are those of means over
    half-seconds."""

    kind: str
    start_s: float
    end_s: float
    map_kpa: float
    rpm: float
    map_error_kpa: float
    rpm_error: float


@dataclass(frozen=True, kw_only=True)
class FlowTestResult:
    """Flows in g/s, the passage that passes them in mm2 with its 95 % from a trace's scatter; None
    where the engine stalled first."""

    fresh_g_s: float
    recirculated_g_s: float | None
    passage_area_mm2: float | None
    passage_area_low_mm2: float | None
    passage_area_high_mm2: float | None
    recirculated_fraction: float | None
    percent_of_reference: float | None
    plateaus: tuple[Plateau, ...]
    verdict: str
    sentence: str


TRACE_COLUMNS, TRACE_MORE = ("time_s", "map_kpa", "rpm"), ("command_percent",)
STALLED_RPM = 100.0


def read_flow_trace(csv: str) -> TimeSeries:
    """A flow test's trace: time, manifold pressure, speed and maybe the command.

    Raises
    ------
    InputError
        Naming line and column of what is no number, or a time that does not run forward.
    """
    rows = read_columns(csv, TRACE_COLUMNS, TRACE_MORE)
    require(len(rows) >= 8, "csv", len(rows), allowed="at least 8 rows")
    in_time(rows, "csv rows")
    columns = np.array(rows).T
    names = ("map_kpa", "rpm", "egr_command_percent")
    return TimeSeries(columns[0], dict(zip(names, columns[1:], strict=False)))


def _plateau(trace: TimeSeries, kind: str, start_s: float, *, end_s: float) -> Plateau:
    first, last = float(trace.time_s[0]), float(trace.time_s[-1])
    require_range(f"{kind}_from_s", start_s, first, high=last, unit="s")
    require(
        start_s < end_s <= last, f"{kind}_to_s", end_s, allowed=f"above {start_s:g} to {last:g} s"
    )
    figures: list[tuple[float, float]] = []
    for name in ("map_kpa", "rpm"):
        blocks = trace.block_means(
            name, start_s, end_s, blocks=max(1, round(2 * (end_s - start_s)))
        )
        require(bool(blocks), f"{kind}_from_s", start_s, allowed="a stretch with rows in it")
        error = float(np.std(blocks, ddof=1) / math.sqrt(len(blocks))) if len(blocks) > 2 else 0.0
        figures.append((float(np.mean(blocks)), error))
    return Plateau(
        kind=kind,
        start_s=start_s,
        end_s=end_s,
        map_kpa=figures[0][0],
        rpm=figures[1][0],
        map_error_kpa=figures[0][1],
        rpm_error=figures[1][1],
    )


def flow_plateaus(given: FlowTestInput) -> tuple[Plateau, Plateau]:
    """The plateaus of a trace: found, or where they were set by hand.

    Raises
    ------
    InputError
        No step to be found and none set, or a stretch outside the trace.
    """
    assert given.csv is not None
    trace = read_flow_trace(given.csv)
    by_hand = (given.closed_from_s, given.closed_to_s, given.open_from_s, given.open_to_s)
    found = find_plateaus(trace) if any(x is None for x in by_hand) else None
    ends = [
        x if x is not None else (f if found else 0.0)
        for x, f in zip(
            by_hand,
            (
                (found[0].start_s, found[0].end_s, found[1].start_s, found[1].end_s)
                if found
                else (0.0,) * 4
            ),
            strict=True,
        )
    ]
    return _plateau(trace, "closed", ends[0], end_s=ends[1]), _plateau(
        trace, "open", ends[2], end_s=ends[3]
    )


def egr_flow_test(given: FlowTestInput) -> FlowTestResult:
    """The open area of the recirculation passage from what the opened valve does to a held idle.

    Parameters
    ----------
    given : FlowTestInput

    Raises
    ------
    InputError
        Pressures that can not be (manifold above ambient or exhaust), or a reading in which less
        gas goes in with the valve open than the throttle alone lets through; both points and a
        trace, or neither.

    Notes
    -----
    Shut: m1 = K1/Ta with K = VE p Vd N / (120 R). Open, throttle unmoved: m2 = m1
    Psi(p2/amb)/Psi(p1/amb); mixing at constant enthalpy gives the recirculated mass (K2 - m2
    Ta)/Te, the orifice equation its area (Heywood, app. C). With a trace, the area's interval
    follows from the standard errors of the four means, to first order.
    """
    check_ranges(given)
    require_range("exhaust_c", given.exhaust_c, given.intake_c, high=900, unit="degrees C")
    shut, opened, plateaus = _points(given)
    fresh_closed, fresh, recirculated, area = _flows(given, shut, opened)
    if area is None or recirculated is None:
        return FlowTestResult(
            fresh_g_s=fresh_closed,
            recirculated_g_s=None,
            passage_area_mm2=None,
            passage_area_low_mm2=None,
            passage_area_high_mm2=None,
            recirculated_fraction=None,
            percent_of_reference=None,
            plateaus=plateaus,
            verdict="stalled",
            sentence=(
                "The engine stalled with the valve open: the passage passes at least what an idle"
                " can not bear, so it is not plugged."
            ),
        )
    low = high = None
    if plateaus:
        half = 1.96 * _area_error(given, shut, opened, plateaus=plateaus, area=area)
        low, high = max(0.0, area - half), area + half
    fraction = recirculated / (recirculated + fresh)
    percent = None if given.reference_area_mm2 is None else 100 * area / given.reference_area_mm2
    verdict, sentence = _said(area, fraction, percent, held=given.throttle_held)
    return FlowTestResult(
        fresh_g_s=fresh,
        recirculated_g_s=recirculated,
        passage_area_mm2=area,
        passage_area_low_mm2=low,
        passage_area_high_mm2=high,
        recirculated_fraction=fraction,
        percent_of_reference=percent,
        plateaus=plateaus,
        verdict=verdict,
        sentence=sentence,
    )


def _points(given: FlowTestInput) -> tuple[IdlePoint, IdlePoint, tuple[Plateau, ...]]:
    """The idle with the valve shut and open, typed or out of the trace, and the trace's stretches;
    an engine that stalled turns no more."""
    if given.csv is None:
        require(given.closed is not None, "closed", None, allowed=STATE_OR_TRACE)
        require(given.open is not None, "open", None, allowed=STATE_OR_TRACE)
        assert given.closed is not None and given.open is not None
        return given.closed, given.open, ()
    require(
        given.closed is None and given.open is None,
        "csv",
        "with closed or open",
        allowed="either csv, or closed and open",
    )
    plateaus = flow_plateaus(given)
    shut, opened = (
        IdlePoint(p.map_kpa, 0.0 if p.kind == "open" and p.rpm < STALLED_RPM else p.rpm)
        for p in plateaus
    )
    return shut, opened, plateaus


def _said(area: float, fraction: float, percent: float | None, *, held: bool) -> tuple[str, str]:
    """Verdict and sentence by the area (mm2), the recirculated share and the percent of the clean
    passage; `held`: whether the throttle was."""
    doubt = "" if held else " The throttle was not held: this is the most that it can be."
    if percent is None and fraction < NO_FLOW:
        told = "Opening the valve hardly moves the manifold: next to nothing comes through."
        return "plugged", told + doubt
    if percent is None:
        told = (
            f"{area:.1f} mm² is open. Keep it as this engine's reference, if the passage is known"
            " to be clean."
        )
        return "no_reference", told + doubt
    verdict = "clear" if held else "no_reference"
    if percent < RESTRICTED_BELOW:
        verdict = "plugged" if percent < PLUGGED_BELOW else "restricted"
    return verdict, f"{area:.1f} mm² is open, {percent:.0f} % of the clean passage." + doubt


def _flows(
    given: FlowTestInput, shut: IdlePoint, opened: IdlePoint
) -> tuple[float, float, float | None, float | None]:
    """Fresh air shut and open, recirculated gas (g/s) and the passage (mm2); the last two None for
    a stall."""
    _require_idles(given, shut, opened)
    charge_k, exhaust_k = given.intake_c + KELVIN, given.exhaust_c + KELVIN

    def pumped(point: IdlePoint) -> float:
        return (
            charge_flow_g_s(
                given.displacement_l,
                point.rpm,
                point.map_kpa,
                charge_c=given.intake_c,
                volumetric_efficiency=given.volumetric_efficiency,
            )
            * charge_k
        )

    fresh_closed = pumped(shut) / charge_k
    if opened.rpm == 0:
        return fresh_closed, fresh_closed, None, None
    fresh = (
        fresh_closed
        * psi(opened.map_kpa / given.ambient_kpa)
        / psi(shut.map_kpa / given.ambient_kpa)
    )
    rest = pumped(opened) - fresh * charge_k
    require(
        rest > -0.05 * fresh * charge_k,
        "open",
        opened.rpm,
        allowed="a pressure and speed at which at least the throttle's air goes in",
    )
    recirculated = max(0.0, rest / exhaust_k)
    area = (
        orifice_area_mm2(
            recirculated,
            given.exhaust_kpa,
            opened.map_kpa,
            up_c=given.exhaust_c,
            discharge_coefficient=given.discharge_coefficient,
        )
        if recirculated
        else 0.0
    )
    return fresh_closed, fresh, recirculated, area


def _require_idles(given: FlowTestInput, shut: IdlePoint, opened: IdlePoint) -> None:
    """Refuse idles that can not be, or from which no flow can be told; a stall is none."""
    most = TOO_OPEN * given.ambient_kpa
    require(
        0 < shut.map_kpa < most,
        "closed.map_kpa",
        shut.map_kpa,
        allowed=(
            f"above 0 and below {most:.1f} kPa: without a drop across the throttle no flow can be"
            " told from it"
        ),
    )
    require_range("closed.rpm", shut.rpm, 100, high=6000, unit="rpm")
    if opened.rpm == 0:
        return
    require_range("open.rpm", opened.rpm, 100, high=6000, unit="rpm")
    require(
        0 < opened.map_kpa < most,
        "open.map_kpa",
        opened.map_kpa,
        allowed=f"above 0 and below {most:.1f} kPa, as for closed",
    )
    require(
        opened.map_kpa < given.exhaust_kpa,
        "exhaust_kpa",
        given.exhaust_kpa,
        allowed=f"above the manifold, {opened.map_kpa:g} kPa",
    )


def _area_error(
    given: FlowTestInput,
    shut: IdlePoint,
    opened: IdlePoint,
    *,
    plateaus: tuple[Plateau, ...],
    area: float,
) -> float:
    """Standard error of the passage's area: each mean moved by its own error, the changes added in
    squares."""
    total = 0.0
    for plateau in plateaus:
        for name, error in (("map_kpa", plateau.map_error_kpa), ("rpm", plateau.rpm_error)):
            if error == 0:
                continue
            points = {"closed": shut, "open": opened}
            points[plateau.kind] = replace(
                points[plateau.kind], **{name: getattr(points[plateau.kind], name) + error}
            )
            try:
                moved = _flows(given, points["closed"], points["open"])[3]
            except InputError:
                moved = 0.0
            total += ((moved or 0.0) - area) ** 2
    return math.sqrt(total)


CALCULATION = Calculation(
    name="egr-flow-test",
    title="Recirculation flow test",
    question="How much of the passage is open, by what the opened valve does to the idle?",
    takes=FlowTestInput,
    run=egr_flow_test,
    place=8,
)
