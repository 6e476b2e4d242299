"""What a bridge reads, as the technician reads it: each column with its label, quantity and place
in the logs, and which of them matter at which stage."""

from collections.abc import Mapping
from dataclasses import dataclass

from galene.core.airpath.family import EngineFamily


@dataclass(frozen=True, kw_only=True)
class LiveSignal:
    """One figure of the live strip.

    Parameters
    ----------
    columns : the bridge's columns, in kept units; more than one are added up
    band : the family's band at a warm idle that lies behind it, empty where none does
    parts : kinds of part at which the drawing shows it
    """

    id: str
    columns: tuple[str, ...]
    label: str
    quantity: str
    band: str = ""
    parts: tuple[str, ...] = ()


SIGNALS: Mapping[str, LiveSignal] = {
    s.id: s
    for s in (
        LiveSignal(
            id="rpm", columns=("rpm",), label="Engine speed", quantity="speed", band="idle_rpm"
        ),
        LiveSignal(
            id="map",
            columns=("manifold_kpa",),
            label="Manifold",
            quantity="pressure",
            band="idle_map_kpa",
            parts=("map_sensor",),
        ),
        LiveSignal(
            id="air",
            columns=("air_g_s",),
            label="Air meter",
            quantity="airflow",
            band="idle_airflow_g_s",
            parts=("maf_sensor",),
        ),
        LiveSignal(
            id="throttle",
            columns=("throttle_pct",),
            label="Throttle",
            quantity="share",
            band="learned_throttle_percent",
            parts=("throttle_body",),
        ),
        LiveSignal(
            id="trim",
            columns=("short_trim_pct", "long_trim_pct"),
            label="Total trim",
            quantity="share",
            band="trim_idle_percent",
        ),
        LiveSignal(
            id="egr_command",
            columns=("egr_command_pct",),
            label="Valve told",
            quantity="share",
        ),
        LiveSignal(
            id="egr",
            columns=("egr_position_pct",),
            label="Valve stands",
            quantity="share",
            parts=("egr_valve",),
        ),
        LiveSignal(
            id="egr_gas",
            columns=("egr_gas_c",),
            label="Recirculated gas",
            quantity="temperature",
            parts=("egr_temperature_sensor",),
        ),
        LiveSignal(
            id="dp",
            columns=("dp_pa",),
            label="Venturi",
            quantity="pressure_drop",
            parts=("egr_dp_sensor",),
        ),
        LiveSignal(
            id="boost",
            columns=("boost_kpa",),
            label="Charge pressure",
            quantity="pressure",
            parts=("boost_sensor",),
        ),
        LiveSignal(
            id="exhaust",
            columns=("exhaust_kpa",),
            label="Exhaust pressure",
            quantity="pressure",
            parts=("exhaust_pressure_sensor",),
        ),
        LiveSignal(
            id="lambda",
            columns=("lambda_v",),
            label="Oxygen sensor",
            quantity="voltage",
            parts=("oxygen_sensor",),
        ),
        LiveSignal(
            id="flaps",
            columns=("runner_position_pct",),
            label="Runner flaps",
            quantity="share",
            parts=("runner_flaps",),
        ),
        LiveSignal(
            id="before_filter",
            columns=("before_filter_c",),
            label="Before the filter",
            quantity="temperature",
            parts=("particulate_filter",),
        ),
        LiveSignal(
            id="crankcase",
            columns=("crankcase_kpa",),
            label="Crankcase",
            quantity="pressure",
            parts=("crankcase_pressure_sensor",),
        ),
        LiveSignal(id="pedal", columns=("pedal_pct",), label="Pedal", quantity="share"),
        LiveSignal(id="coolant", columns=("coolant_c",), label="Coolant", quantity="temperature"),
        LiveSignal(
            id="intake",
            columns=("intake_c",),
            label="Intake air",
            quantity="temperature",
            parts=("iat_sensor",),
        ),
        LiveSignal(
            id="barometer",
            columns=("baro_kpa",),
            label="Air outside",
            quantity="pressure",
            parts=("barometric_sensor",),
        ),
        LiveSignal(id="speed", columns=("speed_kmh",), label="Road speed", quantity="road_speed"),
        LiveSignal(id="voltage", columns=("voltage_v",), label="Battery", quantity="voltage"),
    )
}
LABELS: Mapping[str, str] = {s.columns[0]: s.label for s in SIGNALS.values()}
"""What a column is called."""
IDLE = ("rpm", "map", "air", "throttle", "trim", "boost", "exhaust", "crankcase", "coolant")
AT: Mapping[str, tuple[str, ...]] = {
    "intake": (),
    "evidence": (*IDLE, "egr", "voltage"),
    "diagnosis": (*IDLE, "egr_command", "egr", "dp", "flaps", "lambda", "speed", "voltage"),
    "work": ("rpm", "map", "coolant", "voltage", "crankcase"),
    "prove": (*IDLE, "egr", "pedal", "speed", "voltage"),
}
"""Signals by the stage at which they matter, in the order in which they are read."""
MOST_SHOWN = 9

LOG_CHANNELS: Mapping[str, str] = {
    "rpm": "rpm",
    "air_g_s": "maf_g_s",
    "manifold_kpa": "map_kpa",
    "boost_kpa": "boost_kpa",
    "baro_kpa": "barometer_kpa",
    "exhaust_kpa": "exhaust_kpa",
    "dp_pa": "egr_dp_pa",
    "throttle_pct": "throttle_percent",
    "pedal_pct": "pedal_percent",
    "short_trim_pct": "short_trim_percent",
    "long_trim_pct": "long_trim_percent",
    "coolant_c": "coolant_c",
    "intake_c": "intake_c",
    "speed_kmh": "vehicle_km_h",
    "egr_command_pct": "egr_command_percent",
    "egr_position_pct": "egr_position_percent",
    "lambda_v": "o2_v",
    "before_catalyst_c": "before_catalyst_c",
    "before_filter_c": "before_filter_c",
    "after_filter_c": "after_filter_c",
    "runner_command_pct": "runner_command_percent",
    "runner_position_pct": "runner_position_percent",
}
"""The log's channel that each column becomes where it is kept."""
KEY_ON: Mapping[str, str] = {
    "map_sensor": "manifold_kpa",
    "boost_sensor": "boost_kpa",
    "barometric_sensor": "baro_kpa",
    "exhaust_pressure_sensor": "exhaust_kpa",
    "crankcase_pressure_sensor": "crankcase_kpa",
}
"""The column in which each absolute sensor reads the air outside, by its kind of part."""

TRACES: Mapping[str, float] = {
    "oxygen_response": 40.0,
    "throttle_sweep": 20.0,
    "regeneration_trace": 1800.0,
}
"""Checks whose trace a car gives by itself while somebody does what they ask, and how many seconds
back it is taken."""
FIGURES: Mapping[str, Mapping[str, str]] = {
    "airflow_against_expected": {
        "rpm": "rpm",
        "map_kpa": "manifold_kpa",
        "measured_g_s": "air_g_s",
        "intake_c": "intake_c",
    },
}
"""Checks whose figures stand on the line: the field of the calculation, and the column."""


def signals_at(family: EngineFamily, stage: str) -> tuple[LiveSignal, ...]:
    """The signals that matter on an engine at a stage.

    Parameters
    ----------
    stage : as the rail names it; one without signals gives none
    """

    def has(signal: LiveSignal) -> bool:
        if signal.id == "trim":
            return "oxygen_sensor" in family.components and family.fuel == "petrol"
        if signal.id == "coolant":
            return family.cooling == "liquid"
        if signal.id == "egr_command":
            return "egr_valve" in family.components
        if signal.id == "pedal":
            return family.throttle != "cable"
        return not signal.parts or bool(set(signal.parts) & family.components)

    found = [SIGNALS[s] for s in AT.get(stage, ()) if has(SIGNALS[s])]
    return tuple(found[:MOST_SHOWN])
