"""W01 New valve, same flow code: the holes behind the plate (family B)."""

from tests.walks.walk import (
    Facts,
    Walk,
    acts,
    asks,
    both,
    closes,
    covers,
    lays,
    opens,
    step,
    treats,
    uses,
    waits,
)

PART = "egr_passage"
FLOW = {
    "closed_rpm": "692",
    "closed_map_kpa": "33.6",
    "open_rpm": "668",
    "open_map_kpa": "35.8",
    "ambient_kpa": "100.6",
    "intake_c": "36",
    "exhaust_kpa": "102.6",
    "exhaust_c": "190",
    "throttle_held": "yes",
}


def walked(walk: Walk) -> None:
    walk.arrives("QN-701", "B", "The lamp came back a week after they fitted the new valve.")
    walk.said(("valve_already_replaced", "short_trips"), ("rough_idle",))
    walk.codes("P0401")
    walk.intake(distance="146000", bulletins_source="its number", bulletins_outcome="none")
    walk.mark("intake")
    idle = {"idle_rpm": 692, "spread": 14, "idle_map_kpa": 33.6, "idle_airflow_g_s": 4.5}
    walk.idle(**idle)
    walk.check(
        "egr_position_sweep",
        egr_position_follows="present",
        egr_position_reaches_zero="present",
    )
    walk.check("egr_flow_test", **FLOW)
    walk.mark("flow")
    walk.check("look_egr_passage", egr_passage_blocked_seen="present")
    walk.look(PART, 4, "hard_carbon")
    walk.mark("seen")
    walk.plans({PART: "clean", "egr_valve": "inspect"})
    walk.begins()
    walk.keep("begun")
    walk.works(until=asks("open", PART), grade_before="4:hard_carbon")
    walk.answers(open="no", grade_before="4:hard_carbon")
    walk.keep("shut")
    walk.agree()
    walk.after_idle = {**idle, "idle_rpm": 690}
    walk.works(grade_before="4:hard_carbon")
    walk.check("egr_flow_test", after=True, **{**FLOW, "open_rpm": "0", "open_map_kpa": "60"})
    walk.signs({"egr_passage_plugged": ""})


def test_the_diagnosis(facts: Facts) -> None:
    for moment in ("intake", "flow", "seen"):
        assert facts.leads(moment) == "egr_passage_plugged", moment
        assert "isolation_unplug" not in facts.offered[moment][:3]
    assert facts.causes["intake"]["egr_passage_plugged"] > 0.85
    assert facts.causes["flow"]["egr_passage_plugged"] > 0.95
    assert facts.offered["intake"][0] == "egr_position_sweep"
    assert "valve faulty" not in facts.pages["diagnosis intake"]


def test_the_card(facts: Facts) -> None:
    card = facts.cards["begun"]
    card.ordered(
        both(lays(heat="cold"), waits(40)),
        opens("engine_cover"),
        both(opens("intake_tube_off"), covers("cover", "throttle_body")),
        opens("idle_valve_off"),
        both(opens("throttle_off"), covers("cover")),
        both(opens("egr_valve_off"), covers("cover", PART)),
        asks("grade_before", "egr_valve"),
        step("egr_passage:wire"),
        both(treats(PART, "egr_cleaner", "on_brush", 50), waits(10)),
        asks("open", PART),
        closes("throttle_off"),
        closes("idle_valve_off"),
        closes("egr_valve_off"),
        acts("clear"),
        acts("start"),
        acts("after_set"),
        acts("road"),
        acts("pending"),
    )
    card.never(lays(battery="off"), acts("relearn"), treats("egr_valve"))
    assert card.spares == ("HO-2951", "HO-2956", "HO-2961")
    assert card.agents == {"egr_cleaner": 50.0}
    assert 120 <= card.minutes <= 180
    wire = next(s for s in card.steps if s.id == "egr_passage:wire")
    assert uses("vacuum")(wire), "the vacuum is held where it is wired"


def test_still_shut_is_wired_once_more(facts: Facts) -> None:
    card = facts.cards["shut"]
    assert sum(step("egr_passage:wire")(s) for s in card.steps) == 2
    assert card.spares == facts.cards["begun"].spares, "no new valve"


def test_the_report(facts: Facts) -> None:
    assert "Recirculation valve: Looked at, not cleaned" in facts.report
    assert "Recirculation passage: Cleaned with" in facts.report
    assert facts.verdict in ("proven", "better_to_confirm")
    assert "wrong" not in facts.report.lower() and "uses less" not in facts.report
    low, at, high = facts.next_look
    assert 146_000 < low < at < high
