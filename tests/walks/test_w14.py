"""W14 Boost sensor sooted for the third time (family D)."""

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

PART = "boost_sensor"
WELL = {"idle_rpm": 812.0, "spread": 12.0, "idle_map_kpa": 99.5, "idle_airflow_g_s": 14.1}


def walked(walk: Walk) -> None:
    walk.arrives("QN-714", "D", "The throttle's lamp came on and it will not pull at all.")
    walk.said(("reduced_power_mode", "low_power_all_range", "short_trips", "long_idle_or_pto"))
    walk.codes("P0236, P2106")
    walk.intake(
        distance="127000",
        coolant="ok",
        oil="ok",
        bulletins_source="recall by the number",
        bulletins_outcome="none",
        recent_work="sensor cleaned at 98,000 and 114,000 km, it helped",
    )
    walk.mark("intake")
    walk.check("coolant_level_cold", coolant_low_cold="absent")
    walk.key_on(boost_sensor=99.8, barometric_sensor=100.4, barometer_kpa=100.5)
    walk.idle(**WELL)
    walk.check("leak_smoke", boost_leak_found="absent")
    walk.check("pull_boost_sensor", soot_on_boost_sensor="present")
    walk.look(PART, 3, "soot", "snout closed by dry soot")
    walk.mark("seen")
    walk.plans({PART: "clean"})
    walk.begins()
    walk.keep("begun")
    walk.works(until=asks("whole", PART), grade_before="3:soot")
    walk.answers(whole="no", grade_before="3:soot")
    walk.keep("broken")
    walk.agree()
    walk.after_idle = WELL
    walk.works()
    walk.check("pull_boost_sensor", after=True, soot_on_boost_sensor="absent")
    walk.signs({"boost_sensor_fouled": ""}, fed="yes")


def test_the_diagnosis(facts: Facts) -> None:
    assert facts.leads("intake") == "boost_sensor_fouled" == facts.leads("seen")
    assert facts.causes["seen"]["boost_sensor_fouled"] > 0.9
    assert facts.causes["seen"].get("boost_leak", 0) < facts.causes["intake"].get("boost_leak", 1)
    for moment in ("intake", "seen"):
        assert not {"throttle_deposit", "turbo_seal_leak"} & set(facts.first(moment, 3))


def test_the_card(facts: Facts) -> None:
    card = facts.cards["begun"]
    card.ordered(
        lays(engine="off"),
        opens("undertray_off"),
        both(opens("boost_sensor_out"), covers("tape")),
        asks("whole", PART),
        both(treats(PART, "contact_cleaner", "direct_spray", 15), waits(10)),
        acts("clear"),
        acts("start"),
        acts("after_set"),
        acts("road"),
        acts("pending"),
    )
    card.never(lays(battery="off"), acts("relearn"))
    assert card.spares == ("TV-2232",) and card.agents == {"contact_cleaner": 15.0}
    assert {"lifting", "eyes", "fire", "road"} <= card.warns()


def test_the_cold_level_is_asked_before_anything_is_opened(facts: Facts) -> None:
    facts.cards["begun"].ordered(asks("level"), opens("undertray_off"))


def test_a_broken_one_is_new_on_one_ring(facts: Facts) -> None:
    card = facts.cards["broken"]
    assert card.spares == ("TV-2231", "TV-2232")
    card.never(sprays)


def test_the_report(facts: Facts) -> None:
    assert "Charge pressure sensor" in facts.report
    for word in ("turbine", "throttle body", "cooler"):
        assert word not in facts.report.lower()
