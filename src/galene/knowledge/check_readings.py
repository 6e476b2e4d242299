"""Checks that a calculation reads: what the family fills in beforehand, what is to be expected,
what the verdict says as evidence."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from galene.core.airpath.family import EngineFamily

Evidence = Mapping[str, tuple[str, float]]
"""Evidence id to its state and how sure the reading is."""


@dataclass(frozen=True, kw_only=True)
class CheckReading:
    """A check and the calculation that reads it.

    `fill` gives field values (kept units) that the family knows, `expect` a sentence of what a
    sound engine shows, `says` gives evidence by the calculation's verdict; an inconclusive one says
    nothing.
    """

    check: str
    calculation: str
    fill: Callable[[EngineFamily], Mapping[str, float]]
    expect: Callable[[EngineFamily], str]
    says: Mapping[str, Evidence]

    @property
    def speaks_of(self) -> frozenset[str]:
        """Evidence that a run can set, and that the next run takes back where it does not say it
        again."""
        return frozenset(evidence for said in self.says.values() for evidence in said)


def _engine(family: EngineFamily) -> dict[str, float]:
    return {
        "displacement_l": family.displacement_l,
        "volumetric_efficiency": family.volumetric_efficiency_idle,
    }


def _passage(family: EngineFamily) -> dict[str, float]:
    band = family.bands.get("egr_area_mm2")
    return {
        **_engine(family),
        **({"reference_area_mm2": (band.low + band.high) / 2} if band else {}),
    }


def _passage_words(family: EngineFamily) -> str:
    band = family.bands.get("egr_area_mm2")
    return (
        f"A clean passage of this engine is {band.low:g} to {band.high:g} mm² open."
        if band
        else "No clean value is known for this engine yet: this test can become it."
    )


PASSAGE: dict[str, Evidence] = {
    "plugged": {"egr_test_area_small": ("present", 0.95)},
    "restricted": {"egr_test_area_small": ("present", 0.8)},
    "clear": {"egr_test_area_small": ("absent", 0.92)},
    "stalled": {"egr_test_area_small": ("absent", 0.92)},
}


def _nothing(family: EngineFamily) -> dict[str, float]:
    return {}


READINGS: dict[str, CheckReading] = {
    r.check: r
    for r in (
        CheckReading(
            check="egr_flow_test",
            calculation="egr-flow-test",
            fill=_passage,
            expect=_passage_words,
            says=PASSAGE,
        ),
        CheckReading(
            check="egr_dp_crosscheck",
            calculation="egr-flow-crosscheck",
            fill=_engine,
            expect=lambda f: "Sensor and balance agree within what the figures can be off.",
            says={
                "ports_blocked": {
                    "dp_low_but_balance_high": ("present", 0.95),
                    "dp_and_balance_low": ("absent", 0.9),
                },
                "true_low_flow": {
                    "dp_and_balance_low": ("present", 0.9),
                    "dp_low_but_balance_high": ("absent", 0.85),
                },
                "agree": {
                    "dp_low_but_balance_high": ("absent", 0.9),
                    "dp_and_balance_low": ("absent", 0.8),
                },
                "sensor_high": {
                    "dp_reads_high_after_cleaning": ("present", 0.8),
                    "dp_low_but_balance_high": ("absent", 0.9),
                },
            },
        ),
        CheckReading(
            check="airflow_against_expected",
            calculation="expected-airflow",
            fill=_engine,
            expect=lambda f: "The meter stands inside the shaded range of the expected air.",
            says={
                "reads_low": {"airflow_reads_low": ("present", 0.85)},
                "agree": {"airflow_reads_low": ("absent", 0.85)},
                "reads_high": {"airflow_reads_low": ("absent", 0.85)},
            },
        ),
        CheckReading(
            check="oxygen_response",
            calculation="oxygen-response",
            fill=_nothing,
            expect=lambda f: (
                "Several crossings in ten seconds over more than half a volt,"
                " each in a fraction of a second."
            ),
            says={
                "slow": {
                    "oxygen_response_slow": ("present", 0.9),
                    "oxygen_response_flat": ("absent", 0.95),
                },
                "flat": {
                    "oxygen_response_flat": ("present", 0.95),
                    "oxygen_response_slow": ("absent", 0.8),
                },
                "alive": {
                    "oxygen_response_slow": ("absent", 0.9),
                    "oxygen_response_flat": ("absent", 0.97),
                },
            },
        ),
        CheckReading(
            check="regeneration_trace",
            calculation="regeneration-trace",
            fill=_nothing,
            expect=lambda f: "Hot before and behind the filter for the needed minutes.",
            says={
                "complete": {"burn_off_incomplete": ("absent", 0.9)},
                "partial": {"burn_off_incomplete": ("present", 0.85)},
                "no_ignition": {"burn_off_incomplete": ("present", 0.95)},
                "burns_at_catalyst": {"burn_off_incomplete": ("present", 0.9)},
            },
        ),
        CheckReading(
            check="runner_sweep_commanded",
            calculation="runner-sweep",
            fill=_nothing,
            expect=lambda f: "The whole travel, up and down alike.",
            says={
                "ok": {"flap_stiff": ("absent", 0.85)},
                "sticky": {"flap_stiff": ("present", 0.8)},
                "short_travel": {"flap_stiff": ("present", 0.75)},
                "over_travel": {"lever_unhooked_seen": ("present", 0.75)},
            },
        ),
        CheckReading(
            check="throttle_sweep",
            calculation="runner-sweep",
            fill=lambda f: {"expected_travel": 85.0},
            expect=lambda f: "Position follows the hand or foot without steps, up and down alike.",
            says={
                "ok": {"plate_sticks": ("absent", 0.9)},
                "sticky": {"plate_sticks": ("present", 0.9)},
                "short_travel": {"plate_sticks": ("present", 0.75)},
            },
        ),
        CheckReading(
            check="drive_side_trace",
            calculation="actuator-drive-check",
            fill=_nothing,
            expect=lambda f: (
                "One of the coil's wires leads to a fuse or to ground: the other is switched."
            ),
            says={},
        ),
    )
}
ALLOWS_JUMPER = "drive_side_trace"
"""The check whose verdict opens a jumper test."""
