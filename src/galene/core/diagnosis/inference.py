"""From readings and looks to evidence, with how sure each inference is."""

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from typing import Literal

from galene.core.airpath.family import EngineFamily
from galene.core.airpath.natures import kind_is
from galene.core.calculations.expected_airflow import ExpectedAirflowInput, expected_airflow
from galene.core.diagnosis.measured import (
    MeasuredSet,
    bank_trims_of,
    key_on_of,
    outside_pressure_kpa,
    trim_split_of,
)
from galene.core.statistics import mean

HEATED_C = 12.0
"""What the intake adds to the air on its way to the ports of a warm engine at idle (project
default)."""
WARM_C = 70.0
"""Coolant from which a family's warm idle bands hold (project default)."""
IDLE_SIGNS: tuple[tuple[str, str, float], ...] = (
    ("learned_throttle_percent", "learned_opening_high", 0.8),
    ("idle_airflow_g_s", "idle_airflow_high", 0.3),
)
"""Channel at idle, the evidence over its band, and the step by which a reading grows sure."""
TRIM_SIGNS: tuple[tuple[str, tuple[str, ...]], ...] = (
    ("trim_leak_shape", ("leak", "both")),
    ("trim_meter_shape", ("meter", "both")),
    ("trim_rises_with_airflow", ("rises",)),
)
"""Evidence and the verdicts of the trim split that show it."""
GRADE_SURE = (0.95, 0.85, 0.85, 0.95, 0.98)
"""How sure a look is by its grade: clean and caked are told easily, light deposit less so."""
DIRTY_FROM = 2
BLOCKED_FROM = 3


@dataclass(frozen=True, kw_only=True)
class Inference:
    """One piece of evidence that follows: present or absent, how sure, and out of what."""

    evidence: str
    present: bool
    confidence: float
    source: Literal["calculation", "look"]

    @property
    def state(self) -> str:
        """The state in words of the vocabulary."""
        return "present" if self.present else "absent"


@dataclass(frozen=True, kw_only=True)
class LookSign:
    """The evidence that a look at a kind of part gives, and whether it means that it is clean."""

    evidence: str
    means_clean: bool = False


@dataclass(frozen=True, kw_only=True)
class LookSeen:
    """A look at a part: its kind, the grade 0 to 4, the kind of deposit."""

    component: str
    grade: int
    deposit: str = ""


@dataclass(frozen=True, kw_only=True)
class BeforeWork:
    """Everything measured and seen before the work.

    Parameters
    ----------
    altitude_m : of the workshop, m; stands in for a barometer
    """

    idle: MeasuredSet | None = None
    trims: MeasuredSet | None = None
    key_on: MeasuredSet | None = None
    looks: tuple[LookSeen, ...] = ()
    altitude_m: float = 0.0


def inferred(
    family: EngineFamily,
    before: BeforeWork,
    *,
    signs: Mapping[str, LookSign],
    vocabulary: Collection[str],
) -> dict[str, Inference]:
    """All evidence that readings and looks give, by its id.

    Parameters
    ----------
    signs : kind of part to what a look at it shows
    vocabulary : ids of evidence that the diagnosis knows
    """
    found = [
        *_of_idle(family, before.idle),
        *_of_trims(before),
        *_of_key_on(before, vocabulary),
    ]
    for look in before.looks:
        found += _of_look(look, signs)
    return {one.evidence: one for one in found}


def margin_confidence(value: float, limit: float, step: float) -> float:
    """0.6 at the band's edge to 0.97 two steps off: a reading near its limit says little.

    Parameters
    ----------
    value, limit : a reading and its band's edge, in one unit
    step : the distance at which a reading is hardly in doubt, in that unit

    Examples
    --------
    >>> margin_confidence(3.0, 3.0, 0.8), margin_confidence(9.0, 3.0, 0.8)
    (0.6, 0.97)
    """
    return min(0.97, max(0.6, 0.6 + 0.185 * abs(value - limit) / step))


def _of_idle(family: EngineFamily, idle: MeasuredSet | None) -> list[Inference]:
    if idle is None or not _warm_and_free(idle):
        return []
    found = []
    for channel, evidence, step in IDLE_SIGNS:
        values, band = idle.column(channel), family.bands.get(channel)
        if values and band:
            value = mean(values)
            found.append(
                Inference(
                    evidence=evidence,
                    present=value > band.high,
                    confidence=margin_confidence(value, band.high, step),
                    source="calculation",
                )
            )
    return [*found, *_of_airflow(family, idle)]


def _warm_and_free(idle: MeasuredSet) -> bool:
    """Whether the family's warm idle bands hold: not cold, not limited by the control unit."""
    warm = idle.conditions.warm or (idle.conditions.coolant_c or 0) >= WARM_C
    return warm and not idle.conditions.protective_mode


def _of_airflow(family: EngineFamily, idle: MeasuredSet) -> list[Inference]:
    air, pressure, speed = (
        idle.column(c) for c in ("idle_airflow_g_s", "idle_map_kpa", "idle_rpm")
    )
    # A diesel's recirculation would pass for a meter that reads low.
    if not (air and pressure and speed and family.fuel == "petrol"):
        return []
    intake = idle.conditions.intake_c
    result = expected_airflow(
        ExpectedAirflowInput(
            displacement_l=family.displacement_l,
            rpm=mean(speed),
            map_kpa=mean(pressure),
            intake_c=40.0 if intake is None else intake + HEATED_C,
            volumetric_efficiency=family.volumetric_efficiency_idle,
            strokes=2 if family.cycle == "two_stroke" else 4,
            measured_g_s=mean(air),
            volumetric_efficiency_tolerance=0.08,
        )
    )
    return [
        Inference(
            evidence="airflow_reads_low",
            present=result.verdict == "reads_low",
            confidence=0.8,
            source="calculation",
        )
    ]


def _of_trims(before: BeforeWork) -> list[Inference]:
    outside = outside_pressure_kpa(before.key_on, before.altitude_m)
    split = trim_split_of(before.trims, outside)
    found = []
    if split and split.verdict != "not_enough":
        found = [
            Inference(
                evidence=evidence,
                present=split.verdict in verdicts,
                confidence=0.92,
                source="calculation",
            )
            for evidence, verdicts in TRIM_SIGNS
        ]
    banks = bank_trims_of(before.trims)
    if banks and banks.verdict != "undecided":
        found.append(
            Inference(
                evidence="lean_one_bank",
                present=banks.one_is_lean,
                confidence=0.9,
                source="calculation",
            )
        )
    return found


def _of_key_on(before: BeforeWork, vocabulary: Collection[str]) -> list[Inference]:
    result = key_on_of(before.key_on, before.altitude_m)
    if result is None or result.verdict not in ("agree", "one_off"):
        return []
    return [
        Inference(
            evidence=evidence,
            present=deviation.component == result.suspect,
            confidence=0.95,
            source="calculation",
        )
        for deviation in result.deviations
        if (evidence := f"key_on_one_off:{deviation.component}") in vocabulary
    ]


def _of_look(look: LookSeen, signs: Mapping[str, LookSign]) -> list[Inference]:
    dirty, sure = look.grade >= DIRTY_FROM, GRADE_SURE[look.grade]

    def seen(evidence: str, present: bool) -> Inference:
        return Inference(evidence=evidence, present=present, confidence=sure, source="look")

    found = []
    sign = signs.get(look.component)
    if sign:
        found.append(seen(sign.evidence, dirty != sign.means_clean))
    if kind_is(look.component, "main_meter"):
        found.append(seen("maf_oily_seen", dirty and look.deposit == "oil_film"))
    if kind_is(look.component, "paper"):
        found.append(seen("filter_light_blocked", look.grade >= BLOCKED_FROM))
    return found
