"""Checks that a calculation reads: what the family fills in beforehand, what is to be expected,
what the verdict says as evidence."""

from collections.abc import Mapping
from dataclasses import dataclass, field

from galene.core.airpath.family import EngineFamily
from galene.knowledge.documents import table

Evidence = Mapping[str, tuple[str, float]]
"""Evidence id to its state and how sure the reading is."""


def _of_engine(family: EngineFamily) -> dict[str, float]:
    return {
        "displacement_l": family.displacement_l,
        "volumetric_efficiency": family.volumetric_efficiency_idle,
    }


def _of_passage(family: EngineFamily) -> dict[str, float]:
    band = family.bands.get("egr_area_mm2")
    return {"reference_area_mm2": (band.low + band.high) / 2} if band else {}


FILLS = {"engine": _of_engine, "passage": _of_passage}
"""What a family can fill in: its size and filling, its clean passage."""


@dataclass(frozen=True, kw_only=True)
class CheckReading:
    """A check and the calculation that reads it.

    `fills` are words of `FILLS` whose field values (kept units) the family knows, `given` those
    that are always the same, `expects` a sentence of what a sound engine shows, the family's own
    passage where it is empty; `says` gives evidence by the calculation's verdict; an inconclusive
    one says nothing.
    """

    check: str
    calculation: str
    fills: tuple[str, ...] = ()
    given: Mapping[str, float] = field(default_factory=dict)
    expects: str = ""
    says: Mapping[str, Evidence] = field(default_factory=dict)

    def fill(self, family: EngineFamily) -> dict[str, float]:
        """Field values that are known beforehand."""
        return {
            **self.given,
            **{k: v for name in self.fills for k, v in FILLS[name](family).items()},
        }

    def expect(self, family: EngineFamily) -> str:
        """What a sound engine shows."""
        if self.expects:
            return self.expects
        band = family.bands.get("egr_area_mm2")
        return (
            f"A clean passage of this engine is {band.low:g} to {band.high:g} mm² open."
            if band
            else "No clean value is known for this engine yet: this test can become it."
        )

    @property
    def speaks_of(self) -> frozenset[str]:
        """Evidence that a run can set, and that the next run takes back where it does not say it
        again."""
        return frozenset(evidence for said in self.says.values() for evidence in said)


READINGS: dict[str, CheckReading] = table(
    "check_readings.toml", CheckReading, "readings", by="check"
)
ALLOWS_JUMPER = "drive_side_trace"
"""The check whose verdict opens a jumper test."""
