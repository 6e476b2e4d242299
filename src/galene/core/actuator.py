"""Volts and amperes before a jumper is lifted: `actuator-drive-check`, `sensor-line`."""

from dataclasses import dataclass, field
from typing import Any, ClassVar

from galene.core.errors import need, within

STRICT: dict[str, Any] = {"extra": "forbid"}
FUSES_A: tuple[float, ...] = (1, 2, 3, 4, 5, 7.5, 10, 15, 20, 25, 30)
PULL_IN = 0.6
"""Share of its full current at which a solenoid moves at the latest (project default; most pull in
below two thirds)."""


@dataclass(frozen=True, kw_only=True)
class DriveInput:
    """A coil with its other wire traced: to a fuse, to ground, or not known. Either `coil_ohm` or
    `current_a`."""

    other_wire_leads_to: str
    supply_v: float
    wire_limit_a: float
    coil_ohm: float | None = None
    current_a: float | None = None
    lamp_a: float | None = None
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True, kw_only=True)
class DriveResult:
    """Which side the control unit switches, the current, the fuse for a jumper, and whether one is
    allowed at all."""

    drive_side: str
    current_a: float
    lamp_moves_it: bool | None
    fuse_a: float | None
    jumper_allowed: bool
    cautions: tuple[str, ...]
    verdict: str
    sentence: str


def actuator_drive_check(given: DriveInput) -> DriveResult:
    """May this actuator be driven by a jumper, on which side and through which fuse?

    Raises
    ------
    InputError
        Both or neither of coil and current, figures outside of a vehicle's wiring.

    Notes
    -----
    The coil's other wire goes to a fuse: the control unit switches the ground side, and the
    reverse. Fuse: the smallest standard one at or above 1.25 times the current and at or below the
    wire's limit.
    """
    need(
        given.other_wire_leads_to in ("fuse", "ground", "unknown"),
        "other_wire_leads_to",
        given.other_wire_leads_to,
        allowed="fuse, ground or unknown",
    )
    within("supply_v", given.supply_v, 5, high=32, unit="V")
    within("wire_limit_a", given.wire_limit_a, 0.5, high=60, unit="A")
    need(
        (given.coil_ohm is None) != (given.current_a is None),
        "coil_ohm",
        given.coil_ohm,
        allowed="either coil_ohm or current_a, not both and not neither",
    )
    if given.coil_ohm is not None:
        within("coil_ohm", given.coil_ohm, 0.2, high=2000, unit="ohm")
    current = (
        given.supply_v / given.coil_ohm
        if given.coil_ohm is not None
        else float(given.current_a or 0.0)
    )
    within("current_a", current, 0.001, high=60, unit="A")
    if given.lamp_a is not None:
        within("lamp_a", given.lamp_a, 0, high=30, unit="A")
    side = {"fuse": "ground", "ground": "supply", "unknown": "unknown"}[given.other_wire_leads_to]
    fuse = next((f for f in FUSES_A if f >= 1.25 * current and f <= given.wire_limit_a), None)
    allowed = side != "unknown" and fuse is not None
    cautions = [
        "Ignition and connector states as the service information says; never onto the control"
        " unit's own wire."
    ]
    if side == "unknown":
        cautions.append(
            "Trace the other wire first: a jumper on the wrong side destroys the control unit's"
            " driver."
        )
    elif side == "ground":
        cautions.append(
            "Supply comes by the fuse: the jumper gives ground, on the coil's switched wire,"
            " control unit unplugged from it."
        )
    else:
        cautions.append(
            "The coil is grounded: the jumper gives supply through the fuse, control unit unplugged"
            " from it."
        )
    if fuse is None:
        cautions.append(
            f"No fuse carries {current:.2f} A and spares a wire of {given.wire_limit_a:g} A: no"
            " jumper."
        )
    lamp = None if given.lamp_a is None else given.lamp_a >= PULL_IN * current
    if lamp is False:
        cautions.append(
            "A test lamp lets too little through to move it: that nothing moves proves nothing."
        )
    sentence = (
        f"The control unit switches the {side} side; {current:.2f} A, jumper through {fuse:g} A."
        if allowed and fuse is not None
        else (
            "No jumper:"
            f" {'the drive side is not known' if side == 'unknown' else 'no fuse fits the wire'}."
        )
    )
    return DriveResult(
        drive_side=side,
        current_a=current,
        lamp_moves_it=lamp,
        fuse_a=fuse,
        jumper_allowed=allowed,
        cautions=tuple(cautions),
        verdict="allowed" if allowed else "not_allowed",
        sentence=sentence,
    )


@dataclass(frozen=True)
class LinePoint:
    """A known point of a sensor's transfer line: volts and the kPa that they stand for."""

    volts: float
    kpa: float
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True)
class SensorLineInput:
    """Two points of the line and the volts that the meter shows; `supply_v` is the sensor's own
    supply."""

    points: list[LinePoint] = field(default_factory=list)
    volts: float = 0.0
    supply_v: float = 5.0
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
    need(len(given.points) == 2, "points", len(given.points), allowed="two points of the line")
    within("supply_v", given.supply_v, 1, high=32, unit="V")
    for i, point in enumerate(given.points):
        within(f"points[{i}].volts", point.volts, 0, high=given.supply_v, unit="V")
    a, b = given.points
    need(
        a.volts != b.volts,
        "points[1].volts",
        b.volts,
        allowed="another voltage than the first point's",
    )
    within("volts", given.volts, -0.5, high=given.supply_v + 0.5, unit="V")
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
