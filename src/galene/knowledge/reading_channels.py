"""Columns of the reading sets: what an engine of a family can show, and in which range."""

from dataclasses import dataclass, replace

from galene.core.airpath.family import EngineFamily
from galene.knowledge.base import outline_of
from galene.knowledge.documents import read


@dataclass(frozen=True, kw_only=True)
class Channel:
    """A column of a reading set: its quantity and the figures that an engine can show, kept
    units."""

    id: str
    label: str
    quantity: str
    low: float
    high: float
    words: tuple[str, ...]
    required: bool = False


IDLE: tuple[Channel, ...] = read("readings.toml", tuple[Channel, ...], "idle")
TRIM: tuple[Channel, ...] = read("readings.toml", tuple[Channel, ...], "trim")
CHANNELS: dict[str, tuple[Channel, ...]] = {"idle": IDLE, "trim": TRIM}
NEEDS: dict[str, tuple[str, ...]] = {
    "idle_airflow_g_s": ("maf_sensor",),
    "airflow_g_s": ("maf_sensor",),
    "idle_map_kpa": ("map_sensor", "boost_sensor"),
    "map_kpa": ("map_sensor", "boost_sensor"),
}
"""Channels that only an engine with one of these parts can show."""


def channels_of(family: EngineFamily, kind: str) -> tuple[Channel, ...]:
    """The columns of a set that this engine can fill: no trims on a diesel or two-stroke, no
    learned opening without a learning throttle."""

    def has(channel: Channel) -> bool:
        if channel.id in ("trim_idle_percent", "trim_percent"):
            return has_trims(family)
        if channel.id == "trim_bank_2_percent":
            return has_trims(family) and outline_of(family).banks > 1
        if channel.id == "learned_throttle_percent":
            return family.fuel == "petrol" and family.throttle == "electronic"
        return channel.id not in NEEDS or bool(family.components & set(NEEDS[channel.id]))

    found = [c for c in CHANNELS[kind] if has(c)]
    if any(c.id == "trim_bank_2_percent" for c in found):
        # With two banks asked, the first is named too.
        found = [replace(c, label="Bank 1 trim") if c.id == "trim_percent" else c for c in found]
    return tuple(found)


def has_trims(family: EngineFamily) -> bool:
    """Whether the control unit trims its mixture by an oxygen sensor."""
    return (
        family.fuel == "petrol"
        and family.cycle == "four_stroke"
        and "oxygen_sensor" in family.components
    )


LOADS = {
    "lamps": "Headlamps",
    "rear_heater": "Rear heater",
    "fan": "Fan",
    "air_conditioning": "Air conditioning",
}


def loads_of(family: EngineFamily) -> dict[str, str]:
    """Loads that an engine's vehicle can switch: what a two-stroke drives has no cabin."""
    return {k: v for k, v in LOADS.items() if k == "lamps" or family.cycle != "two_stroke"}
