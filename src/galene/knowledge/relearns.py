"""Relearn templates, to be overridden per engine family."""

from dataclasses import replace

from galene.core.airpath import EngineFamily
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
        RelearnTemplate(
            "cable_none",
            "Cable throttle: nothing is learned, the idle is checked",
            (("warm", "Coolant above 75 °C"), ("loads_off", "All loads off"), ("cable", "The cable has play, the plate rests on its stop")),
            (
                Phase("idle", "Start without the pedal and let it idle; the stop screw is not turned", 5,
                      "Idle may hunt for a minute while the idle valve finds its place.", (PEDAL, FAN, COOLANT), True),
            ),
            "Idle speed stands inside the family's band with the idle valve working.",
            "Look at the idle valve, the bypass and unmetered air; the sealed screw mends nothing.",
        ),
        RelearnTemplate(
            "egr_valve_zero",
            "Recirculation valve: closed stop learned",
            (("voltage", "Battery above 12.2 V"), ("cleared", "Codes cleared, no protective mode")),
            (
                Phase("key_on", "Ignition on, engine off. Touch nothing", 2, "The valve whirrs to its stop and back.", (VOLTAGE,)),
                Phase("key_off", "Ignition off, key out. Touch nothing", 2, "The control unit stores the stop.", (VOLTAGE,)),
                Phase("idle", "Start and let it idle until warm", 6, "Idle may be rough for the first minute.", (PEDAL, VOLTAGE), True),
            ),
            "The valve's position reads zero when closed, and no code is pending.",
            "Look for carbon on the seat, a bent stem or a plug not home; then begin again.",
        ),
        RelearnTemplate(
            "memory_reset",
            "After the battery was off",
            (("voltage", "Battery above its maker's least voltage"), ("cleared", "Codes cleared, no protective mode")),
            (
                Phase("idle", "Start and let it idle, hands off", 5, "A long crank is normal after the lines were opened.", (PEDAL, VOLTAGE), True),
                Phase("drive", "Drive gently, then with load on a steady climb", 20, "Power comes back in steps.", (COOLANT,), True),
            ),
            "Idle stands inside the family's band, full power is back, and no code is pending.",
            "Read the codes: what comes back at once is a fault, not a lost memory.",
        ),
    )
}  # fmt: skip


def relearn_of(family: EngineFamily, clearing: str = "guided") -> RelearnTemplate:
    """The family's relearn with its own hold minutes; an engine that learns nothing still has its idle checked.

    `clearing` is school I: a battery reset takes the place of a guided relearn where there is something to learn.
    """
    template = RELEARNS["memory_reset" if clearing == "battery_reset" and family.relearn else family.relearn or "cable_none"]
    return replace(template, phases=tuple(replace(p, hold_minutes=family.relearn_holds.get(p.id, p.hold_minutes)) for p in template.phases))
