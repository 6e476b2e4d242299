"""What can be read, held and begun on a car's bus beyond the public standards: names and words."""

FIGURES: dict[str, str] = {
    "manifold_kpa": "Manifold pressure, kPa",
    "air_g_s": "Air, g/s",
    "throttle_pct": "Throttle opening, %",
    "idle_valve_pct": "Idle air valve, %",
    "boost_kpa": "Charge pressure, kPa",
    "exhaust_kpa": "Exhaust pressure, kPa",
    "dp_pa": "Differential pressure, Pa",
    "crankcase_kpa": "Crankcase pressure, kPa",
    "egr_command_pct": "Recirculation asked, %",
    "egr_position_pct": "Recirculation valve, %",
    "egr_gas_c": "Recirculated gas, °C",
    "runner_command_pct": "Runner flaps asked, %",
    "runner_position_pct": "Runner flaps, %",
    "secondary_air_g_s": "Secondary air, g/s",
    "soot_pct": "Soot in the filter, %",
}
"""Columns with their unit, as the log and the simulated car name them."""
OUTPUTS: dict[str, str] = {
    "egr_valve": "Recirculation valve",
    "throttle_body": "Throttle",
    "idle_air_valve": "Idle air valve",
    "runner_actuator": "Runner flaps",
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
