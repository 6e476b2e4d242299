"""Procedures of recirculation and exhaust: valve, passage, pipe, cooler, ports, tube, secondary
air, doser."""

from galene.core.airpath.family import OpenedItem
from galene.core.planning.procedure import PartProcedure, StepTemplate, Wait
from galene.core.planning.records import Consequence, Record
from galene.knowledge.procedures.words import LAMP, PALE, after, asked, check, dries, look

VAPOUR = "Vapour in the intake burns at the first start"
VACUUM = "vacuum with fine filter"
FOLLOWS = asked(
    "follows",
    "Position follows, and comes back to zero",
    "again",
    text="Look at its plug, command once more; still not, a new valve goes in.",
    then="replace",
)
COMMANDED: tuple[StepTemplate, ...] = (
    StepTemplate(
        key="jumper_on",
        text="Pull the valve's connector and put the fused jumper on, as the drive check says",
        minutes=4,
        why="A jumper on the wrong side destroys the control unit's driver.",
        works=("clean", "replace"),
        when=("by_jumper",),
        place="walk",
        computation="drive",
        needs=("ignition_off",),
        tools=("fused jumper", "meter"),
        opens=(OpenedItem(what="Valve connector, off for the jumper", kind="connector"),),
        about="egr_valve",
        acts=("unplug", "jumper"),
    ),
    StepTemplate(
        key="jumper",
        text="Close the jumper for two seconds, ten times: the valve opens whole and falls back",
        minutes=2,
        why="The jumper opens further than the control unit does, and at once.",
        works=("clean", "replace"),
        when=("by_jumper",),
        place="walk",
        computation="drive",
        needs=("ignition_off",),
        records=(
            asked(
                "moves",
                "It opens whole and falls back each time",
                "again",
                text="Once more; still not, a new valve goes in.",
                then="replace",
            ),
        ),
        about="egr_valve",
        acts=("look", "jumper"),
    ),
    StepTemplate(
        key="jumper_off",
        text="Take the jumper off, plug the connector in until it clicks",
        minutes=1,
        why="A lead left on holds the valve open.",
        works=("clean", "replace"),
        when=("by_jumper",),
        place="walk",
        needs=("ignition_off",),
        closes=("Valve connector, off for the jumper",),
        about="egr_valve",
        acts=("plug_in", "jumper"),
    ),
    StepTemplate(
        key="command",
        text="Command the valve open and shut ten times by the scan tool, read its position",
        minutes=3,
        why="The tool protects the driver, and position must follow command.",
        works=("clean", "replace"),
        when=("by_scan_tool",),
        place="walk",
        needs=("ignition_on", "battery_on"),
        tools=("scan tool",),
        records=(FOLLOWS,),
        about="egr_valve",
        acts=("command", "read"),
    ),
)
"""School N: the valve is commanded once power is back."""
VALVE = PartProcedure(
    component="egr_valve",
    title="Recirculation valve",
    steps=(
        look(
            "Push the stem off its seat by hand; look at seat and stem against the lamp",
            PALE,
            acts=("look", "move_by_hand"),
        ),
        StepTemplate(
            key="part",
            text=(
                "Part the drive from the metal: its screws into a dish, its plug and ring bagged;"
                " it stays dry"
            ),
            minutes=5,
            why="Electrics are never wetted.",
            tools=("small driver", "dish"),
            brings=("electronics_removed",),
            opens=(
                OpenedItem(what="Valve drive screws", kind="fastener set"),
                OpenedItem(what="Valve drive plug and ring", kind="connector"),
            ),
            acts=("unplug", "unscrew", "lift_off"),
        ),
        StepTemplate(
            key="clean",
            text=(
                "Scrape the seat; cleaner on a brush; press and turn the stem at several depths"
                " until it works free"
            ),
            minutes=18,
            why="Hard carbon holds the seat open; spray alone does not move it.",
            treats=True,
            brings=("removed", "electronics_removed"),
            tools=("scraper", "soft brush"),
            agent="egr_cleaner",
            agent_ml=60,
            way="on_brush",
            wait=dries(10, VAPOUR, "throttle_cleaner"),
            acts=("work_free", "brush", "scrape", "dry"),
            dirties=("own",),
        ),
        check(
            "Light does not pass the closed seat, the stem falls back by itself",
            asked(
                "closes",
                "It closes by itself",
                "again",
                text="Work it once more; it sticks still, a new valve goes in.",
                then="replace",
            ),
            left=after(then="replace"),
        ),
        StepTemplate(
            key="join",
            text="Drive back on the metal, new ring, screws evenly by hand",
            minutes=4,
            consumes=("egr_drive_ring",),
            place="close",
            closes=("Valve drive screws", "Valve drive plug and ring"),
            tools=("small driver",),
            acts=("torque", "fit", "seal_new"),
            seals=True,
        ),
        *COMMANDED,
    ),
)
PASSAGE = PartProcedure(
    component="egr_passage",
    title="Recirculation passage",
    steps=(
        look(
            "Look into both ends with lamp and wire: how far is it open",
            PALE,
            tools=("lamp", "wire"),
            acts=("look", "both_ends"),
            through=("ways",),
        ),
        StepTemplate(
            key="wire",
            text=(
                "Turn a wire from both ends and through every fine hole in it, air in short pushes"
                " toward the vacuum at the other end"
            ),
            minutes=16,
            why="What is loosened comes out, never further in.",
            treats=True,
            tools=("wire", VACUUM, "air gun"),
            acts=("wire", "blow", "vacuum", "both_ends"),
            through=("ways",),
            dirties=("own", "carrier", "downstream"),
        ),
        StepTemplate(
            key="clean",
            text="Cleaner on a bottle brush from both ends, wiped out; vacuum, then let it dry",
            minutes=10,
            why="Film binds the next layer.",
            tools=("bottle brush", VACUUM),
            agent="egr_cleaner",
            agent_ml=50,
            way="on_brush",
            wait=dries(10, VAPOUR, "throttle_cleaner"),
            acts=("wipe", "brush", "vacuum", "both_ends", "dry"),
            through=("ways",),
            dirties=("own", "carrier", "downstream"),
        ),
        check(
            "Wire and light pass, every fine hole too; nothing rattles, nothing is wet",
            asked(
                "open",
                "Light passes from end to end",
                "again",
                text="Wire it once more; still shut, say so: its carrier comes off.",
                then="part_only",
            ),
            acts=("look", "both_ends"),
            through=("ways",),
        ),
    ),
)
PIPE = PartProcedure(
    component="egr_pipe",
    title="Recirculation pipe",
    steps=(
        StepTemplate(
            key="look",
            text=(
                "Look through the pipe, tap it: scale that rings loose; brush through, wiped wet,"
                " vacuumed, till light passes"
            ),
            minutes=14,
            why="Soot dust is not blown about.",
            treats=True,
            tools=("lamp", "bottle brush", VACUUM),
            records=(PALE, after()),
            acts=("look", "feel", "wipe", "brush", "vacuum"),
            judges=("own",),
        ),
        look(
            "Look through the pipe, tap it: scale that rings loose",
            PALE,
            works=("inspect",),
            acts=("look", "feel"),
        ),
    ),
)
HELD = Record(
    id="held",
    kind="reading",
    label="Pressure after two minutes",
    quantity="pressure",
    least=190.0,
    consequences=(
        Consequence(
            answer="low",
            kind="replace",
            text="Under 1.9 bar of 2: it leaks, a new cooler goes in.",
        ),
    ),
)
BUBBLES = asked("tight", "No bubble", "replace", text="It leaks: a new cooler goes in.")
COOLER = PartProcedure(
    component="egr_cooler",
    title="Recirculation cooler",
    steps=(
        look(
            "Look at both faces and at the coolant side's stubs",
            PALE,
            minutes=4,
            why="A pale crust is coolant: then it is not cleaned but replaced.",
        ),
        StepTemplate(
            key="pressure",
            text="Shut the stubs, 2 bar of air under water for two minutes: no bubble",
            minutes=8,
            why="A cleaned cooler that leaks ruins the engine.",
            works=("clean", "inspect"),
            tools=("pressure test kit",),
            records=(HELD, BUBBLES),
            acts=("press_air",),
        ),
        StepTemplate(
            key="send",
            text="Send the cooler out to the heated bath, label on, O-rings off",
            minutes=5,
            why="Soot in its tubes needs heat and time.",
            treats=True,
            moves=("sends",),
            tools=("label",),
            wait=Wait(name="at the bath", base_minutes=1440, reason="The bath works over night"),
            acts=("send", "seal_out"),
        ),
        StepTemplate(
            key="receive",
            text="The cooler is back: it is ours by its label, no shot and no rag in its tubes",
            minutes=3,
            why="Bath houses mix up parts.",
            moves=("receives",),
            tools=LAMP,
            records=(
                asked(
                    "ours",
                    "It is ours and empty",
                    "stop",
                    text="Back to the bath house: it is not fitted.",
                ),
            ),
            acts=("look", "receive"),
        ),
        StepTemplate(
            key="press_again",
            text="Press it again: 2 bar of air under water for two minutes; dry it with air",
            minutes=8,
            why="Heat opens what soot had shut.",
            tools=("pressure test kit",),
            records=(HELD, BUBBLES),
            acts=("dry", "press_air"),
        ),
        check(
            "Look through every tube against a lamp: they pass, and it is dry",
            minutes=4,
            why="One shut tube in ten is a tenth of its area and of its cooling.",
            left=Record(
                id="grade_after",
                kind="grade",
                label="Deposit left",
                consequences=(
                    Consequence(
                        answer="3",
                        kind="replace",
                        text="Tubes are shut still: a new cooler goes in.",
                    ),
                    Consequence(
                        answer="4",
                        kind="replace",
                        text="Tubes are shut still: a new cooler goes in.",
                    ),
                    Consequence(
                        answer="coolant_residue",
                        kind="replace",
                        text="It leaks within: a new cooler goes in.",
                    ),
                ),
            ),
        ),
        StepTemplate(
            key="compare",
            text=(
                "New cooler beside the old: flanges, stubs and brackets; press it too before it"
                " goes in"
            ),
            minutes=8,
            works=("replace",),
            why="A leak at the start costs an engine.",
            tools=("pressure test kit",),
            records=(
                asked(
                    "same",
                    "It is the same, and it holds",
                    "stop",
                    text="Wrong or leaking: it is not fitted.",
                ),
            ),
            acts=("press_air", "compare_new"),
        ),
    ),
)
DP_PORTS = PartProcedure(
    component="egr_dp_ports",
    title="Differential pressure ports",
    steps=(
        look(
            "Look into both bores with the lamp: which is shut",
            PALE,
            through=("own",),
        ),
        StepTemplate(
            key="drill",
            text=(
                "Turn a fitting drill in the fingers, both bores, vacuum at each turn, till a wire"
                " falls through both"
            ),
            minutes=10,
            why="Both are cleaned: one alone reads worse than none.",
            treats=True,
            tools=("drill in the fingers", VACUUM),
            records=(
                after(then="part_only"),
                asked(
                    "both",
                    "A wire falls through both",
                    "again",
                    text="Turn once more.",
                    then="part_only",
                ),
            ),
            acts=("ream", "vacuum"),
            judges=("own",),
            dirties=("own", "downstream"),
            through=("own",),
        ),
    ),
)
TUBE = PartProcedure(
    component="exhaust_pressure_tube",
    title="Exhaust pressure tube",
    steps=(
        look(
            "Blow gently through the tube, shield on: does it pass",
            tools=("lamp", "shield"),
            acts=("look", "blow"),
        ),
        StepTemplate(
            key="ream",
            text=(
                "Ream the narrow root with a drill in the fingers, wire through the tube; what"
                " comes loose is caught in a cloth and the vacuum, never blown toward the turbine"
            ),
            minutes=14,
            why="The root shuts first; the sensor is innocent.",
            works=("clean",),
            treats=True,
            tools=("drill in the fingers", "wire", "shield", VACUUM),
            records=(
                after(then="replace"),
                asked(
                    "passes",
                    "It passes freely, and the root shows metal",
                    "again",
                    text="Ream once more.",
                    then="replace",
                ),
            ),
            acts=("wire", "ream", "vacuum"),
            through=("upstream",),
            dirties=("own", "upstream"),
            judges=("own",),
        ),
    ),
)
SECONDARY_VALVE = PartProcedure(
    component="secondary_air_valve",
    title="Secondary air valve",
    steps=(
        look("Look at the valve's plate from the line's side"),
        StepTemplate(
            key="clean",
            text="Scrape the seat, cleaner on a brush, the line kept dry",
            minutes=14,
            why="Condensate and soot glue it.",
            treats=True,
            brings=("removed",),
            tools=("scraper", "soft brush"),
            agent="egr_cleaner",
            agent_ml=30,
            way="on_brush",
            wait=dries(10, VAPOUR, "throttle_cleaner"),
            acts=("brush", "scrape", "dry"),
            dirties=("own",),
        ),
        check(
            "The plate moves and closes",
            asked(
                "moves", "It moves and closes by itself", "again", text="Once more.", then="replace"
            ),
            left=after(then="replace"),
            acts=("look", "move_by_hand"),
        ),
    ),
)
DOSER = PartProcedure(
    component="aftertreatment_doser",
    title="Exhaust fuel doser",
    steps=(
        look("Look at the nozzle: coke, drips"),
        StepTemplate(
            key="soak",
            text="Drip cleaner on the tip, soft brass brush round it, never a wire in the hole",
            minutes=18,
            why="A dribbling tip does not light off.",
            treats=True,
            brings=("removed",),
            tools=("soft brass brush",),
            agent="egr_cleaner",
            agent_ml=40,
            way="drip_soak",
            wait=dries(10, "Vapour near a hot exhaust burns", "throttle_cleaner"),
            acts=("soak", "brush", "dry"),
            dirties=("own",),
        ),
        check("Tip bare, nothing in the hole", left=after(then="replace")),
    ),
)
RECIRCULATION: tuple[PartProcedure, ...] = (
    VALVE,
    PASSAGE,
    PIPE,
    COOLER,
    DP_PORTS,
    TUBE,
    SECONDARY_VALVE,
    DOSER,
)
