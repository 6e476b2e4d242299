"""Cases as a workshop meets them: the first cause, the check that is most telling, and what
contrary evidence does."""

from typing import Any

import pytest

from galene.exchange.cases import assess_case
from galene.knowledge.base import KNOWLEDGE
from galene.knowledge.check_readings import READINGS

YES, NO = "present", "absent"
ODD = "key_on_one_off:"


def case(
    family: str,
    codes: str = "",
    km: float | None = 140_000,
    *,
    duty: str = "",
    done: str = "",
    **evidence: str,
) -> dict[str, Any]:
    """A case file; evidence ids with a colon are written with two underscores at that place."""
    seen = {k.replace("__", ":"): v for k, v in evidence.items()}
    return {
        "engine": {"family": family},
        "codes": codes.split(),
        "distance_km": km,
        "duty": duty.split(),
        "done_checks": done.split(),
        "evidence": seen,
    }


CASES: tuple[tuple[str, dict[str, Any], str, str, dict[str, str], str], ...] = (
    # what it is, the case, first cause, next check, contrary evidence, first cause then
    (
        "idle deposit",
        case("A", "P0506", rough_idle=YES),
        "throttle_deposit",
        "idle_readings",
        {"look_throttle_clean": YES, "trim_leak_shape": YES},
        "unmetered_air_leak",
    ),
    (
        "dies at the stop",
        case("A", "P0506", stalls_coming_to_stop=YES, learned_opening_high=YES),
        "throttle_deposit",
        "throttle_sweep",
        {"look_throttle_clean": YES, "leak_found": YES},
        "unmetered_air_leak",
    ),
    (
        "high idle after cleaning",
        case("A", "P0507", high_idle=YES, adaptation_not_done_after_work=YES),
        "idle_adaptation_lost",
        "trim_survey",
        {"trim_leak_shape": YES, "leak_found": YES},
        "unmetered_air_leak",
    ),
    (
        "battery was off",
        case("A", "P0507", high_idle=YES, battery_was_disconnected=YES, look_throttle_clean=YES),
        "idle_adaptation_lost",
        "trim_survey",
        {"leak_found": YES},
        "unmetered_air_leak",
    ),
    (
        "late pedal",
        case("A", "P0121", delayed_pedal_response=YES),
        "throttle_sticking",
        "throttle_sweep",
        {"plate_sticks": NO, "look_throttle_clean": YES},
        "throttle_actuator_fault",
    ),
    (
        "lean alone",
        case("A", "P0171"),
        "unmetered_air_leak",
        "trim_survey",
        {"trim_leak_shape": NO, "trim_meter_shape": YES},
        "maf_dust",
    ),
    (
        "lean, fades with air",
        case("A", "P0171", trim_leak_shape=YES),
        "unmetered_air_leak",
        "leak_smoke",
        {"leak_found": NO, "trim_leak_shape": NO, "trim_meter_shape": YES, "dusty_use": YES},
        "maf_dust",
    ),
    (
        "oiled filter",
        case("A", "P0171", trim_meter_shape=YES, oiled_filter_fitted=YES),
        "maf_oil_film",
        "look_maf",
        {"maf_oily_seen": NO, "look_maf_clean": NO},
        "maf_dust",
    ),
    (
        "dusty farm track",
        case("A", "P0101", duty="dusty_use", trim_meter_shape=YES),
        "maf_dust",
        "look_maf",
        {"look_maf_clean": YES, "oiled_filter_fitted": YES, "maf_oily_seen": YES},
        "maf_oil_film",
    ),
    (
        "oxygen sensor lazy",
        case("A", "P0133", duty="short_trips", oxygen_response_slow=YES),
        "oxygen_sensor_fouled",
        "",
        {"oxygen_response_slow": NO, "oxygen_response_flat": YES},
        "oxygen_sensor_failed",
    ),
    (
        "oxygen sensor as messenger",
        case("A", "P0130 P0171", trim_leak_shape=YES, whistle_or_hiss=YES),
        "unmetered_air_leak",
        "oxygen_response",
        {"trim_leak_shape": NO, "leak_found": NO, "oxygen_response_flat": YES},
        "oxygen_sensor_failed",
    ),
    (
        "flow low, valve new",
        case("B", "P0401", valve_already_replaced=YES),
        "egr_passage_plugged",
        "look_egr_passage",
        {"egr_passage_blocked_seen": NO, "egr_position_follows": NO},
        "egr_valve_sluggish",
    ),
    (
        "flow low, follows, nothing moves",
        case("B", "P0401", egr_position_follows=YES, egr_test_area_small=YES),
        "egr_passage_plugged",
        "look_egr_passage",
        {"egr_position_follows": NO, "egr_passage_blocked_seen": NO},
        "egr_valve_electrical",
    ),
    (
        "flow low alone",
        case("B", "P0401"),
        "egr_passage_plugged",
        "egr_position_sweep",
        {"egr_position_follows": NO, "egr_passage_blocked_seen": NO},
        "egr_valve_sluggish",
    ),
    (
        "valve off its seat",
        case("B", "P0402", rough_idle=YES, egr_position_reaches_zero=NO),
        "egr_valve_stuck_open",
        "",
        {"egr_position_reaches_zero": YES, "look_throttle_clean": NO},
        "throttle_deposit",
    ),
    (
        "secondary air",
        case("B", "P0411", duty="dusty_use"),
        "secondary_air_sensor_dirty",
        "look_secondary_air",
        {"secondary_meter_dirty_seen": NO, "secondary_valve_coked_seen": YES},
        "secondary_air_valve_coked",
    ),
    (
        "odd one out",
        case("B", "P0106", key_on_one_off__map_sensor=YES),
        "map_fouled",
        "pull_map_sensor",
        {"soot_on_map_sensor": NO},
        "map_failed",
    ),
    (
        "cable throttle, clean bore",
        case("B", "P0505", rough_idle=YES, look_throttle_clean=YES),
        "idle_valve_deposit",
        "trim_survey",
        {"leak_found": YES, "whistle_or_hiss": YES, "stalls_coming_to_stop": NO},
        "unmetered_air_leak",
    ),
    (
        "direct injection, cold misfire",
        case("C", "P0300", km=150_000, rough_idle=YES, weak_low_end=YES),
        "ports_coked",
        "trim_survey",
        {"ports_coked_seen": NO},
        "ignition_or_fuel_fault",
    ),
    (
        "flaps, back in minutes, free",
        case("C", "P2004", code_returns_within_minutes=YES, flap_moves_freely=YES),
        "runner_actuator_sensor_dirty",
        "runner_sweep_by_hand",
        {"lever_unhooked_seen": YES},
        "runner_lever_unhooked",
    ),
    (
        "flaps, back in minutes, stiff",
        case("C", "P2004", code_returns_within_minutes=YES, flap_stiff=YES, flap_moves_freely=NO),
        "manifold_coked",
        "look_manifold",
        {"flap_stiff": NO, "flap_moves_freely": YES},
        "runner_actuator_sensor_dirty",
    ),
    (
        "hiss under boost",
        case("C", "P0299", whistle_or_hiss=YES, low_power_all_range=YES),
        "boost_leak",
        "trim_survey",
        {"boost_leak_found": NO, "soot_on_boost_sensor": YES},
        "boost_sensor_fouled",
    ),
    (
        "diesel, throttle warning",
        case("D", "P2101 P0236", reduced_power_mode=YES),
        "boost_sensor_fouled",
        "",
        {
            "soot_on_boost_sensor": NO,
            "plate_sticks": YES,
            "boost_leak_found": NO,
            "delayed_pedal_response": YES,
        },
        "throttle_actuator_fault",
    ),
    (
        "diesel loses coolant",
        case("D", coolant_loss=YES, reduced_power_mode=YES),
        "egr_cooler_leak",
        "coolant_level_cold",
        {"coolant_low_cold": NO, "soot_on_boost_sensor": YES},
        "boost_sensor_fouled",
    ),
    (
        "diesel, oil and soot",
        case("D", "P2002", oil_in_charge_pipe=YES, frequent_regeneration=YES),
        "manifold_coked",
        "egr_position_sweep",
        {"manifold_coked_seen": NO, "egr_position_reaches_zero": NO},
        "egr_valve_stuck_open",
    ),
    (
        "heavy, weak, flat economy",
        case(
            "E",
            "P2002",
            km=420_000,
            low_power_all_range=YES,
            fuel_economy_flat=YES,
            frequent_regeneration=YES,
            soot_on_map_sensor=YES,
        ),
        "map_fouled",
        "look_egr_dp_ports",
        {"soot_on_map_sensor": NO, "burn_off_incomplete": YES},
        "doser_fouled",
    ),
    (
        "heavy, sensor starved",
        case("E", "P0401", km=400_000, dp_low_but_balance_high=YES),
        "egr_dp_ports_blocked",
        "look_egr_dp_ports",
        {"dp_low_but_balance_high": NO, "dp_and_balance_low": YES, "dp_ports_blocked_seen": NO},
        "egr_cooler_plugged",
    ),
    (
        "heavy, both low",
        case("E", "P0401", km=400_000, dp_and_balance_low=YES, egr_position_follows=YES),
        "egr_cooler_plugged",
        "look_egr_passage",
        {"egr_passage_blocked_seen": YES, "cooler_face_plugged": NO},
        "egr_passage_plugged",
    ),
    (
        "heavy, high after cleaning",
        case("E", "P0402", km=400_000, dp_reads_high_after_cleaning=YES),
        "egr_dp_sensor_damaged",
        "egr_position_sweep",
        {"egr_position_reaches_zero": NO, "dp_reads_high_after_cleaning": NO},
        "egr_valve_stuck_open",
    ),
    (
        "heavy, boost without thrust",
        case(
            "E",
            "P006B",
            km=380_000,
            boost_shown_but_no_thrust=YES,
            black_smoke=YES,
            fuel_economy_down=YES,
        ),
        "exhaust_pressure_tube_blocked",
        "blow_through_exhaust_pressure_tube",
        {"tube_blocked_seen": NO, "soot_on_boost_sensor": YES},
        "boost_sensor_fouled",
    ),
    (
        "heavy, burn-off never lights",
        case("E", "P2002", km=420_000, frequent_regeneration=YES, burn_off_incomplete=YES),
        "doser_fouled",
        "",
        {"burn_off_incomplete": NO, "dp_low_but_balance_high": YES, "dp_ports_blocked_seen": YES},
        "egr_dp_ports_blocked",
    ),
    (
        "two-stroke, hose clear",
        case("F", "P051B", km=None, bogs_high_rpm=YES, hose_clear=YES),
        "crankcase_sensor_seal_leak",
        "key_on_agreement",
        {"hose_clear": NO, "seal_dust_path_seen": NO},
        "crankcase_hose_blocked",
    ),
    (
        "two-stroke, code alone",
        case("F", "P051B", km=None, bogs_high_rpm=YES),
        "crankcase_hose_blocked",
        "blow_through_crankcase_hose",
        {
            "hose_clear": YES,
            "seal_dust_path_seen": NO,
            "key_on_one_off__crankcase_pressure_sensor": YES,
        },
        "crankcase_sensor_failed",
    ),
)


COOLANT, OIL, RUNAWAY = "coolant_in_gas", "fuel_in_oil", "runs_on_oil"
DANGERS: dict[str, tuple[str, ...]] = {"diesel loses coolant": (COOLANT,)}
"""What must be said before the ranking, by case; nothing where a case stands for no danger."""


@pytest.mark.parametrize(
    ("name", "given", "first", "check", "contrary", "then"),
    CASES,
    ids=[c[0].replace(" ", "-") for c in CASES],
)
def test_case(
    name: str,
    given: dict[str, Any],
    first: str,
    check: str,
    contrary: dict[str, str],
    then: str,
) -> None:
    result = assess_case(given)
    assert said_first(result) == DANGERS.get(name, ())
    assert result["causes"][0]["id"] == first, [
        (c["id"], round(c["probability"], 2)) for c in result["causes"][:4]
    ]
    if check:
        assert result["next_checks"][0]["id"] == check, [
            (c["id"], round(c["bits"], 2), c["minutes"]) for c in result["next_checks"][:4]
        ]
    changed = {
        **given,
        "evidence": {**given["evidence"], **{k.replace("__", ":"): v for k, v in contrary.items()}},
    }
    after = assess_case(changed)
    assert after["causes"][0]["id"] == then, [
        (c["id"], round(c["probability"], 2)) for c in after["causes"][:4]
    ]


def said_first(result: dict[str, Any]) -> tuple[str, ...]:
    """The dangers of an assessment, by id."""
    return tuple(d["id"] for d in result["dangers"])


@pytest.mark.parametrize(
    ("given", "dangers"),
    [
        (case("D", high_idle=YES), (RUNAWAY,)),
        (case("E", high_idle=YES), (RUNAWAY,)),
        (case("A", high_idle=YES), ()),
        (case("D", oil_level_high=YES), (OIL,)),
        (case("E", oil_smells_of_fuel=YES, frequent_regeneration=YES), (OIL,)),
        (case("D", white_sweet_smoke=YES), (COOLANT,)),
        (case("E", coolant_pressure_falls=YES), (COOLANT,)),
        (case("D", coolant_loss=YES, oil_level_high=YES), (COOLANT, OIL)),
        (case("A", coolant_loss=YES), ("coolant_lost",)),
        (case("C", white_sweet_smoke=YES), ("coolant_lost",)),
        (case("F", km=None, bogs_high_rpm=YES), ()),
    ],
)
def test_a_danger_is_said_where_there_is_one_and_only_there(
    given: dict[str, Any], dangers: tuple[str, ...]
) -> None:
    assert said_first(assess_case(given)) == dangers


def test_the_cases_cover_every_family() -> None:
    assert {c[1]["engine"]["family"] for c in CASES} == set("ABCDEF") and len(CASES) >= 30


def test_roots_are_asked_beside_what_they_feed() -> None:
    by_name = {c[0]: assess_case(c[1]) for c in CASES}
    assert by_name["oiled filter"]["root_causes"][0]["id"] == "overoiled_filter"
    assert by_name["diesel, oil and soot"]["root_causes"][0]["id"] == "breather_oil_carryover"
    cooler = assess_case(case("D", "P2101 P0236", reduced_power_mode=YES, coolant_low_cold=YES))
    assert cooler["causes"][0]["id"] == "boost_sensor_fouled" and "coolant_leak_into_gas" in {
        r["id"] for r in cooler["root_causes"]
    }


def test_a_caked_sensor_asks_for_its_neighbours_too() -> None:
    heavy = case("E", "P2002", km=420_000, frequent_regeneration=YES, low_power_all_range=YES)
    caked = {
        c["id"]: c["probability"]
        for c in assess_case(
            {**heavy, "evidence": {**heavy["evidence"], "soot_on_map_sensor": YES}}
        )["causes"]
    }
    before = {c["id"]: c["probability"] for c in assess_case(heavy)["causes"]}
    for cause in ("egr_dp_ports_blocked", "exhaust_pressure_tube_blocked", "manifold_coked"):
        assert caked[cause] > before.get(cause, 0.0), cause
    pulled = assess_case(
        case(
            "E",
            "P2002",
            km=420_000,
            low_power_all_range=YES,
            fuel_economy_flat=YES,
            frequent_regeneration=YES,
        )
    )
    assert pulled["next_checks"][0]["id"] == "pull_map_sensor"


def test_a_check_that_tells_nothing_about_what_is_in_question_is_not_offered_first() -> None:
    offered = [
        c["id"] for c in assess_case(case("B", "P0401", valve_already_replaced=YES))["next_checks"]
    ]
    assert offered[0] == "look_egr_passage" and "idle_readings" not in offered[:3]
    assert all(c["bits"] > 0 for c in assess_case(case("F", "P051B", km=None))["next_checks"])


def test_checks_that_an_engine_can_not_have_are_not_offered() -> None:
    for family in "DE":
        offered = {c["id"] for c in assess_case(case(family, "P0401"))["next_checks"]}
        assert not offered & {"trim_survey", "egr_flow_test", "oxygen_response"}


def test_the_order_of_repair_counts_the_way_in_and_shares_it() -> None:
    given = case("D", "P0401 P0404", valve_already_replaced=NO)
    shut, open_ = (
        assess_case(given),
        assess_case({**given, "access_open": ["engine_cover", "coolant_low", "egr_valve_off"]}),
    )

    def minutes(found: Any) -> list[float]:
        return [r["minutes"] for r in found["repair_order"] if r["component"] == "egr_valve"]

    own = {c.minutes for c in KNOWLEDGE.causes.values() if c.component == "egr_valve"}
    assert minutes(shut)[0] > min(own) + 20, "the first repair at the valve pays for the way in"
    assert len(minutes(shut)) >= 2 and set(minutes(shut)[1:]) <= own, "the valve is taken off once"
    assert set(minutes(open_)) <= own, "nothing is paid for what is open"


def test_what_checks_say_is_in_the_vocabulary() -> None:
    for reading in READINGS.values():
        assert reading.check in KNOWLEDGE.checks
        assert reading.speaks_of <= set(KNOWLEDGE.evidence)
        assert all(
            state in (YES, NO) and 0.5 < sure <= 1
            for said in reading.says.values()
            for state, sure in said.values()
        )
