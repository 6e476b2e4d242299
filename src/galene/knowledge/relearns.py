"""Relearn templates, to be overridden per engine family."""

from collections.abc import Collection, Mapping
from dataclasses import replace
from types import MappingProxyType

from galene.core.airpath import EngineFamily
from galene.core.relearn import Guard, Phase, RelearnTemplate

PEDAL = Guard("pedal", "The pedal was touched")
FAN = Guard("fan", "The cooling fan cut in")
VOLTAGE = Guard("voltage", "Voltage under 12.2 V")
COOLANT = Guard("coolant", "Coolant under 75 °C")
LOADS = Guard("loads", "A load was switched")
COOLANT_HIGH = Guard("coolant_high", "Coolant over 105 °C")
DOOR = Guard("door", "Somebody came near, or it began to smoke in earnest")
GUARDS: dict[str, Guard] = {g.id: g for g in (PEDAL, FAN, VOLTAGE, COOLANT, LOADS, COOLANT_HIGH, DOOR)}
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
            "Idle speed and throttle opening stand inside the family's bands, and no code is pending.",
            "Look for unmetered air, a plate that does not close, or low voltage; then begin again.",
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
        ),
        RelearnTemplate(
            "differential_zero",
            "Differential pressure: zero learned",
            (("voltage", "Battery above 12.2 V"), ("still", "Engine off for two minutes, both hoses home")),
            (Phase("key_on", "Ignition on, engine off. Start the zero on the scan tool", 2, "The value creeps to zero.", (VOLTAGE,)),),
            "The sensor reads zero with the engine off, within its band.",
            "It does not come to zero: a port is wet or shut, or the sensor is damaged.",
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
        ),
        RelearnTemplate(
            "coolant_bleed_and_watch",
            "Coolant bled, level watched",
            (("filled", "Coolant at the mark, bleed screws open and shut again"), ("heater", "Heater set to hot")),
            (
                Phase("bleed", "Start, let it idle with the cap off its seat, top up as it falls", 8, "Bubbles, and the level falls in steps.", (COOLANT_HIGH,), True),
                Phase("hot", "Cap on. Let it run to its working heat; look at hoses, cooler and floor", 25, "The fan cuts in and out. The heater blows hot.", (COOLANT_HIGH,), True),
                Phase("cold", "Engine off. Let it cool, then look at the level", 180, "The level sinks by a finger as it cools.", (), False, False),
            ),
            "The level stands at the mark cold, and nothing is wet.",
            "It sank: press the system, look at the cooler and its O-rings. White smoke: stop.",
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
)
"""What each monitor needs. Offered, never asked for: it may take the owner's own days."""
RELEARNS[READINESS.id] = READINESS


def relearn_of(
    family: EngineFamily, clearing: str = "guided", relearns: Mapping[str, RelearnTemplate] = MappingProxyType(RELEARNS)
) -> RelearnTemplate:
    """The family's relearn with its own hold minutes; an engine that learns nothing still has its idle checked.

    `clearing` is school I: a battery reset takes the place of a guided relearn where there is something to learn.
    """
    return _held(family, "memory_reset" if clearing == "battery_reset" and family.relearn else family.relearn or "cable_none", relearns)


def _held(family: EngineFamily, relearn_id: str, relearns: Mapping[str, RelearnTemplate]) -> RelearnTemplate:
    """A template with the family's own hold minutes."""
    template = relearns[relearn_id]
    return replace(template, phases=tuple(replace(p, hold_minutes=family.relearn_holds.get(p.id, p.hold_minutes)) for p in template.phases))


SOOT = frozenset({"egr_valve", "egr_passage", "egr_pipe", "egr_cooler", "intake_manifold", "intake_ports", "aftertreatment_doser"})
"""Parts whose cleaning sends soot on into the particulate filter."""


def relearns_for(
    family: EngineFamily,
    components: Collection[str],
    fuel_opened: bool,
    clearing: str = "guided",
    relearns: Mapping[str, RelearnTemplate] = MappingProxyType(RELEARNS),
) -> tuple[RelearnTemplate, ...]:
    """Every relearn that a job on these kinds of part asks for, in the order in which they are run.

    Lines are vented before the first start, stops are learned before the idle, the coolant is watched before the
    filter is burned off.
    """
    touched = set(components)
    main = relearn_of(family, clearing, relearns)
    diesel_filter = family.fuel == "diesel" and "particulate_filter" in family.components
    wanted = (
        ("fuel_venting", fuel_opened),
        ("differential_zero", bool(touched & {"egr_dp_sensor", "egr_dp_ports"})),
        ("runner_flap_adaptation", bool(touched & {"runner_actuator", "runner_flaps"}) and "runner_actuator" in family.components),
        ("egr_valve_zero", "egr_valve" in touched),
        (main.id, True),
        ("coolant_bleed_and_watch", "egr_cooler" in touched),
        ("particulate_burn_off", diesel_filter and bool(touched & SOOT)),
    )
    ids = dict.fromkeys(name for name, due in wanted if due)
    return tuple(main if name == main.id else _held(family, name, relearns) for name in ids)
