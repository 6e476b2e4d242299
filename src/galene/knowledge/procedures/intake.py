"""Procedures of the intake: filter, meters, tube, throttle, pipe, manifold, flaps, ports,
breather."""

from galene.core.airpath.family import OpenedItem
from galene.core.planning.procedure import PartProcedure, StepTemplate, Wait
from galene.knowledge.procedures.words import (
    BEFORE,
    EYES,
    LAMP,
    PALE,
    WHOLE,
    after,
    asked,
    check,
    dries,
    look,
)

VAPOUR = "Vapour in the intake burns at the first start"
COUNTED = "What is loosened must come out, not go in."
FREE = asked(
    "free",
    "It moves freely and closes by itself",
    "again",
    text="It sticks still: clean once more; then a new one goes in.",
    then="replace",
)
AIR_FILTER = PartProcedure(
    component="air_filter",
    title="Air filter and box",
    steps=(
        StepTemplate(
            key="look",
            text=(
                "Lift the element out; lamp behind the pleats, look at the seat; wipe the box dry,"
                " vacuum the grit"
            ),
            minutes=5,
            why="A split pleat or a bad seat feeds the meter; blowing drives grit toward it.",
            works=("clean", "inspect"),
            moves=("takes_off",),
            tools=("lamp", "vacuum", "dry cloth"),
            records=(
                BEFORE,
                asked(
                    "light",
                    "Light comes through, pleats and seat are whole",
                    "replace",
                    text="A new element goes in.",
                ),
            ),
            acts=("lift_off", "look", "wipe", "vacuum"),
        ),
        StepTemplate(
            key="new",
            text=(
                "New element beside the old: size, seal and frame are the same; box wiped and"
                " vacuumed"
            ),
            minutes=3,
            works=("replace",),
            why="A frame that does not seal passes dust.",
            moves=("takes_off",),
            tools=("vacuum", "dry cloth"),
            records=(
                asked(
                    "same",
                    "Size and seal are the same",
                    "stop",
                    text="The wrong element: order the right one.",
                ),
            ),
            acts=("lift_off", "wipe", "vacuum", "compare_new"),
        ),
        StepTemplate(
            key="seat",
            text="Lay the element in its seat, pressed home all round",
            minutes=1,
            works=("clean", "inspect", "replace"),
            why="Air finds the one place where it does not seal.",
            place="close",
            needs=("off",),
            moves=("refits",),
            acts=("fit",),
        ),
    ),
)
METER = PartProcedure(
    component="maf_sensor",
    title="Air meter",
    steps=(
        look(
            "Look at the element with a lamp at a slant: dust, fibres, a shine of oil",
            WHOLE,
            minutes=2,
            why="What lies on it tells what feeds it.",
        ),
        StepTemplate(
            key="spray",
            text=(
                "From a hand's breadth, ten short bursts across element and probe; nothing"
                " touches it"
            ),
            minutes=3,
            why="Film dissolves; touching breaks the element.",
            when=("not_oily",),
            treats=True,
            brings=("removed",),
            agent="maf_cleaner",
            agent_ml=40,
            way="direct_spray",
            wait=dries(15, "Solvent on a powered element burns it", "maf_cleaner"),
            acts=("spray", "dry"),
        ),
        StepTemplate(
            key="spray",
            text=(
                "Ten short bursts across element and probe, let them run off, then ten more: oil"
                " goes only twice sprayed"
            ),
            minutes=5,
            why="The first pass loosens oil, the second takes it away.",
            when=("oily",),
            treats=True,
            brings=("removed",),
            agent="maf_cleaner",
            agent_ml=70,
            way="direct_spray",
            wait=dries(
                30, "Oil holds solvent under the film; powered, it burns the element", "maf_cleaner"
            ),
            acts=("spray", "dry"),
        ),
        check(
            "Look again with the lamp: dry, bare, no fibre, no moisture behind the mesh",
            asked(
                "moisture",
                "No moisture anywhere on it",
                "again",
                text="It is still wet: spray nothing on top, dry and look once more.",
                then="replace",
                repeats=("dry", "look"),
            ),
            minutes=1,
            why="Power on a wet element ruins it.",
            left=after(from_grade=2, then="replace"),
        ),
        StepTemplate(
            key="compare",
            text=(
                "New meter beside the old: number, arrow, plug and seal; it is fitted as it comes,"
                " nothing touches its element"
            ),
            minutes=2,
            works=("replace",),
            why="A new meter is never sprayed.",
            records=(
                asked(
                    "same",
                    "Number, arrow and plug are the same",
                    "stop",
                    text="The wrong meter: order the right one.",
                ),
            ),
            acts=("compare_new",),
        ),
    ),
)
SMALL_METER = PartProcedure(
    component="secondary_air_flow_sensor",
    title="Secondary air meter",
    steps=(
        StepTemplate(
            key="line",
            text="Bend the plastic line to the small meter a little, where it leaves its hose",
            minutes=1,
            why="A line that cracks is not bent again: the meter is sprayed where it is.",
            works=("clean", "inspect"),
            place="whole",
            acts=("feel",),
            records=(
                asked(
                    "line",
                    "The plastic line bends without a crack",
                    "note",
                    text="Leave it on its hose: it is sprayed where it is, the line held still.",
                ),
            ),
        ),
        look(
            "Look through the small meter against a lamp; take out its little filter and look"
            " through that too",
            WHOLE,
            acts=("lift_off", "look"),
        ),
        StepTemplate(
            key="spray",
            text="Ten short bursts across the small element; the little filter tapped out",
            minutes=4,
            why="A touched element is a dead one.",
            treats=True,
            brings=("removed",),
            agent="maf_cleaner",
            agent_ml=25,
            way="direct_spray",
            wait=dries(15, "Solvent on a powered element burns it", "maf_cleaner"),
            acts=("feel", "spray", "dry"),
        ),
        check(
            "Bare and dry, little filter in, line not cracked",
            left=after(from_grade=2, then="replace"),
        ),
        StepTemplate(
            key="pump",
            text=(
                "Ignition on: command the air pump and the secondary valve; hear the pump, feel air"
                " at the line"
            ),
            minutes=3,
            why="A clean meter behind a dead pump reads nothing.",
            works=("clean", "replace"),
            place="walk",
            needs=("ignition_on", "battery_on"),
            tools=("scan tool",),
            records=(
                asked(
                    "runs",
                    "The pump runs and the valve opens",
                    "more",
                    text="The valve joins the scope: look at its plate.",
                    parts=("secondary_air_valve",),
                ),
            ),
            acts=("feel", "command", "listen"),
        ),
    ),
)
TUBE = PartProcedure(
    component="intake_tube",
    title="Intake tube",
    steps=(
        look(
            "Flex the boot in the hands: folds, nipple, notch, both mouths",
            asked(
                "whole",
                "No crack, clamps turn freely",
                "replace",
                text="No cleaning closes a crack: a new tube goes in.",
            ),
            why="Air that enters here is counted by nobody.",
            acts=("look", "feel"),
        ),
        StepTemplate(
            key="wash",
            text="Wipe the inside with soap and water, rinse, hang it up",
            minutes=4,
            why="Rubber swells in solvents; oil left in it reaches the throttle again.",
            treats=True,
            brings=("removed",),
            tools=("soft brush", "cloth"),
            agent="soap_and_water",
            agent_ml=200,
            way="on_cloth",
            wait=dries(10, "Water must not be drawn over the plate", "soap_and_water"),
            acts=("wipe", "wash", "dry"),
        ),
        check("Dry and clean inside", minutes=1, why="Drops are drawn in at the first start."),
    ),
)
SEAL_NEW = StepTemplate(
    key="seal",
    text="Take the old seal out of its groove and wipe the groove",
    minutes=2,
    when=("off_engine", "seal_new"),
    why="A set seal leaks air that nobody counts; solvent would swell it.",
    brings=("seal_removed",),
    tools=("plastic pick", "cloth"),
    records=(
        asked(
            "groove",
            "The groove is clean and whole",
            "note",
            text="Say so in the report: it may leak.",
        ),
    ),
    acts=("wipe", "seal_out"),
)
SEAL_OLD = StepTemplate(
    key="seal",
    text=(
        "Take the seal out, wash it with soap and water, look: soft, round, no nick; else a new one"
    ),
    minutes=4,
    when=("off_engine", "seal_reuse"),
    why="Reuse is for a seal that was judged, not for one that stayed in.",
    brings=("seal_removed",),
    tools=("plastic pick", "cloth"),
    records=(
        asked(
            "seal",
            "The old seal is soft, round and without a nick",
            "note",
            text="A new one goes in; it is put on the card as found.",
        ),
    ),
    acts=("look", "wash", "seal_out"),
)
THROTTLE = PartProcedure(
    component="throttle_body",
    title="Throttle body",
    steps=(
        StepTemplate(
            key="wedge",
            text=(
                "Ignition on, engine off: a helper presses the pedal right down, or the scan tool's"
                " service mode opens the plate. No finger in the bore: set the soft wedge at its"
                " edge by its long handle; ignition off, key out"
            ),
            minutes=4,
            why="This plate is not moved by hand: its own motor opens it.",
            when=("service_mode", "on_engine"),
            place="first",
            tools=("soft wedge on a handle", "helper or scan tool"),
            opens=(OpenedItem(what="Soft wedge at the plate", kind="tool inside", dangerous=True),),
            needs=("battery_on",),
            acts=("put_inside", "key_on", "key_off", "command"),
            through=("own",),
            speaks_of=("electronic",),
        ),
        StepTemplate(
            key="unplug",
            text="Press the lock and pull the throttle connector",
            minutes=1,
            when=("on_engine", "electronic"),
            why="The motor must not fight the hand.",
            opens=(OpenedItem(what="Throttle connector", kind="connector"),),
            needs=("battery_off",),
            acts=("unplug",),
            speaks_of=("electronic",),
        ),
        look(
            "Look at the bore, the plate's edge and both shaft ends; mark the band at the closed"
            " plate",
            PALE,
            minutes=2,
            why="The band narrows the way; the shaft ends tell if it sticks.",
            tools=("lamp", "mirror"),
            acts=("look", "mark"),
            through=("own",),
        ),
        StepTemplate(
            key="rag",
            text="Lay one counted cloth behind the plate",
            minutes=1,
            when=("on_engine",),
            why=COUNTED,
            tools=("cloth",),
            opens=(OpenedItem(what="Cloth behind the plate", kind="rag inside", dangerous=True),),
            acts=("put_inside",),
            through=("own",),
        ),
        SEAL_NEW,
        SEAL_OLD,
        StepTemplate(
            key="open_plate",
            text="Open the plate gently by hand, over its whole travel, and feel for a step",
            minutes=1,
            why="A gear tooth breaks under a hasty hand; a step is deposit or wear.",
            when=("gentle", "electronic"),
            needs=("battery_off",),
            brings=("plate_open",),
            acts=("move_by_hand",),
            speaks_of=("electronic",),
            through=("own",),
        ),
        StepTemplate(
            key="open_plate",
            text="Open the plate by its lever, over its whole travel, and feel for a step",
            minutes=1,
            why="A step is deposit or wear.",
            when=("cable", "moved_by_hand"),
            brings=("plate_open",),
            acts=("move_by_hand",),
            speaks_of=("cable",),
            through=("own",),
        ),
        StepTemplate(
            key="wipe",
            text=(
                "With the plate open, wipe bore, edge and back with a cloth damp with cleaner,"
                " little at a time"
            ),
            minutes=8,
            why="On the cloth, not sprayed: liquid creeps along the shaft.",
            when=("light", "on_cloth"),
            treats=True,
            brings=("plate_open",),
            tools=("lint-free cloth",),
            agent="throttle_cleaner",
            agent_ml=30,
            way="on_cloth",
            wait=dries(5, VAPOUR, "throttle_cleaner"),
            acts=("wipe",),
            dirties=("own", "downstream"),
            through=("own",),
        ),
        StepTemplate(
            key="brush",
            text=(
                "With the plate open, loosen the layer with a soft brush damp with cleaner, wipe,"
                " repeat until the cloth stays clean"
            ),
            minutes=16,
            why="A layer needs a tool; a hard brush would scratch the bore.",
            when=("heavy", "on_cloth"),
            treats=True,
            brings=("plate_open",),
            tools=("soft brush", "lint-free cloth"),
            agent="throttle_cleaner",
            agent_ml=70,
            way="on_cloth",
            wait=dries(5, VAPOUR, "throttle_cleaner"),
            acts=("wipe", "brush"),
            dirties=("own", "downstream"),
            through=("own",),
        ),
        StepTemplate(
            key="spray",
            text=(
                "With the plate open, spray small amounts on bore and edge, brush what holds, wipe"
                " up what pools"
            ),
            minutes=10,
            why=(
                "What pools behind the plate goes into one cylinder at the first start, which may"
                " stumble or log a misfire."
            ),
            when=("direct",),
            treats=True,
            brings=("plate_open",),
            computation="clearance",
            tools=("soft brush", "lint-free cloth"),
            agent="throttle_cleaner",
            agent_ml=60,
            way="direct_spray",
            wait=dries(5, VAPOUR, "throttle_cleaner"),
            acts=("wipe", "spray", "brush"),
            dirties=("own", "downstream"),
            through=("own",),
        ),
        check(
            "Look again: metal shows all round, no streak runs toward the shaft",
            when=("service_mode", "on_engine"),
            why="What is left is what idles wrong.",
            through=("own",),
        ),
        check(
            "Look again: metal shows all round, the plate closes without a step",
            FREE,
            when=("moved_by_hand",),
            why="What is left is what idles wrong.",
            acts=("look", "move_by_hand"),
            through=("own",),
        ),
        StepTemplate(
            key="plug",
            text="Plug the throttle connector in until it clicks",
            minutes=1,
            when=("on_engine", "electronic"),
            place="close",
            closes=("Throttle connector",),
            acts=("plug_in",),
            speaks_of=("electronic",),
        ),
        StepTemplate(
            key="wedge_out",
            text=(
                "Power off still: hold the plate's edge, take the soft wedge out and let the spring"
                " close it; look in with the lamp, then look again"
            ),
            minutes=2,
            why="A wedge left in jams the plate open at the first start.",
            when=("service_mode", "on_engine"),
            place="close",
            tools=LAMP,
            closes=("Soft wedge at the plate",),
            records=(FREE, EYES),
            acts=("take_out", "look_twice"),
            speaks_of=("electronic",),
            through=("own",),
        ),
        StepTemplate(
            key="rag_out",
            text="Take the cloth from behind the plate. Look in with the lamp, then look again",
            minutes=1,
            why="A cloth is drawn in at the first start.",
            when=("on_engine",),
            place="close",
            tools=LAMP,
            closes=("Cloth behind the plate",),
            records=(EYES,),
            acts=("take_out", "look_twice"),
            through=("own",),
        ),
        StepTemplate(
            key="touched",
            text=(
                "Touch one by one: both clamps, the breather, the intake temperature sensor's plug;"
                " pull at each"
            ),
            minutes=1,
            why="After a cable throttle these are what was forgotten.",
            when=("cable", "four_stroke"),
            place="walk",
            records=(
                asked("home", "Each holds", "again", text="Seat it, touch all of them once more."),
            ),
            acts=("prove_by_pull", "touch_all"),
            sees=("plugs",),
            speaks_of=("intake_tube", "breather_valve", "iat_sensor"),
        ),
        StepTemplate(
            key="idle_screw",
            text=(
                "Cable and stop: the cable has play, the plate rests on its stop; set idle by the"
                " bypass screw, never by the sealed stop"
            ),
            minutes=8,
            works=("adjust",),
            when=("cable",),
            why="The stop is the plate's zero; turned, nothing else reads right.",
            tools=("flat driver",),
            records=(
                asked(
                    "play",
                    "The cable has play and the plate rests on its stop",
                    "again",
                    text="Free the cable, then look once more.",
                    then="replace",
                ),
            ),
            acts=("look", "move_by_hand", "adjust"),
            speaks_of=("cable",),
        ),
    ),
)
IDLE_VALVE = PartProcedure(
    component="idle_air_valve",
    title="Idle air valve",
    steps=(
        look(
            "Look at pintle and seat, push it with a finger: springy, no grit",
            WHOLE,
            acts=("look", "feel"),
        ),
        StepTemplate(
            key="clean",
            text="Wipe pintle and seat with a cloth damp with cleaner, motor side up",
            minutes=8,
            why="Liquid in the motor ends it.",
            treats=True,
            brings=("removed", "seal_removed"),
            tools=("lint-free cloth",),
            agent="throttle_cleaner",
            agent_ml=20,
            way="on_cloth",
            wait=dries(5, VAPOUR, "throttle_cleaner"),
            acts=("wipe",),
            dirties=("own",),
        ),
        check("Pintle and seat bare, motor dry, it springs back", FREE),
    ),
)
CHARGE_PIPE = PartProcedure(
    component="charge_air_pipe",
    title="Charge air pipe",
    steps=(
        look(
            "Look for pooled oil, feel the seals and the clip's groove",
            WHOLE,
            acts=("look", "feel"),
        ),
        StepTemplate(
            key="clean",
            text="Wipe the oil out, seals with soap and water",
            minutes=8,
            why="Oil here fouls what lies behind it.",
            treats=True,
            brings=("removed",),
            tools=("cloth",),
            agent="soap_and_water",
            agent_ml=150,
            way="on_cloth",
            wait=dries(10, "Drops are drawn in at the first start", "soap_and_water"),
            acts=("wipe", "wash", "dry"),
            dirties=("own",),
        ),
        check("Dry inside, seals whole"),
    ),
)
MANIFOLD = PartProcedure(
    component="intake_manifold",
    title="Intake manifold",
    steps=(
        look(
            "Look into every runner, measure the mouths with the bore gauge, lay a straight edge on"
            " the flange",
            asked(
                "flat",
                "Plenum and flange are whole, nothing warped",
                "replace",
                text="Warped or cracked: a new manifold goes in.",
            ),
            acts=("look", "measure"),
        ),
        StepTemplate(
            key="strip",
            text=(
                "Seals out of their grooves; look all round it: nothing with a plug is left on it"
            ),
            minutes=6,
            why="No electronics and no sensor go into bath or brush.",
            brings=("electronics_removed", "sensor_removed", "seal_removed"),
            tools=("small driver", "bag"),
            records=(
                asked(
                    "bare",
                    "Nothing with a plug is left on it",
                    "again",
                    text="Take it off by name, then look once more.",
                ),
            ),
            acts=("look", "seal_out"),
        ),
        StepTemplate(
            key="clean",
            text=(
                "Scrape runner by runner, then brush with cleaner, rinse; a stain that does not"
                " wipe off may stay"
            ),
            minutes=66,
            why="Wall layers of millimetres need tools, no spray moves them.",
            when=("hand",),
            treats=True,
            brings=("removed",),
            tools=("scraper", "brushes", "vacuum with fine filter"),
            agent="egr_cleaner",
            agent_ml=250,
            way="on_brush",
            wait=dries(30, "Wet until it looks and feels dry", "water"),
            acts=("wash", "brush", "scrape", "dry"),
            dirties=("own",),
        ),
        StepTemplate(
            key="bath",
            text=(
                "Into the heated ultrasonic bath, label's time and temperature, then rinse runner"
                " by runner"
            ),
            minutes=20,
            why="Heat and sound reach what no scraper does; too hot warps plastic.",
            when=("bath_own",),
            treats=True,
            brings=("removed",),
            tools=("bath", "thermometer"),
            agent="bath_detergent",
            agent_ml=500,
            way="bath",
            wait=dries(90, "The bath's time, then dry to the touch", "water"),
            acts=("wash", "dry"),
        ),
        StepTemplate(
            key="send",
            text="Send the manifold out to the bath, label on, stripped bare",
            minutes=5,
            why="Layers of millimetres need heat and time.",
            when=("bath_out",),
            moves=("sends",),
            tools=("label",),
            wait=Wait(name="at the bath", base_minutes=1440, reason="The bath works over night"),
            acts=("send",),
        ),
        StepTemplate(
            key="receive",
            text=(
                "The manifold is back: it is ours by its label, dry, with nothing left in a runner"
            ),
            minutes=4,
            why="Bath houses mix up parts and leave shot and rags in them.",
            when=("bath_out",),
            moves=("receives",),
            tools=LAMP,
            needs=(),
            records=(
                asked(
                    "ours",
                    "It is ours, dry and empty",
                    "stop",
                    text="Back to the bath house: it is not fitted.",
                ),
            ),
            acts=("look", "receive"),
        ),
        check("Every runner shows its wall, dry and empty; stain may stay"),
    ),
)
FLAPS = PartProcedure(
    component="runner_flaps",
    title="Runner flaps",
    steps=(
        look(
            "Move the flaps by hand over their whole travel, look at lever and bushings",
            asked(
                "worn",
                "No play at the shaft, the lever sits on its ball",
                "replace",
                text="Worn through: new flaps, or the manifold with them.",
            ),
            acts=("look", "move_by_hand"),
        ),
        StepTemplate(
            key="clean",
            text="Scrape edges and seats",
            minutes=16,
            why="Stiff flaps break their motor.",
            treats=True,
            tools=("scraper",),
            acts=("scrape",),
            dirties=("own", "carrier"),
        ),
        check(
            "They fall by their own weight over the whole travel",
            asked(
                "free",
                "Whole travel, no stiffness",
                "again",
                text="Scrape once more; still stiff, new flaps or manifold.",
                then="replace",
            ),
            acts=("look", "move_by_hand"),
        ),
        StepTemplate(
            key="oil",
            text="A drop of light oil at each bushing",
            minutes=2,
            why="Oiled before the bath or the scraper, it is washed off or holds what falls.",
            place="close",
            tools=("light oil",),
            acts=("grease",),
        ),
        StepTemplate(
            key="hook",
            text="Hook the lever back on its ball until it snaps; pull to prove it",
            minutes=4,
            works=("adjust",),
            why="Off its ball the motor over-travels and learns a wrong stop.",
            records=(
                asked(
                    "holds",
                    "It holds against a pull",
                    "replace",
                    text="Ball or lever is worn: a new one.",
                ),
            ),
            acts=("hook", "prove_by_pull"),
            place="whole",
        ),
        StepTemplate(
            key="why",
            text=(
                "Ask why it came off: move the flaps by hand over their whole travel, look at ball"
                " and bushing"
            ),
            minutes=4,
            works=("adjust",),
            why="A lever does not come off by itself.",
            records=(
                asked(
                    "free",
                    "They move freely",
                    "more",
                    text="Stiff flaps threw the lever off: the manifold joins the scope.",
                    parts=("intake_manifold",),
                ),
            ),
            acts=("look", "move_by_hand", "note"),
            place="whole",
        ),
    ),
)
ACTUATOR = PartProcedure(
    component="runner_actuator",
    title="Runner actuator",
    steps=(
        StepTemplate(
            key="lever",
            text="Lever and spring off the actuator, the spring's ends marked",
            minutes=2,
            works=("clean", "inspect"),
            why="A spring hooked wrong pulls the flaps the wrong way.",
            tools=("marker",),
            opens=(OpenedItem(what="Actuator lever and spring", kind="clamp"),),
            needs=("battery_off",),
            acts=("unhook", "mark", "spring"),
            speaks_of=("runner_flaps",),
        ),
        StepTemplate(
            key="cover",
            text="Undo the cover's screws into a dish, lift the cover",
            minutes=3,
            works=("clean", "inspect"),
            why="Nothing is seen of magnet, sensor and gear before it is open.",
            tools=("small driver",),
            opens=(OpenedItem(what="Actuator cover screws", kind="fastener set"),),
            needs=("battery_off",),
            brings=("electronics_removed",),
            acts=("unscrew", "lift_off"),
        ),
        look("Look at magnet, Hall sensor and gear: brush dust, a chipped tooth", WHOLE),
        StepTemplate(
            key="dust",
            text="Soft dry brush and vacuum: dust off magnet and Hall sensor, no liquid",
            minutes=8,
            why="Electronics are never bathed.",
            treats=True,
            tools=("soft brush", "vacuum"),
            acts=("brush", "vacuum"),
            dirties=("own",),
        ),
        check(
            "No dust on magnet and sensor; turn the gear by hand: the motor turns with it, no tooth"
            " skips",
            asked(
                "motor", "The motor turns with the gear", "replace", text="A new actuator goes in."
            ),
            left=after(from_grade=3, then="replace"),
            acts=("look", "move_by_hand"),
        ),
        StepTemplate(
            key="cover_on",
            text="Cover back on, screws in by hand",
            minutes=3,
            works=("clean", "inspect"),
            closes=("Actuator cover screws",),
            tools=("small driver",),
            acts=("torque", "fit"),
        ),
        StepTemplate(
            key="flap_felt",
            text=(
                "With the actuator off, move the flap lever by hand over its whole travel; a drop"
                " of light oil at the pivot"
            ),
            minutes=3,
            works=("clean", "inspect", "replace"),
            why="A stiff flap broke this motor and will break the next.",
            tools=("light oil",),
            records=(
                asked(
                    "flap",
                    "The flaps move freely by hand",
                    "more",
                    text="Stiff: the manifold and its flaps join the scope.",
                    parts=("intake_manifold", "runner_flaps"),
                ),
            ),
            acts=("move_by_hand", "grease"),
            speaks_of=("runner_flaps",),
        ),
        StepTemplate(
            key="lever_on",
            text="Spring in by its marks, lever back on its ball: pull to prove it",
            minutes=2,
            works=("clean", "inspect"),
            place="back",
            closes=("Actuator lever and spring",),
            acts=("hook", "prove_by_pull", "spring"),
            speaks_of=("runner_flaps",),
        ),
        StepTemplate(
            key="hook",
            text=(
                "Hook the lever back on its ball until it snaps; look at ball and spring, ask why"
                " it came off"
            ),
            minutes=4,
            works=("adjust",),
            why="A lever does not come off by itself.",
            records=(
                asked(
                    "holds",
                    "It holds against a pull",
                    "replace",
                    text="Ball or lever is worn: a new actuator.",
                ),
            ),
            acts=("hook", "look", "prove_by_pull"),
            place="whole",
        ),
    ),
)
PORTS = PartProcedure(
    component="intake_ports",
    title="Intake ports",
    steps=(
        look(
            "Port by port: look in, measure with the bore gauge, mark the worst",
            tools=("lamp", "borescope"),
            acts=("look", "measure", "mark"),
            through=("each",),
        ),
        StepTemplate(
            key="shut",
            text=(
                "Turn the crank forward to this position; look with the lamp that the intake valves"
                " of its cylinders sit"
            ),
            minutes=24,
            why="What falls past a valve scores the cylinder.",
            each="position",
            treats=True,
            tools=("socket for the crank", "lamp"),
            brings=("port_shut",),
            records=(
                asked(
                    "shut",
                    "Both valves of each cylinder sit",
                    "again",
                    text="Turn on until they do; nothing is loosened above an open valve.",
                ),
            ),
            acts=("look", "turn_crank"),
        ),
        StepTemplate(
            key="blast",
            text="seal the nozzle to the port, blast in short goes with the vacuum on",
            minutes=64,
            why="Hard carbon breaks off dry; no spray moves it.",
            each="cylinder",
            when=("blast",),
            brings=("port_shut",),
            tools=("blast gun", "port adapter", "vacuum with fine filter"),
            agent="blast_walnut",
            agent_ml=3000,
            way="blast",
            opens=(
                OpenedItem(what="Blast media in the port", kind="media inside", dangerous=True),
            ),
            acts=("blast", "vacuum"),
            through=("each",),
            dirties=("own",),
        ),
        StepTemplate(
            key="clean",
            text="soak with cleaner on a brush, scrape with plastic, vacuum it out",
            minutes=95,
            why="Never loosened above an open valve.",
            each="cylinder",
            when=("soak",),
            computation="clearance",
            brings=("port_shut", "removed"),
            tools=("plastic scraper", "vacuum with fine filter"),
            agent="egr_cleaner",
            agent_ml=300,
            way="on_brush",
            wait=dries(5, "Wet ports are not covered", "throttle_cleaner"),
            acts=("soak", "brush", "scrape", "vacuum"),
            through=("each",),
            dirties=("own",),
        ),
        StepTemplate(
            key="media_out",
            text="vacuum port and gallery, look in with the lamp, then look again",
            minutes=16,
            why="One grain of shell holds a valve off its seat.",
            each="cylinder",
            when=("blast",),
            tools=("vacuum with fine filter", "lamp", "tape"),
            closes=("Blast media in the port",),
            records=(EYES,),
            acts=("look_twice", "vacuum"),
            through=("each",),
        ),
        StepTemplate(
            key="bare",
            text="dry, metal shows, nothing lies on a valve: look in, then look again",
            minutes=8,
            why="What was loosened is out before the port is shut.",
            each="cylinder",
            when=("soak",),
            tools=("lamp", "tape"),
            records=(EYES,),
            acts=("look_twice",),
            through=("each",),
        ),
        check(
            "Port by port: metal shows, nothing lies on a valve; look in, then look again",
            EYES,
            acts=("look", "look_twice"),
            through=("each",),
        ),
    ),
)
BREATHER = PartProcedure(
    component="breather_valve",
    title="Breather valve",
    steps=(
        look(
            "Shake it, blow both ways by a clean tube: it lets one way only",
            asked("one_way", "It lets one way only", "replace", text="Stuck: a new one goes in."),
            acts=("look", "feel"),
        ),
        StepTemplate(
            key="clean",
            text="Wash with soap and water, shake it out",
            minutes=6,
            why="Stuck, it passes oil and feeds every deposit behind it.",
            treats=True,
            brings=("removed",),
            agent="soap_and_water",
            agent_ml=100,
            way="bath",
            wait=dries(10, "Water in it freezes or goes to the oil", "soap_and_water"),
            acts=("wash", "dry"),
            dirties=("own",),
        ),
        check(
            "Dry, it moves and lets one way only",
            acts=("look", "feel"),
        ),
    ),
)
INTAKE: tuple[PartProcedure, ...] = (
    AIR_FILTER,
    METER,
    SMALL_METER,
    TUBE,
    THROTTLE,
    IDLE_VALVE,
    CHARGE_PIPE,
    MANIFOLD,
    FLAPS,
    ACTUATOR,
    PORTS,
    BREATHER,
)
