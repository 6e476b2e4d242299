"""W03 Delivery van, soft soot: flushed running, with two people (family D)."""

from tests.walks.walk import (
    Facts,
    Walk,
    acts,
    asks,
    both,
    lays,
    learns,
    opens,
    step,
    treats,
)

PARTS = ("egr_valve", "egr_passage", "intake_manifold")
IDLE = {"idle_rpm": 808, "spread": 12, "idle_map_kpa": 99.5, "idle_airflow_g_s": 15.2}


def walked(walk: Walk) -> None:
    walk.arrives("QN-703", "D", "Same lamp as the winter before last. It was rinsed then.")
    walk.said(
        ("cleaned_before_helped", "short_trips"),
        ("hesitation", "black_smoke", "coolant_loss", "high_idle"),
    )
    walk.codes("P0401, P2195")
    walk.intake(
        distance="186000",
        coolant="ok",
        oil="ok",
        bulletins_source="its number",
        bulletins_outcome="none",
    )
    walk.mark("intake")
    walk.check("coolant_level_cold", coolant_low_cold="absent")
    walk.idle(**IDLE)
    walk.check(
        "egr_position_sweep", egr_position_follows="absent", egr_position_reaches_zero="present"
    )
    walk.check("look_egr_passage", egr_passage_blocked_seen="absent")
    walk.mark("seen")
    for part in PARTS:
        walk.look(part, 2, "soot", "wipes off")
    walk.plans(dict.fromkeys(PARTS, "clean"))
    walk.begins()
    walk.keep("begun")
    walk.works(until=asks("follows"))
    walk.answers(follows="no")
    walk.keep("sticks")
    walk.after_idle = {**IDLE, "idle_rpm": 810, "idle_airflow_g_s": 15.0}
    walk.works()
    walk.check(
        "egr_position_sweep",
        after=True,
        egr_position_follows="present",
        egr_position_reaches_zero="present",
    )
    walk.signs({"egr_valve_sluggish": ""}, fed="yes")


def test_the_diagnosis(facts: Facts) -> None:
    assert facts.leads("intake") == "egr_passage_plugged"
    assert facts.offered["intake"][0] == "egr_position_sweep"
    assert facts.leads("seen") == "egr_valve_sluggish"
    assert "egr_cooler_plugged" in facts.causes["seen"]
    for moment, offered in facts.offered.items():
        assert not {"egr_flow_test", "throttle_sweep", "oxygen_response"} & set(offered), moment


def test_the_card_is_one_flush_for_all_three(facts: Facts) -> None:
    card = facts.cards["begun"]
    card.ordered(
        asks("fit"),
        lays(engine="off"),
        both(*(treats(p, "soot_flush_waterbased", "running_ingestion", 400) for p in PARTS)),
        lays(engine="off"),
        asks("follows"),
        acts("clear"),
        acts("start"),
        learns("particulate_burn_off"),
        acts("after_set"),
        acts("road"),
        acts("pending"),
    )
    assert sum(s.agent is not None for s in card.steps) == 1, "400 ml once, though three share it"
    card.never(lays(battery="off"), lays(heat="cold"), opens("egr_valve_off"))
    assert card.agents == {"soot_flush_waterbased": 400.0}
    assert {"lock", "runaway", "exhaust", "eyes", "burn_off", "road"} <= card.warns()
    assert not {"fire"} & card.warns()
    bursts = next(s for s in card.steps if s.agent)
    assert bursts.agent and "aluminium_safe" in bursts.agent.label
    assert not any(word in s.text for s in card.steps for word in ("vacuum hose", "jumper"))


def test_a_valve_that_does_not_follow_is_commanded_once_more(facts: Facts) -> None:
    card = facts.cards["sticks"]
    assert sum(step("running_flush:command")(s) for s in card.steps) == 2
    assert card.agents == {"soot_flush_waterbased": 400.0}, "no second bottle"


def test_the_pulls_come_before_the_readings(facts: Facts) -> None:
    facts.cards["begun"].ordered(step("running_flush:pull"), acts("after_set"))


def test_the_report(facts: Facts) -> None:
    assert "with nothing taken off" in facts.report and "soot flush" in facts.report
    assert "P2195" in facts.report
    assert "like new" not in facts.report and "oxygen" not in facts.report.lower()
    assert "off the engine" not in facts.report
    assert "cleaned in place and not looked at" in facts.report, "grade 1 at best, as in 2 visits"


def test_a_flush_has_its_next_look_too(facts: Facts) -> None:
    low, at, high = facts.next_look
    assert 186_000 < low < at < high < 300_000
