"""What proves each cause cured, heaviest first, and how the tests' results are read.

A repair is proven when what showed the fault shows it no more: the test that told the cause from
its neighbours comes first, then readings. The complaint and the codes are asked for every cause.
"""

from collections.abc import Mapping
from types import MappingProxyType

from galene.core.airpath.family import EngineFamily
from galene.core.diagnosis.assess import is_offered
from galene.core.errors import InputError
from galene.core.proof.records import (
    Direction,
    Polarity,
    ProvenCause,
    ProvingTest,
    TestReading,
)
from galene.knowledge.base import KNOWLEDGE, outline_of
from galene.knowledge.documents import table
from galene.knowledge.evidence import SYMPTOMS

TOLD_APART = "practice: the check that tells this cause from its neighbours"
PHYSICS = "the physics of its calculation"
STANDARD = "SAE J1979: what the control unit itself watches, once it has driven"
LOOKED_AT = "practice: what was seen fouled is seen clean, by the same eyes and lamp"

READINGS: dict[str, TestReading] = table("proving.toml", TestReading, "readings", by="test")
"""Tests whose result is a figure or a verdict. A look is read by the evidence that it gives."""

OTHER_TESTS: tuple[str, ...] = ("bore_restriction", "charge_pressure", "fuel_economy_change")
"""Tests that are no check of the diagnosis: a gauge, a log and a book of fills."""


def _test(
    test: str, why: str, source: str = TOLD_APART, **metrics: Direction | None
) -> ProvingTest:
    return ProvingTest(test=test, why=why, source=source, metrics=metrics)


IDLE = _test(
    "idle_readings",
    "At the same warm idle the control must ask for no more than a clean bore does.",
    idle_rpm=None,
    learned_throttle_percent="lower",
    idle_airflow_g_s=None,
    idle_rpm_spread="lower",
)
IDLE_SPEED = _test(
    "idle_readings",
    "At the same warm idle the speed must stand in its band, and steady.",
    idle_rpm=None,
    idle_rpm_spread="lower",
    idle_airflow_g_s=None,
)
KEY_ON = _test(
    "key_on_agreement", "With the engine off every absolute sensor must read the same air."
)
TRIMS = _test(
    "trim_survey",
    "A meter or a leak shows by the shape of the trims over airflow.",
    PHYSICS,
    trim_idle_percent=None,
    trim_cruise_percent=None,
)
METER = _test(
    "airflow_against_expected",
    "The meter against displacement times speed.",
    PHYSICS,
    meter_ratio_percent=None,
)
FLOW = _test(
    "egr_flow_test",
    "The valve commanded open at idle: what the passage really lets through.",
    PHYSICS,
    egr_area_mm2="higher",
)
POSITION = _test("egr_position_sweep", "Position must follow command, and reach zero.")
CROSS = _test(
    "egr_dp_crosscheck", "Differential pressure against the balance of air: both must agree."
)
PLATE = _test("throttle_sweep", "The plate over its whole travel, up and down alike.")
FLAPS = _test("runner_sweep_commanded", "Both stops must be reached, nothing stiff.")
FLAPS_BY_HAND = _test("runner_sweep_by_hand", "The flaps must swing by a finger and fall back.")
OXYGEN = _test("oxygen_response", "The time in which the sensor answers.", PHYSICS)
BURN = _test("regeneration_trace", "The burn-off must go through the whole filter.", PHYSICS)
BORE = _test(
    "bore_restriction", "How much of the bore is open, or the grade of what is left.", PHYSICS
)
CHARGE = _test(
    "charge_pressure",
    "A pull at full load: the pressure that is commanded must be reached.",
    PHYSICS,
    boost_kpa=None,
)
FUEL = _test(
    "fuel_economy_change", "Fills over a distance say it last of all.", PHYSICS, fuel_l_100km=None
)
ROAD = _test("road_test", "The complaint's own situation, driven once more.", STANDARD)
LEVEL = _test(
    "coolant_level_cold", "The level, cold, some days later: nothing may be lost any more."
)


def _look(check: str, why: str = "What was seen must be seen no more.") -> ProvingTest:
    return _test(check, why, LOOKED_AT)


PROVING: dict[str, tuple[ProvingTest, ...]] = {
    "throttle_deposit": (IDLE, _look("look_throttle"), BORE),
    "throttle_sticking": (PLATE, _look("look_throttle")),
    "idle_valve_deposit": (IDLE_SPEED, BORE),
    "maf_dust": (TRIMS, METER, _look("look_maf")),
    "maf_oil_film": (TRIMS, METER, _look("look_maf")),
    "secondary_air_sensor_dirty": (_look("look_secondary_air"),),
    "secondary_air_valve_coked": (_look("look_secondary_air"),),
    "map_fouled": (KEY_ON, _look("pull_map_sensor")),
    "boost_sensor_fouled": (KEY_ON, CHARGE, _look("pull_boost_sensor")),
    "exhaust_pressure_tube_blocked": (_look("blow_through_exhaust_pressure_tube"), KEY_ON, FUEL),
    "egr_dp_ports_blocked": (CROSS, _look("look_egr_dp_ports")),
    "egr_passage_plugged": (FLOW, CROSS, _look("look_egr_passage")),
    "egr_valve_stuck_open": (POSITION, IDLE_SPEED, _look("look_egr_valve")),
    "egr_valve_sluggish": (POSITION, FLOW),
    "egr_cooler_plugged": (CROSS, FLOW, _look("look_egr_cooler")),
    "manifold_coked": (_look("look_manifold"), BORE, FLAPS),
    "runner_flaps_stuck": (FLAPS, FLAPS_BY_HAND),
    "runner_actuator_sensor_dirty": (FLAPS,),
    "ports_coked": (_look("look_ports"), BORE),
    "crankcase_hose_blocked": (_look("blow_through_crankcase_hose"), KEY_ON),
    "oxygen_sensor_fouled": (OXYGEN,),
    "doser_fouled": (BURN,),
    "filter_restricted": (_look("look_filter"),),
    "unmetered_air_leak": (_look("leak_smoke", "No smoke may come out any more."), TRIMS),
    "maf_failed": (TRIMS, METER),
    "map_failed": (KEY_ON,),
    "boost_leak": (_look("leak_smoke", "The charge pipe must hold."), CHARGE),
    "turbo_control_fault": (CHARGE,),
    "throttle_actuator_fault": (PLATE,),
    "idle_adaptation_lost": (IDLE,),
    "egr_valve_electrical": (POSITION, FLOW),
    "egr_dp_sensor_damaged": (CROSS, KEY_ON),
    "egr_cooler_leak": (_test("cooler_pressure_test", "The pressure must hold."), LEVEL),
    "exhaust_pressure_sensor_failed": (KEY_ON,),
    "runner_lever_unhooked": (FLAPS, FLAPS_BY_HAND),
    "crankcase_sensor_seal_leak": (_look("look_crankcase_seal"),),
    "crankcase_sensor_failed": (KEY_ON,),
    "oxygen_sensor_failed": (OXYGEN,),
    "maf_wiring": (METER,),
    "map_wiring": (KEY_ON,),
    "iat_wiring": (ROAD,),
    "boost_sensor_wiring": (KEY_ON,),
    "exhaust_pressure_wiring": (KEY_ON,),
    "crankcase_sensor_wiring": (KEY_ON,),
    "oxygen_sensor_wiring": (OXYGEN,),
    "throttle_wiring": (PLATE,),
    "runner_wiring": (FLAPS,),
    "secondary_meter_wiring": (ROAD,),
    "pedal_sensor_fault": (PLATE,),
    "idle_valve_electrical": (IDLE_SPEED,),
    "boost_sensor_failed": (KEY_ON,),
    "barometric_failed": (KEY_ON,),
    "secondary_air_supply_fault": (ROAD,),
    "turbo_seal_leak": (
        _look("look_manifold", "Some days later there must be no fresh oil in the pipe."),
    ),
    "ignition_or_fuel_fault": (ROAD,),
}
SYMPTOM_TEXTS: Mapping[str, str] = MappingProxyType({s.id: s.text for s in SYMPTOMS})
LEAST_LINK = 0.3
"""Chance from which a cause that shows a piece of evidence is shown by it: below, it is a bystander
(this project's judgement)."""


def _possible(test: ProvingTest, family: EngineFamily) -> bool:
    """Whether an engine can have a proving test."""
    if test.test in OTHER_TESTS:
        return test.test != "charge_pressure" or "charge_air_pipe" in family.components
    outline = outline_of(family)
    check = KNOWLEDGE.checks[test.test]
    return check.possible_on(outline) and is_offered(check, outline, KNOWLEDGE)


def proving_tests(cause_id: str, family: EngineFamily) -> tuple[ProvingTest, ...]:
    """The proving tests of a cause that an engine can have, heaviest first: the road where it can
    have none. A throttle on a cable asks for nothing at idle: its speed is looked at."""
    idle = IDLE_SPEED if family.throttle == "cable" else IDLE
    found = tuple(idle if t is IDLE else t for t in PROVING[cause_id] if _possible(t, family))
    return found or (ROAD,)


def proven_cause(cause_id: str, family: EngineFamily) -> ProvenCause:
    """A cause with all that its proof must know.

    Raises
    ------
    InputError
        An unknown cause, or one that the engine can not have.
    """
    cause = KNOWLEDGE.causes.get(cause_id)
    if cause is None:
        raise InputError("causes", cause_id, "an id of the vocabulary")
    if not cause.possible_on(outline_of(family)):
        raise InputError("causes", cause_id, f"a cause that family {family.id} can have")
    return ProvenCause(
        id=cause.id,
        title=cause.title,
        component=cause.component,
        tests=proving_tests(cause.id, family),
        code_groups=frozenset(
            e.id
            for e in KNOWLEDGE.evidence.values()
            if e.group == "code" and e.links.get(cause.id, 0.0) >= LEAST_LINK
        ),
    )


def own_words(words: str) -> ProvenCause:
    """What it was in the technician's own words: only the road can prove it, as no check of the
    vocabulary stands for it."""
    return ProvenCause(id="own_words", title=words, component="", tests=(ROAD,))


def title_of(test: str) -> str:
    """What a test is called."""
    if test in READINGS:
        return READINGS[test].title
    return KNOWLEDGE.checks[test].title


def polarity_of(evidence_id: str) -> Polarity:
    """In which state a piece of evidence shows a fault.

    Raises
    ------
    InputError
        An unknown id.
    """
    found = KNOWLEDGE.evidence.get(evidence_id)
    if found is None:
        raise InputError("evidence", evidence_id, "an id of the vocabulary")
    return Polarity(
        evidence=evidence_id, bad="absent" if found.inverse else "present", text=found.text
    )
