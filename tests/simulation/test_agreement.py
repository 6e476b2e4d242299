"""The trade's own arithmetic over what the simulated car shows finds what is wrong with it."""

import math

import pytest

from galene.core.calculations.before_after import BeforeAfterInput, MetricValue, before_after
from galene.core.calculations.conditions import BothConditions, Conditions
from galene.core.calculations.egr_flow_crosscheck import CrosscheckInput, egr_flow_crosscheck
from galene.core.calculations.egr_flow_test import FlowTestInput, FlowTestResult, egr_flow_test
from galene.core.calculations.idle_gap import IdleGapInput, idle_gap
from galene.core.calculations.key_on_agreement import (
    KeyOnInput,
    PressureReading,
    key_on_agreement,
)
from galene.core.calculations.oxygen_response import OxygenInput, VoltPoint, oxygen_response
from galene.core.calculations.regeneration_trace import BurnInput, BurnPoint, regeneration_trace
from galene.core.calculations.runner_sweep import SweepInput, SweepPoint, runner_sweep
from galene.core.calculations.trim_split import TrimPoint, TrimSplitInput, trim_split
from galene.core.flow import KELVIN, PSI_MAX, R_AIR
from galene.simulation.plant import PASSAGE_CD
from tests.simulation.rides import STARTED, Rows, command, hold, over, run

CLEAN_MM2 = 32.0


def flow_test(severity: float) -> tuple[FlowTestResult, Rows]:
    deeds = [*STARTED, (40.0, command("egr_valve", 100.0)), (58.0, lambda v: v.release())]
    _, rows = run("B", {"egr_passage_plugged": severity}, deeds, seconds=60)
    trace = "\n".join(
        f"{r['time_s']},{r['manifold_kpa']},{r['rpm']},{r['egr_command_pct']}"
        for r in rows
        if r["time_s"] > 25
    )
    given = FlowTestInput(
        csv=f"time_s,map_kpa,rpm,command\n{trace}",
        displacement_l=2.9,
        volumetric_efficiency=0.72,
        intake_c=over(rows, "intake_c", 30, 40),
        ambient_kpa=101.1,
        exhaust_kpa=103.1,
        exhaust_c=190.0,
        reference_area_mm2=CLEAN_MM2,
    )
    return egr_flow_test(given), rows


@pytest.mark.parametrize(
    ("severity", "verdict"),
    [
        (0.3, "restricted"),
        (0.5, "restricted"),
        (0.7, "plugged"),
        (0.9, "plugged"),
        (1.0, "plugged"),
    ],
)
def test_the_flow_test_finds_the_open_area(severity: float, verdict: str) -> None:
    found, _ = flow_test(severity)
    assert found.passage_area_mm2 == pytest.approx(CLEAN_MM2 * (1 - 0.97 * severity), rel=0.1)
    assert found.verdict == verdict


def test_a_clean_passage_fully_open_stalls_it() -> None:
    found, rows = flow_test(0.0)
    assert found.verdict == "stalled" and rows[-30]["rpm"] == 0


@pytest.mark.parametrize(
    ("faults", "verdict"),
    [
        ({}, "neither"),
        ({"unmetered_air_leak": 0.2}, "leak"),
        ({"unmetered_air_leak": 0.9}, "leak"),
        ({"maf_dust": 0.3}, "meter"),
        ({"maf_oil_film": 1.0}, "meter"),
        ({"maf_dust": 0.4, "unmetered_air_leak": 0.4}, "both"),
    ],
)
def test_trims_part_leak_from_meter(faults: dict[str, float], verdict: str) -> None:
    deeds = [*STARTED, (60.0, hold(1500.0)), (130.0, hold(2500.0))]
    deeds.append((200.0, lambda v: setattr(v.wishes, "road_nm", 40.0)))
    vehicle, rows = run("A", faults, deeds, seconds=270)
    points = [
        TrimPoint(
            airflow_g_s=over(rows, "air_g_s", begin, begin + 20),
            trim_percent=over(rows, "short_trim_pct", begin, begin + 20)
            + over(rows, "long_trim_pct", begin, begin + 20),
            map_kpa=over(rows, "manifold_kpa", begin, begin + 20),
        )
        for begin in (40, 110, 180, 250)
    ]
    found = trim_split(TrimSplitInput(points=points, barometer_kpa=101.1))
    root = math.sqrt(R_AIR * (vehicle.engine.intake_c + KELVIN))
    leak = vehicle.condition.leak_mm2 * PASSAGE_CD * 101.1 * PSI_MAX / root
    assert found.verdict == verdict
    assert found.meter_gain == pytest.approx(vehicle.condition.meter.gain, rel=0.02)
    assert found.leak_g_s == pytest.approx(leak, rel=0.1, abs=0.02)


def test_the_learned_offset_is_that_of_the_deposit() -> None:
    clean, offsets = 0.0, []
    for severity in (0.0, 0.3, 0.6, 1.0):
        vehicle, rows = run("A", {"throttle_deposit": severity}, seconds=55)
        shown = over(rows, "throttle_pct", 35, 55) * vehicle.plant.degrees_per_percent
        clean = clean or shown
        gap = idle_gap(
            IdleGapInput(
                bore_mm=52.0,
                closed_angle_deg=6.0,
                idle_air_g_s=over(rows, "air_g_s", 35, 55),
                intake_kpa=101.1,
                intake_c=over(rows, "intake_c", 35, 55),
                manifold_kpa=over(rows, "manifold_kpa", 35, 55),
                discharge_coefficient=0.82,
                deposit_mm=vehicle.condition.plate_deposit_mm,
            )
        )
        assert shown - clean == pytest.approx(gap.learned_offset_deg, rel=0.1, abs=0.02)
        offsets.append(shown - clean)
    assert offsets == sorted(offsets)


def test_cleaned_without_a_relearn_it_races_and_calms_as_it_learns() -> None:
    deeds = [*STARTED, (40.0, lambda v: v.mend("throttle_body"))]
    _, rows = run("A", {"throttle_deposit": 0.8}, deeds, seconds=160)
    idle = over(rows, "rpm", 30, 40)
    assert over(rows, "rpm", 44, 50) > idle + 120
    assert over(rows, "rpm", 140, 160) == pytest.approx(idle, abs=25)
    assert over(rows, "throttle_pct", 140, 160) < over(rows, "throttle_pct", 30, 40) - 1


def test_what_was_cleaned_is_proven_better() -> None:
    deeds = [*STARTED, (60.0, lambda v: v.mend("throttle_body"))]
    _, rows = run("A", {"throttle_deposit": 0.7}, deeds, seconds=220)
    metrics = {"learned_throttle_percent": "throttle_pct", "idle_rpm": "rpm"}
    sets = [
        [
            MetricValue(
                metric=metric,
                samples=[over(rows, column, begin + 4 * k, begin + 4 * k + 3) for k in range(5)],
            )
            for metric, column in metrics.items()
        ]
        for begin in (38.0, 198.0)
    ]
    stood = Conditions(rpm=740.0, coolant_c=90.0, intake_c=30.0, load=[])
    found = before_after(
        BeforeAfterInput(
            before=sets[0], after=sets[1], conditions=BothConditions(before=stood, after=stood)
        )
    )
    verdicts = {change.metric: change.verdict for change in found.metrics}
    assert verdicts == {"learned_throttle_percent": "improved", "idle_rpm": "unchanged"}


def test_without_its_memory_a_fouled_engine_idles_low_until_it_learns() -> None:
    off = [
        *STARTED,
        (40.0, lambda v: v.battery_off()),
        (42.0, lambda v: setattr(v, "battery", True)),
    ]
    deeds = [*off, (43.0, lambda v: v.key_on()), (44.0, lambda v: v.start())]
    _, rows = run("A", {"throttle_deposit": 0.8}, deeds, seconds=150)
    idle = over(rows, "rpm", 30, 40)
    assert over(rows, "rpm", 52, 58) < idle - 40
    assert over(rows, "rpm", 130, 150) == pytest.approx(idle, abs=25)


@pytest.mark.parametrize(
    ("faults", "verdict"),
    [
        ({}, "agree"),
        ({"egr_dp_ports_blocked": 0.6}, "ports_blocked"),
        ({"egr_dp_ports_blocked": 1.0}, "ports_blocked"),
        ({"egr_passage_plugged": 1.0}, "true_low_flow"),
        ({"egr_cooler_plugged": 1.0}, "true_low_flow"),
        ({"egr_dp_sensor_damaged": 1.0}, "sensor_high"),
    ],
)
def test_the_crosscheck_tells_ports_from_passage(faults: dict[str, float], verdict: str) -> None:
    vehicle, rows = run("E", faults, [*STARTED, (30.0, hold(1200.0))], seconds=90)
    found = egr_flow_crosscheck(
        CrosscheckInput(
            rpm=over(rows, "rpm", 70, 90),
            map_kpa=over(rows, "manifold_kpa", 70, 90),
            charge_c=vehicle.engine.charge_c,
            maf_g_s=over(rows, "air_g_s", 70, 90),
            dp_pa=max(0.0, over(rows, "dp_pa", 70, 90)),
            gas_kpa=over(rows, "manifold_kpa", 70, 90),
            gas_c=over(rows, "egr_gas_c", 70, 90),
            pipe_mm=50.0,
            throat_mm=28.0,
            displacement_l=7.8,
            volumetric_efficiency=0.9,
            expected_g_s=vehicle.plant.idle_g_s * 0.35,
        )
    )
    assert found.verdict == verdict
    assert found.balance_g_s == pytest.approx(vehicle.engine.flows.recirculated, abs=0.5)


PLACES = {
    "manifold_kpa": "map_sensor",
    "boost_kpa": "boost_sensor",
    "exhaust_kpa": "exhaust_pressure_sensor",
    "crankcase_kpa": "crankcase_pressure_sensor",
}


@pytest.mark.parametrize(
    ("family", "cause", "suspect"),
    [
        ("E", "", None),
        ("E", "map_fouled", "map_sensor"),
        ("E", "map_failed", "map_sensor"),
        ("E", "boost_sensor_fouled", "boost_sensor"),
        ("E", "exhaust_pressure_sensor_failed", "exhaust_pressure_sensor"),
        ("E", "exhaust_pressure_tube_blocked", None),  # its sensor is good
        ("C", "boost_sensor_failed", "boost_sensor"),
        ("A", "map_wiring", "map_sensor"),
        ("F", "crankcase_sensor_failed", "crankcase_pressure_sensor"),
        ("F", "crankcase_hose_blocked", None),
    ],
)
def test_the_odd_one_out_at_key_on(family: str, cause: str, suspect: str | None) -> None:
    for severity in (0.6, 1.0):
        faults = {cause: severity} if cause else {}
        _, rows = run(family, faults, [(0.5, lambda v: v.key_on())], seconds=25)
        readings = [
            PressureReading(component=part, pressure_kpa=over(rows, column, 20, 25))
            for column, part in PLACES.items()
            if column in rows[0]
        ]
        found = key_on_agreement(KeyOnInput(readings=readings, barometer_kpa=101.1))
        assert (found.verdict, found.suspect) == (
            ("one_off", suspect) if suspect else ("agree", None)
        )


@pytest.mark.parametrize(
    ("family", "cause", "verdict"),
    [
        ("D", "", "complete"),
        ("E", "", "complete"),
        ("E", "doser_fouled", "no_ignition"),
    ],
)
def test_the_burn_off_shows_the_doser(family: str, cause: str, verdict: str) -> None:
    deeds = [
        *STARTED,
        (5.0, lambda v: setattr(v.engine, "soot", 0.3)),
        (30.0, lambda v: v.control.begin("regeneration")),
    ]
    faults = {cause: 0.7} if cause else {}
    vehicle, rows = run(family, faults, deeds, seconds=1200 if not cause else 700, every=500)
    points = [
        BurnPoint(
            time_s=r["time_s"],
            before_catalyst_c=r["before_catalyst_c"],
            before_filter_c=r["before_filter_c"],
            after_filter_c=r["after_filter_c"],
        )
        for r in rows
    ]
    assert regeneration_trace(BurnInput(points=points)).verdict == verdict
    assert (vehicle.engine.soot < 0.1) == (verdict == "complete")


@pytest.mark.parametrize(
    ("cause", "severity", "verdict"),
    [
        ("", 0.0, "alive"),
        ("oxygen_sensor_fouled", 0.2, "slow"),
        ("oxygen_sensor_fouled", 1.0, "slow"),
        ("oxygen_sensor_failed", 0.2, "flat"),
        ("oxygen_sensor_failed", 1.0, "flat"),
    ],
)
def test_the_oxygen_sensor_switches(cause: str, severity: float, verdict: str) -> None:
    faults = {cause: severity} if cause else {}
    _, rows = run("A", faults, [*STARTED, (30.0, hold(1500.0))], seconds=65)
    points = [VoltPoint(time_s=r["time_s"], volts=r["lambda_v"]) for r in rows if r["time_s"] > 45]
    assert oxygen_response(OxygenInput(points=points)).verdict == verdict


@pytest.mark.parametrize(
    ("cause", "severity", "verdicts"),
    [
        ("", 0.0, {"ok"}),
        ("manifold_coked", 0.7, {"sticky"}),
        ("runner_flaps_stuck", 0.3, {"sticky"}),
        ("runner_flaps_stuck", 1.0, {"short_travel"}),
        ("runner_lever_unhooked", 0.4, {"over_travel"}),
        ("runner_lever_unhooked", 1.0, {"over_travel"}),
    ],
)
@pytest.mark.parametrize("family", "CD")
def test_the_flaps_follow(family: str, cause: str, severity: float, verdicts: set[str]) -> None:
    asked = [0, 20, 40, 60, 80, 100, 80, 60, 40, 20, 0]
    deeds = [(1.0, lambda v: v.key_on())]
    deeds += [(5.0 + 3 * i, command("runner_actuator", float(x))) for i, x in enumerate(asked)]
    _, rows = run(family, {cause: severity} if cause else {}, deeds, seconds=40)
    points = [
        SweepPoint(command=r["runner_command_pct"], position=r["runner_position_pct"])
        for r in (rows[round((5 + 3 * i + 2.8) * 10)] for i in range(len(asked)))
    ]
    assert runner_sweep(SweepInput(points=points)).verdict in verdicts
