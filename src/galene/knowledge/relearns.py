"""Relearn templates, to be overridden per engine family."""

from collections.abc import Mapping
from dataclasses import replace

from galene.core.airpath import EngineFamily
from galene.core.relearn import Guard, Phase, RelearnTemplate

PEDAL = Guard("pedal", "The pedal was touched")
FAN = Guard("fan", "The cooling fan cut in")
VOLTAGE = Guard("voltage", "Voltage under 12.2 V")
COOLANT = Guard("coolant", "Coolant under 75 °C")
LOADS = Guard("loads", "A load was switched")
COOLANT_OPEN = Guard("coolant_open", "Coolant over 80 °C with the cap off")
"""Water boils at 80 °C under the air of about 6000 m (Antoine): below it an open neck boils over nowhere that a road goes."""
COOLANT_HIGH = Guard("coolant_high", "Coolant over 105 °C")
DOOR = Guard("door", "Somebody came near, or it began to smoke in earnest")
GUARDS: dict[str, Guard] = {g.id: g for g in (PEDAL, FAN, VOLTAGE, COOLANT, LOADS, COOLANT_OPEN, COOLANT_HIGH, DOOR)}
"""Guards that a hold may ask for."""

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
            "Idle speed and throttle opening stand inside the family's bands, and no code is stored.",
            "Look for unmetered air, a plate that does not close, or low voltage; then begin again.",
            needs=("ignition_on", "engine_warm", "codes_cleared", "battery_on"),
            ends=("engine_running",),
        ),
        RelearnTemplate(
            "throttle_guided",
            "Throttle, guided by the scan tool",
            (("warm", "Coolant above 75 °C"), ("voltage", "Battery above 12.2 V"), ("loads_off", "All loads off"), ("cleared", "Codes cleared, no protective mode")),
            (
                Phase("basic", "Ignition on, engine off. Start the basic setting on the scan tool; touch nothing", 2, "The plate runs to both stops, clicking.", (PEDAL, VOLTAGE)),
                Phase("key_off", "Ignition off. Touch nothing", 1, "The control unit stores the stops.", (VOLTAGE,)),
                Phase("idle", "Start without the pedal and let it idle, all loads off", 8, "Idle may stand high for the first minute.", (PEDAL, FAN, VOLTAGE, COOLANT, LOADS), True),
            ),
            "The scan tool says adapted, and the throttle's opening stands inside the family's band.",
            "Low voltage, a plate that sticks or a stored code stops it: mend that, then begin again.",
            needs=("ignition_on", "engine_warm", "codes_cleared", "battery_on"),
            ends=("engine_running",),
        ),
        RelearnTemplate(
            "cable_none",
            "Cable throttle: nothing is learned, the idle is checked",
            (("warm", "Coolant above 75 °C"), ("loads_off", "All loads off"), ("cable", "The cable has play, the plate rests on its stop")),
            (
                Phase("idle", "Let it idle, no foot on the pedal; the stop screw is not turned", 5,
                      "Idle may hunt for a minute while it settles.", (PEDAL, FAN, COOLANT), True),
            ),
            "Idle speed stands inside the family's band and stays there.",
            "Look at what lets the idle air by and at unmetered air; the sealed screw mends nothing.",
            needs=("engine_warm_running",),
            ends=("engine_running",),
        ),
        RelearnTemplate(
            "egr_valve_zero",
            "Recirculation valve: closed stop learned",
            (("voltage", "Battery above 12.2 V"), ("cleared", "Codes cleared, no protective mode")),
            (
                Phase("key_on", "Ignition on, engine off. Touch nothing", 2, "The valve whirrs to its stop and back.", (VOLTAGE,)),
                Phase("key_off", "Ignition off, key out. Touch nothing", 2, "The control unit stores the stop.", (VOLTAGE,)),
            ),
            "The valve's position reads zero when closed, and no code is stored.",
            "Look for carbon on the seat, a bent stem or a plug not home; then begin again.",
            needs=("ignition_on", "codes_cleared", "battery_on"),
            ends=("ignition_off",),
        ),
        RelearnTemplate(
            "memory_reset",
            "After the battery was off",
            (("voltage", "Battery above its maker's least voltage"), ("cleared", "Codes cleared, no protective mode")),
            (
                Phase("idle", "Let it idle untouched, loads off", 8, "Idle may stand high and hunt for the first minutes; several tries to start are normal.", (PEDAL, VOLTAGE), True),
                Phase("drive", "Drive gently and mixed: town, steady, a climb", 18, "Power comes back in steps.", (COOLANT,), True),
            ),
            "Idle stands inside the family's band and full power is back.",
            "Read the codes: what comes back at once is a fault, not a lost memory.",
            needs=("engine_running", "battery_on"),
            ends=("engine_warm_running",),
        ),
        RelearnTemplate(
            "runner_flap_adaptation",
            "Runner flaps: whole sweep, both stops",
            (("voltage", "Battery above 12.2 V"), ("cleared", "Codes cleared, no protective mode"), ("free", "Flaps move freely by hand, lever on its ball")),
            (
                Phase("sweep", "Ignition on, engine off. Start the adaptation; hands off the linkage", 2, "The motor runs to both stops and back, its current rises at each.", (VOLTAGE,)),
                Phase("key_off", "Ignition off. Touch nothing", 1, "The control unit stores the stops.", (VOLTAGE,)),
            ),
            "Position follows command over the whole travel, and the code does not come back within minutes.",
            "A stop that is not reached: something is in the way. A travel too long: the lever is off.",
            needs=("ignition_on", "codes_cleared", "battery_on"),
            ends=("ignition_off",),
        ),
        RelearnTemplate(
            "differential_zero",
            "Differential pressure: zero learned",
            (("voltage", "Battery above 12.2 V"), ("still", "Engine off for two minutes, both hoses home")),
            (Phase("key_on", "Ignition on, engine off. Start the zero on the scan tool", 2, "The value creeps to zero.", (VOLTAGE,)),),
            "The sensor reads zero with the engine off, within its band.",
            "It does not come to zero: a port is wet or shut, or the sensor is damaged.",
            needs=("ignition_on", "battery_on"),
            ends=("ignition_on",),
        ),
        RelearnTemplate(
            "fuel_venting",
            "Fuel lines vented, before the first start",
            (("closed", "Every fuel line and cap is closed, wiped and looked at"), ("fire", "Extinguisher at hand, nobody smokes")),
            (
                Phase("prime", "Ignition on for the pump to run, then off; three times. Look for drops each time", 2, "The pump hums shorter each time.", (VOLTAGE,)),
            ),
            "The pump builds pressure and no line is wet.",
            "Wet: stop, ignition off, close it again. A long crank at the first start is normal, a minute's is not.",
            needs=("ignition_on", "battery_on"),
            ends=("ignition_on",),
        ),
        RelearnTemplate(
            "coolant_bleed_and_watch",
            "Coolant bled, level watched",
            (("filled", "Coolant at the mark, bleed screws open and shut again"), ("heater", "Heater set to hot")),
            (
                Phase("bleed", "Below 80 °C only: cap off, let it idle, top up as it falls; at 80 °C the cap goes on and stays on", 8,
                      "Bubbles, and the level falls in steps.", (COOLANT_OPEN,), True),
                Phase("hot", "Cap on. Let it run to its working heat; look at hoses, cooler and floor", 25, "The fan cuts in and out. The heater blows hot.", (COOLANT_HIGH,), True),
            ),
            "The level stands at its hot mark and stays there, and nothing is wet. It is looked at again cold.",
            "It sank: press the system, look at the cooler and its O-rings. White smoke: stop.",
            needs=("engine_running", "coolant_full"),
            ends=("engine_warm_running",),
        ),
        RelearnTemplate(
            "particulate_burn_off",
            "Particulate filter burned off",
            (("outside", "Outside, clear of dry grass and people"), ("level", "Oil and coolant at their marks, fuel above a quarter"), ("soot", "Soot load within what a burn-off may burn"), ("warm", "Coolant above 75 °C")),
            (
                Phase("heat", "Start the burn-off on the scan tool; engine held as it asks", 8, "Speed rises, a hot smell, white steam at first.", (DOOR, COOLANT_HIGH), True),
                Phase("burn", "Let it burn; watch inlet and outlet temperature", 20, "Inlet above 550 °C, the outlet follows some minutes later.", (DOOR, COOLANT_HIGH), True),
                Phase("cool", "Let it idle until the exhaust has cooled", 5, "The fan runs on.", (), True),
            ),
            "Soot load is down, the outlet followed the inlet, and the coolant's level stands.",
            "The inlet never rises: doser or catalyst. It breaks off: read why before a second try.",
            needs=("engine_warm_running",),
            ends=("engine_warm_running",),
        ),
    )
}  # fmt: skip


READINESS = RelearnTemplate(
    "readiness_drive",
    "Drive until the monitors are ready",
    (("cleared", "Codes cleared"), ("fuel", "Tank between a quarter and three quarters")),
    (
        Phase(
            "cold",
            "Cold start after a night, idle two minutes, loads on",
            2,
            "Oxygen sensors and secondary air are looked at now.",
            (),
            True,
        ),
        Phase("town", "Town: ten minutes with stops", 10, "Idle and recirculation are looked at.", (), True),
        Phase("steady", "Steady, half load, no braking", 15, "Catalyst and fuel trims are looked at.", (), True),
        Phase("coast", "Coast down in gear, three times", 5, "Recirculation and leaks are looked at.", (), True),
    ),
    "Every monitor that this engine has says ready; days if need be.",
    "One that never gets ready has a fault of its own: read what it waits for.",
    needs=("codes_cleared", "battery_on"),
    ends=("engine_running",),
)
"""What each monitor needs. Offered, never asked for: it may take the owner's own days."""
RELEARNS[READINESS.id] = READINESS


COOLANT_GUARDS = frozenset({"coolant", "coolant_high", "coolant_open", "fan"})
"""Guards that an engine without coolant does not have."""
WARM_BY_AIR = "Ridden or idled for ten minutes"


def with_holds(
    family: EngineFamily, relearn_id: str, relearns: Mapping[str, RelearnTemplate]
) -> RelearnTemplate:
    """A template as it is on this engine: its own hold minutes, its battery's volts, no coolant where air cools it."""
    template = relearns[relearn_id]
    by_air = family.cooling == "air"
    conditions = tuple(
        (name, WARM_BY_AIR if by_air and name == "warm" else _volts(text, family.battery_v))
        for name, text in template.conditions
    )
    phases = tuple(
        replace(
            p,
            hold_minutes=family.relearn_holds.get(p.id, p.hold_minutes),
            guards=tuple(
                replace(g, text=_volts(g.text, family.battery_v))
                for g in p.guards
                if not (by_air and g.id in COOLANT_GUARDS)
            ),
        )
        for p in template.phases
    )
    return replace(template, conditions=conditions, phases=phases)


def _volts(text: str, battery_v: float) -> str:
    """A text that names the least volts of a 12 V battery, for another."""
    return text.replace("12.2 V", f"{12.2 * battery_v / 12:.1f} V")
