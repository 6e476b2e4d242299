"""A simulated engine of a family: readings that agree with the product's own physics, with a
meter's scatter."""

import math
import random
from dataclasses import dataclass

from galene.core.airpath.family import EngineFamily
from galene.core.calculations.idle_gap import IdleGapInput, idle_gap
from galene.core.flow import PSI_MAX, charge_flow_g_s, psi


@dataclass(frozen=True, kw_only=True)
class EngineState:
    """What is wrong with it: deposit at the plate (mm), air past the meter (g/s), the meter's gain,
    roughness in rpm, share of the charge that is exhaust gas where it should be none."""

    deposit_mm: float = 0.0
    leak_g_s: float = 0.0
    meter_gain: float = 1.0
    roughness_rpm: float = 8.0
    barometer_kpa: float = 101.1
    intake_c: float = 19.0
    recirculated: float = 0.0


def idle_samples(
    family: EngineFamily, state: EngineState, seed: int, *, rpm: float = 740.0, count: int = 5
) -> dict[str, list[float | None]]:
    """Readings of a warm idle, by channel, kept units."""
    chance = random.Random(seed)
    throttled = family.fuel == "petrol" and family.cycle == "four_stroke"
    strokes = 2 if family.cycle == "two_stroke" else 4
    found: dict[str, list[float | None]] = {
        c: []
        for c in (
            "idle_rpm",
            "idle_airflow_g_s",
            "idle_map_kpa",
            "learned_throttle_percent",
            "trim_idle_percent",
        )
    }
    for _ in range(count):
        speed = rpm + chance.gauss(0, state.roughness_rpm)
        pressure = (
            32.4 + chance.gauss(0, 0.25) + state.roughness_rpm * 0.05
            if throttled
            else state.barometer_kpa - 0.9 + chance.gauss(0, 0.2)
        )
        charge = charge_flow_g_s(
            family.displacement_l,
            speed,
            pressure,
            charge_c=state.intake_c + 12,
            volumetric_efficiency=family.volumetric_efficiency_idle,
            strokes=strokes,
        )
        past_plate = charge * (1 - state.recirculated) - state.leak_g_s
        shown = state.meter_gain * past_plate
        trim = (1 / state.meter_gain - 1 + state.leak_g_s / shown) * 100
        found["idle_rpm"].append(round(speed))
        found["idle_airflow_g_s"].append(round(shown, 2))
        found["idle_map_kpa"].append(round(pressure, 1))
        found["learned_throttle_percent"].append(
            _learned(family, state, past_plate, pressure=pressure) if throttled else None
        )
        found["trim_idle_percent"].append(round(trim + chance.gauss(0, 0.4), 1))
    return found


def _learned(
    family: EngineFamily, state: EngineState, past_plate: float, *, pressure: float
) -> float | None:
    """What the control unit shows as throttle opening for this much air."""
    bore = next((p.bore_mm for p in family.parts if p.component == "throttle_body"), None)
    if bore is None:
        return None
    gap = idle_gap(
        IdleGapInput(
            bore_mm=bore,
            closed_angle_deg=family.closed_angle_deg,
            idle_air_g_s=past_plate,
            intake_kpa=state.barometer_kpa - 0.6,
            intake_c=state.intake_c,
            manifold_kpa=pressure,
            discharge_coefficient=0.82,
            deposit_mm=state.deposit_mm,
        )
    )
    return round((gap.angle_fouled_deg - family.closed_angle_deg) / family.degrees_per_percent, 1)


def trim_samples(
    family: EngineFamily, state: EngineState, seed: int
) -> dict[str, list[float | None]]:
    """Held points of airflow and trim, by channel."""
    chance = random.Random(seed)
    found: dict[str, list[float | None]] = {
        c: [] for c in ("rpm", "airflow_g_s", "trim_percent", "map_kpa")
    }
    for rpm, pressure in ((740.0, 32.6), (1500.0, 34.5), (2500.0, 38.0), (2500.0, 62.0)):
        true = charge_flow_g_s(
            family.displacement_l,
            rpm,
            pressure,
            charge_c=state.intake_c + 12,
            volumetric_efficiency=family.volumetric_efficiency_idle + rpm / 50000,
        )
        leak = state.leak_g_s * psi(pressure / state.barometer_kpa) / PSI_MAX
        shown = state.meter_gain * (true - leak)
        found["rpm"].append(round(rpm + chance.gauss(0, 6)))
        found["airflow_g_s"].append(round(shown, 2))
        found["trim_percent"].append(
            round((1 / state.meter_gain - 1 + leak / shown) * 100 + chance.gauss(0, 0.25), 1)
        )
        found["map_kpa"].append(pressure)
    return found


def deposit_profile(
    thickest_mm: float, thinnest_mm: float, points: int, *, seed: int, low_at_deg: float = 180.0
) -> tuple[float, ...]:
    """Thickness round a bore: thickest where oil runs to, thinnest opposite, with a hand's scatter;
    mm to a tenth."""
    chance = random.Random(seed)
    middle, swing = (thickest_mm + thinnest_mm) / 2, (thickest_mm - thinnest_mm) / 2
    return tuple(
        round(
            max(
                0.0,
                middle
                + swing * math.cos(2 * math.pi * i / points - math.radians(low_at_deg))
                + chance.gauss(0, swing * 0.08),
            ),
            1,
        )
        for i in range(points)
    )
