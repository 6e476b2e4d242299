"""W06 Burn-offs that never finish: the doser, and oil asked first (family E)."""

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
    treats,
    waits,
)

PART = "aftertreatment_doser"
IDLE = {"idle_rpm": 655, "spread": 10, "idle_map_kpa": 101, "idle_airflow_g_s": 44.0}
TRACE = "time_s,before_catalyst_c,before_filter_c,after_filter_c\n" + "\n".join(
    f"{60 * m},340,{min(485, 300 + 10 * m)},{min(390, 250 + 6 * m)}" for m in range(41)
)
BURNT = "time_s,before_catalyst_c,before_filter_c,after_filter_c\n" + "\n".join(
    f"{60 * m},360,{min(590, 300 + 40 * m)},{min(575, 250 + 34 * m)}" for m in range(31)
)


def walked(walk: Walk) -> None:
    walk.arrives("QN-706", "E", "It asks to park and burn every other day, and gives up half way.")
    walk.said(("frequent_regeneration", "fuel_economy_down", "cleaned_before_helped"))
    walk.said(
        ("long_idle_or_pto",),
        ("low_power_all_range", "black_smoke", "oil_level_high", "oil_smells_of_fuel"),
    )
    walk.codes("P2459")
    walk.intake(
        distance="371000", oil="ok", bulletins_source="its number", bulletins_outcome="none"
    )
    walk.mark("intake")
    walk.idle(**IDLE)
    walk.check(
        "egr_position_sweep",
        egr_position_follows="present",
        egr_position_reaches_zero="present",
    )
    walk.check(
        "egr_dp_crosscheck",
        rpm="1400",
        map_kpa="132",
        charge_c="58",
        maf_g_s="87",
        dp_pa="740",
        gas_kpa="138",
        gas_c="140",
    )
    walk.check("pull_map_sensor", soot_on_map_sensor="absent")
    walk.check("regeneration_trace", csv=TRACE)
    walk.mark("trace")
    walk.look(PART, 3, "hard_carbon")
    walk.plans({PART: "clean"})
    walk.begins()
    walk.keep("begun")
    walk.works(until=asks("dry"), grade_before="3:hard_carbon")
    # The bad answer: a joint weeps. Nothing starts until it is dry.
    walk.answers(dry="no")
    walk.page("weeps", f"{walk.base}/work")
    walk.keep("weeps")
    walk.lifts("the joint was closed again and looked at dry with the pump running")
    walk.after_idle = IDLE
    walk.works(grade_before="3:hard_carbon")
    walk.check("regeneration_trace", after=True, csv=BURNT)
    walk.signs({"doser_fouled": ""}, fed="yes")


def test_the_diagnosis(facts: Facts) -> None:
    assert facts.leads("intake") == "doser_fouled" == facts.leads("trace")
    assert facts.causes["trace"]["doser_fouled"] > 0.85
    assert facts.evidence["burn_off_incomplete"] == "present"
    for sign in ("dp_low_but_balance_high", "dp_and_balance_low"):
        assert facts.evidence.get(sign, "unknown") != "present"
    assert "regeneration_trace" not in facts.offered["intake"][:1], "quick looks first"


def test_the_card(facts: Facts) -> None:
    card = facts.cards["begun"]
    card.ordered(
        both(lays(heat="cold"), waits(90)),
        both(opens("doser_off"), covers("cover")),
        asks("grade_before", PART),
        both(treats(PART, "egr_cleaner", "drip_soak", 40), waits(10)),
        closes("doser_off"),
        lays(coolant="full"),
        acts("clear"),
        learns("fuel_venting"),
        asks("dry"),
        acts("start"),
        learns("coolant_bleed_and_watch"),
        learns("particulate_burn_off"),
        acts("after_set"),
        acts("road"),
        acts("pending"),
        waits(180),
        asks("level"),
    )
    card.never(lays(battery="off"), lays(coolant="drained"))
    assert card.spares == ("GH-7891",) and card.agents == {"egr_cleaner": 40.0}
    assert {"fire", "burn_off", "hot_coolant", "dust", "road", "exhaust"} <= card.warns()
    assert "fingers" not in card.warns()


def test_the_cab_is_tilted_first(facts: Facts) -> None:
    facts.cards["begun"].ordered(opens("cab_tilt"), opens("doser_off"), closes("cab_tilt"))


def test_a_weeping_joint_stops_every_start(facts: Facts) -> None:
    assert "Fuel is leaking" in facts.pages["weeps"]
    assert not any(acts("start")(s) for s in facts.cards["weeps"].steps)


def test_the_report(facts: Facts) -> None:
    assert "Exhaust fuel doser" in facts.report or "doser" in facts.report.lower()
    assert "Stop lifted by" in facts.report
    assert "filter cleaned" not in facts.report.lower() and "turbine" not in facts.report
    low, at, high = facts.next_look
    assert 371_000 < low < at < high
