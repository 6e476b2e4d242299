"""What practice demands of the shipped procedures, one piece of work each: order and words."""

import pytest

from tests.core.planning.cards import Card, work


def test_passage_is_wired_from_both_ends_with_its_valve_off() -> None:
    card = Card("B", "egr_passage")
    assert card.ordered(
        "open:throttle_off",
        "open:egr_valve_off",
        "egr_passage:look",
        "egr_passage:wire",
        "egr_passage:clean",
        "egr_passage:check",
        "close:egr_valve_off",
    )
    wire = card.step("egr_passage:wire")["text"]
    assert "both ends" in wire and "every fine hole" in wire
    assert "air in short pushes toward the vacuum" in wire
    assert card.step("egr_passage:clean")["wait"]["minutes"] > 0


def test_pintle_is_worked_free_and_must_close_by_itself() -> None:
    card = Card("B", "egr_valve")
    text = card.step("egr_valve:clean")["text"]
    assert "press and turn the stem at several depths" in text and "Scrape the seat" in text
    assert "falls back by itself" in card.step("egr_valve:check")["text"]
    assert card.record("egr_valve:check", "closes")["consequence"]["no"]["kind"] == "again"


@pytest.mark.parametrize("family", ["B", "D", "E"])
def test_drive_of_a_valve_is_parted_from_the_metal_before_any_liquid(family: str) -> None:
    card = Card(family, "egr_valve")
    assert card.ordered("egr_valve:part", "egr_valve:clean", "egr_valve:join", "close:egr_valve")
    items = card.step("egr_valve:part")["opens"]
    assert len(items) >= 2, "screws and plug are items of their own"
    assert {i["id"] for i in items} <= set(card.step("egr_valve:join")["closes"])


def test_aerosol_upkeep_with_oil_and_filter_in_its_soak() -> None:
    card = Card("C", work("intake_ports", "upkeep", 1))
    assert card.ordered(
        "running_aerosol:warm",
        "running_aerosol:tube",
        "running_aerosol:bursts",
        "running_aerosol:revs",
        "running_aerosol:tube_off",
        "running_aerosol:soak",
        "running_aerosol:oil",
        "walk",
        "running_aerosol:brisk",
    )
    bursts = card.step("running_aerosol:bursts")
    assert "2000, never above 3500" in bursts["text"] and "one-second" in bursts["text"]
    assert bursts["needs"]["heat"] == "warm" and bursts["does"]["engine"] == "running"
    assert "3500, no more" in card.step("running_aerosol:revs")["text"]
    assert card.step("running_aerosol:soak")["wait"]["minutes"] == 60
    assert card.step("running_aerosol:brisk")["minutes"] == 10
    assert {"Oil filter", "Engine oil, 5 l"} <= set(card.spares)


def test_aerosol_goes_before_a_throttle_where_it_does_not_pool() -> None:
    faces_down = Card("C", work("intake_ports", "upkeep", 1)).step("running_aerosol:tube")
    assert "behind the throttle" in faces_down["text"]
    tube = faces_down["opens"][0]
    assert tube["while_running"]


def test_flush_in_place_holds_then_clears_then_pulls_then_reads() -> None:
    card = Card("D", work("egr_valve", "upkeep", 2))
    assert card.ordered(
        "running_flush:bursts",
        "running_flush:clear_out",
        "running_flush:tube_off",
        "first_start",
        "running_flush:pull",
        "after_set",
        "pending",
    )
    pull = card.step("running_flush:pull")["text"]
    assert "Full acceleration" in pull and "ten to twenty minutes" in pull
    assert "small vacuum hose" not in card.text, "a diesel has none"
    assert "cold engine" not in card.step("running_flush:bursts")["text"]


def test_meter_comes_out_key_out_with_a_thin_driver_into_a_dish() -> None:
    card = Card("A", work("maf_sensor", "clean", 2, kind="dust"))
    assert card.ordered("key out", "open:meter_out", "maf_sensor:spray", "close:meter_out")
    out = card.step("open:meter_out")
    assert any("driver" in t for t in out["tools"])
    assert "dish" in out["text"]
    back = card.step("close:meter_out")
    assert "quarter turn" in " ".join((back["text"], *back["fasteners"]))


def test_oil_film_on_a_meter_is_sprayed_twice_and_looked_at_for_moisture() -> None:
    oily = Card("A", work("maf_sensor", "clean", 2, kind="oil_film")).step("maf_sensor:spray")
    dusty = Card("A", work("maf_sensor", "clean", 2, kind="dust")).step("maf_sensor:spray")
    assert "then ten more" in oily["text"] and oily["wait"]["minutes"] >= 30
    assert oily["agent"]["ml"] > dusty["agent"]["ml"]
    card = Card("A", work("maf_sensor", "clean", 2, kind="oil_film"))
    assert "moisture" in card.step("maf_sensor:check")["text"]
    assert card.record("maf_sensor:check", "moisture")["consequence"]


def test_meter_that_a_code_names_follows_school_b_when_a_grade_is_left() -> None:
    left = {"maf_sensor:check/grade_after": "2"}
    case = {"parts": [work("maf_sensor")], "codes": ["P0101"]}
    once = Card("A", *case["parts"], answers=left, codes=["P0101"])
    assert once.has("maf_sensor:spray~2") or "Airflow meter" in " ".join(once.spares)
    new = Card("A", *case["parts"], policy={"B": "replace"}, codes=["P0101"])
    assert not new.has("maf_sensor:spray")
    assert any("meter" in s.lower() for s in new.spares)


def test_secondary_meter_in_place_with_its_filter_pump_and_valve() -> None:
    card = Card("B", work("secondary_air_flow_sensor", "clean", 2))
    look = card.step("secondary_air_flow_sensor:look")
    assert "little filter" in look["text"]
    line = card.record("secondary_air_flow_sensor:line", "line")
    assert card.ordered("secondary_air_flow_sensor:line", "open:secondary_meter_out")
    assert line["consequence"]
    pump = card.step("secondary_air_flow_sensor:pump")
    assert "pump" in pump["text"] and "valve" in pump["text"]
    assert pump["needs"]["engine"] == "ignition" and pump["needs"]["battery"] == "on"


def test_cable_throttle_in_place_with_what_stands_round_it() -> None:
    card = Card("B", work("throttle_body", "clean", 2), policy={"F": "always_on"})
    assert not card.has("open:throttle_off")
    wipe = card.step("throttle_body:wipe")
    assert "plate open" in wipe["text"] and "little at a time" in wipe["text"]
    touched = card.step("throttle_body:touched")["text"]
    for words in ("one by one", "clamps", "breather", "intake temperature"):
        assert words in touched
    for words in ("motor", "throttle connector", "crushed fingers", "gear tooth"):
        assert words not in card.text, words
    why = card.step("first_start")["why"]
    assert "a stumble or one misfire code of the agent is normal" in why


def test_throttle_comes_off_with_its_coolant_lines_left_on_or_off() -> None:
    aside = Card("A", "throttle_body", policy={"F": "always_off"})
    assert (
        "laid" in aside.step("open:throttle_aside")["text"]
        or "lay it aside on its coolant" in (aside.step("open:throttle_aside")["text"])
    )
    assert not any(s["does"].get("coolant") for s in aside.steps), "no coolant work"
    assert "coolant_bleed_and_watch" not in aside.relearns
    off = Card("A", "intake_manifold")
    assert off.has("open:throttle_off") == any(s["does"].get("coolant") for s in off.steps)


def test_seal_of_a_throttle_is_new_or_washed_and_judged() -> None:
    new = Card("A", "throttle_body", policy={"F": "always_off"})
    kept = Card("A", "throttle_body", policy={"F": "always_off", "G": "reuse"})
    assert "Throttle body seal" in new.spares
    assert "Throttle body seal" not in kept.spares
    seal = kept.step("throttle_body:seal")
    assert "soap" in seal["text"]
    assert kept.record("throttle_body:seal", "seal")["consequence"]


def test_battery_reset_has_its_minutes_and_its_key_holds() -> None:
    card = Card("A", "throttle_body", policy={"I": "battery_reset"})
    assert card.ordered(
        "battery_reset",
        "battery_on",
        "reset_key_on",
        "reset_key_off",
        "first_start",
        "memory_reset",
    )
    assert card.step("battery_reset")["wait"]["minutes"] >= 15
    assert card.step("reset_key_on")["wait"]["minutes"] == 1
    assert card.step("reset_key_off")["wait"]["minutes"] == 1
    assert "memory_reset" in card.relearns and "throttle_manual" not in card.relearns


def test_pressure_sensor_is_worked_straight_out_and_its_port_swabbed() -> None:
    card = Card("A", "map_sensor")
    out = card.step("open:map_sensor_out")
    assert "side to side" in out["text"] and "straight" in out["text"]
    assert card.ordered(
        "open:map_sensor_out", "map_sensor:look", "map_sensor:spray", "map_sensor:port"
    )
    assert "tab" in card.step("map_sensor:look")["text"]
    assert "swab" in card.step("map_sensor:port")["acts"]
    assert "O-ring" in card.step("map_sensor:check")["text"]


def test_exhaust_tube_is_reamed_and_what_comes_loose_is_caught() -> None:
    card = Card("E", "exhaust_pressure_tube")
    ream = card.step("exhaust_pressure_tube:ream")
    assert "caught" in ream["text"] and "never blown toward the turbine" in ream["text"]
    assert card.record("exhaust_pressure_tube:ream", "passes")["consequence"]


def test_actuator_is_opened_dusted_closed_and_its_flap_felt_by_hand() -> None:
    card = Card("C", "runner_actuator")
    assert card.ordered(
        "runner_actuator:lever",
        "runner_actuator:cover",
        "runner_actuator:look",
        "runner_actuator:dust",
        "runner_actuator:check",
        "runner_actuator:cover_on",
        "runner_actuator:flap_felt",
        "runner_actuator:lever_on",
        "battery_on",
        "relearn:runner_flap_adaptation",
    )
    assert "drop of light oil" in card.step("runner_actuator:flap_felt")["text"]
    stiff = card.record("runner_actuator:flap_felt", "flap")["consequence"]
    answer, followed = next(iter(stiff.items()))
    assert followed["kind"] == "more" and "intake_manifold" in followed["parts"]
    more = Card("C", "runner_actuator", answers={"runner_actuator:flap_felt/flap": answer})
    assert "intake_manifold" in {p["part"] for p in more.document["parts"]}


def test_diesel_manifold_is_stripped_by_name_before_the_bath() -> None:
    works = (work("intake_manifold", "clean", 4), work("intake_ports", "clean", 4))
    card = Card("D", *works, policy={"M": "aerosol_only"})
    assert Card("D", *works).has("intake_ports:blast_1"), "by grade, a diesel's too"
    send = card.at("intake_manifold:send")
    for name in ("charge pressure sensor", "flap motor", "the flap", "recirculation valve"):
        off = [i for i, s in enumerate(card.steps) if s["takes_off"] and name in s["text"]]
        assert off and off[0] < send, name
    assert "control unit and loom" in card.step("open:manifold_off")["text"].lower()
    for cylinder in range(1, 5):
        assert card.ordered(
            f"intake_ports:shut_{cylinder}",
            f"intake_ports:clean_{cylinder}",
            f"intake_ports:bare_{cylinder}",
            "intake_ports:check",
            "close:manifold_off",
        )
    cranks = {
        s["id"]: i for i, s in enumerate(card.steps) if s["id"].startswith("intake_ports:shut")
    }
    assert len(cranks) == 4
    assert "stain may stay" in card.step("intake_manifold:check")["text"]
    check = card.step("intake_ports:check")
    assert "look_twice" in check["acts"]
    assert check["through"] == [f"intake_ports/{n}" for n in range(1, 5)]


def test_boost_sensor_under_its_tray_with_the_coolant_cold_and_a_recall_asked() -> None:
    card = Card("D", "boost_sensor")
    assert card.ordered("open:undertray_off", "open:boost_sensor_out", "boost_sensor:look")
    assert card.ordered("close:boost_sensor_out", "close:undertray_off")
    level = card.step("boost_sensor:level")
    assert "cold" in level["text"] and "recall" in level["text"]
    assert "tab" in card.step("boost_sensor:look")["text"]


def test_two_stroke_seat_barb_grease_thread_lock_air_and_ride() -> None:
    card = Card(
        "F",
        work("crankcase_pressure_sensor", "clean", 2),
        work("crankcase_pressure_hose", "replace", None),
    )
    look = card.step("crankcase_pressure_sensor:look")["text"]
    assert "seal's seat" in look and "barb" in look
    wipe = card.step("crankcase_pressure_sensor:wipe")["text"]
    assert "silicone grease on the ring, none in the opening" in wipe
    assert "thread lock" in card.step("crankcase_pressure_hose:fitting")["text"]
    assert "free of air" in card.step("crankcase_pressure_hose:oil_hose")["text"]
    assert "Ride it hard" in card.step("crankcase_pressure_sensor:ride")["text"]
    assert "again in 40 h" in card.step("crankcase_pressure_hose:ride")["text"]
    assert "idle valve" not in card.text.lower()


@pytest.mark.parametrize(
    "sensors",
    [
        ("oxygen_sensor_upstream",),
        ("oxygen_sensor_upstream", "oxygen_sensor_downstream"),
    ],
)
def test_oxygen_sensors_take_one_dose_a_tank_and_are_tested_again(sensors: tuple[str, ...]) -> None:
    card = Card("C", *(work(s, "upkeep", 1) for s in sensors))
    doses = [s for s in card.steps if s["agent"] and "fuel_dosed" in s["agent"]["properties"]]
    assert len(doses) == 1
    assert not any(s["takes_off"] for s in card.steps), "nothing is unscrewed to pour it"
    assert "quarter full" in doses[0]["text"]
    assert "2000 to 3000 rpm for 20 to 30 minutes" in card.step("tank_additive:run")["text"]
    assert card.ordered("tank_additive:dose", "tank_additive:run", "tank_additive:responds")


def test_the_oxygen_sensor_product_through_a_vacuum_line() -> None:
    card = Card(
        "C",
        work("oxygen_sensor_upstream", "upkeep", 1),
        work("oxygen_sensor_downstream", "clean", 1),
        policy={"P": "ingestion"},
    )
    goes = card.step("vacuum_line_product:goes")
    assert "go of 30 s" in goes["text"] and "30 s between them" in goes["note"]
    assert {"oxygen_sensor_safe", "catalyst_safe"} <= set(goes["agent"]["properties"])
    assert card.ordered(
        "vacuum_line_product:before",
        "vacuum_line_product:tube",
        "vacuum_line_product:goes",
        "vacuum_line_product:tube_off",
        "vacuum_line_product:cool",
        "vacuum_line_product:run",
        "vacuum_line_product:responds",
    )
    assert card.step("vacuum_line_product:cool")["wait"]["minutes"] == 45
    # Upstream only: the one behind the catalyst is looked at, and nothing is drawn in for it.
    assert [p["work"] for p in card.document["parts"]] == ["upkeep", "inspect"]
    touched = [s for s in card.steps if s["part"] == "oxygen_sensor_downstream"]
    cool = card.at("vacuum_line_product:cool")
    assert touched and all(card.at(s["id"]) > cool for s in touched), "cool before it is touched"


def test_hot_exhaust_parts_cool_before_they_are_touched() -> None:
    card = Card("C", work("oxygen_sensor_upstream", "replace", None), start={"heat": "warm"})
    off = next(s for s in card.steps if "oxygen_sensor_upstream" in s["takes_off"])
    assert off["needs"].get("heat") == "cold"
    cool = next(s for s in card.steps if s["does"].get("heat") == "cold")
    assert card.at(cool["id"]) < card.at(off["id"])
