"""Procedures of sensors on stalks: pressure, temperature, crankcase, differential, exhaust,
oxygen."""

from galene.core.planning.procedure import PartProcedure, StepTemplate
from galene.knowledge.procedures.words import WHOLE, after, asked, check, dries, look

MEMBRANE = "Nothing is pushed into a membrane: it tears."
SNUG = asked(
    "ring",
    "The O-ring sits in its groove and turns with the sensor",
    "again",
    text="Seat it anew, then look.",
    repeats=("seal_new", "look"),
)


def pressure_sensor(
    component: str,
    title: str,
    *,
    look_text: str,
    before: tuple[StepTemplate, ...] = (),
    in_the_hand: bool = False,
) -> PartProcedure:
    """A membrane with a snout: out, sprayed across, port swabbed, ring seated, in snug.

    Parameters
    ----------
    in_the_hand : whether its body is as cool as the hand once it was looked at there: plastic, of
        the intake
    """
    return PartProcedure(
        component=component,
        title=title,
        steps=(
            *before,
            look(look_text, WHOLE, brings=("hand_warm",) if in_the_hand else ()),
            StepTemplate(
                key="spray",
                text="Seal off; short bursts across the snout, never into it",
                minutes=4,
                why=MEMBRANE,
                treats=True,
                brings=("removed", "seal_removed"),
                agent="contact_cleaner",
                agent_ml=15,
                way="direct_spray",
                wait=dries(10, "A wet membrane reads wrong", "contact_cleaner"),
                acts=("spray", "dry", "seal_out"),
            ),
            StepTemplate(
                key="port",
                text="Swab the port with a dry stick, then look into it with the lamp",
                minutes=2,
                why="A clean sensor on a shut port reads nothing.",
                works=("clean", "replace"),
                tools=("cotton swab", "lamp"),
                records=(
                    asked(
                        "open",
                        "The port is open and bare",
                        "again",
                        text="Clear it by hand, nothing blown inward; swab once more.",
                    ),
                ),
                acts=("look", "swab"),
                through=("port",),
                judges=("port",),
            ),
            check(
                "Dry and bare, tab whole; O-ring in its groove",
                SNUG,
                left=after(then="replace"),
                acts=("look", "seal_new"),
                seals=True,
            ),
        ),
    )


MAP = pressure_sensor(
    "map_sensor",
    "Manifold pressure sensor",
    look_text="Look at the snout, the tab, the probe: it tells how the rest of the manifold looks",
    in_the_hand=True,
)
BOOST = pressure_sensor(
    "boost_sensor",
    "Boost sensor",
    look_text=(
        "Look at snout, tab and cage; wipe the O-ring's groove with a dry cloth; nothing is"
        " picked at"
    ),
    in_the_hand=True,
    before=(
        StepTemplate(
            key="level",
            text=(
                "Read the coolant's level cold; ask for a recall of cooler or sensor by the"
                " vehicle's number"
            ),
            minutes=3,
            works=("clean", "replace", "inspect"),
            why=(
                "Coolant in the charge air soaks this sensor from within, and a recall would pay"
                " for it."
            ),
            records=(
                asked(
                    "level",
                    "The coolant stands at its cold mark",
                    "stop",
                    text=(
                        "Coolant is lost: find where, the cooler first, before this sensor is"
                        " blamed and before the engine runs again."
                    ),
                ),
            ),
            acts=("ask_recall", "read_level"),
            place="whole",
        ),
    ),
)
EXHAUST = pressure_sensor(
    "exhaust_pressure_sensor",
    "Exhaust pressure sensor",
    look_text="Look at snout and body: dry, whole, no water in it; the tube is a part of its own",
)
BAROMETRIC = pressure_sensor(
    "barometric_sensor",
    "Ambient pressure sensor",
    look_text="Look at the vent: open, dry, no salt on it",
)
DIFFERENTIAL = pressure_sensor(
    "egr_dp_sensor",
    "Differential pressure sensor",
    look_text="Look at both snouts and the body: it cracks where it was overtightened",
)
CRANKCASE = PartProcedure(
    component="crankcase_pressure_sensor",
    title="Crankcase pressure sensor",
    steps=(
        look(
            "Look for dust or oil past the O-ring; at the seal's seat, the snout and the barb",
            WHOLE,
            asked(
                "seat",
                "The seal's seat is smooth and clean",
                "note",
                text="It may leak there: say so in the report.",
            ),
        ),
        *(
            StepTemplate(
                key="wipe",
                text=(
                    f"Wipe seat and snout with a dry cloth; {ring} with a trace of silicone grease"
                    " on the ring, none in the opening"
                ),
                minutes=5,
                works=("clean", "replace"),
                when=(seals,),
                why="Air past the ring reads as another load; grease in the opening shuts it.",
                treats=True,
                tools=("dry cloth",),
                agent="silicone_grease",
                agent_ml=0.5,
                way="on_cloth",
                acts=("wipe", "seal_new", "grease"),
                seals=True,
            )
            for seals, ring in (
                ("seal_new", "new O-ring"),
                ("seal_reuse", "the O-ring, whole and soft,"),
            )
        ),
        check("Ring seated, opening bare, barb whole", left=after(then="replace")),
        StepTemplate(
            key="ride",
            text="Ride it hard: full load from low speed, three times; it pulls without bogging",
            minutes=10,
            works=("clean", "replace"),
            place="drive",
            why="A leak past the ring shows only under load.",
            needs=("engine_running",),
            records=(
                asked(
                    "pulls",
                    "It pulls without bogging",
                    "note",
                    text="It bogs still: hose, fitting and seal are looked at anew.",
                ),
            ),
            acts=("ride",),
        ),
    ),
)
IAT = PartProcedure(
    component="iat_sensor",
    title="Intake air temperature sensor",
    steps=(
        look("Look at the bead: film, fibres, a cage that is whole", WHOLE, brings=("hand_warm",)),
        StepTemplate(
            key="spray",
            text="Short bursts across the bead, the plug up and dry",
            minutes=3,
            why="A film makes it slow, and the mixture lags behind.",
            treats=True,
            brings=("removed",),
            agent="contact_cleaner",
            agent_ml=15,
            way="direct_spray",
            wait=dries(5, "A wet plug sets a code", "contact_cleaner"),
            acts=("spray", "dry"),
        ),
        check("Bead bare and dry", left=after(then="replace")),
    ),
)
GAS_TEMPERATURE = PartProcedure(
    component="egr_temperature_sensor",
    title="Recirculation temperature sensor",
    steps=(
        StepTemplate(
            key="look",
            text=(
                "Look at the tip: soot as a sleeve, a bend, a worn thread; brush it dry with a soft"
                " brush till it is bare"
            ),
            minutes=6,
            why="Soot as a sleeve makes it slow; a hard brush breaks it.",
            works=("clean",),
            treats=True,
            tools=("lamp", "soft brush"),
            records=(WHOLE, after(then="replace")),
            acts=("look", "brush"),
        ),
        look("Look at the tip: soot as a sleeve, a bend, a worn thread", WHOLE, works=("inspect",)),
    ),
)
CRANKCASE_HOSE = PartProcedure(
    component="crankcase_pressure_hose",
    title="Crankcase pressure hose",
    steps=(
        look(
            "Blow through by a clean tube; look at the barb's seat, flex the hose along its length",
            asked(
                "whole",
                "No crack, no soft place, the ends grip",
                "replace",
                text="A new hose goes in.",
            ),
            acts=("look", "feel"),
        ),
        StepTemplate(
            key="clear",
            text=(
                "Wipe the hose; turn a 1.5 mm drill in the fingers through the engine's fitting,"
                " what comes is wiped out"
            ),
            minutes=8,
            works=("clean", "replace"),
            why="A narrow bore hides the load from the control unit.",
            treats=True,
            tools=("1.5 mm drill", "cloth"),
            records=(
                asked(
                    "open",
                    "The fitting is open by its whole bore",
                    "again",
                    text="Turn once more.",
                    then="replace",
                ),
            ),
            acts=("wipe", "ream"),
            through=("upstream",),
            dirties=("own",),
        ),
        StepTemplate(
            key="fitting",
            text=(
                "The engine's fitting sits tight; a drop of thread lock where it was turned, none"
                " in its bore"
            ),
            minutes=3,
            works=("clean", "replace"),
            why="A fitting that works loose leaks like a torn hose.",
            agent="threadlocker_medium",
            agent_ml=0.2,
            way="drip_soak",
            acts=("feel", "lock_thread"),
        ),
        check(
            "It passes freely, the ends grip",
            left=after(then="replace"),
            acts=("look", "feel"),
        ),
        StepTemplate(
            key="oil_hose",
            text="Look at the oil hose beside it: full of oil, free of air",
            minutes=2,
            works=("clean", "replace"),
            place="close",
            why="Air in the oil line is a dry crank.",
            tools=("lamp",),
            records=(
                asked(
                    "bled",
                    "The oil hose holds no air",
                    "again",
                    text="Bleed it at its screw, then look once more: dry, the engine seizes.",
                ),
            ),
            acts=("look",),
        ),
        StepTemplate(
            key="ride",
            text=(
                "Ride it hard: full load from low speed, three times; look at the hose again in"
                " 40 h"
            ),
            minutes=10,
            works=("clean", "replace"),
            place="drive",
            why="A hose that is nearly shut shows only under load, and this one shuts again.",
            needs=("engine_running",),
            records=(
                asked(
                    "pulls",
                    "It pulls without bogging",
                    "note",
                    text="It bogs still: sensor, fitting and seal are looked at anew.",
                ),
            ),
            acts=("ride",),
        ),
    ),
)
OXYGEN = PartProcedure(
    component="oxygen_sensor",
    title="Oxygen sensor",
    steps=(
        look(
            "Cold: look at its tip in the hand: soot, pale crust, a glassy coat; it is never"
            " sprayed",
            asked(
                "poisoned",
                "No crack, no pale crust, no glassy coat",
                "replace",
                text="Poisoned or broken: a new one goes in.",
            ),
            why="Soot burns off; coolant, oil ash and silicone do not.",
            works=("inspect",),
        ),
        StepTemplate(
            key="compare",
            text=(
                "New sensor beside the old: number, thread, plug and length of the lead; its tip"
                " stays capped till it goes in"
            ),
            minutes=2,
            works=("replace",),
            why="A lead pulled tight breaks; a touched tip is spoilt.",
            records=(
                asked(
                    "same",
                    "Number, thread and plug are the same",
                    "stop",
                    text="The wrong sensor: order the right one.",
                ),
            ),
            acts=("compare_new",),
        ),
        StepTemplate(
            key="responds",
            text="Warm, at a fast idle: a short push on the pedal, watch the sensor's answer",
            minutes=4,
            works=("replace",),
            place="drive",
            why="The same test says whether the new one answers.",
            needs=("engine_running",),
            tools=("scan tool",),
            records=(
                asked(
                    "answers",
                    "It answers within its time",
                    "note",
                    text="It is slow still: leak or wiring, not the sensor.",
                ),
            ),
            acts=("read", "hold_speed"),
        ),
    ),
)
SENSORS: tuple[PartProcedure, ...] = (
    MAP,
    BOOST,
    EXHAUST,
    BAROMETRIC,
    DIFFERENTIAL,
    CRANKCASE,
    IAT,
    GAS_TEMPERATURE,
    CRANKCASE_HOSE,
    OXYGEN,
)
