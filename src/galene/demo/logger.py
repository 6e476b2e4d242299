"""A data logger on the simulated engine: idle, fast idle, a steady 2500, and the recirculation
valve commanded open at idle."""

import random

from galene.core.airpath.family import EngineFamily
from galene.core.flow import KELVIN, PSI_MAX, charge_flow_g_s, orifice_area_mm2, psi
from galene.demo.engine import EngineState

RATE_HZ, EXHAUST_KPA, EXHAUST_C, CD = 5, 103.0, 190.0, 0.8
HOLDS = (
    (55.0, "idle"),
    (35.0, "1500"),
    (35.0, "2500"),
    (30.0, "idle"),
    (14.0, "open"),
    (16.0, "idle"),
)
"""Seconds of each part of the run."""


def opened_manifold_kpa(
    family: EngineFamily,
    state: EngineState,
    closed_kpa: float,
    *,
    closed_rpm: float,
    open_rpm: float,
    passage_mm2: float,
) -> float:
    """Manifold pressure of a held idle with the valve open: where the throttle's air and the
    passage's gas fill the cylinders."""
    charge_c = state.intake_c + 12
    shut = charge_flow_g_s(
        family.displacement_l,
        closed_rpm,
        closed_kpa,
        charge_c=charge_c,
        volumetric_efficiency=family.volumetric_efficiency_idle,
    )

    def lacking(pressure: float) -> float:
        fresh = shut * psi(pressure / state.barometer_kpa) / psi(closed_kpa / state.barometer_kpa)
        gas = passage_mm2 / orifice_area_mm2(
            1.0, EXHAUST_KPA, pressure, up_c=EXHAUST_C, discharge_coefficient=CD
        )
        pumped = charge_flow_g_s(
            family.displacement_l,
            open_rpm,
            pressure,
            charge_c=charge_c,
            volumetric_efficiency=family.volumetric_efficiency_idle,
        )
        return fresh + gas * (EXHAUST_C + KELVIN) / (charge_c + KELVIN) - pumped

    low, high = 5.0, state.barometer_kpa - 1
    for _ in range(60):
        middle = (low + high) / 2
        low, high = (middle, high) if lacking(middle) > 0 else (low, middle)
    return (low + high) / 2


def recorded(
    family: EngineFamily, state: EngineState, seed: int, *, idle_rpm: float, passage_mm2: float
) -> str:
    """The run as a logger writes it: semicolons, decimal commas, units in the headings, a gap now
    and then."""
    chance = random.Random(seed)
    charge_c = state.intake_c + 12
    droop = idle_rpm - 60 * min(1.0, passage_mm2 / 30)
    levels = {
        "idle": (idle_rpm, 32.5, 0.0),
        "1500": (1500.0, 33.8, 0.0),
        "2500": (2500.0, 37.5, 0.0),
        "open": (
            droop,
            opened_manifold_kpa(
                family, state, 32.5, closed_rpm=idle_rpm, open_rpm=droop, passage_mm2=passage_mm2
            ),
            100.0,
        ),
    }
    lines = [
        "Time (s);Engine RPM;MAP (kPa);MAF (g/s);Short trim bank 1 (%);Long trim bank 1 (%);Coolant"
        " (°C);Intake air (°C);EGR commanded (%);EGR position (%)"
    ]
    rpm, pressure, position, clock = idle_rpm, 32.5, 0.0, 0.0
    for seconds, hold in HOLDS:
        for _ in range(int(seconds * RATE_HZ)):
            target_rpm, target_kpa, command = levels[hold]
            rpm += (target_rpm - rpm) * 0.35
            pressure += (target_kpa - pressure) * 0.4
            position += (command * 0.97 - position) * 0.6
            speed, kpa = (
                rpm + chance.gauss(0, state.roughness_rpm),
                pressure + chance.gauss(0, 0.25),
            )
            pumped = charge_flow_g_s(
                family.displacement_l,
                speed,
                kpa,
                charge_c=charge_c,
                volumetric_efficiency=family.volumetric_efficiency_idle
                + max(0.0, speed - idle_rpm) / 50_000,
            )
            true = (
                pumped
                if command == 0
                else charge_flow_g_s(
                    family.displacement_l,
                    idle_rpm,
                    32.5,
                    charge_c=charge_c,
                    volumetric_efficiency=family.volumetric_efficiency_idle,
                )
            )
            leak = state.leak_g_s * psi(kpa / state.barometer_kpa) / PSI_MAX
            shown = state.meter_gain * (true - leak)
            trim = (1 / state.meter_gain - 1 + leak / shown) * 100
            cells = [
                clock,
                speed,
                kpa,
                shown,
                trim * 0.35 + chance.gauss(0, 1.1),
                trim * 0.65,
                88 + min(4.0, clock / 40),
                state.intake_c + 3,
                command,
                position,
            ]
            digits = (1, 0, 1, 2, 1, 1, 0, 0, 0, 1)
            row = [f"{x:.{d}f}".replace(".", ",") for x, d in zip(cells, digits, strict=True)]
            if chance.random() < 0.01:
                row[3] = ""
            lines.append(";".join(row))
            clock += 1 / RATE_HZ
    return "\n".join(lines) + "\n"
