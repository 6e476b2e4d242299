"""What the newest figures of an idling engine say by themselves: which part lets less through than
when clean, or does not go where it is told."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from galene.core.airpath.family import Band, EngineFamily
from galene.core.airpath.natures import kind_is
from galene.core.calculations.egr_flow_test import FlowTestInput, IdlePoint, egr_flow_test
from galene.core.calculations.expected_airflow import ExpectedAirflowInput, expected_airflow
from galene.core.diagnosis.inference import HEATED_C
from galene.core.errors import InputError

Rule = Literal["gap", "passage", "does_not_open", "stands_open", "flaps", "meter_low", "meter_high"]
STRAY_PERCENT = 10.0
"""How far a valve or a flap may stand from where it is told: more than its sensor's error and the
time that it takes (project default)."""
GAP_PERCENT = 0.4
"""One step of a throttle's position as it is told on the bus (SAE J1979: 100/255 %)."""
OPEN_PERCENT = 80.0
"""From where a valve counts as open: what comes back is then for the passage to say."""
GAS_C, EXHAUST_OVER_KPA = 190.0, 2.0
"""The gas at the valve and the exhaust's pressure over the air outside at a warm idle, where they
are not read (as the flow test by hand begins)."""
SHUT_PERCENT, HELD_OFF_PERCENT, LEAST_TOLD = 3.0, 5.0, 15.0
"""Up to where a valve counts as shut, from where one that is told to shut is held off its seat, and
from where it counts as told to open."""
WARM_C, STANDS_KM_H, FOOT_PERCENT = 70.0, 2.0, 2.0
IDLE_SPEEDS = (0.8, 1.3)
"""Share of the family's band of idle speeds within which an engine idles at all."""


@dataclass(frozen=True, kw_only=True)
class Stand:
    """One thing that the figures say of a part.

    Attributes
    ----------
    rule : what is said
    part : the part's id
    read : what is read; percent, for a meter g/s
    clean : the end of what is right: of the band, where it is told to stand, of a passage's clean
        area its whole; for a meter what speed and pressure take, g/s
    """

    rule: Rule
    part: str
    read: float
    clean: float

    @property
    def restricts(self) -> bool:
        """Whether it lets less air or gas through."""
        return self.rule in ("gap", "passage", "does_not_open")


def idles(family: EngineFamily, bands: Mapping[str, Band], means: Mapping[str, float]) -> bool:
    """Whether these are figures of a warm idle without a foot on the pedal."""
    band, speed = bands.get("idle_rpm"), means.get("rpm")
    if band is None or speed is None:
        return False
    warm = family.cooling != "liquid" or means.get("coolant_c", 0.0) >= WARM_C
    stands = means.get("speed_kmh", 0.0) < STANDS_KM_H
    foot = means.get("pedal_pct", 0.0) > FOOT_PERCENT
    return (
        warm
        and stands
        and not foot
        and (IDLE_SPEEDS[0] * band.low <= speed <= IDLE_SPEEDS[1] * band.high)
    )


def stands(
    family: EngineFamily,
    bands: Mapping[str, Band],
    means: Mapping[str, float],
    *,
    shut: Mapping[str, float] | None = None,
) -> tuple[Stand, ...]:
    """What the figures say; nothing where the engine does not idle warm.

    Parameters
    ----------
    bands : the engine's own bands, kept units
    means : means of some seconds by the bridge's column, kept units
    shut : the same from just before the valve was opened, None where it was not
    """
    if not idles(family, bands, means):
        return ()
    found = [
        *_gap(family, bands, means),
        *_valve(family, means),
        *(_passage(family, bands, shut, means) if shut else ()),
        *_flaps(family, means),
        *_meter(family, means),
    ]
    return tuple(found)


def _part(family: EngineFamily, nature: str) -> str | None:
    return next((p.id for p in family.parts if kind_is(p.component, nature)), None)


def _gap(
    family: EngineFamily, bands: Mapping[str, Band], means: Mapping[str, float]
) -> list[Stand]:
    """A motor that opens further than when clean to hold the same idle: its gap is narrower."""
    part, read = _part(family, "plate"), means.get("throttle_pct")
    band = bands.get("learned_throttle_percent")
    if part is None or read is None or band is None or read <= band.high + GAP_PERCENT:
        return []
    return [Stand(rule="gap", part=part, read=read, clean=band.high)]


def _valve(family: EngineFamily, means: Mapping[str, float]) -> list[Stand]:
    part = _part(family, "gas_valve")
    told, read = means.get("egr_command_pct"), means.get("egr_position_pct")
    if part is None or told is None or read is None:
        return []
    if told >= LEAST_TOLD and told - read > STRAY_PERCENT:
        return [Stand(rule="does_not_open", part=part, read=read, clean=told)]
    if told < SHUT_PERCENT and read > HELD_OFF_PERCENT:
        return [Stand(rule="stands_open", part=part, read=read, clean=told)]
    return []


def _passage(
    family: EngineFamily,
    bands: Mapping[str, Band],
    shut: Mapping[str, float],
    opened: Mapping[str, float],
) -> list[Stand]:
    """How much of the clean passage passes gas, by what the opened valve does to the idle."""
    part, band = _part(family, "passage"), bands.get("egr_area_mm2")
    known = all(name in read for read in (shut, opened) for name in ("rpm", "manifold_kpa"))
    if part is None or band is None or not known:
        return []
    outside = opened.get("baro_kpa", 101.3)
    try:
        found = egr_flow_test(
            FlowTestInput(
                closed=IdlePoint(shut["manifold_kpa"], shut["rpm"]),
                open=IdlePoint(opened["manifold_kpa"], opened["rpm"]),
                ambient_kpa=outside,
                intake_c=opened.get("intake_c", 28.0) + HEATED_C,
                exhaust_kpa=outside + EXHAUST_OVER_KPA,
                exhaust_c=opened.get("egr_gas_c", GAS_C),
                displacement_l=family.displacement_l,
                volumetric_efficiency=family.volumetric_efficiency_idle,
                reference_area_mm2=(band.low + band.high) / 2,
            )
        )
    except InputError:  # figures that no flow explains: the test itself says so
        return []
    if found.verdict not in ("plugged", "restricted") or found.percent_of_reference is None:
        return []
    return [Stand(rule="passage", part=part, read=found.percent_of_reference, clean=100.0)]


def _flaps(family: EngineFamily, means: Mapping[str, float]) -> list[Stand]:
    part = _part(family, "flaps")
    told, read = means.get("runner_command_pct"), means.get("runner_position_pct")
    if part is None or told is None or read is None or abs(told - read) <= STRAY_PERCENT:
        return []
    return [Stand(rule="flaps", part=part, read=read, clean=told)]


def _meter(family: EngineFamily, means: Mapping[str, float]) -> list[Stand]:
    """The meter against speed and density, where nothing else comes in by the valve."""
    part = _part(family, "main_meter")
    needs = ("rpm", "manifold_kpa", "air_g_s", "intake_c")
    open_valve = means.get("egr_position_pct", 0.0) >= SHUT_PERCENT
    if part is None or open_valve or any(n not in means for n in needs):
        return []
    found = expected_airflow(
        ExpectedAirflowInput(
            displacement_l=family.displacement_l,
            rpm=means["rpm"],
            map_kpa=means["manifold_kpa"],
            intake_c=means["intake_c"] + HEATED_C,
            volumetric_efficiency=family.volumetric_efficiency_idle,
            strokes=2 if family.cycle == "two_stroke" else 4,
            measured_g_s=max(0.0, means["air_g_s"]),
        )
    )
    if found.verdict not in ("reads_low", "reads_high"):
        return []
    rule: Rule = "meter_low" if found.verdict == "reads_low" else "meter_high"
    return [Stand(rule=rule, part=part, read=means["air_g_s"], clean=found.expected_g_s)]
