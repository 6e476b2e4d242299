"""W02 Weak and thirsty tipper: one sensor tells how the rest looks (family E)."""

from tests.walks.walk import (
    Facts,
    Walk,
    acts,
    asks,
    both,
    closes,
    covers,
    lays,
    learns,
    opens,
    sprays,
    step,
    treats,
    waits,
)

IDLE = {"idle_rpm": 652, "spread": 10, "idle_map_kpa": 101, "idle_airflow_g_s": 44.0}
STEADY = {
    "rpm": "1400",
    "map_kpa": "132",
    "charge_c": "58",
    "maf_g_s": "84",
    "dp_pa": "60",
    "gas_kpa": "138",
    "gas_c": "140",
}


def walked(walk: Walk) -> None:
    walk.arrives("QN-702", "E", "Empty or full it drinks the same, and the hills got longer.")
    walk.said(("low_power_all_range", "fuel_economy_flat", "fuel_economy_down"))
    walk.said(("frequent_regeneration", "high_distance_never_cleaned", "long_idle_or_pto"))
    walk.intake(distance="344000", bulletins_source="its number", bulletins_outcome="none")
    walk.mark("intake")
    walk.key_on(
        map_sensor=98.9,
        boost_sensor=98.6,
        exhaust_pressure_sensor=99.4,
        barometric_sensor=98.7,
        barometer_kpa=98.8,
    )
    walk.idle(**IDLE)
    walk.check("egr_dp_crosscheck", **STEADY)
    walk.mark("balance")
    walk.check("pull_map_sensor", soot_on_map_sensor="present")
    walk.check("blow_through_exhaust_pressure_tube", tube_blocked_seen="absent")
    walk.check("look_egr_dp_ports", dp_ports_blocked_seen="present", dp_sensor_crack_seen="absent")
    walk.mark("seen")
    for part, grade, kind in WORKS:
        walk.look(part, grade, kind)
    walk.plans({part: "clean" for part, _, _ in WORKS})
    walk.begins()
    walk.keep("begun")
    walk.works(until=asks("whole", "egr_dp_sensor"), grade_before="2:soot")
    walk.answers(whole="no", grade_before="2:soot")
    walk.keep("cracked")
    walk.agree()
    walk.after_idle = IDLE
    # Power is back; what it uses only fills can tell.
    walk.road = {"symptom:fuel_economy_flat": "same", "symptom:fuel_economy_down": "same"}
    walk.works(grade_before="3:soot")
    walk.check("egr_dp_crosscheck", after=True, **{**STEADY, "maf_g_s": "88", "dp_pa": "700"})
    walk.signs({"egr_dp_ports_blocked": "", "map_fouled": ""})


WORKS = (
    ("map_sensor", 3, "soot"),
    ("egr_dp_sensor", 2, "soot"),
    ("egr_dp_ports", 3, "soot"),
    ("egr_passage", 3, "hard_carbon"),
)


def test_the_diagnosis(facts: Facts) -> None:
    assert facts.evidence["dp_low_but_balance_high"] == "present"
    assert facts.leads("balance") == "egr_dp_ports_blocked" == facts.leads("seen")
    assert {"egr_dp_ports_blocked", "map_fouled"} == set(facts.first("seen", 2))
    assert "doser_fouled" in facts.causes["seen"]
    for moment, offered in facts.offered.items():
        assert not {"isolation_unplug", "egr_flow_test"} & set(offered[:4]), moment


def test_the_card(facts: Facts) -> None:
    card = facts.cards["begun"]
    card.ordered(
        both(lays(heat="cold"), waits(90)),
        opens("cab_tilt"),
        both(opens("map_sensor_out"), covers("tape")),
        both(opens("charge_pipe_off"), covers("cover")),
        both(opens("dp_sensor_off"), covers("tape")),
        opens("mixer_off"),
        step("egr_passage:wire"),
        both(treats("egr_passage", "egr_cleaner", "on_brush", 50), waits(10)),
        both(treats("map_sensor", "contact_cleaner", "direct_spray", 15), waits(10)),
        asks("both", "egr_dp_ports"),
        closes("map_sensor_out"),
        closes("mixer_off"),
        closes("charge_pipe_off"),
        closes("dp_sensor_off"),
        closes("cab_tilt"),
        acts("clear"),
        learns("differential_zero"),
        acts("start"),
        learns("particulate_burn_off"),
        acts("after_set"),
    )
    card.never(lays(battery="off"), lambda s: sprays(s) and s.part == "egr_dp_ports")
    assert card.spares == ("GH-7832", "GH-7862", "GH-7877"), "each once"
    assert card.agents == {"contact_cleaner": 30.0, "egr_cleaner": 50.0}
    assert 200 <= card.minutes <= 290
    assert "coolant" not in card.warns()


def test_a_cracked_sensor_is_new_and_its_ports_are_cleaned_all_the_same(facts: Facts) -> None:
    card = facts.cards["cracked"]
    assert "GH-7878" in card.spares
    assert card.has(step("egr_dp_ports:drill"))
    card.never(lambda s: sprays(s) and s.part == "egr_dp_sensor")


def test_the_report(facts: Facts) -> None:
    report = facts.report
    assert facts.verdict == "better_to_confirm" and "uses more fuel" in report
    assert "Key-on agreement" not in report, "it agreed before: it proves nothing"
    assert "Differential pressure" in report and "GH-7878" in report
    assert "turbine is fine" not in report and "litre" not in report
    assert "egr dp" not in report and "egr_" not in report, "no raw names"
    low, at, high = facts.next_look
    assert 344_000 < low < at < high
