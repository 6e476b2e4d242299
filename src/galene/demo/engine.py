"""A simulated engine of a family: readings that agree with the product's own physics, with a meter's scatter."""

import random
from dataclasses import dataclass

from galene.core.airpath import EngineFamily
from galene.core.flow import PSI_MAX, charge_flow_g_s, psi
from galene.core.throttle import IdleGapInput, idle_gap


@dataclass(frozen=True)
class EngineState:
    """What is wrong with it: deposit at the plate (mm), air past the meter (g/s), the meter's gain, roughness in rpm."""

    deposit_mm: float = 0.0
    leak_g_s: float = 0.0
    meter_gain: float = 1.0
    roughness_rpm: float = 8.0
    barometer_kpa: float = 101.1
    intake_c: float = 19.0


def idle_samples(family: EngineFamily, state: EngineState, seed: int, rpm: float = 740.0, count: int = 5) -> dict[str, list[float | None]]:
    """Five readings of a warm idle, by channel, kept units."""
    chance = random.Random(seed)
    bore = family.part("throttle_body").bore_mm or 50.0
    found: dict[str, list[float | None]] = {
        c: [] for c in ("idle_rpm", "idle_airflow_g_s", "idle_map_kpa", "learned_throttle_percent", "trim_idle_percent")
    }
    for _ in range(count):
        speed = rpm + chance.gauss(0, state.roughness_rpm)
        pressure = 32.4 + chance.gauss(0, 0.25) + state.roughness_rpm * 0.05
        true = charge_flow_g_s(family.displacement_l, speed, pressure, state.intake_c + 12, family.volumetric_efficiency_idle)
        past_plate = true - state.leak_g_s
        gap = idle_gap(
            IdleGapInput(
                bore, family.closed_angle_deg, past_plate, state.barometer_kpa - 0.6, state.intake_c, pressure, 0.82, state.deposit_mm
            )
        )
        shown = state.meter_gain * past_plate
        trim = (1 / state.meter_gain - 1 + state.leak_g_s / shown) * 100
        found["idle_rpm"].append(round(speed))
        found["idle_airflow_g_s"].append(round(shown, 2))
        found["idle_map_kpa"].append(round(pressure, 1))
        found["learned_throttle_percent"].append(round((gap.angle_fouled_deg - family.closed_angle_deg) / family.degrees_per_percent, 1))
        found["trim_idle_percent"].append(round(trim + chance.gauss(0, 0.4), 1))
    return found


def trim_samples(family: EngineFamily, state: EngineState, seed: int) -> dict[str, list[float | None]]:
    """Held points of airflow and trim, by channel."""
    chance = random.Random(seed)
    found: dict[str, list[float | None]] = {c: [] for c in ("rpm", "airflow_g_s", "trim_percent", "map_kpa")}
    for rpm, pressure in ((740.0, 32.6), (1500.0, 34.5), (2500.0, 38.0), (2500.0, 62.0)):
        true = charge_flow_g_s(family.displacement_l, rpm, pressure, state.intake_c + 12, family.volumetric_efficiency_idle + rpm / 50000)
        leak = state.leak_g_s * psi(pressure / state.barometer_kpa) / PSI_MAX
        shown = state.meter_gain * (true - leak)
        found["rpm"].append(round(rpm + chance.gauss(0, 6)))
        found["airflow_g_s"].append(round(shown, 2))
        found["trim_percent"].append(round((1 / state.meter_gain - 1 + leak / shown) * 100 + chance.gauss(0, 0.25), 1))
        found["map_kpa"].append(pressure)
    return found
