"""W05 Shows pressure, pulls nothing: the narrow tube, not its sensor (family E)."""

from tests.walks.walk import Facts, Walk, acts, asks, both, closes, lays, opens, step, waits

TUBE, SENSOR = "exhaust_pressure_tube", "exhaust_pressure_sensor"
IDLE = {"idle_rpm": 655, "spread": 10, "idle_map_kpa": 101, "idle_airflow_g_s": 44.1}


def walked(walk: Walk) -> None:
    walk.arrives("QN-705", "E", "The needle climbs and the lorry does not. It smokes.")
    walk.said(("boost_shown_but_no_thrust", "fuel_economy_down", "black_smoke"))
    walk.said(("worse_when_cold", "hesitation"))
    walk.codes("P006B pending")
    walk.intake(distance="214000", bulletins_source="its number", bulletins_outcome="none")
    walk.mark("intake")
    walk.key_on(
        map_sensor=99.6,
        boost_sensor=99.9,
        exhaust_pressure_sensor=100.4,
        barometric_sensor=99.8,
        barometer_kpa=99.7,
    )
    walk.idle(**IDLE)
    walk.check(
        "egr_position_sweep",
        egr_position_follows="present",
        egr_position_reaches_zero="present",
    )
    walk.mark("swept")
    walk.opened_for("blow_through_exhaust_pressure_tube")
    walk.check("blow_through_exhaust_pressure_tube", tube_blocked_seen="present")
    walk.mark("blown")
    walk.look(TUBE, 4, "hard_carbon")
    walk.plans({TUBE: "clean", SENSOR: "inspect"})
    walk.begins()
    walk.keep("begun")
    walk.works(until=asks("passes", TUBE), grade_before="4:hard_carbon")
    walk.answers(passes="no", grade_after="1")
    walk.keep("shut")
    walk.page("asked", f"{walk.base}/plan")
    walk.facts.pages["refused"] = walk.refused_to_go_on()
    walk.agree()
    walk.after_idle = IDLE
    walk.works(grade_before="1:soot")
    walk.check("blow_through_exhaust_pressure_tube", after=True, tube_blocked_seen="absent")
    walk.signs({"exhaust_pressure_tube_blocked": ""})


def test_the_diagnosis(facts: Facts) -> None:
    for moment in ("intake", "swept", "blown"):
        assert facts.leads(moment) == "exhaust_pressure_tube_blocked", moment
    assert facts.causes["intake"]["exhaust_pressure_tube_blocked"] > 0.8
    assert facts.causes["blown"]["exhaust_pressure_tube_blocked"] > 0.95
    offered = set(facts.offered["intake"][:5])
    assert {"egr_position_sweep", "blow_through_exhaust_pressure_tube"} & offered
    for moment, offered_then in facts.offered.items():
        assert not {"egr_flow_test", "isolation_unplug"} & set(offered_then[:4]), moment


def test_the_card_goes_on_from_what_the_check_opened(facts: Facts) -> None:
    card = facts.cards["begun"]
    card.ordered(
        both(lays(heat="cold"), waits(90)),
        opens("cab_tilt"),
        opens("pressure_sensor_out"),
        opens("shield_off"),
        opens("pressure_tube_off"),
        step("exhaust_pressure_tube:ream"),
        asks("whole", SENSOR),
        closes("pressure_tube_off"),
        closes("pressure_sensor_out"),
        closes("shield_off"),
        closes("cab_tilt"),
        acts("clear"),
        acts("start"),
        acts("after_set"),
        acts("road"),
        acts("pending"),
    )
    for operation in ("cab_tilt", "pressure_sensor_out", "shield_off", "pressure_tube_off"):
        assert sum(opens(operation)(s) for s in card.steps) == 1, "opened once"
    card.never(lays(battery="off"), acts("relearn"), lambda s: s.agent is not None)
    assert card.spares == () and card.agents == {}
    assert {"cab", "objects", "exhaust", "road", "dust", "air"} <= card.warns()


def test_a_tube_that_stays_shut_is_reamed_once_more(facts: Facts) -> None:
    card = facts.cards["shut"]
    assert sum(step("exhaust_pressure_tube:ream")(s) for s in card.steps) == 2
    assert "Agreed so far: version" in facts.pages["asked"], "more than agreed is asked first"
    refused = facts.pages["refused"].partition(" 409 ")[2]
    assert "Ask first" in refused and "It passes freely" in refused, "what was entered is kept"
    assert "ream~2" not in refused and "grade_after" not in refused, "by its question"


def test_the_report(facts: Facts) -> None:
    assert "Exhaust pressure sensor: Looked at, not cleaned" in facts.report
    assert "Exhaust pressure tube: Cleaned" in facts.report
    assert "litre" not in facts.report and "sensor cleaned" not in facts.report
    low, at, high = facts.next_look
    assert 214_000 < low < at < high
