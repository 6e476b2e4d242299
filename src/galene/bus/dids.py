"""What a car of this product's families answers beyond the generic services: data by identifier,
outputs that a tester may hold, routines (ISO 14229-1).

Public standards leave these to the maker; the numbers here are the families' own.
"""

from collections.abc import Mapping

from galene.bus.obd import Field

DATA: Mapping[int, Field] = {
    0x2001: Field(column="manifold_kpa", size=2, scale=0.01),
    0x2002: Field(column="air_g_s", size=2, scale=0.01),
    0x2003: Field(column="throttle_pct", size=2, scale=0.01),
    0x2004: Field(column="dp_pa", size=2, scale=1.0, offset=-500.0),
    0x2005: Field(column="crankcase_kpa", size=2, scale=0.01),
    0x2006: Field(column="runner_command_pct", size=2, scale=0.01, offset=-100.0),
    0x2007: Field(column="runner_position_pct", size=2, scale=0.01, offset=-100.0),
    0x2008: Field(column="egr_command_pct", size=2, scale=0.01),
    0x2009: Field(column="egr_position_pct", size=2, scale=0.01),
    0x200A: Field(column="idle_valve_pct", size=2, scale=0.01),
    0x200B: Field(column="egr_gas_c", size=2, scale=0.1, offset=-40.0),
    0x200C: Field(column="soot_pct", size=2, scale=0.01),
    0x200D: Field(column="secondary_air_g_s", size=2, scale=0.01),
    0x200E: Field(column="boost_kpa", size=2, scale=0.01),
    0x200F: Field(column="exhaust_kpa", size=2, scale=0.01),
}
"""Figures by data identifier, most significant byte first."""
OUTPUTS: Mapping[int, str] = {
    0x3001: "egr_valve",
    0x3002: "throttle_body",
    0x3003: "idle_air_valve",
    0x3004: "runner_actuator",
}
"""Actuators by identifier; position in two bytes, hundredths of a percent."""
ROUTINES: Mapping[int, str] = {
    0x0101: "idle_adaptation",
    0x0102: "egr_valve_zero",
    0x0103: "memory_reset",
    0x0104: "regeneration",
}
NAME_OF_UNIT = 0xF197
"""The system's name, in letters (ISO 14229-1, annex C)."""
