"""W09 Brush dust in a flap motor (family D)."""

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
)

PART = "runner_actuator"
WELL = {"idle_rpm": 815.0, "spread": 12.0, "idle_map_kpa": 99.5, "idle_airflow_g_s": 14.2}


def walked(walk: Walk) -> None:
    walk.arrives("QN-709", "D", "You clear the lamp and before I am out of the estate it is on.")
    walk.said(("hesitation", "code_returns_within_minutes", "short_trips"))
    walk.codes("P2015")
    walk.intake(distance="164000", bulletins_source="number", bulletins_outcome="none")
    walk.mark("intake")
    walk.idle(**WELL)
    walk.sweep("runner_sweep_commanded", (1, 24, 48, 71, 92), (70, 46, 23, 1))
    walk.opened_for("runner_sweep_by_hand")
    walk.check(
        "runner_sweep_by_hand",
        flap_moves_freely="present",
        flap_stiff="absent",
        lever_unhooked_seen="absent",
    )
    walk.closed_again("runner_sweep_by_hand")
    walk.mark("by hand")
    walk.look(PART, 2, "brush_dust")
    walk.plans({PART: "clean"})
    walk.begins()
    walk.keep("begun")
    walk.works(until=asks("flap"), grade_before="2:brush_dust")
    walk.answers(flap="no")
    walk.keep("stiff")
    walk.agree()
    walk.after_idle = WELL
    walk.works(grade_before="2:soot")
    walk.signs({"runner_actuator_sensor_dirty": ""})


def test_the_diagnosis(facts: Facts) -> None:
    three = {"runner_actuator_sensor_dirty", "manifold_coked", "runner_flaps_stuck"}
    assert three <= set(facts.first("intake", 4))
    assert facts.leads("by hand") == "runner_actuator_sensor_dirty"
    assert facts.causes["by hand"]["runner_actuator_sensor_dirty"] > 0.8
    assert not {"look_throttle", "trim_survey"} & set(facts.offered["intake"])
    assert {"runner_sweep_by_hand", "runner_sweep_commanded"} & set(facts.offered["intake"][:3])


def test_the_card(facts: Facts) -> None:
    card = facts.cards["begun"]
    card.ordered(
        lays(battery="off"),
        opens("flap_motor_off"),
        asks("grade_before", PART),
        closes("flap_motor_off"),
        lays(battery="on"),
        acts("clear"),
        learns("runner_flap_adaptation"),
        acts("start"),
        learns("memory_reset"),
        acts("after_set"),
        acts("road"),
        acts("pending"),
    )
    assert card.agents == {} or set(card.agents) == {"light_oil"}
    assert card.spares == ()
    card.never(lays(coolant="lowered"), lays(heat="cold"), opens("manifold_off"))
    assert {"battery", "spring", "dust"} <= card.warns()
    assert not {"fire", "hot_coolant"} & card.warns()


def test_stiff_flaps_bring_the_manifold_in_and_ask_anew(facts: Facts) -> None:
    before, after = facts.cards["begun"], facts.cards["stiff"]
    assert after.price > before.price and after.has(opens("manifold_off"))
    after.ordered(both(lays(coolant="lowered")), closes("manifold_off"))


def test_the_report(facts: Facts) -> None:
    assert "Flap motor" in facts.report
    assert "will not come back" not in facts.report
