"""Kinds of part, ways and properties that several rules ask about."""

from galene.core.chemistry.judge import Situation

TOUCH = frozenset(
    {"on_cloth", "on_brush", "dry_wipe", "soft_brush", "scraper", "pick_or_wire", "blast"}
)


SOAK = frozenset({"drip_soak", "bath"})


SENSORS = frozenset(
    {
        "maf_sensor",
        "iat_sensor",
        "secondary_air_flow_sensor",
        "map_sensor",
        "boost_sensor",
        "barometric_sensor",
        "exhaust_pressure_sensor",
        "egr_dp_sensor",
        "egr_temperature_sensor",
        "crankcase_pressure_sensor",
        "oxygen_sensor",
    }
)
"""Kinds of part that are electronics on a stalk: they come off what is bathed or sent away."""


DRIVEN = frozenset({"idle_air_valve", "runner_actuator", "egr_valve"})
"""Parts whose motor or solenoid sits on metal that gets dirty."""


IN_GAS = frozenset(
    {
        "intake_tube",
        "throttle_body",
        "idle_air_valve",
        "charge_air_pipe",
        "intake_manifold",
        "runner_flaps",
        "intake_ports",
        "egr_valve",
        "egr_passage",
        "egr_pipe",
        "egr_cooler",
        "egr_dp_ports",
        "exhaust_pipe",
        "exhaust_pressure_tube",
        "turbine",
        "secondary_air_valve",
        "secondary_air_line",
        "aftertreatment_doser",
        "crankcase",
        "crankcase_pressure_hose",
        "breather_valve",
    }
)
"""Parts whose gas goes through oxygen sensor, catalyst and filter: what stays in them ends
there."""


HOT_GAS = frozenset(
    {"exhaust_pressure_tube", "exhaust_pipe", "egr_pipe", "egr_passage", "egr_dp_ports", "turbine"}
)
"""Ways of the exhaust's own gas: hot while the engine runs and long after."""


DRAWN_TO = frozenset(
    {
        "throttle_body",
        "intake_manifold",
        "runner_flaps",
        "intake_ports",
        "egr_valve",
        "egr_passage",
        "oxygen_sensor",
        "oxidation_catalyst",
        "particulate_filter",
    }
)
"""Parts that a mist drawn in behind meter, compressor and charge cooler comes to."""


MOTOR_DRIVEN = frozenset({"idle_air_valve", "runner_actuator", "egr_valve", "runner_flaps"})
"""Parts that a motor or solenoid moves of its own accord while there is power."""


LINES_TO_SENSORS = frozenset(
    {"egr_dp_ports", "exhaust_pressure_tube", "crankcase_pressure_hose", "intake_manifold"}
)
"""Ways that a pressure sensor reads through: what is pushed or blown in there ends at its
membrane."""


RUBBER = frozenset({"intake_tube", "crankcase_pressure_hose"})
"""Parts that are an elastomer themselves: no seal that could be taken out first."""


GREASED = frozenset({"throttle_body", "runner_actuator", "idle_air_valve"})
"""Parts whose bearings or gears live on the grease that is in them."""


COOL_PARTS = frozenset(
    {"air_filter", "maf_sensor", "secondary_air_flow_sensor", "intake_tube", "barometric_sensor"}
)
"""Parts before throttle and compressor, which the engine never heats: in the hand they are as warm
as the bay."""


WASHES_OIL = ("ketones", "aromatics", "alkanes", "chlorinated", "mineral_oil", "amine", "alkaline")


def lacks(s: Situation, *states: str) -> tuple[str, ...]:
    """Which of the states a situation has not."""
    return tuple(x for x in states if x not in s.state)


def powerless(s: Situation) -> tuple[str, ...]:
    """Without power: battery or ignition off, or the part in the hand. A state that is not known is
    not off."""
    return () if s.state & {"battery_off", "ignition_off", "removed"} else ("ignition_off",)


def warm_metal(s: Situation) -> tuple[str, ...]:
    """The state that is missing until the metal is cold. A part just taken off is as hot as the
    engine that it came from, but for what only ever had the air outside round it."""
    cool = "removed" in s.state and (s.component in COOL_PARTS or "hand_warm" in s.state)
    return () if cool else lacks(s, "engine_cold")
