"""What a hand does at a step, as marks: nothing but the screen reads a step's sentence.

The vocabulary is closed. Rules, cautions, drawings and proofs go by these words and by the step's
other fields; a text may be worded anew, or in another language, and nothing else changes.
"""

from collections.abc import Mapping

DEEDS: Mapping[str, str] = {
    "unplug": "a connector is pulled",
    "plug_in": "a connector is pushed home",
    "unhook": "a hose, clip, cable, lever or spring is taken off what holds it",
    "hook": "a hose, clip, cable, lever or spring is put on what holds it",
    "unscrew": "fasteners or clamps are undone",
    "torque": "fasteners or clamps are made tight",
    "lift_off": "a part or a cover leaves its place",
    "fit": "a part or a cover goes into its place",
    "draw_straight": "it comes straight out, without a twist",
    "lay_aside": "a part is laid aside on its lines",
    "cover": "a cap, plug or tape goes over a mouth",
    "uncover": "a cap, plug or tape comes off a mouth",
    "put_inside": "something is laid into a mouth that must come out again",
    "take_out": "what was laid into a mouth comes out of it",
    "look": "the eye, with a lamp or a mirror",
    "look_twice": "the eye looks, and looks again, before something is shut",
    "measure": "a gauge, a rule, a count",
    "feel": "a hand feels, flexes, shakes or taps",
    "move_by_hand": "a moving part is moved over its travel",
    "work_free": "a moving part that sticks is pressed and turned until it moves",
    "prove_by_pull": "what was pushed home is pulled at",
    "mark": "a mark is set, so that it goes back as it was",
    "wipe": "a cloth, dry or damp",
    "swab": "a swab in a small opening",
    "wash": "soap, water, a bath: rinsed after it",
    "spray": "a jet from a can",
    "soak": "an agent is dripped on and left",
    "brush": "a brush",
    "scrape": "a scraper",
    "wire": "a wire is turned through a passage",
    "ream": "a drill in the fingers, a reamer",
    "blast": "media by air",
    "blow": "air is blown through or at it",
    "vacuum": "a vacuum catches what comes loose",
    "both_ends": "from one end, then from the other",
    "dry": "it dries, or is dried",
    "press_air": "it is pressed with air and watched",
    "press_coolant": "the cooling system is pressed at its cap",
    "send": "a part goes out of the house",
    "receive": "a part comes back",
    "compare_new": "a new part is held beside the old one",
    "seal_out": "a seal or ring is taken out of its seat",
    "seal_new": "a seal or ring goes in",
    "grease": "grease or oil where it slides",
    "lock_thread": "thread lock where it is turned",
    "mend": "a joint is seated anew",
    "find_leak": "the place of a leak is sought on the assembled car",
    "leak_look": "joints are looked at for what comes out or goes in",
    "look_under": "the floor under the car is looked at",
    "ask_recall": "a recall is asked for by the vehicle's number",
    "read_level": "a liquid's level is read, cold, on even ground",
    "touch_all": "connectors, hoses and clamps are touched once more",
    "secure": "the vehicle is kept from rolling or falling, the air is let in",
    "tilt": "a cab is tilted",
    "untilt": "a cab is lowered",
    "jack": "the car goes up or comes down on a lift",
    "sling": "a heavy part hangs in a sling or between two people",
    "spring": "a spring under tension",
    "handle_fuel": "a tank, tap or line that holds fuel is moved",
    "open_fuel": "a fuel line is opened",
    "let_pressure": "pressure is let out of a line",
    "drain": "a liquid is let out",
    "fill": "a liquid is filled",
    "bleed": "air is let out of a liquid",
    "change_oil": "engine oil and its filter are changed",
    "turn_crank": "the crank is turned by hand",
    "crank_dry": "the starter turns the engine with the fuel shut off",
    "power_off": "the battery's lead comes off",
    "power_on": "the battery's lead goes on",
    "key_on": "the ignition is switched on",
    "key_off": "the ignition is switched off",
    "command": "the control unit or a tool moves a motor, valve or pump",
    "jumper": "a jumper takes the control unit's place",
    "isolate": "a sensor is left unplugged for a test",
    "burn": "soot is burned out of the filter",
    "read": "a value is read from the control unit or a gauge",
    "clear": "codes are cleared",
    "start": "the engine is started",
    "idle": "the engine idles",
    "hold_speed": "somebody holds the engine at a speed",
    "feed": "the running engine draws an agent in",
    "listen": "the ear",
    "drive": "the car is driven on the road",
    "ride": "a two-wheeler is ridden on the road",
    "wait": "nothing is done but waited",
    "note": "something is written down",
    "adjust": "a screw or stop is set",
}
"""Every deed with its meaning."""

WHOLE_CAR = frozenset({"find_leak", "ask_recall", "read_level"})
"""Deeds that say something only of a car that is still, or again, assembled."""
THROUGH: Mapping[str, str] = {
    "own": "its own mouths: those that stand open on the part itself",
    "upstream": "the mouth of its neighbour against the flow, where it was",
    "port": "the port of the part that it sits on",
    "ways": "its own mouths and those of what was taken off to reach it, both ends",
    "each": "the mouth of its cylinder; of every cylinder where it is done once for all",
}
"""How a template names the mouths that hand, tool or jet go through."""
TOUCHED: Mapping[str, str] = {
    "own": "the part itself",
    "carrier": "the part that it is one with, and comes off with",
    "downstream": "the next part with the flow, where it is mounted",
    "upstream": "the next part against the flow, where it is mounted",
    "port": "the port that it sits in",
}
"""How a template names what it dirties, or finds clean."""
SPOKEN_OF: tuple[str, ...] = ("electronic", "cable", "vacuum_hose", "coolant")
"""What a text may speak of besides kinds of part: a plate that a motor or a cable moves, a vacuum
hose, coolant."""
SEEN: Mapping[str, str] = {
    "own": "its own joint",
    "joints": "every joint that was opened",
    "plugs": "every plug and clamp that was opened",
    "fuel": "every fuel joint that was opened",
    "levels": "liquids at their marks, and the floor",
}
"""How a template names what it looks at."""


def bears(mouth: str, part: str) -> bool:
    """Whether a part bears a mouth.

    Examples
    --------
    >>> bears("plenum/plate", "plenum")
    True
    """
    return mouth.startswith(f"{part}/")


def mouth_of(bearer: str, left: str | int) -> str:
    """The name of a mouth: the part that bears it, and what was there or its cylinder.

    Examples
    --------
    >>> mouth_of("plenum", "plate"), mouth_of("ports", 2)
    ('plenum/plate', 'ports/2')
    """
    return f"{bearer}/{left}"
