"""W11 A choked diesel intake, whole job (family D)."""

from tests.walks.walk import (
    Facts,
    Walk,
    acts,
    asks,
    both,
    closes,
    lays,
    learns,
    opens,
    step,
    treats,
    waits,
)

IDLE = {"idle_rpm": 812, "spread": 14, "idle_map_kpa": 99.0, "idle_airflow_g_s": 13.6}
GRADES = (
    ("intake_manifold", 4, "oil_carbon"),
    ("intake_ports", 4, "hard_carbon"),
    ("egr_passage", 4, "hard_carbon"),
    ("throttle_body", 3, "oil_carbon"),
    ("egr_cooler", 3, "soot"),
    ("boost_sensor", 2, "soot"),
    ("runner_flaps", 3, "oil_carbon"),
)


def walked(walk: Walk) -> None:
    walk.arrives("QN-711", "D", "No pull, black at the lights, burns its filter free each day.")
    walk.said(("frequent_regeneration", "low_power_all_range", "black_smoke"))
    walk.said(
        ("short_trips", "high_distance_never_cleaned"), ("oil_level_high", "oil_smells_of_fuel")
    )
    walk.codes("P2463, P0401, P0671")
    walk.intake(
        distance="212000",
        coolant="ok",
        oil="ok",
        bulletins_source="its number",
        bulletins_outcome="none",
    )
    walk.mark("intake")
    walk.check("coolant_level_cold", coolant_low_cold="absent")
    walk.idle(**IDLE)
    walk.check(
        "egr_position_sweep",
        egr_position_follows="present",
        egr_position_reaches_zero="present",
    )
    walk.check("leak_smoke", boost_leak_found="absent")
    walk.check("look_manifold", manifold_coked_seen="present", oil_in_charge_pipe="present")
    walk.check("look_egr_passage", egr_passage_blocked_seen="present")
    walk.check("look_ports", ports_coked_seen="present")
    for part, grade, kind in GRADES:
        walk.look(part, grade, kind)
    walk.mark("seen")
    walk.school("L", "dismantle", "caked to the core")
    walk.plans({part: "clean" for part, _, _ in GRADES})
    walk.begins()
    walk.keep("begun")
    # The bad answer: a pale crust in the cooler. All stops, and it is pressed.
    walk.works(until=step("egr_cooler:look"), grade_before="4:hard_carbon")
    walk.answers(pale="yes", grade_before="3:coolant_residue")
    walk.page("pale", f"{walk.base}/work")
    walk.keep("pale")


def test_the_diagnosis(facts: Facts) -> None:
    assert {"egr_passage_plugged", "manifold_coked"} & set(facts.first("intake", 3))
    for cause in ("egr_passage_plugged", "manifold_coked", "ports_coked"):
        assert facts.causes["seen"][cause] > 0.9, cause
    for offered in facts.offered.values():
        assert not {"trim_survey", "egr_flow_test"} & set(offered)


def test_the_card(facts: Facts) -> None:
    card = facts.cards["begun"]
    card.ordered(
        lays(heat="cold"),
        lays(battery="off"),
        opens("boost_sensor_out"),
        opens("throttle_off"),
        lays(coolant="lowered"),
        opens("egr_valve_off"),
        opens("cooler_off"),
        opens("manifold_off"),
        asks("held", "egr_cooler"),
        waits(1440, "egr_cooler"),
        both(treats("boost_sensor", "contact_cleaner", "direct_spray", 15), waits(10)),
        asks("shut", "intake_ports"),
        treats("intake_ports"),
        asks("held", "egr_cooler"),
        closes("manifold_off"),
        closes("flap_motor_off"),
        lays(battery="on"),
        asks("tight"),
        acts("clear"),
        learns("runner_flap_adaptation"),
        acts("start"),
        learns("coolant_bleed_and_watch"),
        learns("memory_reset"),
        waits(180),
        asks("level"),
        learns("particulate_burn_off"),
        acts("after_set"),
    )
    shut = [i for i, s in enumerate(card.steps) if s.id.startswith("intake_ports:shut_")]
    wet = [i for i, s in enumerate(card.steps) if s.agent and s.part == "intake_ports"]
    assert len(shut) == len(wet) == 4 and all(a < b for a, b in zip(shut, wet, strict=True))
    for number in ("TV-2261", "TV-2271", "TV-2276", "TV-2277", "TV-2251", "TV-2236", "TV-2232"):
        assert card.spares.count(number) == 1, number
    assert "TV-2270" not in card.spares, "no valve"
    assert 600 <= card.minutes <= 780
    assert not {"cab", "rail"} & card.warns()


def test_the_passage_is_wired_before_the_manifold_goes_out(facts: Facts) -> None:
    facts.cards["begun"].ordered(step("egr_passage:wire"), step("intake_manifold:send"))


def test_ports_are_blasted_by_grade(facts: Facts) -> None:
    assert "blast_walnut" in facts.cards["begun"].agents


def test_a_pale_crust_stops_all_of_it(facts: Facts) -> None:
    assert "Coolant in the gas" in facts.pages["pale"]
    card = facts.cards["pale"]
    assert not any(acts("start")(s) for s in card.steps)
