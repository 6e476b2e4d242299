"""Volts and amperes before a jumper is lifted: `actuator-drive-check`, `sensor-line`."""

from dataclasses import dataclass, field
from typing import Any, ClassVar

from galene.core.calculations.declaring import Calculation, asked, check_ranges
from galene.core.calculations.strict import STRICT
from galene.core.errors import require, require_range


@dataclass(frozen=True)
class LinePoint:
    """A known point of a sensor's transfer line: volts and the kPa that they stand for."""

    volts: float = field(metadata=asked(label="At volts", typed_as="volts_at"))
    kpa: float = field(metadata=asked(label="it reads", quantity="pressure"))
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True)
class SensorLineInput:
    """Two points of the line and the volts that the meter shows; `supply_v` is the sensor's own
    supply."""

    points: list[LinePoint] = field(
        default_factory=list, metadata=asked(rows=(("0.5", "20"), ("4.5", "250")))
    )
    volts: float = field(
        default=0.0,
        metadata=asked(label="The meter shows", quantity="voltage", start="2.1", measured=True),
    )
    supply_v: float = field(
        default=5.0,
        metadata=asked(
            label="The sensor's supply",
            quantity="voltage",
            start="5",
            measured=True,
            low=1,
            high=32,
            unit="V",
        ),
    )
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True, kw_only=True)
class SensorLineResult:
    """The pressure in kPa, and whether the volts are a reading at all."""

    kpa: float
    in_range: bool
    verdict: str
    sentence: str


RAIL = 0.02
"""Share of the supply at either end in which a signal is a broken or shorted wire, not a
pressure."""
LINE_SLACK = 0.02
"""Share of the supply by which a reading may leave the ends of its line (offset and wear; project
default)."""


def sensor_line(given: SensorLineInput) -> SensorLineResult:
    """Volts of a linear pressure sensor as kPa.

    Raises
    ------
    InputError
        Not two points, two points at one voltage, volts outside the supply.
    """
    check_ranges(given)
    require(len(given.points) == 2, "points", len(given.points), allowed="two points of the line")
    for i, point in enumerate(given.points):
        require_range(f"points[{i}].volts", point.volts, 0, high=given.supply_v, unit="V")
    a, b = given.points
    require(
        a.volts != b.volts,
        "points[1].volts",
        b.volts,
        allowed="another voltage than the first point's",
    )
    require_range("volts", given.volts, -0.5, high=given.supply_v + 0.5, unit="V")
    kpa = a.kpa + (given.volts - a.volts) * (b.kpa - a.kpa) / (b.volts - a.volts)
    low, high = RAIL * given.supply_v, (1 - RAIL) * given.supply_v
    if given.volts <= low or given.volts >= high:
        end = "bottom" if given.volts <= low else "top"
        return SensorLineResult(
            kpa=kpa,
            in_range=False,
            verdict=f"rail_{end}",
            sentence=(
                f"{given.volts:.2f} V is the {end} rail: a wire or the sensor is at fault, this is"
                " no pressure."
            ),
        )
    first, last = sorted((a.volts, b.volts))
    slack = LINE_SLACK * given.supply_v
    if not first - slack <= given.volts <= last + slack:
        side = "below" if given.volts < first else "above"
        return SensorLineResult(
            kpa=kpa,
            in_range=False,
            verdict=f"{side}_line",
            sentence=(
                f"{given.volts:.2f} V lies {side} the sensor's line: no pressure that it can read,"
                " a wire or the sensor is at fault."
            ),
        )
    return SensorLineResult(
        kpa=kpa,
        in_range=True,
        verdict="in_range",
        sentence=f"{given.volts:.2f} V stands for {kpa:.1f} kPa.",
    )


CALCULATION = Calculation(
    name="sensor-line",
    title="Sensor line",
    question="What pressure do these volts stand for?",
    takes=SensorLineInput,
    run=sensor_line,
    place=11,
)
