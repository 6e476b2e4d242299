"""Upkeep with nothing taken off: agents into the running engine, additive into the tank."""

from galene.core.airpath.family import OpenedItem
from galene.core.planning.procedure import PartProcedure, StepTemplate, Wait
from galene.core.planning.words import Work
from galene.knowledge.procedures.recirculation import COMMANDED
from galene.knowledge.procedures.words import asked

GO: tuple[Work, ...] = ("clean", "upkeep")
TUBE_ITEM = OpenedItem(what="Way in for the spray tube", kind="hose", while_running=True)
FIT = asked(
    "fit",
    "No misfire or catalyst code stored, oil and coolant at their marks",
    "part_only",
    text="Not into a failing engine or catalyst: this upkeep is left out, that is mended first.",
)
WARM = StepTemplate(
    key="warm",
    text=(
        "Outside, or with the exhaust led away: run it to working heat, loads off, and read the"
        " stored codes"
    ),
    minutes=10,
    why="Cold, the agent stands on the walls; a failing catalyst burns what comes.",
    works=GO,
    place="running",
    does=("engine_warm_running",),
    tools=("scan tool", "exhaust extraction"),
    records=(FIT,),
    brings=("ventilated",),
    acts=("read", "start", "idle"),
)


def tube(text: str, *when: str, speaks_of: tuple[str, ...] = ()) -> StepTemplate:
    """The way in for the spray tube, open on purpose while the engine runs."""
    return StepTemplate(
        key="tube",
        text=text,
        minutes=4,
        why="Behind the meter, or its element is ruined by the first burst.",
        works=GO,
        when=when,
        place="running",
        does=("ignition_off",),
        tools=("spray tube",),
        opens=(TUBE_ITEM,),
        acts=("unhook", "key_off"),
        speaks_of=speaks_of,
    )


TUBE_OFF = StepTemplate(
    key="tube_off",
    text="Let it idle for a minute, then engine off; take the spray tube out, close the way in",
    minutes=3,
    why="A way left open is unmetered air.",
    works=GO,
    place="running",
    does=("ignition_off",),
    closes=("Way in for the spray tube",),
    acts=("hook", "key_off", "idle"),
)
AEROSOL = PartProcedure(
    component="running_aerosol",
    title="Upkeep by aerosol",
    in_place=True,
    once=True,
    steps=(
        WARM,
        tube(
            "Engine off. Loosen the intake tube's clamp behind the meter, lay the spray tube before"
            " the throttle, seal round it",
            "petrol",
            "level_throttle",
        ),
        tube(
            "Engine off. Pull a small vacuum hose behind the throttle, fit the spray tube there,"
            " seal round it: before this throttle it would pool",
            "petrol",
            "faces_down",
            speaks_of=("vacuum_hose",),
        ),
        StepTemplate(
            key="bursts",
            text=(
                "A helper at the pedal holds about 2000, never above 3500; one-second bursts with"
                " their pauses until the can's dose is used; stop when it knocks or stumbles"
            ),
            minutes=8,
            why="Liquid does not compress: a whole gulp bends a rod.",
            works=GO,
            place="running",
            computation="aerosol",
            needs=("engine_warm",),
            does=("engine_warm_running",),
            agent="intake_valve_aerosol",
            agent_ml=300,
            way="running_ingestion",
            acts=("hold_speed", "feed"),
        ),
        StepTemplate(
            key="revs",
            text="A few short revs to 3500, no more",
            minutes=1,
            why="What is loose leaves by speed.",
            works=GO,
            place="running",
            needs=("engine_warm_running",),
            acts=("hold_speed",),
        ),
        TUBE_OFF,
        StepTemplate(
            key="soak",
            text="Leave it shut off and hot, bonnet down, for one hour",
            minutes=1,
            why="Heat loosens what the bursts have wetted.",
            works=GO,
            place="running",
            needs=("ignition_off",),
            wait=Wait(name="heat soak", base_minutes=60, reason="The agent works on in the heat"),
            acts=("wait",),
        ),
        StepTemplate(
            key="oil",
            text=(
                "In the soak's hour: change oil and filter, drain plug on a new washer, level at"
                " the mark"
            ),
            minutes=30,
            why="The amine and what it loosened end in the oil and thin it: it is not driven on.",
            works=GO,
            place="running",
            needs=("ignition_off",),
            tools=("drain tray", "filter tool"),
            consumes=("engine_oil", "oil_filter", "drain_washer"),
            records=(
                asked(
                    "oil",
                    "New filter on, plug tight, oil at the mark",
                    "stop",
                    text="No start without oil: fill it, look once more.",
                ),
            ),
            acts=("change_oil",),
        ),
        StepTemplate(
            key="brisk",
            text=(
                "Drive ten minutes briskly, warm, a few firm pulls in a middle gear: smoke at first"
                " is normal"
            ),
            minutes=10,
            why="What was loosened leaves by heat and speed.",
            works=GO,
            place="drive",
            needs=("engine_warm_running",),
            records=(
                asked(
                    "smooth",
                    "It idles smoothly after it",
                    "note",
                    text="Read the code: a misfire now is a lump on a valve or a wet plug.",
                ),
            ),
            acts=("drive",),
        ),
    ),
)
FLUSH = PartProcedure(
    component="running_flush",
    title="Upkeep by in-place flush",
    in_place=True,
    once=True,
    steps=(
        WARM,
        tube(
            "Engine off. Loosen the charge hose behind the charge cooler, before flap and mixer,"
            " lay the spray tube in it, seal round it",
            "diesel",
        ),
        tube(
            "Engine off. Pull a small vacuum hose behind the throttle, fit the spray tube there,"
            " seal round it",
            "petrol",
            speaks_of=("vacuum_hose",),
        ),
        StepTemplate(
            key="bursts",
            text=(
                "A helper at the pedal holds the speed; give the flush in its bursts with their"
                " pauses, stop when it knocks or stumbles"
            ),
            minutes=8,
            why=(
                "Liquid does not compress: a whole gulp bends a rod. It reaches manifold, ports and"
                " what the valve lets by; never the cooler, hard carbon or a plugged passage."
            ),
            works=GO,
            place="running",
            computation="flush",
            needs=("engine_warm",),
            does=("engine_warm_running",),
            agent="soot_flush_waterbased",
            agent_ml=400,
            way="running_ingestion",
            acts=("hold_speed", "feed"),
        ),
        StepTemplate(
            key="clear_out",
            text="Hold the speed two minutes more without flush until the exhaust is clear",
            minutes=2,
            why="What stands in the ports goes before it is loaded.",
            works=GO,
            place="running",
            needs=("engine_warm_running",),
            acts=("hold_speed",),
        ),
        TUBE_OFF,
        *COMMANDED,
        StepTemplate(
            key="pull",
            text=(
                "Full acceleration from low speed, three times, then drive ten to twenty minutes"
                " warm: smoke at first is normal"
            ),
            minutes=18,
            why="What was loosened leaves by heat and speed.",
            works=GO,
            place="drive",
            needs=("engine_warm_running",),
            records=(
                asked(
                    "smooth",
                    "It idles smoothly after it",
                    "note",
                    text=(
                        "Read the code: a misfire after the flush is a lump on a valve or a wet"
                        " plug."
                    ),
                ),
            ),
            acts=("drive",),
        ),
    ),
)
TANK = PartProcedure(
    component="tank_additive",
    title="Upkeep through the tank",
    in_place=True,
    once=True,
    steps=(
        StepTemplate(
            key="dose",
            text=(
                "Tank a quarter full, or as the label says: one dose by the tank's volume, one"
                " only, however many sensors; no sensor is touched"
            ),
            minutes=3,
            why=(
                "What reaches a sensor safely comes with the fuel; a double dose fouls what it"
                " should clean."
            ),
            works=GO,
            place="walk",
            needs=("ignition_off",),
            agent="fuel_system_additive",
            agent_ml=250,
            way="running_ingestion",
            acts=("handle_fuel", "fill"),
        ),
        StepTemplate(
            key="run",
            text="Drive or hold 2000 to 3000 rpm for 20 to 30 minutes",
            minutes=25,
            why="The sensor must be hot for its coat to burn off.",
            works=GO,
            place="drive",
            needs=("engine_warm_running",),
            acts=("hold_speed", "drive"),
        ),
        StepTemplate(
            key="responds",
            text=(
                "Warm, at a fast idle: a short push on the pedal, watch the upstream sensor's"
                " answer, as before"
            ),
            minutes=4,
            why="Only the same test says whether it answers faster.",
            works=GO,
            place="drive",
            needs=("engine_warm_running",),
            tools=("scan tool",),
            records=(
                asked(
                    "answers",
                    "It answers within its time",
                    "note",
                    text="It is slow still: test it again after the tank, else a new one.",
                ),
            ),
            acts=("read", "hold_speed"),
        ),
    ),
)
SLOW = asked(
    "slow",
    "Warm, a short push on the pedal: it answers, but slowly",
    "part_only",
    text="Nothing to gain here: one that answers well is left alone, one that is dead is replaced.",
)
VACUUM_LINE = PartProcedure(
    component="vacuum_line_product",
    title="Upkeep through a vacuum line",
    in_place=True,
    once=True,
    steps=(
        WARM,
        StepTemplate(
            key="before",
            text="At a fast idle, warm: test the upstream sensor's answer and keep the trace",
            minutes=4,
            why="Only the same test before and after says what was gained.",
            works=GO,
            place="running",
            needs=("engine_warm_running",),
            tools=("scan tool",),
            records=(SLOW,),
            acts=("read", "hold_speed"),
        ),
        StepTemplate(
            key="tube",
            text=(
                "Engine off. Pull a vacuum hose behind the throttle that feeds all cylinders, fit"
                " the line with its clamp there; no hose of the brake servo"
            ),
            minutes=4,
            why=(
                "A line on one runner feeds one cylinder; the servo's hose leaves the car without"
                " brakes."
            ),
            works=GO,
            place="running",
            does=("ignition_off",),
            tools=("spray tube",),
            opens=(TUBE_ITEM,),
            acts=("unhook", "key_off"),
            speaks_of=("vacuum_hose",),
        ),
        StepTemplate(
            key="goes",
            text=(
                "A product whose label names oxygen sensors. A helper at the pedal holds about 2000"
                " rpm; open the clamp for a go of 30 s, shut it for the pause, until the label's"
                " dose is used; stop when it knocks or stumbles"
            ),
            minutes=6,
            why="Drawn in at once it knocks, washes the walls and lets the catalyst glow.",
            works=GO,
            place="running",
            computation="goes",
            needs=("engine_warm",),
            does=("engine_warm_running",),
            agent="intake_valve_aerosol",
            agent_ml=100,
            way="running_ingestion",
            acts=("hold_speed", "feed"),
        ),
        TUBE_OFF,
        StepTemplate(
            key="cool",
            text=(
                "Engine off: leave it until exhaust and sensor are hand-warm; nothing there is"
                " touched before"
            ),
            minutes=1,
            why="The exhaust holds several hundred degrees after a held speed.",
            works=GO,
            place="running",
            needs=("ignition_off",),
            wait=Wait(
                name="exhaust cooling",
                base_minutes=45,
                reason="Exhaust and sensor cool to the hand",
            ),
            acts=("key_off", "wait"),
        ),
        StepTemplate(
            key="run",
            text="Drive 20 to 30 minutes warm, mostly 2000 to 3000 rpm: smoke at first is normal",
            minutes=25,
            why="The sensor must be hot for its coat to burn off.",
            works=GO,
            place="drive",
            needs=("engine_warm_running",),
            acts=("drive",),
        ),
        StepTemplate(
            key="responds",
            text=(
                "Warm, at a fast idle: the same push on the pedal, watch the upstream sensor's"
                " answer, as before"
            ),
            minutes=4,
            why="Only the same test says whether it answers faster.",
            works=GO,
            place="drive",
            needs=("engine_warm_running",),
            tools=("scan tool",),
            records=(
                asked(
                    "answers",
                    "It answers within its time",
                    "note",
                    text="It is slow still: a new sensor is next, not a second dose.",
                ),
            ),
            acts=("read", "hold_speed"),
        ),
    ),
)
UPKEEP: tuple[PartProcedure, ...] = (AEROSOL, FLUSH, TANK, VACUUM_LINE)
