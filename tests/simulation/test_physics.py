"""Nothing comes from nothing: mass, heat and work balance, and the engine idles where its family
says."""

import math

import pytest

from galene.core.calculations.expected_airflow import ExpectedAirflowInput, expected_airflow
from galene.core.flow import GAMMA, KELVIN
from galene.knowledge.families import FAMILIES
from galene.simulation.engine import STEP_S
from galene.simulation.vehicle import Vehicle
from tests.simulation.rides import STARTED, command, hold, over, run


def started(family: str, seconds: float) -> Vehicle:
    vehicle = Vehicle(FAMILIES[family], {})
    vehicle.key_on()
    vehicle.start()
    for _ in range(round(seconds * 100)):
        vehicle.step()
    return vehicle


@pytest.mark.parametrize("family", "ABCDEF")
def test_mass_heat_and_work_balance(family: str) -> None:
    vehicle = started(family, 20)
    engine = vehicle.engine
    if "gas_valve" in vehicle.plant.natures:
        vehicle.command("egr_valve", 8)
    vehicle.wishes.hold_rpm = 1.6 * vehicle.plant.idle_rpm
    mass, heat, work = engine.mass_g, engine.heat, engine.speed**2 / 2
    came = warmth = done = 0.0
    turned_over = 0.0
    for _ in range(800):
        intake, gas = engine.intake_c + KELVIN, engine.valve_gas_c + KELVIN
        kelvin, speed = engine.heat / engine.mass_g, engine.speed
        vehicle.step()
        flows = engine.flows
        air = flows.throttle + flows.leak
        came += STEP_S * (air + flows.recirculated - flows.cylinders)
        warmth += (
            STEP_S * GAMMA * (air * intake + flows.recirculated * gas - flows.cylinders * kelvin)
        )
        torque = flows.torque_nm - flows.friction_nm - flows.load_nm
        done += torque * STEP_S * (speed + engine.speed) / 2 / vehicle.plant.inertia_kg_m2
        turned_over += flows.cylinders * STEP_S
    assert abs(engine.mass_g - mass - came) < 1e-9 * turned_over
    assert abs(engine.heat - heat - warmth) < 1e-9 * turned_over * GAMMA * 300
    assert engine.speed**2 / 2 - work == pytest.approx(done, rel=1e-3)


@pytest.mark.parametrize("family", "ABCDEF")
def test_a_sound_engine_idles_within_its_bands(family: str) -> None:
    _, rows = run(family, seconds=50)
    for band, column in {
        "idle_rpm": "rpm",
        "idle_map_kpa": "manifold_kpa",
        "idle_airflow_g_s": "air_g_s",
        "learned_throttle_percent": "throttle_pct",
    }.items():
        known = FAMILIES[family].bands.get(band)
        if known is not None and column in rows[0]:
            assert known.low <= over(rows, column, 30, 50) <= known.high, band


@pytest.mark.parametrize(("family", "rpm"), [("A", 2500), ("B", 2000), ("C", 3000), ("D", 0)])
def test_speed_and_density_agree_with_the_meter(family: str, rpm: float) -> None:
    deeds = [*STARTED, *([(25.0, hold(rpm))] if rpm else [])]
    vehicle, rows = run(family, deeds=deeds, seconds=60)
    pressure = "manifold_kpa" if "manifold_kpa" in rows[0] else "boost_kpa"
    found = expected_airflow(
        ExpectedAirflowInput(
            displacement_l=vehicle.family.displacement_l,
            rpm=over(rows, "rpm", 40, 60),
            map_kpa=over(rows, pressure, 40, 60),
            intake_c=over(rows, "intake_c", 40, 60),
            volumetric_efficiency=vehicle.family.volumetric_efficiency_idle,
            measured_g_s=over(rows, "air_g_s", 40, 60),
        )
    )
    assert found.ratio == pytest.approx(1.0, abs=0.02)


def test_a_cold_engine_idles_faster_and_warms() -> None:
    _, rows = run("A", seconds=400, every=100, warm=False)
    assert over(rows, "rpm", 20, 40) > over(rows, "rpm", 380, 400) + 60
    assert rows[-1]["coolant_c"] > 60 > rows[30]["coolant_c"]


def test_an_engine_that_stops_takes_the_air_outside_back_in() -> None:
    deeds = [*STARTED, (20.0, lambda v: v.key_off())]
    vehicle, _ = run("E", deeds=deeds, seconds=60)
    assert vehicle.engine.rpm == 0
    assert vehicle.engine.manifold_kpa == pytest.approx(101.1, abs=0.3)


def test_a_load_at_idle_is_carried() -> None:
    deeds = [*STARTED, (30.0, lambda v: v.wishes.loads.add("air_conditioning"))]
    _, rows = run("A", deeds=deeds, seconds=60)
    assert over(rows, "air_g_s", 50, 60) > over(rows, "air_g_s", 20, 30) + 0.2
    assert over(rows, "rpm", 50, 60) == pytest.approx(780, abs=35)


def test_one_seed_makes_one_run() -> None:
    first, again, other = (run("C", seconds=15, seed=s)[1] for s in (7, 7, 8))
    assert first == again and first != other


def test_a_command_is_held_until_it_is_released() -> None:
    deeds = [*STARTED, (20.0, command("egr_valve", 6.0)), (30.0, lambda v: v.release())]
    _, rows = run("B", deeds=deeds, seconds=40)
    assert over(rows, "egr_position_pct", 25, 30) == pytest.approx(6, abs=0.2)
    assert over(rows, "egr_position_pct", 35, 40) == pytest.approx(0, abs=0.2)
    assert math.isclose(over(rows, "rpm", 35, 40), 690, rel_tol=0.05)
