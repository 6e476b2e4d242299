"""Worksheets by what is asked, each with the part that its drawing shows."""

from dataclasses import dataclass


@dataclass(frozen=True, kw_only=True)
class Group:
    """Worksheets that answer one kind of question. `sheets`: name to the kind of part drawn."""

    id: str
    title: str
    sheets: dict[str, str]


GROUPS: tuple[Group, ...] = (
    Group(
        id="sensors",
        title="Is the sensor true?",
        sheets={
            "isa-pressure": "barometric_sensor",
            "key-on-agreement": "map_sensor",
            "sensor-line": "boost_sensor",
            "expected-airflow": "maf_sensor",
            "trim-split": "intake_tube",
            "oxygen-response": "oxygen_sensor",
        },
    ),
    Group(
        id="ways",
        title="How open is the way?",
        sheets={
            "bore-restriction": "throttle_body",
            "idle-gap": "idle_air_valve",
            "egr-flow-test": "egr_valve",
            "egr-flow-crosscheck": "egr_dp_ports",
            "runner-sweep": "runner_flaps",
            "regeneration-trace": "particulate_filter",
        },
    ),
    Group(
        id="work",
        title="How is it done without harm?",
        sheets={
            "drying-time": "intake_manifold",
            "ingestion-limit": "intake_ports",
            "blast-positions": "intake_ports",
            "actuator-drive-check": "runner_actuator",
        },
    ),
    Group(
        id="worth",
        title="Is it proven, and does it pay?",
        sheets={
            "repair-sequence": "turbine",
            "before-after": "throttle_body",
            "fuel-economy-change": "charge_air_pipe",
            "payback": "air_filter",
            "keep-or-replace": "egr_cooler",
            "next-due": "egr_passage",
            "reference-band": "breather_valve",
            "spares-level": "egr_pipe",
        },
    ),
)
