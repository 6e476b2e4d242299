"""W08 A pressure sensor that answers late (family A)."""

from tests.walks.walk import (
    Facts,
    Walk,
    acts,
    asks,
    both,
    covers,
    lays,
    opens,
    sprays,
    treats,
    waits,
)

PART = "map_sensor"
SICK = {
    "idle_rpm": 735.0,
    "spread": 70.0,
    "idle_map_kpa": 34.0,
    "idle_airflow_g_s": 2.7,
    "learned_throttle_percent": 3.4,
}


def walked(walk: Walk) -> None:
    walk.arrives("QN-708", "A", "It shakes at the lights and trips over itself when I press again.")
    walk.said(("rough_idle", "hesitation", "short_trips"))
    walk.codes("P0106")
    walk.intake(
        distance="118000",
        recent_work="air filter and plugs five weeks ago, no change",
        bulletins_source="its number",
        bulletins_outcome="none",
    )
    walk.mark("intake")
    walk.key_on(map_sensor=100.2, barometric_sensor=100.9, barometer_kpa=101.0)
    walk.idle(**SICK)
    walk.trims((735, 2.7, -2), (1500, 6.0, -1), (2500, 10.6, -2))
    walk.check(
        "airflow_against_expected", rpm="735", map_kpa="34", intake_c="32", measured_g_s="2.7"
    )
    walk.mark("measured")
    walk.check("pull_map_sensor", soot_on_map_sensor="present")
    walk.look(PART, 2, "oil_carbon", "snout closed, tab whole")
    walk.mark("seen")
    walk.plans({PART: "clean"})
    walk.begins()
    walk.keep("begun")
    walk.after_idle = {**SICK, "spread": 20.0, "idle_map_kpa": 33.0, "idle_rpm": 738.0}
    walk.works(until=asks("whole", PART))
    walk.answers(whole="no", grade_before="2:oil_carbon")
    walk.keep("broken")
    walk.agree()
    walk.works()
    walk.check("pull_map_sensor", after=True, soot_on_map_sensor="absent")
    walk.signs({"map_fouled": ""})


def test_the_diagnosis(facts: Facts) -> None:
    for moment in ("intake", "measured", "seen"):
        assert facts.leads(moment) == "map_fouled", moment
        never = {"egr_flow_test", "egr_position_sweep", "leak_smoke_boost", "look_secondary_air"}
        assert not never & set(facts.offered[moment])
        assert "maf_failed" not in facts.first(moment, 2)
    assert facts.causes["seen"]["map_fouled"] > 0.9
    assert {"pull_map_sensor"} & set(facts.offered["intake"][:4])


def test_the_card(facts: Facts) -> None:
    card = facts.cards["begun"]
    card.ordered(
        lays(engine="off"),
        opens("engine_cover"),
        both(opens("map_sensor_out"), covers("tape")),
        asks("whole", PART),
        both(treats(PART, "contact_cleaner", "direct_spray", 15), waits(10)),
        acts("clear"),
        acts("start"),
        acts("after_set"),
        acts("road"),
        acts("pending"),
    )
    card.never(lays(battery="off"), acts("relearn"))
    assert card.spares == ("SK-2231",) and card.agents == {"contact_cleaner": 15.0}
    assert 50 <= card.minutes <= 100
    assert not {"battery", "dust"} & card.warns()


def test_nothing_cools_for_a_screw_on_plastic(facts: Facts) -> None:
    facts.cards["begun"].never(lays(heat="cold"))
    assert "hot_coolant" not in facts.cards["begun"].warns()


def test_a_broken_one_is_not_sprayed_but_new_on_one_ring(facts: Facts) -> None:
    card = facts.cards["broken"]
    assert card.spares == ("SK-2230", "SK-2231")
    card.never(sprays)


def test_the_report(facts: Facts) -> None:
    assert "Manifold pressure sensor" in facts.report and "SK-2230" in facts.report
    assert facts.verdict in ("proven", "better_to_confirm")
    for word in ("relearn", "control unit was reset", "contact cleaner"):
        assert word not in facts.report
