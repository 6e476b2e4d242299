"""The steps every job ends with: looks, power, codes, the start, the road, the cold level."""

from galene.core.planning.records import Consequence, PlannedWait, Record, StateWords, Step
from galene.core.planning.steps import RESET_HOLD, RESET_MINUTES

COLD_LOOK_MINUTES = 180.0
"""From working heat to a level that can be read cold (project default)."""
WARM_MINUTES = 10.0
"""Idling from a cold start to 75 C of coolant, about (project default)."""
LEVEL_WAIT = "Cooling for the level"
START_WHY = (
    "One long crank, a stumble or one misfire code of the agent is normal after such work. A"
    " starter that stops dead, or no start within ten seconds: key off and look before the next"
    " try; what lies in a cylinder bends its rod."
)


def key_on(text: str, waits: tuple[str, ...]) -> Step:
    """Ignition on, for what is commanded and learned."""
    return Step(
        id="key_on",
        name="key_on",
        acts=("key_on",),
        text=text,
        why="What is commanded and learned now needs power and no running engine.",
        phase="walk",
        minutes=0.5,
        needs=StateWords(battery="on"),
        does=StateWords(engine="ignition"),
        waits_for=waits,
    )


def key_off() -> Step:
    """The key out again."""
    return Step(
        id="key_off",
        name="key_off",
        acts=("key_off",),
        text="Ignition off, key out",
        phase="walk",
        minutes=0.5,
        does=StateWords(engine="off"),
    )


def run_again() -> Step:
    """The engine once more, after it stood."""
    return Step(
        id="run_again",
        name="run_again",
        acts=("start", "idle"),
        text="Start the engine again and let it idle",
        phase="relearn",
        minutes=0.5,
        needs=StateWords(battery="on", coolant="full", fuel_line="closed"),
        does=StateWords(engine="running"),
    )


def cylinders() -> Step:
    """No starter turns an engine in whose cylinders liquid may stand."""
    return Step(
        id="cylinders",
        name="cylinders",
        acts=("turn_crank", "look"),
        text=(
            "Look for liquid in the cylinders: plugs or injectors out, or the crank twice round"
            " by hand, slowly"
        ),
        why="Liquid does not give way: the starter bends a rod on it.",
        phase="start",
        minutes=20,
        tools=("socket for the crank", "lamp"),
        needs=StateWords(engine="off"),
        records=(
            Record(
                id="cylinders/dry",
                key="dry",
                kind="yes_no",
                label="It turns twice round without a stop, and nothing wet comes",
                consequences=(
                    Consequence(
                        answer="no",
                        kind="stop",
                        text="Liquid in a cylinder: no starter. It is drained and found first.",
                    ),
                ),
            ),
        ),
    )


def crank_dry() -> Step:
    """What is left of liquid, thrown out before it fires."""
    return Step(
        id="crank_dry",
        name="crank_dry",
        acts=("crank_dry",),
        text="Crank it five seconds with the fuel shut off, plugs or injectors back in",
        why="What is left comes out slowly, before it fires.",
        phase="start",
        minutes=2,
        tools=("scan tool",),
        needs=StateWords(engine="ignition", battery="on"),
    )


def battery_reset() -> Step:
    """The hold of a reset by the battery."""
    return Step(
        id="battery_reset",
        name="battery_reset",
        acts=("wait",),
        text=("Press the brake pedal for ten seconds, then leave the lead off for fifteen minutes"),
        why="What is stored must drain, or the old values come back.",
        phase="close",
        minutes=1,
        needs=StateWords(battery="off"),
        wait=PlannedWait(
            id=RESET_HOLD,
            minutes=RESET_MINUTES,
            why="The control unit forgets only without any charge",
        ),
    )


def leaks(sees: tuple[str, ...]) -> Step:
    """The look for leaks, at the parts whose joints were opened."""
    return Step(
        id="leaks",
        name="leaks",
        acts=("leak_look",),
        sees=sees,
        text="Smoke or soapy water round every joint that was opened",
        why="Unmetered air after the work is a fault of the work.",
        phase="walk",
        minutes=4,
        tools=("lamp", "smoke or soapy water"),
        needs=StateWords(engine="off"),
        records=(
            Record(
                id="leaks/tight",
                key="tight",
                kind="yes_no",
                label="No smoke comes out, nothing bubbles",
                consequences=(
                    Consequence(
                        answer="no",
                        kind="again",
                        text="Find the joint, seat it anew, test once more.",
                    ),
                ),
            ),
        ),
    )


def walk(sees: tuple[str, ...]) -> Step:
    """The last round: plugs, clamps, cloths and tools."""
    return Step(
        id="walk",
        name="walk",
        acts=("touch_all",),
        sees=sees,
        text=(
            "Walk round: touch every connector, hose and clamp once more, count cloths and tools"
        ),
        why="One missed plug is the comeback.",
        phase="walk",
        minutes=3,
        needs=StateWords(engine="off"),
        records=(
            Record(
                id="walk/all",
                key="all",
                kind="yes_no",
                label="Everything touched, everything counted",
                consequences=(
                    Consequence(answer="no", kind="again", text="Find it now, not on the road."),
                ),
            ),
        ),
    )


def clear() -> Step:
    """Codes cleared, before anything is learned or proven."""
    return Step(
        id="clear",
        name="clear",
        acts=("clear",),
        text="Clear the codes with the scan tool",
        why=("A stored code may stop the control unit from learning, and only a fresh one proves."),
        phase="start",
        minutes=2,
        act="clear",
        tools=("scan tool",),
        needs=StateWords(battery="on", engine="ignition", before_set=True),
        does=StateWords(codes="cleared"),
    )


def fuel_look(sees: tuple[str, ...]) -> Step:
    """The look at fuel joints under the pump."""
    return Step(
        id="fuel_look",
        name="fuel_look",
        acts=("key_on", "leak_look", "handle_fuel"),
        sees=sees,
        text=(
            "Pump running, engine off: look along every fuel joint that was opened, cloth under"
            " each"
        ),
        why="A drop now is a fire later.",
        phase="start",
        minutes=2,
        tools=("lamp", "cloth"),
        needs=StateWords(engine="ignition"),
        records=(
            Record(
                id="fuel_look/dry",
                key="dry",
                kind="yes_no",
                label="Every joint is dry",
                consequences=(
                    Consequence(
                        answer="no",
                        kind="stop",
                        text="Fuel is leaking: ignition off, close it, no start until it is dry.",
                    ),
                ),
            ),
        ),
    )


def first_start(text: str, waits: tuple[str, ...]) -> Step:
    """The start that its gate holds."""
    return Step(
        id="first_start",
        name="first_start",
        acts=("start",),
        text=text,
        why=START_WHY,
        phase="start",
        minutes=1,
        act="start",
        needs=StateWords(battery="on", coolant="full", fuel_line="closed"),
        does=StateWords(engine="running"),
        waits_for=waits,
    )


def warm_up(cooling: str) -> Step:
    """Warm, by its coolant or by its fins."""
    warm = (
        "the coolant is above 75 °C"
        if cooling == "liquid"
        else "the cylinder's fins are too hot to hold"
    )
    return Step(
        id="warm_up",
        name="warm_up",
        acts=("idle", "leak_look", "listen"),
        text=f"Let it idle until {warm}; look and listen round every joint meanwhile",
        why="Cold, neither idle nor readings say anything, and a leak shows as it warms.",
        phase="start",
        minutes=WARM_MINUTES,
        needs=StateWords(engine="running"),
        does=StateWords(heat="warm"),
        records=(
            Record(
                id="warm_up/well",
                key="well",
                kind="yes_no",
                label="It runs on by itself, nothing leaks, no warning light",
                consequences=(
                    Consequence(
                        answer="no",
                        kind="stop",
                        text="Engine off: read the codes and find the leak before it runs again.",
                    ),
                ),
            ),
        ),
    )


def after_set() -> Step:
    """The same readings again."""
    return Step(
        id="after_set",
        name="after_set",
        acts=("idle", "read"),
        text="Take the same readings again: same heat, same speed, same loads",
        why="Only the same test says whether it is better.",
        phase="prove",
        minutes=12,
        act="after_set",
        needs=StateWords(engine="running", heat="warm"),
    )


def road(acts: tuple[str, ...]) -> Step:
    """The road test."""
    return Step(
        id="road",
        name="road",
        acts=acts,
        text="Road test: steady, coasting down to a stop, pulling away",
        why="Codes need driving to come back, and the complaint is felt on the road.",
        phase="prove",
        minutes=15,
        act="road",
        needs=StateWords(engine="running", codes="cleared"),
    )


def pending() -> Step:
    """Codes after the road, pending ones too."""
    return Step(
        id="pending",
        name="pending",
        acts=("read",),
        text="Read the codes again, pending ones too",
        why="A lamp that is off proves nothing.",
        phase="prove",
        minutes=3,
        act="pending",
        tools=("scan tool",),
        needs=StateWords(codes="cleared", battery="on"),
    )


def cold_wait() -> Step:
    """Cooling for a level that is read cold."""
    return Step(
        id="cold_wait",
        name="cold_wait",
        acts=("key_off", "wait"),
        text="Engine off. Leave it to cool, cap shut",
        why="The level is read cold; a loss shows only then.",
        phase="prove",
        minutes=0.5,
        needs=StateWords(engine="off"),
        does=StateWords(heat="cold"),
        wait=PlannedWait(
            id=LEVEL_WAIT, minutes=COLD_LOOK_MINUTES, why="The level sinks as it cools"
        ),
    )


def cold_look() -> Step:
    """The level cold, and the floor."""
    return Step(
        id="cold_look",
        name="cold_look",
        acts=("read_level", "look_under"),
        text="Look at the coolant's level cold, and under the car for drops",
        why="A coolant loss after this work shows hours later.",
        phase="prove",
        minutes=3,
        needs=StateWords(engine="off", heat="cold"),
        waits_for=(LEVEL_WAIT,),
        records=(
            Record(
                id="cold_look/level",
                key="level",
                kind="yes_no",
                label="The level stands at the mark, nothing is wet",
                consequences=(
                    Consequence(
                        answer="no",
                        kind="stop",
                        text="Coolant is lost: press the system before the car leaves.",
                    ),
                ),
            ),
        ),
    )
