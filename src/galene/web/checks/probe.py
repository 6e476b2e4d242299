"""What a check is made with, as it is drawn at the parts that are measured or looked at."""

from galene.core.airpath.family import EngineFamily
from galene.core.airpath.natures import kind_is
from galene.core.diagnosis.records import Check

PROBES: dict[str, str] = {
    "key_on_agreement": "tool",
    "idle_readings": "tool",
    "trim_survey": "tool",
    "airflow_against_expected": "tool",
    "egr_flow_test": "tool",
    "egr_position_sweep": "tool",
    "egr_dp_crosscheck": "tool",
    "throttle_sweep": "tool",
    "runner_sweep_by_hand": "hand",
    "runner_sweep_commanded": "tool",
    "look_throttle": "lamp",
    "look_maf": "lamp",
    "look_secondary_air": "lamp",
    "look_filter": "lamp",
    "look_manifold": "scope",
    "look_ports": "scope",
    "pull_map_sensor": "lamp",
    "pull_boost_sensor": "lamp",
    "look_egr_valve": "lamp",
    "look_egr_passage": "lamp",
    "look_egr_cooler": "scope",
    "look_egr_dp_ports": "lamp",
    "blow_through_exhaust_pressure_tube": "air",
    "blow_through_crankcase_hose": "air",
    "look_crankcase_seal": "lamp",
    "leak_smoke": "smoke",
    "leak_spray": "smoke",
    "drive_side_trace": "wire",
    "oxygen_response": "tool",
    "cooler_pressure_test": "gauge",
    "coolant_level_cold": "lamp",
    "regeneration_trace": "tool",
    "isolation_unplug": "hand",
    "road_test": "tool",
}
"""By check: `tool` the scan tool, `gauge` a pressure gauge, `lamp` lamp and eye, `scope` the
borescope, `hand`, `air` a soft air nozzle, `smoke` smoke or spray from outside, `wire` the lamp on
a wire."""
WHERE: dict[str, str] = {
    "key_on_agreement": "absolute",
    "coolant_level_cold": "",  # at the tank, which is no part of the air path
    "leak_smoke": "may_leak_air",
    "leak_spray": "may_leak_air",
}
"""Nature of the parts at which a check is made, where that is not at the part that it is about."""


def parts_at(family: EngineFamily, check: Check) -> list[str]:
    """The parts of a family at which a check is made, by id."""
    nature = WHERE.get(check.id)
    if nature is not None:
        return [p.id for p in family.parts if kind_is(p.component, nature)]
    return [p.id for p in family.parts if p.component in check.components]
