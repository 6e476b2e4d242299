"""Liquid into a running engine and media onto valves: `ingestion-limit`, `blast-positions`."""

from dataclasses import dataclass, field
from itertools import combinations
from typing import Any, ClassVar

from galene.core.calculations.declaring import Calculation, asked, check_ranges
from galene.core.calculations.strict import STRICT
from galene.core.errors import require


@dataclass(frozen=True, kw_only=True)
class BlastInput:
    """Firing order by cylinder number; intake opens before and closes after its dead centres,
    degrees of crank."""

    firing_order: list[int] = field(
        metadata=asked(label="Firing order", start="1-3-4-2", text="line")
    )
    intake_opens_btdc_deg: float = field(
        metadata=asked(
            label="Intake opens before dead centre",
            quantity="angle",
            start="12",
            low=-60,
            high=120,
            unit="degrees",
        )
    )
    intake_closes_abdc_deg: float = field(
        metadata=asked(
            label="Intake closes after dead centre",
            quantity="angle",
            start="52",
            low=-60,
            high=160,
            unit="degrees",
        )
    )
    margin_deg: float = field(
        default=10.0,
        metadata=asked(
            label="Margin", quantity="angle", start="10", low=0, high=60, unit="degrees"
        ),
    )
    start_deg: float = field(
        default=0.0,
        metadata=asked(
            label="The crank stands at",
            quantity="angle",
            start="0",
            low=0,
            high=720,
            unit="degrees",
        ),
    )
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True)
class BlastPosition:
    """A crank position (degrees past the first cylinder's firing dead centre) and the cylinders to
    blast there."""

    crank_deg: float
    cylinders: tuple[int, ...]


@dataclass(frozen=True, kw_only=True)
class BlastResult:
    """Positions in the order of turning, and how far the crank is turned forward in all."""

    positions: tuple[BlastPosition, ...]
    rotation_deg: float
    verdict: str
    sentence: str


def blast_positions(given: BlastInput) -> BlastResult:
    """Fewest crank positions at which every cylinder's intake valve is shut once, then least
    forward turning.

    Raises
    ------
    InputError
        A firing order that is none, valves that are never shut.

    Notes
    -----
    Cycle angle 0 is a cylinder's firing dead centre; its intake is shut outside (360 - IVO -
    margin, 540 + IVC + margin). Only where a valve just shuts can a position be moved no further
    back, so those points and the start are tried.
    """
    check_ranges(given)
    order = given.firing_order
    require(1 <= len(order) <= 16, "firing_order", len(order), allowed="1 to 16 cylinders")
    require(
        sorted(order) == list(range(1, len(order) + 1)),
        "firing_order",
        order,
        allowed=f"each cylinder from 1 to {len(order)} once",
    )
    opens, shuts = (
        360 - given.intake_opens_btdc_deg - given.margin_deg,
        540 + given.intake_closes_abdc_deg + given.margin_deg,
    )
    require(
        shuts - opens < 720,
        "margin_deg",
        given.margin_deg,
        allowed="a margin that leaves the valve shut for a part of the cycle",
    )
    fires = {cylinder: 720.0 * i / len(order) for i, cylinder in enumerate(order)}

    def shut(cylinder: int, crank: float) -> bool:
        angle = (crank - fires[cylinder]) % 720
        return angle <= opens + 1e-9 or angle >= shuts - 1e-9

    def turned(crank: float) -> float:
        return (crank - given.start_deg) % 720

    places = sorted({given.start_deg % 720, *((fires[c] + shuts) % 720 for c in order)}, key=turned)
    for count in range(1, len(order) + 1):
        fitting = [
            s for s in combinations(places, count) if all(any(shut(c, p) for p in s) for c in order)
        ]
        if fitting:
            best = min(fitting, key=lambda s: max(turned(p) for p in s))
            left, positions = set(order), []
            for crank in sorted(best, key=turned):
                here = tuple(c for c in sorted(left) if shut(c, crank))
                left -= set(here)
                positions.append(BlastPosition(crank, here))
            rotation = max(turned(p) for p in best)
            words = "; ".join(
                f"{p.crank_deg:.0f}°: cylinder {', '.join(map(str, p.cylinders))}"
                for p in positions
            )
            return BlastResult(
                positions=tuple(positions),
                rotation_deg=rotation,
                verdict="found",
                sentence=f"{len(positions)} positions, {rotation:.0f}° forward in all. {words}.",
            )
    raise AssertionError("each cylinder is shut at the point where it shuts")


CALCULATION = Calculation(
    name="blast-positions",
    title="Blast positions",
    question="Where must the crank stand so that each intake valve is shut?",
    takes=BlastInput,
    run=blast_positions,
    place=13,
)
