"""Hazards of this trade, by what of a step, check, relearn phase or worksheet they are known.

Sources: safety data sheets' usual sections 7 and 8 for agents; workshop practice for the rest.
Respirator classes as in EN 149 (FFP3) and EN 14387 (type AX for low-boiling solvents); soot of
engines counts as a cause of cancer (IARC 105).
"""

from galene.core.airpath.family import EngineFamily
from galene.core.diagnosis.records import Check
from galene.core.planning.hazards import Hazard
from galene.core.proof.relearn import Phase

ON_THE_ROAD = (
    "Drive it",
    "Drive the",
    "Drive for",
    "Drive or",
    "Drive gently",
    "Drive briskly",
    "Drive ten",
    "Drive 2",
    "Ride it",
    "then drive",
    "full-load pull on the road",
)
"""How a step says that it is on the road; a valve's drive is put back on its metal in the bay."""
HAZARDS: tuple[Hazard, ...] = (
    Hazard(caution="runaway", ways=frozenset({"running_ingestion"}), fuels=frozenset({"diesel"})),
    Hazard(caution="fire", properties=frozenset({"flammable"}), fuel_line=True),
    Hazard(caution="rail", fuel_line=True, fuels=frozenset({"diesel"})),
    Hazard(caution="rail", fuel_line=True, injections=frozenset({"direct"})),
    Hazard(
        caution="fumes",
        properties=frozenset({"flammable", "chlorinated", "ketones", "aromatics", "alkaline"}),
    ),
    Hazard(
        caution="eyes",
        properties=frozenset({"flammable", "chlorinated", "ketones", "aromatics", "alkaline"}),
        ways=frozenset({"blast", "running_ingestion"}),
        tools=("blast gun",),
    ),
    Hazard(
        caution="dust",
        tools=(
            "scraper",
            "soft brass brush",
            "brushes",
            "bottle brush",
            "drill in the fingers",
            "blast gun",
            "wire",
            "vacuum",
        ),
        ways=frozenset({"blast"}),
    ),
    Hazard(
        caution="air",
        tools=("air gun", "blast gun", "pressure test kit"),
        words=("Blow gently", "Blow through"),
    ),
    Hazard(
        caution="fingers",
        commands=frozenset({"throttle_body", "runner_actuator", "runner_flaps", "egr_valve"}),
    ),
    Hazard(caution="exhaust", engines=frozenset({"running"})),
    Hazard(caution="rotating", engines=frozenset({"running"}), tools=("socket for the crank",)),
    Hazard(caution="road", acts=frozenset({"road"}), words=ON_THE_ROAD),
    Hazard(caution="hot_coolant", coolant=True, relearns=frozenset({"coolant_bleed_and_watch"})),
    Hazard(caution="coolant", coolant=True),
    Hazard(caution="burn_off", relearns=frozenset({"particulate_burn_off"})),
    Hazard(caution="cab", words=("tilt the cab", "Tilt the cab", "Lower the cab")),
    Hazard(
        caution="spring",
        tools=("spring hook",),
        words=("spring clamp", "return spring", "Lever and spring"),
    ),
    Hazard(caution="lifting", tools=("sling", "lift")),
)
"""What every step of every plan is held against, a foreman's own too."""
PHASE_HAZARDS: dict[str, tuple[str, ...]] = {
    "coolant_bleed_and_watch": ("hot_coolant",),
    "particulate_burn_off": ("burn_off",),
    "fuel_venting": ("fire",),
    "throttle_guided": ("fingers",),
    "throttle_manual": ("fingers",),
    "runner_flap_adaptation": ("fingers",),
    "egr_valve_zero": ("fingers",),
}
"""Relearn to what can hurt in any of its phases."""
CHECK_HAZARDS: dict[str, tuple[str, ...]] = {
    "key_on_agreement": (),
    "idle_readings": ("exhaust", "rotating"),
    "trim_survey": ("exhaust", "rotating"),
    "airflow_against_expected": ("exhaust", "rotating"),
    "egr_flow_test": ("exhaust", "rotating"),
    "egr_position_sweep": ("fingers",),
    "egr_dp_crosscheck": ("exhaust", "rotating", "road"),
    "throttle_sweep": ("fingers",),
    "runner_sweep_by_hand": ("spring",),
    "runner_sweep_commanded": ("fingers",),
    "look_throttle": ("fingers",),
    "look_maf": ("element",),
    "look_secondary_air": ("element", "hot_surfaces"),
    "look_filter": (),
    "look_manifold": ("objects",),
    "look_ports": ("objects", "rotating"),
    "pull_map_sensor": (),
    "pull_boost_sensor": (),
    "look_egr_valve": ("hot_surfaces", "dust"),
    "look_egr_passage": ("hot_surfaces", "dust"),
    "look_egr_cooler": ("hot_coolant", "coolant", "dust"),
    "look_egr_dp_ports": ("hot_surfaces", "dust"),
    "blow_through_exhaust_pressure_tube": ("air", "hot_surfaces", "dust"),
    "blow_through_crankcase_hose": ("air",),
    "look_crankcase_seal": (),
    "leak_smoke": ("fumes",),
    "leak_spray": ("exhaust", "rotating", "hot_surfaces"),
    "drive_side_trace": ("jumper",),
    "oxygen_response": ("exhaust", "rotating"),
    "coolant_level_cold": ("hot_coolant",),
    "cooler_pressure_test": ("hot_coolant", "coolant", "air"),
    "regeneration_trace": ("burn_off", "exhaust", "rotating"),
    "isolation_unplug": ("exhaust", "rotating", "tampering"),
    "road_test": ("road",),
}
"""Check to what can hurt at it, none where nothing can."""
WORKSHEET_HAZARDS: dict[str, tuple[str, ...]] = {
    "ingestion-limit": ("lock", "exhaust", "rotating", "runaway"),
    "blast-positions": ("dust", "eyes", "objects", "rotating"),
    "actuator-drive-check": ("jumper",),
    "egr-flow-test": ("exhaust", "rotating"),
    "egr-flow-crosscheck": ("exhaust", "rotating"),
    "expected-airflow": ("exhaust", "rotating"),
    "trim-split": ("exhaust", "rotating"),
    "idle-gap": ("exhaust", "fingers"),
    "oxygen-response": ("exhaust", "rotating"),
    "regeneration-trace": ("burn_off", "exhaust"),
    "runner-sweep": ("fingers",),
    "before-after": ("exhaust", "rotating"),
    "drying-time": ("fire", "fumes"),
}
"""Calculation to what can hurt where its figures are taken or used."""


def cautions_of_phase(relearn_id: str, phase: Phase) -> tuple[str, ...]:
    """What can hurt in one phase of a relearn."""
    running = ("exhaust", "rotating") if phase.engine_on else ()
    road = ("road",) if phase.id in ("drive", "town", "steady", "coast") else ()
    return tuple(dict.fromkeys((*PHASE_HAZARDS.get(relearn_id, ()), *road, *running)))


def cautions_of_check(check: Check, family: EngineFamily) -> tuple[str, ...]:
    """What can hurt at a check on an engine: a plate on a cable has no motor that moves it."""
    by_cable = "throttle_body" in check.components and family.throttle != "electronic"
    return tuple(c for c in CHECK_HAZARDS[check.id] if not (by_cable and c == "fingers"))
