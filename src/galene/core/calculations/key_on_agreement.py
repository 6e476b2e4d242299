"""Ambient pressure, and whether the absolute sensors agree with it: `isa-pressure`,
`key-on-agreement`."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from statistics import median
from typing import Any, ClassVar

from galene.core.calculations.declaring import Calculation, asked, check_ranges
from galene.core.calculations.isa_pressure import IsaPressureInput, isa_pressure
from galene.core.calculations.strict import STRICT
from galene.core.errors import require, require_range


@dataclass(frozen=True)
class PressureReading:
    """One absolute sensor with the engine off and the ignition on."""

    component: str = field(metadata=asked(label="Sensor", text="line"))
    pressure_kpa: float = field(
        metadata=asked(label="Shows", quantity="pressure", low=0, high=600, unit="kPa")
    )
    span_kpa: float | None = field(default=None, metadata=asked(low=20, high=1000, unit="kPa"))
    """The sensor's span: a wide one is coarser, and has its own tolerance."""
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True, kw_only=True)
class KeyOnInput:
    """All absolute sensors, and what is known of the air outside."""

    readings: list[PressureReading] = field(
        metadata=asked(
            rows=(("map_sensor", "101.0"), ("barometric_sensor", "101.4"), ("boost_sensor", "96.2"))
        )
    )
    barometer_kpa: float | None = field(
        default=None,
        metadata=asked(label="Barometer", quantity="pressure", hint="wins over the height"),
    )
    altitude_m: float | None = field(
        default=None, metadata=asked(label="Height above the sea", quantity="height", start="12")
    )
    tolerance_kpa: float = field(
        default=2.5,
        metadata=asked(
            label="Tolerance", quantity="pressure", start="2.5", low=0.1, high=20, unit="kPa"
        ),
    )
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True)
class Deviation:
    """How far one sensor stands from the reference, kPa."""

    component: str
    deviation_kpa: float | None
    within: bool | None


@dataclass(frozen=True, kw_only=True)
class KeyOnResult:
    """`verdict` is agree, one_off, several_off or undecided."""

    reference_kpa: float | None
    reference_source: str
    deviations: list[Deviation] = field(default_factory=list)
    suspect: str | None = None
    verdict: str = "undecided"
    sentence: str = ""


WEATHER_KPA = 3.0
"""How far weather moves the air from the standard of its height (ISO 2533 is a mean; highs and lows
at sea level)."""
SPAN_SHARE = 0.01
"""Share of a sensor's span that its makers usually allow it to be off."""


def _tolerance(reading: PressureReading, usual_kpa: float) -> float:
    """What one sensor may be off, kPa: the usual, or the share of a wide span."""
    return max(usual_kpa, SPAN_SHARE * (reading.span_kpa or 0.0))


def _reference(given: KeyOnInput, values: list[float]) -> tuple[float | None, str]:
    """What the sensors must read, kPa, and where that is from; None where nothing says it."""
    if given.barometer_kpa is not None:
        require_range("barometer_kpa", given.barometer_kpa, 50, high=110, unit="kPa")
        return given.barometer_kpa, "barometer"
    if given.altitude_m is not None:
        return isa_pressure(IsaPressureInput(given.altitude_m)).pressure_kpa, "altitude"
    if len(values) >= 3:
        return median(values), "median"
    if len(values) == 2 and abs(values[0] - values[1]) <= given.tolerance_kpa:
        return sum(values) / 2, "pair"
    return None, "none"


def key_on_agreement(given: KeyOnInput) -> KeyOnResult:
    """Engine off, ignition on: every absolute pressure sensor must read the air outside.

    Parameters
    ----------
    given.readings : list of PressureReading, at least one, each component once, 0 to 600 kPa
        A failed sensor may show a rail, so the range is wide.
    given.barometer_kpa : float, optional
        50 to 110 kPa. Wins over `altitude_m`.
    given.altitude_m : float, optional
        m; standard atmosphere.
    given.tolerance_kpa : float
        Allowed deviation, kPa; 2.5 is this project's default, about one percent of a 250 kPa
        sensor's span.

    Raises
    ------
    InputError
        No reading, a component named twice, or a figure out of range.

    Notes
    -----
    Reference: barometer, else altitude, else the median of three or more readings. Two readings
    that differ with no reference can not say which is wrong: undecided.
    """
    check_ranges(given)
    require(
        len(given.readings) >= 1, "readings", len(given.readings), allowed="at least one reading"
    )
    _each_once(given)
    values = [r.pressure_kpa for r in given.readings]
    reference, source = _reference(given, values)
    if reference is None:
        why = (
            "Two sensors differ"
            if len(values) == 2
            else "One sensor alone has nothing to agree with"
        )
        return KeyOnResult(
            reference_kpa=None,
            reference_source=source,
            deviations=[Deviation(r.component, None, None) for r in given.readings],
            suspect=None,
            verdict="undecided",
            sentence=f"{why}: read a barometer, or give the altitude.",
        )
    deviations, is_open = _deviations(given, reference, by_height=source == "altitude")
    if is_open and all(d.within for d in deviations):
        return KeyOnResult(
            reference_kpa=reference,
            reference_source=source,
            deviations=deviations,
            suspect=None,
            verdict="undecided",
            sentence=(
                f"Weather moves the air by up to {WEATHER_KPA:g} kPa from what the height gives:"
                " read a barometer."
            ),
        )
    verdict, suspect, sentence = _judged(deviations, reference, given.tolerance_kpa)
    return KeyOnResult(
        reference_kpa=reference,
        reference_source=source,
        deviations=deviations,
        suspect=suspect,
        verdict=verdict,
        sentence=sentence,
    )


def _each_once(given: KeyOnInput) -> None:
    seen: set[str] = set()
    for i, reading in enumerate(given.readings):
        require(
            reading.component not in seen,
            f"readings[{i}].component",
            reading.component,
            allowed="each component once",
        )
        seen.add(reading.component)


def _deviations(
    given: KeyOnInput, reference: float, *, by_height: bool
) -> tuple[list[Deviation], bool]:
    """Each sensor against the air outside, and whether the weather leaves one of them open. The
    height alone leaves the weather open: what it may be is no fault, and no agreement either."""
    weather = WEATHER_KPA if by_height else 0.0
    values = [r.pressure_kpa for r in given.readings]
    middle = median(values) if weather and len(values) >= 3 else None
    found, is_open = [], False
    for r in given.readings:
        off_by, allowed = r.pressure_kpa - reference, _tolerance(r, given.tolerance_kpa)
        fits = abs(off_by) <= allowed + weather
        if middle is not None:
            # Weather moves all alike: one that leaves the others is off whatever the weather.
            fits = fits and abs(r.pressure_kpa - middle) <= allowed
        elif fits and abs(off_by) > allowed:
            is_open = True
        found.append(Deviation(r.component, off_by, fits))
    return found, is_open


def _judged(
    deviations: Sequence[Deviation], reference: float, tolerance_kpa: float
) -> tuple[str, str | None, str]:
    """Verdict, the sensor that stands out alone, and the sentence."""
    off = [d for d in deviations if not d.within]
    if not off:
        verdict, suspect = "agree", None
        sentence = f"All sensors stand within {tolerance_kpa:g} kPa of {reference:.1f} kPa."
    elif len(off) == 1:
        verdict, suspect = "one_off", off[0].component
        miss = f"{off[0].deviation_kpa:+.1f}".replace("-", "\u2212")
        sentence = (
            f"{suspect} reads {miss} kPa from {reference:.1f} kPa: look at its"
            " plug, hose and port before the sensor is condemned."
        )
    else:
        verdict, suspect = "several_off", None
        sentence = (
            f"{len(off)} sensors miss {reference:.1f} kPa: check the reference and their shared"
            " supply first."
        )
    return verdict, suspect, sentence


CALCULATION = Calculation(
    name="key-on-agreement",
    title="Key-on agreement",
    question="Engine off, ignition on: which sensor stands out?",
    takes=KeyOnInput,
    run=key_on_agreement,
    place=2,
)
