"""W10 Dust on the main air meter, boots under suspicion (family B)."""

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
    treats,
    waits,
)

PART = "maf_sensor"


def walked(walk: Walk) -> None:
    walk.arrives("QN-710", "B", "It hangs when I pull away. A friend says the rubber is split.")
    walk.said(("hesitation", "fuel_economy_down", "dusty_use"))
    walk.codes("P0171, P0174, P0101 pending")
    walk.intake(distance="141000", bulletins_source="number", bulletins_outcome="none")
    walk.mark("intake")
    walk.idle(idle_rpm=690, spread=20, idle_map_kpa=34, idle_airflow_g_s=3.6)
    banks = [
        {"rpm": r, "airflow_g_s": a, "trim_percent": t, "trim_bank_2_percent": t}
        for r, a, t in ((690, 3.6, 14), (1500, 9.6, 15), (2500, 21.4, 14))
    ]
    walk.readings("trim", banks)
    walk.mark("trims")
    walk.check(
        "airflow_against_expected",
        rpm="2500",
        map_kpa="42",
        intake_c="34",
        measured_g_s="21.4",
        volumetric_efficiency="0.85",
    )
    walk.check("look_maf", look_maf_clean="absent", maf_oily_seen="absent")
    walk.look(PART, 2, "dust", "grey felt and two fibres")
    walk.mark("seen")
    walk.check("look_filter", filter_light_blocked="present")
    walk.mark("filter")
    walk.plans({PART: "clean", "air_filter": "replace", "intake_tube": "inspect"})
    walk.begins(temperature=10, humidity=60)
    walk.keep("begun")
    walk.works(until=asks("moisture", PART), grade_before="2:dust")
    walk.keep("wet")
    walk.after_idle = {"idle_rpm": 690, "spread": 18, "idle_map_kpa": 34, "idle_airflow_g_s": 4.2}
    walk.works(grade_before="2:dust")
    walk.signs({"maf_dust": "", "filter_restricted": ""})


def test_the_diagnosis(facts: Facts) -> None:
    assert facts.leads("intake") == "maf_dust"
    assert facts.evidence.get("lean_one_bank", "unknown") != "present"
    assert facts.causes["trims"]["maf_dust"] > facts.causes["intake"]["maf_dust"]
    assert facts.causes["trims"].get("unmetered_air_leak", 0) < 0.1
    assert facts.causes["seen"]["maf_dust"] > 0.9
    assert facts.causes["filter"]["filter_restricted"] > 0.5
    assert {"trim_survey", "look_maf"} & set(facts.offered["intake"][:3])
    assert "look_secondary_air" not in facts.offered["intake"][:4]


def test_the_card(facts: Facts) -> None:
    card = facts.cards["begun"]
    card.ordered(
        lays(engine="off"),
        opens("engine_cover"),
        both(opens("meter_out"), covers("tape")),
        both(treats(PART, "maf_cleaner", "direct_spray", 40), waits(22)),
        closes("meter_out"),
        acts("clear"),
        acts("start"),
        acts("after_set"),
        acts("road"),
    )
    card.never(lays(battery="off"), acts("relearn"), treats("secondary_air_flow_sensor"))
    assert card.spares == ("HO-2910",) and card.agents == {"maf_cleaner": 40.0}
    assert {"dust", "fire", "eyes"} <= card.warns()
    assert not {"battery", "hot_coolant", "fingers"} & card.warns()


def test_the_report(facts: Facts) -> None:
    assert "HO-2910" in facts.report or "Air filter element" in facts.report
    assert "maf" not in facts.report, "no raw names"
    assert "oxygen sensor" not in facts.report.lower()
