"""W12 Ports kept clean at the oil change, never opened (family C)."""

import pytest

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
    waits,
)

PART = "intake_ports"
WELL = {
    "idle_rpm": 745,
    "spread": 28,
    "idle_map_kpa": 33,
    "idle_airflow_g_s": 3.3,
    "learned_throttle_percent": 3.1,
}


def walked(walk: Walk) -> None:
    walk.arrives("QN-712", "C", "Nothing is wrong. Cold it shivers a little: keep it from coking.")
    walk.said(("worse_when_cold",))
    walk.intake(
        distance="71000",
        coolant="ok",
        oil="ok",
        recent_work="ports seen and wiped at 48,000 km",
        bulletins_source="its number",
        bulletins_outcome="none",
    )
    walk.mark("intake")
    walk.idle(**WELL)
    walk.trims((745, 3.3, 1), (1500, 6.0, 2), (2500, 10.2, 1))
    walk.mark("read")
    walk.plans({PART: "upkeep"})
    walk.begins()
    walk.keep("begun")
    walk.after_idle = {**WELL, "idle_rpm": 747, "spread": 24}
    walk.works(until=asks("fit"))
    walk.answers(fit="no")
    walk.keep("unfit")


def test_the_diagnosis_finds_nothing(facts: Facts) -> None:
    assert facts.evidence.get("learned_opening_high", "absent") == "absent"


@pytest.mark.xfail(strict=True, reason="F7: a healthy car is offered more than an hour's look")
def test_nobody_opens_the_manifold_for_a_look(facts: Facts) -> None:
    for moment in ("intake", "read"):
        assert "look_ports" not in facts.offered[moment][:2], moment


def test_the_card(facts: Facts) -> None:
    card = facts.cards["begun"]
    card.ordered(
        both(lays(engine="running"), asks("fit")),
        lays(engine="off"),
        treats(PART, "intake_valve_aerosol", "running_ingestion", 300),
        lays(engine="off"),
        waits(60),
        lambda s: {"engine_oil", "oil_filter", "drain_washer"} <= set(s.consumes),
        asks("all"),
        acts("start"),
        acts("after_set"),
        acts("pending"),
    )
    card.never(lays(battery="off"), opens("manifold_off"), opens("charge_pipe_off"))
    card.never(both(learns("throttle_guided")), lays(heat="cold"))
    assert card.spares == ("FJ-2001", "FJ-2002", "FJ-2003")
    assert card.agents == {"intake_valve_aerosol": 300.0}
    assert {"exhaust", "rotating", "lock", "eyes", "road"} <= card.warns()
    assert not {"runaway", "battery", "objects"} & card.warns()


def test_the_drive_comes_before_the_readings(facts: Facts) -> None:
    facts.cards["begun"].ordered(step("running_aerosol:brisk"), acts("after_set"))


def test_an_engine_that_is_not_fit_is_not_fed(facts: Facts) -> None:
    card = facts.cards["unfit"]
    card.never(lambda s: s.agent is not None and s.agent.way == "running_ingestion")
    assert card.agents == {}
