"""What can be read, held and begun on a car's bus beyond the public standards: names and words."""

from galene.knowledge.documents import read

FIGURES: dict[str, str] = read("bus.toml", dict[str, str], "figures")
"""Columns with their unit, as the log and the simulated car name them."""
GAS_VALVE, PLATE, BYPASS, FLAPS = "egr_valve", "throttle_body", "idle_air_valve", "runner_actuator"
"""Outputs by their names on the bus."""
OUTPUTS: dict[str, str] = {
    GAS_VALVE: "Recirculation valve",
    PLATE: "Throttle",
    BYPASS: "Idle air valve",
    FLAPS: "Runner flaps",
}
ROUTINES: dict[str, str] = {
    "idle_adaptation": "Idle adaptation",
    "egr_valve_zero": "Zero of the recirculation valve",
    "memory_reset": "Reset of what was learned",
    "regeneration": "Burn-off of the filter",
}
BUS_NAMES: dict[str, dict[str, str]] = {
    "figure": FIGURES,
    "output": OUTPUTS,
    "routine": ROUTINES,
}
"""By kind of entry."""
