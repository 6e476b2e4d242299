"""Volts and amperes before a jumper is lifted: `actuator-drive-check`, `sensor-line`."""

from dataclasses import dataclass, field
from typing import Any, ClassVar

from galene.core.calculations.declaring import Calculation, asked, check_ranges
from galene.core.calculations.strict import STRICT
from galene.core.errors import require, require_range

FUSES_A: tuple[float, ...] = (1, 2, 3, 4, 5, 7.5, 10, 15, 20, 25, 30)
PULL_IN = 0.6
"""Share of its full current at which a solenoid moves at the latest (project default; most pull in
below two thirds)."""


@dataclass(frozen=True, kw_only=True)
class DriveInput:
    """A coil with its other wire traced: to a fuse, to ground, or not known. Either `coil_ohm` or
    `current_a`."""

    other_wire_leads_to: str = field(
        metadata=asked(
            label="The coil's other wire leads to",
            start="fuse",
            choices=(("fuse", "a fuse"), ("ground", "ground"), ("unknown", "not traced yet")),
        )
    )
    supply_v: float = field(
        metadata=asked(
            label="Supply",
            quantity="voltage",
            start="12.6",
            measured=True,
            low=5,
            high=32,
            unit="V",
        )
    )
    coil_ohm: float | None = field(
        default=None,
        metadata=asked(
            label="Coil",
            start="14.5",
            hint="ohm; or the current below",
            measured=True,
            low=0.2,
            high=2000,
            unit="ohm",
        ),
    )
    current_a: float | None = field(
        default=None,
        metadata=asked(label="Current", hint="A, where it was measured", measured=True),
    )
    wire_limit_a: float = field(
        metadata=asked(label="The wire carries", start="10", hint="A", low=0.5, high=60, unit="A")
    )
    lamp_a: float | None = field(
        default=None,
        metadata=asked(
            label="A test lamp lets through",
            start="0.1",
            hint="A",
            measured=True,
            low=0,
            high=30,
            unit="A",
        ),
    )
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
    check_ranges(given)
    require(
        given.other_wire_leads_to in ("fuse", "ground", "unknown"),
        "other_wire_leads_to",
        given.other_wire_leads_to,
        allowed="fuse, ground or unknown",
    )
    require(
        (given.coil_ohm is None) != (given.current_a is None),
        "coil_ohm",
        given.coil_ohm,
        allowed="either coil_ohm or current_a, not both and not neither",
    )
    current = (
        given.supply_v / given.coil_ohm
        if given.coil_ohm is not None
        else float(given.current_a or 0.0)
    )
    require_range("current_a", current, 0.001, high=60, unit="A")
    side = {"fuse": "ground", "ground": "supply", "unknown": "unknown"}[given.other_wire_leads_to]
    fuse = next((f for f in FUSES_A if f >= 1.25 * current and f <= given.wire_limit_a), None)
    allowed = side != "unknown" and fuse is not None
    lamp = None if given.lamp_a is None else given.lamp_a >= PULL_IN * current
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
        cautions=_cautions(
            side,
            None
            if fuse
            else f"No fuse carries {current:.2f} A and spares a wire of"
            f" {given.wire_limit_a:g} A: no jumper.",
            lamp,
        ),
        verdict="allowed" if allowed else "not_allowed",
        sentence=sentence,
    )


def _cautions(side: str, no_fuse: str | None, lamp_moves_it: bool | None) -> tuple[str, ...]:
    """What is said beside the verdict: where the jumper goes, what speaks against it, what a lamp
    tells."""
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
    if no_fuse:
        cautions.append(no_fuse)
    if lamp_moves_it is False:
        cautions.append(
            "A test lamp lets too little through to move it: that nothing moves proves nothing."
        )
    return tuple(cautions)


CALCULATION = Calculation(
    name="actuator-drive-check",
    title="Actuator drive check",
    question="May this actuator be driven by a jumper, and how?",
    takes=DriveInput,
    run=actuator_drive_check,
    place=10,
)
