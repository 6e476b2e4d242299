"""Relearn templates, to be overridden per engine family."""

from collections.abc import Mapping
from dataclasses import replace

from galene.core.relearn import Guard, Phase, RelearnTemplate

PEDAL = Guard("pedal", "The pedal was touched")
FAN = Guard("fan", "The cooling fan cut in")
VOLTAGE = Guard("voltage", "Voltage under 12.2 V")
COOLANT = Guard("coolant", "Coolant under 75 °C")
LOADS = Guard("loads", "A load was switched")

RELEARNS: dict[str, RelearnTemplate] = {
    r.id: r
    for r in (
        RelearnTemplate(
            "throttle_manual",
            "Throttle, by hand",
            (
                ("warm", "Coolant above 75 °C"),
                ("voltage", "Battery above 12.2 V"),
                ("loads_off", "All loads off: lamps, heater, air conditioning"),
                ("cleared", "Codes cleared, no protective mode"),
                ("wheel_straight", "Steering straight, gear in neutral, brake on"),
            ),
            (
                Phase("key_on", "Ignition on, engine off. Touch nothing", 2, "The throttle may click and hum.", (PEDAL, VOLTAGE)),
                Phase("key_off", "Ignition off. Touch nothing", 1, "Relays drop out one after another.", (VOLTAGE,)),
                Phase("idle", "Start without the pedal and let it idle, all loads off", 8,
                      "Idle may stand high and hunt for the first minutes. Over 2000 rpm, or past five minutes, it is a leak.",
                      (PEDAL, FAN, VOLTAGE, COOLANT, LOADS), True),
                Phase("idle_loads", "Loads on, one after another: lamps, rear heater, fan", 3,
                      "Speed dips and recovers at each load.", (PEDAL, VOLTAGE, COOLANT), True),
                Phase("drive", "Drive gently: steady, coasting down to a stop, pulling away", 20,
                      "Small steps in the first stops. Stalling is not normal.", (COOLANT,), True),
            ),
            "Idle speed and throttle opening stand inside the family's bands, and no code is pending.",
            "Look for unmetered air, a plate that does not close, or low voltage; then begin again.",
        ),
    )
}  # fmt: skip


def relearn_for(template_id: str, holds: Mapping[str, float]) -> RelearnTemplate:
    """A template with the engine family's own hold minutes."""
    template = RELEARNS[template_id]
    return replace(template, phases=tuple(replace(p, hold_minutes=holds.get(p.id, p.hold_minutes)) for p in template.phases))
