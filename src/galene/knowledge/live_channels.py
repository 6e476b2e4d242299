"""What a bridge reads, as the technician reads it: each column with its label, quantity and place
in the logs, and which of them matter at which stage."""

from collections.abc import Mapping
from dataclasses import dataclass

from galene.core.airpath.family import EngineFamily
from galene.knowledge.documents import read, table


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


SIGNALS: Mapping[str, LiveSignal] = table("live.toml", LiveSignal, "signals")
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

LOG_CHANNELS: Mapping[str, str] = read("live.toml", dict[str, str], "log_channels")
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
FIGURES: Mapping[str, Mapping[str, str]] = read("live.toml", dict[str, dict[str, str]], "figures")
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
