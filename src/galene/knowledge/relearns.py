"""Relearn templates, to be overridden per engine family."""

from collections.abc import Mapping
from dataclasses import replace

from galene.core.airpath.family import EngineFamily
from galene.core.proof.relearn import Guard, Phase, RelearnTemplate

PEDAL = Guard("pedal", "The pedal was touched")
FAN = Guard("fan", "The cooling fan cut in")
VOLTAGE = Guard("voltage", "Voltage under 12.2 V")
COOLANT = Guard("coolant", "Coolant under 75 °C")
LOADS = Guard("loads", "A load was switched")
COOLANT_OPEN = Guard("coolant_open", "Coolant over 80 °C with the cap off")
"""Water boils at 80 °C under the air of about 6000 m (Antoine): below it an open neck boils over
nowhere that a road goes."""
COOLANT_HIGH = Guard("coolant_high", "Coolant over 105 °C")
DOOR = Guard("door", "Somebody came near, or it began to smoke in earnest")
GUARDS: dict[str, Guard] = {
    g.id: g for g in (PEDAL, FAN, VOLTAGE, COOLANT, LOADS, COOLANT_OPEN, COOLANT_HIGH, DOOR)
}
"""Guards that a hold may ask for."""

RELEARNS: dict[str, RelearnTemplate] = {
    r.id: r
    for r in (
        RelearnTemplate(
            id="throttle_manual",
            title="Throttle, by hand",
            conditions=(
                ("warm", "Coolant above 75 °C"),
                ("voltage", "Battery above 12.2 V"),
                ("loads_off", "All loads off: lamps, heater, air conditioning"),
                ("cleared", "Codes cleared, no protective mode"),
                ("wheel_straight", "Steering straight, gear in neutral, brake on"),
            ),
            phases=(
                Phase(
                    id="key_on",
                    text="Ignition on, engine off. Touch nothing",
                    hold_minutes=2,
                    normal="The throttle may click and hum.",
                    guards=(PEDAL, VOLTAGE),
                    acts=("key_on", "wait"),
                ),
                Phase(
                    id="key_off",
                    text="Ignition off. Touch nothing",
                    hold_minutes=1,
                    normal="Relays drop out one after another.",
                    guards=(VOLTAGE,),
                    acts=("key_off", "wait"),
                ),
                Phase(
                    id="idle",
                    text="Start without the pedal and let it idle, all loads off",
                    hold_minutes=8,
                    normal=(
                        "Idle may stand high and hunt for the first minutes. Over 2000 rpm, or past"
                        " five minutes, it is a leak."
                    ),
                    guards=(PEDAL, FAN, VOLTAGE, COOLANT, LOADS),
                    engine_on=True,
                    acts=("start", "idle"),
                ),
                Phase(
                    id="idle_loads",
                    text="Loads on, one after another: lamps, rear heater, fan",
                    hold_minutes=3,
                    normal="Speed dips and recovers at each load.",
                    guards=(PEDAL, VOLTAGE, COOLANT),
                    engine_on=True,
                    acts=("idle",),
                ),
                Phase(
                    id="drive",
                    text="Drive gently: steady, coasting down to a stop, pulling away",
                    hold_minutes=20,
                    normal="Small steps in the first stops. Stalling is not normal.",
                    guards=(COOLANT,),
                    engine_on=True,
                    acts=("drive",),
                ),
            ),
            success=(
                "Idle speed and throttle opening stand inside the family's bands, and no code is"
                " stored."
            ),
            failure=(
                "Look for unmetered air, a plate that does not close, or low voltage; then begin"
                " again."
            ),
            needs=("ignition_on", "engine_warm", "codes_cleared", "battery_on"),
            ends=("engine_running",),
        ),
        RelearnTemplate(
            id="throttle_guided",
            title="Throttle, guided by the scan tool",
            conditions=(
                ("warm", "Coolant above 75 °C"),
                ("voltage", "Battery above 12.2 V"),
                ("loads_off", "All loads off"),
                ("cleared", "Codes cleared, no protective mode"),
            ),
            phases=(
                Phase(
                    id="basic",
                    text=(
                        "Ignition on, engine off. Start the basic setting on the scan tool; touch"
                        " nothing"
                    ),
                    hold_minutes=2,
                    normal="The plate runs to both stops, clicking.",
                    guards=(PEDAL, VOLTAGE),
                    acts=("key_on", "command"),
                ),
                Phase(
                    id="key_off",
                    text="Ignition off. Touch nothing",
                    hold_minutes=1,
                    normal="The control unit stores the stops.",
                    guards=(VOLTAGE,),
                    acts=("key_off", "wait"),
                ),
                Phase(
                    id="idle",
                    text="Start without the pedal and let it idle, all loads off",
                    hold_minutes=8,
                    normal="Idle may stand high for the first minute.",
                    guards=(PEDAL, FAN, VOLTAGE, COOLANT, LOADS),
                    engine_on=True,
                    acts=("start", "idle"),
                ),
            ),
            success=(
                "The scan tool says adapted, and the throttle's opening stands inside the family's"
                " band."
            ),
            failure=(
                "Low voltage, a plate that sticks or a stored code stops it: mend that, then begin"
                " again."
            ),
            needs=("ignition_on", "engine_warm", "codes_cleared", "battery_on"),
            ends=("engine_running",),
        ),
        RelearnTemplate(
            id="cable_none",
            title="Cable throttle: nothing is learned, the idle is checked",
            conditions=(
                ("warm", "Coolant above 75 °C"),
                ("loads_off", "All loads off"),
                ("cable", "The cable has play, the plate rests on its stop"),
            ),
            phases=(
                Phase(
                    id="idle",
                    text="Let it idle, no foot on the pedal; the stop screw is not turned",
                    hold_minutes=5,
                    normal="Idle may hunt for a minute while it settles.",
                    guards=(PEDAL, FAN, COOLANT),
                    engine_on=True,
                    acts=("idle",),
                ),
            ),
            success="Idle speed stands inside the family's band and stays there.",
            failure=(
                "Look at what lets the idle air by and at unmetered air; the sealed screw mends"
                " nothing."
            ),
            needs=("engine_warm_running",),
            ends=("engine_running",),
        ),
        RelearnTemplate(
            id="egr_valve_zero",
            title="Recirculation valve: closed stop learned",
            conditions=(
                ("voltage", "Battery above 12.2 V"),
                ("cleared", "Codes cleared, no protective mode"),
            ),
            phases=(
                Phase(
                    id="key_on",
                    text="Ignition on, engine off. Touch nothing",
                    hold_minutes=2,
                    normal="The valve whirrs to its stop and back.",
                    guards=(VOLTAGE,),
                    acts=("key_on", "wait"),
                ),
                Phase(
                    id="key_off",
                    text="Ignition off, key out. Touch nothing",
                    hold_minutes=2,
                    normal="The control unit stores the stop.",
                    guards=(VOLTAGE,),
                    acts=("key_off", "wait"),
                ),
            ),
            success="The valve's position reads zero when closed, and no code is stored.",
            failure=(
                "Look for carbon on the seat, a bent stem or a plug not home; then begin again."
            ),
            needs=("ignition_on", "codes_cleared", "battery_on"),
            ends=("ignition_off",),
        ),
        RelearnTemplate(
            id="memory_reset",
            title="After the battery was off",
            conditions=(
                ("voltage", "Battery above its maker's least voltage"),
                ("cleared", "Codes cleared, no protective mode"),
            ),
            phases=(
                Phase(
                    id="idle",
                    text="Let it idle untouched, loads off",
                    hold_minutes=8,
                    normal="Idle may stand high and hunt for the first minutes.",
                    guards=(PEDAL, VOLTAGE),
                    engine_on=True,
                    acts=("idle",),
                ),
                Phase(
                    id="drive",
                    text="Drive gently and mixed: town, steady, a climb",
                    hold_minutes=18,
                    normal="Power comes back in steps.",
                    guards=(COOLANT,),
                    engine_on=True,
                    acts=("drive",),
                ),
            ),
            success="Idle stands inside the family's band and full power is back.",
            failure="Read the codes: what comes back at once is a fault, not a lost memory.",
            needs=("engine_running", "battery_on"),
            ends=("engine_warm_running",),
        ),
        RelearnTemplate(
            id="runner_flap_adaptation",
            title="Runner flaps: whole sweep, both stops",
            conditions=(
                ("voltage", "Battery above 12.2 V"),
                ("cleared", "Codes cleared, no protective mode"),
                ("free", "Flaps move freely by hand, lever on its ball"),
            ),
            phases=(
                Phase(
                    id="sweep",
                    text="Ignition on, engine off. Start the adaptation; hands off the linkage",
                    hold_minutes=2,
                    normal="The motor runs to both stops and back, its current rises at each.",
                    guards=(VOLTAGE,),
                    acts=("key_on", "command"),
                ),
                Phase(
                    id="key_off",
                    text="Ignition off. Touch nothing",
                    hold_minutes=1,
                    normal="The control unit stores the stops.",
                    guards=(VOLTAGE,),
                    acts=("key_off", "wait"),
                ),
            ),
            success=(
                "Position follows command over the whole travel, and the code does not come back"
                " within minutes."
            ),
            failure=(
                "A stop that is not reached: something is in the way. A travel too long: the lever"
                " is off."
            ),
            needs=("ignition_on", "codes_cleared", "battery_on"),
            ends=("ignition_off",),
        ),
        RelearnTemplate(
            id="differential_zero",
            title="Differential pressure: zero learned",
            conditions=(
                ("voltage", "Battery above 12.2 V"),
                ("still", "Engine off for two minutes, both hoses home"),
            ),
            phases=(
                Phase(
                    id="key_on",
                    text="Ignition on, engine off. Start the zero on the scan tool",
                    hold_minutes=2,
                    normal="The value creeps to zero.",
                    guards=(VOLTAGE,),
                    acts=("key_on", "command"),
                ),
            ),
            success="The sensor reads zero with the engine off, within its band.",
            failure="It does not come to zero: a port is wet or shut, or the sensor is damaged.",
            needs=("ignition_on", "battery_on"),
            ends=("ignition_on",),
        ),
        RelearnTemplate(
            id="fuel_venting",
            title="Fuel lines vented, before the first start",
            conditions=(
                ("closed", "Every fuel line and cap is closed, wiped and looked at"),
                ("fire", "Extinguisher at hand, nobody smokes"),
            ),
            phases=(
                Phase(
                    id="prime",
                    text=(
                        "Ignition on for the pump to run, then off; three times. Look for drops"
                        " each time"
                    ),
                    hold_minutes=2,
                    normal="The pump hums shorter each time.",
                    guards=(VOLTAGE,),
                    acts=("leak_look", "handle_fuel", "key_on"),
                ),
            ),
            success="The pump builds pressure and no line is wet.",
            failure=(
                "Wet: stop, ignition off, close it again. A long crank at the first start is"
                " normal, a minute's is not."
            ),
            needs=("ignition_on", "battery_on"),
            ends=("ignition_on",),
        ),
        RelearnTemplate(
            id="coolant_bleed_and_watch",
            title="Coolant bled, level watched",
            conditions=(
                ("filled", "Coolant at the mark, bleed screws open and shut again"),
                ("heater", "Heater set to hot"),
            ),
            phases=(
                Phase(
                    id="bleed",
                    text=(
                        "Below 80 °C only: cap off, let it idle, top up as it falls; at 80 °C the"
                        " cap goes on and stays on"
                    ),
                    hold_minutes=8,
                    normal="Bubbles, and the level falls in steps.",
                    guards=(COOLANT_OPEN,),
                    engine_on=True,
                    acts=("fill", "bleed", "idle"),
                ),
                Phase(
                    id="hot",
                    text="Cap on. Let it run to its working heat; look at hoses, cooler and floor",
                    hold_minutes=25,
                    normal="The fan cuts in and out. The heater blows hot.",
                    guards=(COOLANT_HIGH,),
                    engine_on=True,
                    acts=("leak_look", "idle"),
                ),
            ),
            success=(
                "The level stands at its hot mark and stays there, and nothing is wet. It is looked"
                " at again cold."
            ),
            failure=(
                "It sank: press the system, look at the cooler and its O-rings. White smoke: stop."
            ),
            needs=("engine_running", "coolant_full"),
            ends=("engine_warm_running",),
        ),
        RelearnTemplate(
            id="particulate_burn_off",
            title="Particulate filter burned off",
            conditions=(
                ("outside", "Outside, clear of dry grass and people"),
                ("level", "Oil and coolant at their marks, fuel above a quarter"),
                ("soot", "The soot load asks for a burn-off, and is within what one may burn"),
                ("warm", "Coolant above 75 °C"),
            ),
            phases=(
                Phase(
                    id="heat",
                    text="Start the burn-off on the scan tool; engine held as it asks",
                    hold_minutes=8,
                    normal="Speed rises, a hot smell, white steam at first.",
                    guards=(DOOR, COOLANT_HIGH),
                    engine_on=True,
                    acts=("burn", "hold_speed"),
                ),
                Phase(
                    id="burn",
                    text="Let it burn; watch inlet and outlet temperature",
                    hold_minutes=20,
                    normal="Inlet above 550 °C, the outlet follows some minutes later.",
                    guards=(DOOR, COOLANT_HIGH),
                    engine_on=True,
                    acts=("burn", "read", "hold_speed"),
                ),
                Phase(
                    id="cool",
                    text="Let it idle until the exhaust has cooled",
                    hold_minutes=5,
                    normal="The fan runs on.",
                    guards=(),
                    engine_on=True,
                    acts=("idle",),
                ),
            ),
            success=(
                "Soot load is down, the outlet followed the inlet, and the coolant's level stands."
            ),
            failure=(
                "The inlet never rises: doser or catalyst. It breaks off: read why before a second"
                " try."
            ),
            needs=("engine_warm_running",),
            ends=("engine_warm_running",),
        ),
    )
}


READINESS = RelearnTemplate(
    id="readiness_drive",
    title="Drive until the monitors are ready",
    conditions=(
        ("cleared", "Codes cleared"),
        ("fuel", "Tank between a quarter and three quarters"),
    ),
    phases=(
        Phase(
            id="cold",
            text="Cold start after a night, idle two minutes, loads on",
            hold_minutes=2,
            normal="Oxygen sensors and secondary air are looked at now.",
            guards=(),
            engine_on=True,
            acts=("start", "idle"),
        ),
        Phase(
            id="town",
            text="Town: ten minutes with stops",
            hold_minutes=10,
            normal="Idle and recirculation are looked at.",
            guards=(),
            engine_on=True,
            acts=("drive",),
        ),
        Phase(
            id="steady",
            text="Steady, half load, no braking",
            hold_minutes=15,
            normal="Catalyst and fuel trims are looked at.",
            guards=(),
            engine_on=True,
            acts=("drive",),
        ),
        Phase(
            id="coast",
            text="Coast down in gear, three times",
            hold_minutes=5,
            normal="Recirculation and leaks are looked at.",
            guards=(),
            engine_on=True,
            acts=("drive",),
        ),
    ),
    success="Every monitor that this engine has says ready; days if need be.",
    failure="One that never gets ready has a fault of its own: read what it waits for.",
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
    """A template as it is on this engine: its own hold minutes, its battery's volts, no coolant
    where air cools it."""
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
