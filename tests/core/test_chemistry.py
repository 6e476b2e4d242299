"""The judgement: each rule by a case of its own, and what must hold for all of them."""

import re
from pathlib import Path

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from galene.core.chemistry import rules
from galene.core.chemistry.judge import (
    CONTRADICTIONS,
    DRY_WAYS,
    POSSIBLE_ENGINES,
    STATES,
    VERDICTS,
    WAYS,
    Agent,
    EngineFacts,
    Finding,
    Situation,
    engine_of,
    judge,
    possible_engines,
    refined,
)
from galene.core.chemistry.rules import RULES
from galene.core.errors import InputError
from galene.exchange.judgements import judgement_of
from galene.knowledge.agents import AGENTS, subject_of
from galene.knowledge.components import COMPONENTS
from galene.knowledge.families import FAMILIES
from galene.knowledge.methods import METHODS
from galene.knowledge.policy import DEFAULT_POLICY, POLICY_QUESTIONS, tags_of, way_in_place
from galene.knowledge.procedures import PROCEDURES
from galene.knowledge.treatment import chosen_agent
from tests.often import walks

READY = ["ignition_off", "engine_cold", "ventilated"]
OUT = [*READY, "removed"]
RUNNING = ["engine_warm_running", "ventilated"]
OPEN_WHILE_RUNNING = {"electronics_removed", "sensor_removed", "seal_removed"}

CASES: list[tuple[str, str, str | None, str, list[str], list[str], str]] = [
    # rule, verdict, class, way, features, state, component
    ("way.not_made_for", "no", "bath_detergent", "direct_spray", [], OUT, "egr_pipe"),
    ("hot_element.touch", "no", "maf_cleaner", "on_cloth", [], OUT, "maf_sensor"),
    ("hot_element.air", "no", None, "compressed_air", [], OUT, "maf_sensor"),
    ("hot_element.soak", "no", "isopropanol", "drip_soak", [], OUT, "maf_sensor"),
    ("hot_element.residue", "no", "throttle_cleaner", "direct_spray", [], OUT, "maf_sensor"),
    ("hot_element.plastic", "no", "brake_cleaner_flammable", "direct_spray", [], OUT, "maf_sensor"),
    ("hot_element.out", "only_after", "maf_cleaner", "direct_spray", [], READY, "maf_sensor"),
    (
        "hot_element.bursts",
        "with_care",
        "maf_cleaner",
        "direct_spray",
        [],
        OUT,
        "secondary_air_flow_sensor",
    ),
    ("membrane.nothing_in", "no", None, "pick_or_wire", [], OUT, "boost_sensor"),
    ("membrane.air", "no", None, "compressed_air", [], OUT, "map_sensor"),
    ("membrane.soak", "no", "isopropanol", "drip_soak", [], OUT, "map_sensor"),
    ("membrane.residue", "no", "throttle_cleaner", "direct_spray", [], OUT, "map_sensor"),
    ("membrane.plastic", "no", "brake_cleaner_flammable", "direct_spray", [], OUT, "map_sensor"),
    ("membrane.out", "only_after", "contact_cleaner", "direct_spray", [], READY, "map_sensor"),
    (
        "membrane.across",
        "with_care",
        "contact_cleaner",
        "direct_spray",
        [],
        OUT,
        "exhaust_pressure_sensor",
    ),
    ("sensor.soak", "no", "isopropanol", "drip_soak", [], OUT, "iat_sensor"),
    (
        "sensor.power",
        "only_after",
        "contact_cleaner",
        "direct_spray",
        [],
        ["engine_cold", "ventilated"],
        "iat_sensor",
    ),
    (
        "throttle.shaft",
        "no",
        "throttle_cleaner",
        "direct_spray",
        ["electronic"],
        [*OUT, "plate_open"],
        "throttle_body",
    ),
    ("bath.grease", "no", "bath_detergent", "bath", ["electronic"], OUT, "throttle_body"),
    (
        "throttle.tool_power",
        "only_after",
        None,
        "vacuum",
        ["electronic"],
        ["engine_cold"],
        "throttle_body",
    ),
    ("power.moves", "only_after", None, "pick_or_wire", [], ["engine_cold"], "egr_valve"),
    (
        "power.sparks",
        "only_after",
        "contact_cleaner",
        "direct_spray",
        [],
        ["engine_cold", "ventilated", "electronics_removed"],
        "idle_air_valve",
    ),
    ("hot_element.vacuum", "no", None, "vacuum", [], OUT, "maf_sensor"),
    ("sensor_line.sensor_out", "only_after", None, "compressed_air", [], OUT, "egr_dp_ports"),
    ("rubber.swells", "no", "throttle_cleaner", "on_cloth", [], OUT, "intake_tube"),
    ("crankcase.washed_dry", "no", "carburettor_cleaner", "direct_spray", [], OUT, "crankcase"),
    ("crankcase.driven_in", "no", None, "compressed_air", [], OUT, "crankcase"),
    ("cooler.tubes", "no", None, "pick_or_wire", [], OUT, "egr_cooler"),
    ("doser.bath", "no", "parts_wash_solvent", "bath", [], OUT, "aftertreatment_doser"),
    ("doser.off", "only_after", "egr_cleaner", "on_brush", [], READY, "aftertreatment_doser"),
    (
        "throttle.power",
        "only_after",
        "throttle_cleaner",
        "on_cloth",
        ["electronic"],
        [*READY, "plate_open"],
        "throttle_body",
    ),
    (
        "throttle.gently",
        "with_care",
        "throttle_cleaner",
        "on_cloth",
        ["electronic"],
        [*READY, "plate_open", "battery_off"],
        "throttle_body",
    ),
    ("throttle.scraper", "no", None, "scraper", ["electronic"], OUT, "throttle_body"),
    (
        "throttle.plate",
        "only_after",
        "throttle_cleaner",
        "direct_spray",
        ["cable"],
        READY,
        "throttle_body",
    ),
    (
        "throttle.small",
        "with_care",
        "throttle_cleaner",
        "direct_spray",
        ["cable"],
        [*READY, "plate_open"],
        "throttle_body",
    ),
    (
        "coating.label",
        "no",
        "isopropanol",
        "on_cloth",
        ["electronic", "coated_bore"],
        [*OUT, "plate_open"],
        "throttle_body",
    ),
    (
        "coating.brush",
        "no",
        "throttle_cleaner",
        "on_brush",
        ["electronic", "coated_bore"],
        [*OUT, "plate_open"],
        "throttle_body",
    ),
    (
        "faces_down.pools",
        "no",
        "intake_valve_aerosol",
        "running_ingestion",
        ["electronic", "faces_down"],
        RUNNING,
        "throttle_body",
    ),
    (
        "faces_down.off",
        "only_after",
        "throttle_cleaner",
        "direct_spray",
        ["cable", "faces_down"],
        [*READY, "plate_open"],
        "throttle_body",
    ),
    (
        "faces_down.dry",
        "with_care",
        "throttle_cleaner",
        "on_cloth",
        ["cable", "faces_down"],
        [*READY, "plate_open"],
        "throttle_body",
    ),
    ("electronics.bath", "only_after", "egr_cleaner", "drip_soak", [], OUT, "egr_valve"),
    ("electronics.hall", "no", "throttle_cleaner", "on_cloth", [], OUT, "runner_actuator"),
    ("electronics.up", "with_care", "throttle_cleaner", "on_cloth", [], OUT, "idle_air_valve"),
    ("bath.stripped", "only_after", "bath_detergent", "bath", [], OUT, "intake_manifold"),
    ("fuel.dose", "with_care", "fuel_system_additive", "running_ingestion", [], [], "intake_ports"),
    ("elastomer.swells", "only_after", "throttle_cleaner", "on_cloth", [], OUT, "charge_air_pipe"),
    ("plastic.attacks", "no", "carburettor_cleaner", "on_cloth", [], OUT, "intake_manifold"),
    ("plastic.aromatics", "with_care", "throttle_cleaner", "on_cloth", [], OUT, "intake_manifold"),
    ("plastic.bath", "with_care", "bath_detergent", "bath", [], OUT, "intake_manifold"),
    ("aluminium.alkaline", "no", "bath_detergent", "bath", ["aluminium"], OUT, "intake_manifold"),
    (
        "aluminium.limits",
        "with_care",
        "bath_detergent",
        "bath",
        ["aluminium"],
        OUT,
        "intake_manifold",
    ),
    ("metal_only.part", "no", "egr_cleaner", "on_brush", [], OUT, "intake_tube"),
    ("metal_only.rinse", "with_care", "egr_cleaner", "on_brush", [], OUT, "egr_pipe"),
    (
        "ingestion.chlorinated",
        "no",
        "brake_cleaner_chlorinated",
        "running_ingestion",
        [],
        RUNNING,
        "intake_manifold",
    ),
    (
        "ingestion.not_made",
        "no",
        "throttle_cleaner",
        "running_ingestion",
        [],
        RUNNING,
        "intake_manifold",
    ),
    (
        "ingestion.behind_meter",
        "no",
        "intake_valve_aerosol",
        "running_ingestion",
        [],
        RUNNING,
        "maf_sensor",
    ),
    (
        "ingestion.catalyst",
        "no",
        "carburettor_cleaner",
        "running_ingestion",
        [],
        RUNNING,
        "oxidation_catalyst",
    ),
    (
        "ingestion.opened",
        "no",
        "intake_valve_aerosol",
        "running_ingestion",
        [],
        [*RUNNING, "sensor_removed"],
        "intake_manifold",
    ),
    (
        "ingestion.runs_away",
        "no",
        "intake_valve_aerosol",
        "running_ingestion",
        [],
        RUNNING,
        "intake_manifold",
    ),
    (
        "ingestion.before_compressor",
        "no",
        "soot_flush_waterbased",
        "running_ingestion",
        [],
        RUNNING,
        "intake_tube",
    ),
    (
        "ingestion.aluminium",
        "with_care",
        "soot_flush_waterbased",
        "running_ingestion",
        [],
        RUNNING,
        "throttle_body",
    ),
    ("hot_gas.running", "no", None, "pick_or_wire", [], RUNNING, "exhaust_pressure_tube"),
    ("hot_gas.cold", "only_after", None, "scraper", [], [], "exhaust_pipe"),
    ("turbine.wet", "no", "egr_cleaner", "direct_spray", [], OUT, "turbine"),
    ("coating.unknown", "only_after", "carburettor_cleaner", "on_cloth", [], OUT, "throttle_body"),
    (
        "electronics.contacts",
        "with_care",
        "contact_cleaner",
        "direct_spray",
        [],
        OUT,
        "runner_actuator",
    ),
    ("tools.air_at_a_port", "only_after", None, "compressed_air", [], OUT, "intake_ports"),
    (
        "ingestion.not_reached",
        "no",
        "soot_flush_waterbased",
        "running_ingestion",
        [],
        RUNNING,
        "egr_cooler",
    ),
    (
        "ingestion.behind_cooler",
        "with_care",
        "intake_valve_aerosol",
        "running_ingestion",
        [],
        RUNNING,
        "intake_ports",
    ),
    (
        "ingestion.diesel_limit",
        "with_care",
        "soot_flush_waterbased",
        "running_ingestion",
        [],
        RUNNING,
        "intake_manifold",
    ),
    (
        "ingestion.two_stroke",
        "no",
        "intake_valve_aerosol",
        "running_ingestion",
        [],
        RUNNING,
        "intake_ports",
    ),
    (
        "ingestion.running",
        "only_after",
        "intake_valve_aerosol",
        "running_ingestion",
        [],
        [],
        "intake_ports",
    ),
    (
        "ingestion.bursts",
        "with_care",
        "intake_valve_aerosol",
        "running_ingestion",
        [],
        RUNNING,
        "intake_ports",
    ),
    (
        "fuel.direct_injection",
        "no",
        "fuel_system_additive",
        "running_ingestion",
        [],
        RUNNING,
        "intake_ports",
    ),
    (
        "fuel.never_there",
        "no",
        "fuel_system_additive",
        "running_ingestion",
        [],
        RUNNING,
        "egr_valve",
    ),
    ("oxygen_sensor.silicone", "no", "silicone_grease", "on_cloth", [], OUT, "oxygen_sensor"),
    (
        "oxygen_sensor.never_sprayed",
        "no",
        "contact_cleaner",
        "direct_spray",
        [],
        OUT,
        "oxygen_sensor",
    ),
    (
        "oxygen_sensor.label",
        "no",
        "intake_valve_aerosol",
        "running_ingestion",
        [],
        RUNNING,
        "oxygen_sensor",
    ),
    (
        "oxygen_sensor.downstream",
        "with_care",
        "fuel_system_additive",
        "running_ingestion",
        ["downstream"],
        RUNNING,
        "oxygen_sensor",
    ),
    (
        "catalyst.poison",
        "no",
        "brake_cleaner_chlorinated",
        "direct_spray",
        [],
        OUT,
        "oxidation_catalyst",
    ),
    ("catalyst.not_cleaned", "no", "soap_and_water", "bath", [], OUT, "particulate_filter"),
    ("catalyst.silicone_upstream", "no", "silicone_grease", "on_cloth", [], OUT, "intake_tube"),
    (
        "catalyst.chlorine_upstream",
        "no",
        "brake_cleaner_chlorinated",
        "on_brush",
        [],
        OUT,
        "egr_valve",
    ),
    (
        "fire.running",
        "only_after",
        "throttle_cleaner",
        "on_cloth",
        ["cable"],
        ["engine_warm_running", "ventilated", "plate_open"],
        "throttle_body",
    ),
    ("fire.cold", "only_after", "egr_cleaner", "on_brush", [], ["removed"], "egr_pipe"),
    (
        "chlorinated.cold",
        "only_after",
        "brake_cleaner_chlorinated",
        "on_cloth",
        [],
        [],
        "egr_temperature_sensor",
    ),
    (
        "chlorinated.after",
        "with_care",
        "brake_cleaner_chlorinated",
        "on_cloth",
        [],
        OUT,
        "egr_temperature_sensor",
    ),
    ("blast.ports_only", "no", "blast_walnut", "blast", [], OUT, "intake_manifold"),
    ("blast.shut", "only_after", "blast_walnut", "blast", [], OUT, "intake_ports"),
    ("blast.out", "with_care", "blast_walnut", "blast", [], [*OUT, "port_shut"], "intake_ports"),
    ("tools.scraper_plastic", "with_care", None, "scraper", [], OUT, "intake_manifold"),
    ("tools.scraper_sensor", "no", None, "scraper", [], OUT, "iat_sensor"),
    ("tools.nozzle", "no", None, "pick_or_wire", [], OUT, "aftertreatment_doser"),
    ("tools.air", "with_care", None, "compressed_air", [], OUT, "egr_pipe"),
    ("tools.loosened", "only_after", None, "scraper", [], OUT, "intake_ports"),
    ("ports.shut", "only_after", "egr_cleaner", "drip_soak", [], OUT, "intake_ports"),
    (
        "ports.amount",
        "with_care",
        "egr_cleaner",
        "drip_soak",
        [],
        [*OUT, "port_shut"],
        "intake_ports",
    ),
    ("filter.wet", "no", "soap_and_water", "bath", [], OUT, "air_filter"),
    ("filter.air", "no", None, "compressed_air", [], OUT, "air_filter"),
    ("filter.tool", "no", None, "scraper", [], OUT, "air_filter"),
    ("aid.sensor", "no", "light_oil", "drip_soak", [], OUT, "map_sensor"),
    (
        "aid.silicone",
        "with_care",
        "silicone_grease",
        "on_cloth",
        [],
        OUT,
        "crankcase_pressure_sensor",
    ),
    ("aid.like_on_like", "no", "silicone_grease", "on_cloth", ["seal_silicone"], OUT, "map_sensor"),
    ("aid.silicone_gas", "no", "silicone_grease", "on_cloth", [], OUT, "breather_valve"),
    ("aid.trace", "with_care", "light_oil", "on_cloth", [], OUT, "runner_flaps"),
    ("water.dry_first", "with_care", "soap_and_water", "on_cloth", [], OUT, "egr_pipe"),
]


PETROL_PORT = EngineFacts(fuel="petrol", injection="port", cycle="four_stroke", charged=False)
PETROL_DIRECT = EngineFacts(fuel="petrol", injection="direct", cycle="four_stroke", charged=True)
DIESEL = EngineFacts(fuel="diesel", injection="direct", cycle="four_stroke", charged=True)
TWO_STROKE = EngineFacts(fuel="petrol", injection="port", cycle="two_stroke", charged=False)
ENGINES = {
    "fuel.dose": PETROL_PORT,
    "fuel.direct_injection": PETROL_DIRECT,
    "ingestion.behind_cooler": PETROL_DIRECT,
    "ingestion.diesel_limit": DIESEL,
    "ingestion.running": PETROL_PORT,
    "ingestion.bursts": PETROL_PORT,
    "oxygen_sensor.downstream": PETROL_PORT,
    "crankcase.washed_dry": TWO_STROKE,
    "crankcase.driven_in": TWO_STROKE,
}
"""Rules that are asked on an engine of their own; the others with none named."""
LABELS: dict[str, dict[str, bool]] = {
    "aluminium.alkaline": {"aluminium_safe": False},
    "aluminium.limits": {"aluminium_safe": True},
    "oxygen_sensor.downstream": {"oxygen_sensor_safe": True},
}


@pytest.mark.parametrize(
    ("rule", "verdict", "class_id", "way", "features", "state", "component"),
    CASES,
    ids=[c[0] for c in CASES],
)
def test_each_rule_has_its_say(
    rule: str,
    verdict: str,
    class_id: str | None,
    way: str,
    features: list[str],
    state: list[str],
    component: str,
) -> None:
    agent = refined(AGENTS[class_id].agent, LABELS.get(rule, {})) if class_id else None
    engine = ENGINES.get(rule, EngineFacts())
    found = judge(
        RULES,
        agent,
        way,
        subject=subject_of(component),
        features=features,
        state=state,
        engine=engine,
    )
    held = [
        f
        for f in findings_of(agent, way, component, features=features, state=state, engine=engine)
        if f.rule == rule
    ]
    assert held and held[0].verdict == verdict
    # Beside a plain no, conditions are not told.
    assert rule in {r.rule for r in found.reasons} or found.verdict == "no", found
    assert VERDICTS.index(found.verdict) >= VERDICTS.index(verdict)
    assert all(r.text.endswith((".", "!")) for r in found.reasons)


def findings_of(
    agent: Agent | None,
    way: str,
    component: str,
    *,
    features: list[str],
    state: list[str],
    engine: EngineFacts,
) -> list[Finding]:
    """What each rule says by itself, on each engine that it may be."""
    held = set(subject_of(component).features) - ({"plastic"} if "aluminium" in features else set())
    return [
        finding
        for one in possible_engines(engine)
        for rule in RULES
        for finding in rule(
            Situation(
                agent=agent,
                way=way,
                component=component,
                features=frozenset(held | set(features)),
                state=frozenset(state),
                engine=one,
            )
        )
    ]


def test_every_rule_of_the_source_has_a_case() -> None:
    source = "".join(p.read_text() for p in Path(rules.__file__).parent.glob("*rules.py"))
    written = set(re.findall(r'Finding\(\s*rule="([a-z_.]+)"', source))
    assert written == {c[0] for c in CASES}


def test_what_makers_and_the_trade_agree_on() -> None:
    example = judgement_of(
        {
            "class": "carburettor_cleaner",
            "application": "direct_spray",
            "component": "throttle_body",
            "features": ["electronic"],
            "state": ["battery_off", "engine_cold"],
            "properties": {"coating_safe": False},
        }
    )
    assert (
        example["verdict"] == "no"
        and example["conditions"] == []
        and example["drying_minutes"] == 0
    )
    meter = judgement_of(
        {
            "class": "maf_cleaner",
            "application": "direct_spray",
            "component": "maf_sensor",
            "state": [],
        }
    )
    assert meter["verdict"] == "only_after" and set(meter["conditions"]) == {
        "removed",
        "ignition_off",
        "engine_cold",
        "ventilated",
    }
    assert meter["drying_minutes"] == 15 and "nitrile gloves" in meter["protective_equipment"]
    by_label = {
        "class": "brake_cleaner_flammable",
        "application": "direct_spray",
        "component": "map_sensor",
        "state": OUT,
    }
    assert judgement_of(by_label)["verdict"] == "no"
    assert (
        judgement_of({**by_label, "properties": {"plastic_safe": True}})["verdict"] == "with_care"
    ), "a label that says plastic-safe counts"
    dry = judgement_of(
        {"application": "vacuum", "component": "runner_actuator", "state": ["battery_off"]}
    )
    assert dry["verdict"] == "ok" and dry["drying_minutes"] == 0


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"class": "holy_water"}, "class"),
        ({"component": "carburettor"}, "component"),
        ({"application": "licked"}, "application"),
        ({"state": ["asleep"]}, "state"),
        ({"features": ["shiny"]}, "features"),
        ({"properties": {"tasty": True}}, "properties"),
        ({"properties": {"residue_free": True, "leaves_film": True}}, "properties"),
        ({"features": ["cable", "electronic"]}, "features"),
        ({"state": ["engine_cold", "engine_warm_running"]}, "state"),
        ({"class": None}, "class"),
        ({"product": "7"}, "product"),
        ({"extra": 1}, "extra"),
        ({"properties": {"flammable": "very"}}, "properties.flammable"),
    ],
)
def test_words_that_are_not_known_or_can_not_hold_together(
    change: dict[str, object], field: str
) -> None:
    with pytest.raises(InputError) as fault:
        judgement_of(
            {
                "class": "maf_cleaner",
                "application": "direct_spray",
                "component": "maf_sensor",
                **change,
            }
        )
    assert fault.value.field == field


agents = st.sampled_from([a.agent for a in AGENTS.values()])
kinds = st.sampled_from(sorted(COMPONENTS))
ways = st.sampled_from(sorted(WAYS))
engines = st.sampled_from([EngineFacts(), *POSSIBLE_ENGINES])
FACTS = st.sets(st.sampled_from(sorted(STATES)))


def possible(state: set[str]) -> bool:
    return not any(a in state and b in state for a, b in CONTRADICTIONS)


@settings(max_examples=walks(200), deadline=None)
@given(agents, ways, kinds, FACTS, FACTS, engines)
def test_fewer_known_states_never_give_a_milder_verdict(
    agent, way, component, state, more, engine
) -> None:
    assume(possible(state | more))
    # A sensor, a seal or a drive that is out while the engine draws something in is a hazard, no
    # precaution.
    assume(way != "running_ingestion" or not more & OPEN_WHILE_RUNNING)
    less = judge(
        RULES,
        agent,
        way,
        subject=subject_of(component),
        features=[],
        state=sorted(state),
        engine=engine,
    )
    # Nor is a running engine one, where it is to be cold.
    assume("engine_warm_running" not in more or "engine_cold" not in less.conditions)
    full = judge(
        RULES,
        agent,
        way,
        subject=subject_of(component),
        features=[],
        state=sorted(state | more),
        engine=engine,
    )
    assert VERDICTS.index(full.verdict) <= VERDICTS.index(less.verdict)
    assert not more & set(full.conditions) and (less.verdict != "only_after" or less.conditions)


@settings(max_examples=walks(100), deadline=None)
@given(agents, ways, kinds, FACTS)
def test_an_engine_that_is_not_named_is_never_judged_milder(agent, way, component, state) -> None:
    assume(possible(state))
    unnamed = judge(
        RULES, agent, way, subject=subject_of(component), features=[], state=sorted(state)
    )
    for engine in POSSIBLE_ENGINES:
        named = judge(
            RULES,
            agent,
            way,
            subject=subject_of(component),
            features=[],
            state=sorted(state),
            engine=engine,
        )
        assert VERDICTS.index(named.verdict) <= VERDICTS.index(unnamed.verdict)
    verdicts = {
        judge(
            RULES,
            agent,
            way,
            subject=subject_of(component),
            features=[],
            state=sorted(state),
            engine=e,
        ).verdict
        for e in POSSIBLE_ENGINES
    }
    said = "engine.not_named" in {r.rule for r in unnamed.reasons}
    assert said == (len(verdicts) > 1), "where it matters, it is said"


@settings(max_examples=walks(100), deadline=None)
@given(agents, st.sampled_from(sorted(set(WAYS) - DRY_WAYS)), kinds, FACTS, engines)
def test_what_is_only_after_is_free_once_its_conditions_hold(
    agent, way, component, state, engine
) -> None:
    assume(possible(state))
    found = judge(
        RULES,
        agent,
        way,
        subject=subject_of(component),
        features=[],
        state=sorted(state),
        engine=engine,
    )
    if found.verdict != "only_after":
        return
    # What is asked for takes the place of what speaks against it: cold in place of running.
    then = {
        s
        for s in state
        if not any(
            (a == s and b in found.conditions) or (b == s and a in found.conditions)
            for a, b in CONTRADICTIONS
        )
    } | set(found.conditions)
    if not possible(then):
        return
    last = judge(
        RULES,
        agent,
        way,
        subject=subject_of(component),
        features=[],
        state=sorted(then),
        engine=engine,
    )
    assert last.verdict in ("ok", "with_care", "only_after"), (found, last)
    assert last.verdict != "only_after" or "engine_warm_running" in state, (found, last)


ATTACKED: list[tuple[str, str]] = [
    # feature of a part, property of an agent that attacks it
    ("plastic", "ketones"),
    ("plastic", "chlorinated"),
    ("hot_element", "leaves_film"),
    ("membrane", "leaves_film"),
    ("coated_bore", "ketones"),
    ("seal_nbr", "ketones"),
    ("seal_fkm", "amine"),
    ("seal_epdm", "mineral_oil"),
    ("seal_silicone", "alkanes"),
    ("aluminium", "alkaline"),
    ("hall_sensor", "leaves_film"),
]


@pytest.mark.parametrize(("feature", "attack"), ATTACKED)
def test_an_agent_is_never_ok_on_what_it_attacks(feature: str, attack: str) -> None:
    state = [
        "battery_off",
        "ignition_off",
        "engine_cold",
        "removed",
        "ventilated",
        "plate_open",
        "port_shut",
        "sensor_removed",
    ]
    for agent in (a.agent for a in AGENTS.values() if attack in a.agent.properties):
        for component, kind in COMPONENTS.items():
            if any(
                (a == feature and b in kind.features) or (b == feature and a in kind.features)
                for a, b in CONTRADICTIONS
            ):
                continue
            for way in set(agent.ways) - DRY_WAYS - {"running_ingestion"}:
                found = judge(
                    RULES,
                    agent,
                    way,
                    subject=subject_of(component),
                    features=[feature],
                    state=state,
                )
                assert found.verdict != "ok", (agent.id, way, component)


POLICIES = [
    dict(DEFAULT_POLICY),
    *(
        {**DEFAULT_POLICY, school.letter: choice}
        for school in POLICY_QUESTIONS
        for choice, _ in school.choices[1:]
    ),
]


@pytest.mark.parametrize(
    "policy",
    POLICIES,
    ids=lambda p: next((f"{k}={v}" for k, v in p.items() if v != DEFAULT_POLICY[k]), "default"),
)
def test_no_procedure_uses_what_is_forbidden_whatever_the_school(policy: dict[str, str]) -> None:
    """Every agent that a compiled card would name, judged by the rules in the state that the card
    has brought about."""
    for family in FAMILIES.values():
        for part in family.parts:
            for grade in (1, 4):
                tags = tags_of(family, part, grade, distance_km=150_000, policy=policy)
                chosen = chosen_agent(part, tags, policy, engine=engine_of(family))
                procedure = PROCEDURES.get(way_in_place(tags) or part.component)
                wet = (
                    [
                        t.agent
                        for t in procedure.steps
                        if t.agent
                        and set(t.when) <= tags | {"on_engine", "off_engine", "heavy", "light"}
                    ]
                    if procedure
                    else []
                )
                if chosen is None:
                    assert (
                        not wet
                        or part.component not in METHODS
                        or not METHODS[part.component].agent
                    ), (family.id, part.id, wet)
                else:
                    assert chosen.judgement.verdict in ("ok", "with_care"), (
                        family.id,
                        part.id,
                        chosen,
                    )


def test_schools_change_the_card() -> None:
    c, manifold, ports, meter = (
        FAMILIES["C"],
        *(FAMILIES["C"].part(p) for p in ("intake_manifold", "intake_ports", "maf_sensor")),
    )

    def agent(part, grade: int, **policy: str) -> str:
        held = {**DEFAULT_POLICY, **policy}
        found = chosen_agent(
            part,
            tags_of(c, part, grade, distance_km=60_000, policy=held),
            held,
            engine=engine_of(c),
        )
        return found.class_id if found else ""

    assert [
        agent(manifold, 4),
        agent(manifold, 4, R="own_bath"),
        agent(manifold, 4, R="by_hand"),
        agent(manifold, 2),
    ] == [
        "",
        "bath_detergent",
        "soap_and_water",
        "soap_and_water",
    ]
    assert agent(manifold, 4, L="on_vehicle") == "soap_and_water", (
        "a plastic manifold: no remover for metal"
    )
    assert [
        agent(ports, 4),
        agent(ports, 2),
        agent(ports, 4, M="aerosol_only"),
        agent(ports, 4, M="blast_on_distance"),
    ] == [
        "blast_walnut",
        "intake_valve_aerosol",
        "intake_valve_aerosol",
        "intake_valve_aerosol",
    ]
    assert [agent(meter, 2), agent(meter, 2, A="plastic_safe")] == [
        "maf_cleaner",
        "contact_cleaner",
    ]
    cable, electronic = FAMILIES["B"].part("throttle_body"), FAMILIES["A"].part("throttle_body")
    direct = {**DEFAULT_POLICY, "E": "direct"}
    assert "direct" in tags_of(FAMILIES["B"], cable, 2, distance_km=None, policy=direct), (
        "a cable throttle"
    )
    assert "on_cloth" in tags_of(FAMILIES["A"], electronic, 2, distance_km=None, policy=direct), (
        "never into an electronic one"
    )
    d = FAMILIES["D"]
    passage, valve = d.part("egr_passage"), d.part("egr_valve")
    assert [
        agent_of_d(passage, g, x)
        for g, x in ((2, "soot"), (2, "hard_carbon"), (3, "soot"), (None, ""))
    ] == [
        "soot_flush_waterbased",
        "egr_cleaner",
        "egr_cleaner",
        "egr_cleaner",
    ], "only what is light, soft and known is flushed in place"
    assert (
        way_in_place(
            tags_of(d, valve, 2, distance_km=None, policy={**DEFAULT_POLICY, "K": "leave"})
        )
        == "left_for_now"
    )
    assert not way_in_place(
        tags_of(d, valve, 2, distance_km=None, policy={**DEFAULT_POLICY, "K": "dismantle"})
    )
    assert not way_in_place(
        tags_of(d, valve, 2, distance_km=None, policy=DEFAULT_POLICY, opened=True)
    ), "laid open anyway, it is cleaned by hand"


def agent_of_d(part, grade: int | None, deposit: str) -> str:
    d = FAMILIES["D"]
    tags = tags_of(d, part, grade, distance_km=None, policy=DEFAULT_POLICY, deposit=deposit)
    found = chosen_agent(part, tags, DEFAULT_POLICY, engine=engine_of(d))
    return found.class_id if found else ""
