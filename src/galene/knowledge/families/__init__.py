"""Engine families that ship with the product, and outlines of the kinds of engine that the diagnosis knows."""

from galene.core.diagnosis.records import EngineOutline
from galene.knowledge.families.family_a import FAMILY_A

FAMILIES = {FAMILY_A.id: FAMILY_A}

_COMMON = frozenset({"air_filter", "intake_tube", "throttle_body", "intake_manifold", "intake_ports", "barometric_sensor"})
OUTLINES: dict[str, EngineOutline] = {
    "A": EngineOutline(FAMILY_A.components, FAMILY_A.fuel, FAMILY_A.injection, FAMILY_A.cycle, FAMILY_A.throttle),
    "B": EngineOutline(
        _COMMON | {"maf_sensor", "iat_sensor", "idle_air_valve", "map_sensor", "egr_valve", "egr_passage", "egr_pipe", "breather_valve",
                   "secondary_air_flow_sensor", "secondary_air_valve", "oxygen_sensor"},
        "petrol", "port", "four_stroke", "cable"),
    "C": EngineOutline(
        _COMMON | {"maf_sensor", "iat_sensor", "charge_air_pipe", "runner_flaps", "runner_actuator", "map_sensor", "boost_sensor",
                   "breather_valve", "oxygen_sensor"},
        "petrol", "direct", "four_stroke", "electronic"),
    "D": EngineOutline(
        _COMMON | {"maf_sensor", "iat_sensor", "charge_air_pipe", "runner_flaps", "runner_actuator", "boost_sensor", "egr_valve", "egr_passage",
                   "egr_cooler", "egr_pipe", "egr_temperature_sensor", "breather_valve", "oxidation_catalyst", "particulate_filter"},
        "diesel", "direct", "four_stroke", "electronic"),
    "E": EngineOutline(
        (_COMMON - {"throttle_body"})
        | {"maf_sensor", "iat_sensor", "charge_air_pipe", "map_sensor", "boost_sensor", "egr_dp_sensor", "egr_dp_ports", "egr_cooler", "egr_valve",
           "egr_pipe", "egr_passage", "egr_temperature_sensor", "exhaust_pressure_sensor", "exhaust_pressure_tube", "aftertreatment_doser",
           "oxidation_catalyst", "particulate_filter", "breather_valve"},
        "diesel", "direct", "four_stroke", "electronic"),
    "F": EngineOutline(
        frozenset({"air_filter", "intake_tube", "throttle_body", "crankcase_pressure_sensor", "crankcase_pressure_hose", "barometric_sensor",
                   "iat_sensor"}),
        "petrol", "port", "two_stroke", "cable"),
}  # fmt: skip
