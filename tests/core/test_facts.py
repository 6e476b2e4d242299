"""Facts that decide something, each by name: what a code blames, what a danger says first, what a
reading means."""

import math
import re
from typing import Any

import pytest

from galene.core.diagnosis.bank_trims import bank_trims
from galene.core.errors import InputError
from galene.core.flow import charge_flow_g_s
from galene.demo.logger import EXHAUST_C
from galene.exchange.calculations import calculate
from galene.exchange.cases import assess_case
from galene.knowledge.causes import CAUSES
from galene.knowledge.codes import code_meaning
from galene.knowledge.families import FAMILIES
from galene.knowledge.relearns import RELEARNS, with_holds
from tests.core.planning.cards import Card, work
from tests.core.test_cases import NO, YES, case

DEPOSITS = {c.id for c in CAUSES if c.kind == "deposit"}


def first(given: dict[str, Any]) -> str:
    return str(assess_case(given)["causes"][0]["id"])


def chance(given: dict[str, Any], cause: str) -> float:
    return next((c["probability"] for c in assess_case(given)["causes"] if c["id"] == cause), 0.0)


@pytest.mark.parametrize(
    ("family", "codes", "wanted"),
    [
        ("A", "P0102", {"maf_wiring", "maf_failed"}),
        ("A", "P0103", {"maf_wiring", "maf_failed"}),
        ("A", "P0113", {"iat_wiring"}),
        ("A", "P0107", {"map_wiring", "map_failed"}),
        ("A", "P0122", {"throttle_actuator_fault", "throttle_wiring", "pedal_sensor_fault"}),
        ("A", "P2135", {"throttle_actuator_fault", "throttle_wiring", "pedal_sensor_fault"}),
        ("A", "P2100", {"throttle_actuator_fault", "throttle_wiring"}),
        ("A", "P0135", {"oxygen_sensor_wiring", "oxygen_sensor_failed"}),
        ("B", "P0403", {"egr_valve_electrical"}),
        ("B", "P0405", {"egr_valve_electrical"}),
        ("B", "P0509", {"idle_valve_electrical"}),
        ("B", "P0418", {"secondary_air_supply_fault"}),
        ("C", "P0238", {"boost_sensor_wiring", "boost_sensor_failed"}),
        ("C", "P2016", {"runner_wiring"}),
        ("E", "P0473", {"exhaust_pressure_wiring", "exhaust_pressure_sensor_failed"}),
        ("E", "P2228", {"barometric_failed"}),
        ("F", "P051D", {"crankcase_sensor_wiring", "crankcase_sensor_failed"}),
    ],
)
def test_a_circuit_code_blames_no_deposit(family: str, codes: str, wanted: set[str]) -> None:
    km = None if family == "F" else 140_000
    found = [c["id"] for c in assess_case(case(family, codes, km=km))["causes"]]
    assert found[0] in wanted, found[:4]
    assert wanted <= set(found[:4]) and found[0] not in DEPOSITS


@pytest.mark.parametrize(
    ("family", "codes", "wanted"),
    [
        ("A", "P0121", "throttle_sticking"),
        ("A", "P0638", "throttle_sticking"),
        ("A", "P2101", "throttle_sticking"),
        ("A", "P2176", "idle_adaptation_lost"),
        ("A", "P2187", "unmetered_air_leak"),
        ("A", "P0133", "oxygen_sensor_fouled"),
        ("B", "P2431", "secondary_air_sensor_dirty"),
        ("B", "P2440", "secondary_air_valve_coked"),
        ("C", "P0236", "boost_sensor_fouled"),
        ("D", "P2457", "egr_cooler_plugged"),
        ("E", "P006B", "exhaust_pressure_tube_blocked"),
    ],
)
def test_what_a_code_of_function_blames_first(family: str, codes: str, wanted: str) -> None:
    assert first(case(family, codes)) == wanted


def test_idle_too_low_and_too_high_rank_apart() -> None:
    low, high = case("A", "P0506", rough_idle=YES), case("A", "P0507", high_idle=YES)
    assert first(low) == "throttle_deposit"
    assert first(high) in ("unmetered_air_leak", "idle_adaptation_lost")
    usual = chance(case("A"), "throttle_deposit")
    assert chance(high, "throttle_deposit") < usual < chance(low, "throttle_deposit")


def test_manifold_against_ambient_is_not_manifold_against_exhaust() -> None:
    against_ambient, against_exhaust = case("E", "P0069"), case("E", "P006B")
    tube = "exhaust_pressure_tube_blocked"
    assert chance(against_exhaust, tube) > 2 * chance(against_ambient, tube)
    assert code_meaning("P0069").evidence != code_meaning("P006B").evidence


def test_one_lean_bank_speaks_against_the_meter_that_both_share() -> None:
    both, one = case("B", "P0171 P0174"), case("B", "P0171")
    assert chance(one, "maf_dust") < 0.65 * chance(both, "maf_dust")
    assert first(one) == "unmetered_air_leak"
    assert "lean_one_bank" not in str(assess_case(case("A", "P0171"))), "an engine of one bank"


@pytest.mark.parametrize(
    ("pairs", "verdict"),
    [
        (((14.0, 2.0), (9.0, 1.0), (8.0, 2.0)), "bank_1_lean"),
        (((2.0, 14.0), (1.0, 9.0), (2.0, 8.0)), "bank_2_lean"),
        (((14.0, 13.0), (9.0, 10.0)), "alike"),
        (((9.0, 4.5), (8.0, 4.0)), "undecided"),
        # One bank rich, the other in order: no lean bank.
        (((2.0, -8.0), (1.0, -9.0)), "undecided"),
    ],
)
def test_trims_by_bank_tell_a_lean_bank(
    pairs: tuple[tuple[float, float], ...], verdict: str
) -> None:
    assert bank_trims(pairs).verdict == verdict


def test_a_trim_by_bank_out_of_range_is_named() -> None:
    with pytest.raises(InputError, match=r"pairs\[1\].bank_2_percent"):
        bank_trims(((3.0, 4.0), (3.0, 400.0)))
    with pytest.raises(InputError, match="pairs"):
        bank_trims(())


def test_lean_that_rises_with_airflow_is_fuel_before_a_leak() -> None:
    rises = case("A", "P0171", trim_rises_with_airflow=YES, trim_leak_shape=NO)
    assert chance(rises, "ignition_or_fuel_fault") > chance(
        case("A", "P0171"), "ignition_or_fuel_fault"
    )
    assert chance(rises, "unmetered_air_leak") < 0.5 * chance(
        case("A", "P0171"), "unmetered_air_leak"
    )


def test_codes_outside_this_work_are_told_as_such() -> None:
    for code in ("P0148", "P0149", "P2072", "P0475", "P0479"):
        assert code_meaning(code).group is None, code
    # These were called outside and belong to it.
    for code in ("P0400", "P0487", "P2263", "P2073", "P0129", "P2226", "P244B", "P2078", "P0508"):
        assert code_meaning(code).group is not None, code


def dangers(given: dict[str, Any]) -> set[str]:
    return {d["id"] for d in assess_case(given)["dangers"]}


def test_a_likely_cooler_leak_is_acted_on_first() -> None:
    found = assess_case(case("D", coolant_loss=YES, reduced_power_mode=YES))
    assert [d["id"] for d in found["dangers"]] == ["coolant_in_gas"]
    assert "not cranked, not run" in found["dangers"][0]["text"]
    assert {c["id"] for c in found["next_checks"][:2]} == {
        "coolant_level_cold",
        "cooler_pressure_test",
    }
    assert found["repair_order"][0]["cause"] == "egr_cooler_leak"
    cold = assess_case(case("E", coolant_low_cold=YES, black_smoke=YES))
    assert cold["dangers"] and cold["next_checks"][0]["id"] == "cooler_pressure_test"
    assert not assess_case(case("D", black_smoke=YES))["dangers"]


def test_a_diesel_that_idles_high_is_stopped() -> None:
    assert dangers(case("D", high_idle=YES)) == {"runs_on_oil"}
    assert first(case("D", high_idle=YES)) == "turbo_seal_leak"
    assert dangers(case("A", "P0507", high_idle=YES)) == set()


def test_oil_over_its_mark_on_a_diesel_with_burn_offs_is_fuel_in_the_oil() -> None:
    assert dangers(case("E", oil_level_high=YES, frequent_regeneration=YES)) == {"fuel_in_oil"}
    assert dangers(case("A", oil_level_high=YES)) == set()


def test_coolant_that_goes_without_a_cooler_is_the_engine_itself() -> None:
    found = assess_case(case("A", coolant_loss=YES))
    assert found["dangers"][0]["id"] == "coolant_lost"
    assert found["causes"][0]["id"] == "ignition_or_fuel_fault" and found["refer_on"]


def test_a_meter_that_reads_low_makes_no_black_smoke_on_petrol() -> None:
    smoke, none = case("A", black_smoke=YES), case("A")
    assert chance(smoke, "maf_dust") <= chance(none, "maf_dust")
    assert chance(smoke, "ignition_or_fuel_fault") > chance(none, "ignition_or_fuel_fault")


def test_the_restriction_gauge_blames_the_filter() -> None:
    assert (
        first(case("E", restriction_gauge_high=YES, low_power_all_range=YES)) == "filter_restricted"
    )


def test_a_differential_sensor_off_its_zero_is_damaged() -> None:
    assert first(case("E", dp_zero_off=YES)) == "egr_dp_sensor_damaged"


def test_no_flow_is_reckoned_where_the_throttle_drops_nothing() -> None:
    flow = {
        "displacement_l": 2.2,
        "volumetric_efficiency": 0.85,
        "intake_c": 40,
        "ambient_kpa": 100.5,
        "exhaust_kpa": 104,
        "exhaust_c": 150,
        "closed": {"map_kpa": 99.0, "rpm": 800},
        "open": {"map_kpa": 99.6, "rpm": 800},
    }
    with pytest.raises(InputError, match=r"closed\.map_kpa"):
        calculate("egr-flow-test", flow)
    assert "egr_area_mm2" not in FAMILIES["D"].bands, "a test that is not done there has no band"


def trace(*volts: float) -> str:
    rows = [f"{i * 0.2:.1f},{v}" for i, v in enumerate(volts)]
    return "time_s,volts\n" + "\n".join(rows)


@pytest.mark.parametrize(
    ("level", "verdict"), [(0.85, "steady_rich"), (0.08, "steady_lean"), (0.45, "flat")]
)
def test_a_steady_signal_is_not_a_dead_sensor(level: float, verdict: str) -> None:
    found = calculate("oxygen-response", {"csv": trace(*([level, level + 0.02] * 12))})
    assert found["verdict"] == verdict
    assert ("Not dead yet" in found["sentence"]) == (verdict != "flat")


def test_trims_that_rise_with_airflow_are_no_constant_share() -> None:
    rising = [(3.0, 2.0), (9.0, 9.0), (22.0, 11.0), (48.0, 12.0)]
    points = [{"airflow_g_s": a, "trim_percent": t} for a, t in rising]
    assert calculate("trim-split", {"points": points, "barometer_kpa": 101})["verdict"] == "rises"
    constant = [
        {"airflow_g_s": a, "trim_percent": 12 + e}
        for (a, _), e in zip(rising, (0.1, -0.1, 0.1, -0.1), strict=True)
    ]
    found = calculate("trim-split", {"points": constant, "barometer_kpa": 101})
    assert found["verdict"] == "meter" and "fuel pressure or fuel kind" in found["sentence"]


def key_on(readings: dict[str, float], **more: float) -> dict[str, Any]:
    rows = [{"component": c, "pressure_kpa": p} for c, p in readings.items()]
    return dict(calculate("key-on-agreement", {"readings": rows, **more}))


def test_the_height_leaves_the_weather_open() -> None:
    low = key_on({"map_sensor": 97.8}, altitude_m=0)
    assert low["verdict"] == "undecided" and "barometer" in low["sentence"]
    assert key_on({"map_sensor": 100.5}, altitude_m=0)["verdict"] == "agree"
    assert key_on({"map_sensor": 94.0}, altitude_m=0)["verdict"] == "one_off"
    # In a low all stand low together: no fault. One that leaves the others is one all the same.
    together = {"map_sensor": 98.0, "boost_sensor": 98.2, "barometric_sensor": 97.9}
    assert key_on(together, altitude_m=0)["verdict"] == "agree"
    apart = key_on({**together, "boost_sensor": 101.3}, altitude_m=0)
    assert (apart["verdict"], apart["suspect"]) == ("one_off", "boost_sensor")


def test_a_wide_sensor_has_its_own_tolerance() -> None:
    rows = [{"component": "boost_sensor", "pressure_kpa": 105.0, "span_kpa": 400}]
    found = calculate("key-on-agreement", {"readings": rows, "barometer_kpa": 101.3})
    assert found["verdict"] == "agree"
    rows[0].pop("span_kpa")
    assert (
        calculate("key-on-agreement", {"readings": rows, "barometer_kpa": 101.3})["verdict"]
        == "one_off"
    )


BURST = {
    "airflow_g_s": 12.0,
    "can_rate_g_s": 1.8,
    "burst_s": 1.0,
    "displacement_l": 2.2,
    "cylinders": 4,
    "compression_ratio": 16.0,
}


def test_nothing_that_burns_is_reckoned_for_a_diesel_and_water_has_real_pauses() -> None:
    with pytest.raises(InputError, match="fuel"):
        calculate("ingestion-limit", {**BURST, "fuel": "diesel"})
    water = calculate("ingestion-limit", {**BURST, "fuel": "diesel", "water_based": True})
    assert water["pause_s"] >= 10 and water["clearance_share"] < 0.1
    card = Card("D", work("egr_passage", "upkeep", 1, kind="soot"))
    note = card.step("running_flush:bursts")["note"]
    pause = re.search(r"with (\d+) s between", note)
    assert pause and int(pause[1]) >= 10, note


def test_a_reading_outside_its_line_is_no_pressure() -> None:
    line = {"points": [{"volts": 0.5, "kpa": 20}, {"volts": 4.5, "kpa": 250}], "supply_v": 5}
    below = calculate("sensor-line", {**line, "volts": 0.3})
    assert (below["in_range"], below["verdict"]) == (False, "below_line")
    assert calculate("sensor-line", {**line, "volts": 0.5})["in_range"]


def test_a_truck_has_24_volts_and_an_air_cooled_engine_no_coolant() -> None:
    truck = with_holds(FAMILIES["E"], "egr_valve_zero", RELEARNS)
    assert ("voltage", "Battery above 24.4 V") in truck.conditions
    assert all(g.text == "Voltage under 24.4 V" for p in truck.phases for g in p.guards)
    by_air = with_holds(FAMILIES["F"], "cable_none", RELEARNS)
    assert not {g.id for p in by_air.phases for g in p.guards} & {"coolant", "fan"}
    assert "oolant" not in " ".join(t for _, t in by_air.conditions)
    card = Card("F", work("crankcase_pressure_hose"))
    assert "oolant" not in card.text


def test_idle_air_of_the_families_is_what_their_figures_give() -> None:
    """Speed-density of the bands' middles: displacement, filling, pressure and speed agree with the
    air told."""
    for family in (f for f in FAMILIES.values() if "idle_airflow_g_s" in f.bands):
        rpm, pressure, air = (
            (family.bands[b].low + family.bands[b].high) / 2
            for b in ("idle_rpm", "idle_map_kpa", "idle_airflow_g_s")
        )
        reckoned = charge_flow_g_s(
            family.displacement_l,
            rpm,
            pressure,
            charge_c=40.0,
            volumetric_efficiency=family.volumetric_efficiency_idle,
        )
        assert air == pytest.approx(reckoned, rel=0.1), family.id


def test_the_gas_at_the_valve_is_as_warm_as_its_fuel_and_its_pipe_leave_it() -> None:
    """Between the coolant round the valve and the gas that leaves a cylinder at idle.

    Enthalpy of the burnt charge: a share of about 0.3 of the fuel's heat goes out with the gas of
    15.7 parts to one of fuel (Heywood, Internal Combustion Engine Fundamentals, ch. 12.2).
    """
    heat_j_kg, share, parts, specific_heat = 43e6, 0.3, 15.7, 1150.0
    leaves_c = 40.0 + share * heat_j_kg / parts / specific_heat
    assert 600 < leaves_c < 900
    assert 95.0 < EXHAUST_C < 0.6 * leaves_c, "cooled by head and pipe, not below the coolant"


def test_passages_are_no_larger_than_their_bores() -> None:
    for family in FAMILIES.values():
        band = family.bands.get("egr_area_mm2")
        bore = next((p.bore_mm for p in family.parts if p.component == "egr_passage"), None)
        if band and bore:
            assert band.high < math.pi / 4 * bore**2, family.id


def test_a_throttle_lets_the_idle_air_through_a_gap_of_plausible_width() -> None:
    """The gap round the plate at the middle of the bands: some hundredths of a millimetre, as
    plates have."""
    seen = 0
    for family in (f for f in FAMILIES.values() if f.fuel == "petrol" and f.cycle == "four_stroke"):
        bore = next(p.bore_mm for p in family.parts if p.component == "throttle_body")
        air, pressure = family.bands["idle_airflow_g_s"], family.bands["idle_map_kpa"]
        found = calculate(
            "idle-gap",
            {
                "bore_mm": bore,
                "closed_angle_deg": family.closed_angle_deg,
                "idle_air_g_s": (air.low + air.high) / 2,
                "intake_kpa": 100.0,
                "intake_c": 25.0,
                "manifold_kpa": (pressure.low + pressure.high) / 2,
                "discharge_coefficient": 0.82,
                "deposit_mm": 0.0,
            },
        )
        seen += 1
        assert 40 < found["mean_gap_um"] < 160, (family.id, found["mean_gap_um"])
        assert family.closed_angle_deg < found["angle_clean_deg"] < family.closed_angle_deg + 6
    assert seen == 3


def test_a_valve_with_a_motor_is_never_tested_by_a_jumper() -> None:
    motor = Card("D", work("egr_valve"), policy={"N": "jumper"})
    assert motor.has("egr_valve:command") and not motor.has("egr_valve:jumper")
    solenoid = Card("B", work("egr_valve"), policy={"N": "jumper"})
    assert solenoid.has("egr_valve:jumper")
