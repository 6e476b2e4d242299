"""Step templates per kind of component, and the walk-round that ends every procedure."""

from dataclasses import replace

from galene.core.airpath import Opened
from galene.core.procedures import PartProcedure, Record, StepTemplate, Wait

BEFORE = Record("grade_before", "grade", "Deposit found")
AFTER = Record("grade_after", "grade", "Deposit left")

WHOLE = Record("whole", "yes_no", "Whole: no crack, no broken tab", "Replace it: cleaning mends no crack.")
PALE = Record("pale", "yes_no", "Pale, crusty residue", "Coolant in the gas: stop, find the leak first.", "yes")


def _plain(
    component: str, title: str, look: str, clean: str, why: str, minutes: float, check: str, agent: str = "", agent_ml: float = 0.0,
    wait: Wait | None = None, tools: tuple[str, ...] = (), cautions: tuple[str, ...] = (), records: tuple[Record, ...] = (),
) -> PartProcedure:  # fmt: skip
    """Look, clean, dry where something is wet, look again: the shape of most parts that are off the engine or laid open."""
    return PartProcedure(component, title, (
        StepTemplate("look", look, "What is found decides how far the work goes.", 3, tools=("lamp",), records=(BEFORE, *records)),
        StepTemplate("clean", clean, why, minutes, tools=tools, cautions=cautions, agent=agent, agent_ml=agent_ml, wait=wait),
        StepTemplate("check", check, "What is left is what comes back first.", 2, tools=("lamp",), records=(AFTER,)),
    ))  # fmt: skip


def _dries(minutes: float, why: str, agent: str) -> Wait:
    return Wait("drying", minutes, why, agent)


COMMANDED: tuple[StepTemplate, ...] = (
    StepTemplate("command", "Ignition on, engine off: command the valve open and shut ten times by the scan tool, read its position", "The tool protects the driver, and position must follow command.", 3, when=("by_scan_tool",), place="walk",
                 tools=("scan tool",), cautions=("rotating",), records=(Record("follows", "yes_no", "Position follows, and comes back to zero", "Carbon on the seat, a bent stem or a plug not home: find it now."),)),
    StepTemplate("jumper_on", "Pull the valve's connector and put the fused jumper on, as the drive check says", "A jumper on the wrong side destroys the control unit's driver.", 4, when=("by_jumper",), place="walk", reckon="drive",
                 tools=("fused jumper", "meter"), cautions=("jumper",), opens=(Opened("Valve connector, off for the jumper", "connector"),)),
    StepTemplate("jumper", "Close the jumper for two seconds, ten times: the valve opens whole and falls back", "The jumper opens further than the control unit does, and at once.", 2, when=("by_jumper",), place="walk", reckon="drive",
                 cautions=("jumper",), records=(Record("moves", "yes_no", "It opens whole and falls back each time", "It sticks: work it again, or condemn it."),)),
    StepTemplate("jumper_off", "Take the jumper off, plug the connector in until it clicks", "A lead left on holds the valve open.", 1, when=("by_jumper",), place="walk", closes=("Valve connector, off for the jumper",)),
)  # fmt: skip
"""School N: the valve is commanded once power is back."""
RUN_WARM = Record(
    "fit",
    "yes_no",
    "No misfire or catalyst code stored, oil and coolant at their marks",
    "Not into a failing engine or catalyst: leave the rest of this out and mend that first.",
)


def _ingestion(
    title: str, key: str, agent: str, ml: float, before: tuple[StepTemplate, ...], after: tuple[StepTemplate, ...]
) -> PartProcedure:
    """An agent into the warm, running engine: bursts and pauses for this engine's air, someone at the controls."""
    return PartProcedure(key, title, (
        StepTemplate("warm", "Outside, or with the exhaust led away: run it to working heat, loads off, and read the stored codes", "Cold, the agent stands on the walls; a failing catalyst burns what comes.", 10, place="running",
                     tools=("scan tool", "exhaust extraction"), cautions=("exhaust", "rotating"), records=(RUN_WARM,), needs=("engine_warm_running",)),
        *before,
        StepTemplate("tube", "Engine off. Pull a small vacuum hose behind the throttle and fit the spray tube there, sealed round", "Behind the meter, or its element is ruined by the first burst; behind the plate, or it pools.", 4, place="running",
                     tools=("spray tube",), cautions=("rotating",), opens=(Opened("Vacuum hose, off for the spray tube", "hose"),)),
        StepTemplate("bursts", "A helper at the pedal holds the speed; give the bursts with their pauses, and stop when it knocks or stumbles", "Liquid does not compress: a whole gulp bends a rod.", 8, place="running",
                     reckon="flush" if agent == "soot_flush_waterbased" else "aerosol", cautions=("exhaust", "eyes", "lock", "rotating"), agent=agent, agent_ml=ml, needs=("engine_warm_running", "ventilated")),
        StepTemplate("tube_off", "Let it idle for a minute, then engine off; take the spray tube out, put the hose back on", "A hose left off is unmetered air.", 3, place="running", closes=("Vacuum hose, off for the spray tube",)),
        *after,
    ), in_place=True, once=True)  # fmt: skip


DRIVE_HOT = StepTemplate("road", "Drive twenty minutes, warm, a few firm pulls in a middle gear: smoke at first is normal", "What was loosened leaves by heat and speed.", 20, place="running",
                         cautions=("road",), records=(Record("smooth", "yes_no", "It idles smoothly and no code is pending", "Read the code; a misfire after the flush is a lump on a valve or a wet plug."),), needs=("engine_warm_running",))  # fmt: skip
PROCEDURES: dict[str, PartProcedure] = {
    p.component: p
    for p in (
        PartProcedure("air_filter", "Air filter and box", (
            StepTemplate("look", "Lift the element out, hold a lamp behind the pleats, look at the seat all round",
                         "A split pleat or a bad seat feeds the meter with dust.", 2, tools=("lamp",),
                         records=(BEFORE, Record("light", "yes_no", "Light comes through, pleats whole", "Fit a new element."))),
            StepTemplate("box", "Wipe the box dry and vacuum leaves and grit out",
                         "Blowing drives the grit toward the meter.", 3, tools=("vacuum", "dry cloth"), records=(AFTER,)),
        )),
        PartProcedure("maf_sensor", "Air meter", (
            StepTemplate("look", "Look at the element with a lamp at a slant: dust, fibres, a shine of oil",
                         "What lies on it tells what feeds it.", 2, tools=("lamp",), cautions=("element",),
                         records=(BEFORE, Record("whole", "yes_no", "Element and body are whole", "Replace the meter: cleaning mends no crack."))),
            StepTemplate("spray", "From a hand's breadth, ten short bursts across the element and the probe",
                         "Film dissolves; touching breaks the element.", 3, cautions=("eyes", "fire", "element"),
                         agent="maf_cleaner", agent_ml=40, needs=("ignition_off",),
                         wait=Wait("drying", 15, "Solvent on a powered element burns it", "maf_cleaner")),
            StepTemplate("check", "Look again: dry, bare, no fibre", "Power on a wet element ruins it.", 1, tools=("lamp",), records=(AFTER,)),
        )),
        PartProcedure("intake_tube", "Intake tube", (
            StepTemplate("look", "Flex the boot in the hands: folds, nipple, notch, both mouths",
                         "Air that enters here is counted by nobody.", 3, tools=("lamp",),
                         records=(BEFORE, Record("whole", "yes_no", "No crack, clamps turn freely", "Fit a new tube or clamp: no cleaning closes a crack."))),
            StepTemplate("wash", "Wipe the inside with soap and water, rinse, hang it up",
                         "Rubber swells in solvents; oil left in it reaches the throttle again.", 4, tools=("soft brush", "cloth"), cautions=("eyes",),
                         agent="soap_and_water", agent_ml=200, wait=Wait("drying", 10, "Water must not be drawn over the plate", "soap_and_water")),
            StepTemplate("check", "Dry and clean inside", "Drops are drawn in at the first start.", 1, records=(AFTER,)),
        )),
        PartProcedure("throttle_body", "Throttle body", (
            StepTemplate("wedge", "Fingers out. Ignition on, engine off: a helper presses the pedal right down, or the scan tool's service mode opens the plate. Lay the soft wedge at its edge, ignition off, key out",
                         "This plate is not moved by hand: its own motor opens it.", 4, when=("service_mode",), place="first", tools=("soft wedge", "helper or scan tool"), cautions=("fingers",),
                         opens=(Opened("Soft wedge at the plate", "tool inside", dangerous=True),)),
            StepTemplate("unplug", "Press the lock and pull the throttle connector", "The motor must not fight the hand.", 1, when=("on_engine",),
                         opens=(Opened("Throttle connector", "connector"),), needs=("battery_off",)),
            StepTemplate("look", "Look at the bore, the plate's edge and both shaft ends; mark the band at the closed plate",
                         "The band sets the idle gap; the shaft ends tell if it sticks.", 2, tools=("lamp", "mirror"), cautions=("fingers",),
                         records=(BEFORE, Record("pale", "yes_no", "Pale, crusty residue", "Coolant in the gas: stop, find the leak first.", "yes"))),
            StepTemplate("rag", "Lay one counted cloth behind the plate", "What is loosened must come out, not go in.", 1, when=("on_engine",),
                         tools=("cloth",), cautions=("objects",), opens=(Opened("Cloth behind the plate", "rag inside", dangerous=True),)),
            StepTemplate("open_plate", "Open the plate gently by hand, over its whole travel, and feel for a step", "A gear tooth breaks under a hasty hand; a step is deposit or wear.", 1, when=("gentle",), cautions=("fingers",), needs=("battery_off",)),
            StepTemplate("open_plate", "Open the plate by its lever, over its whole travel, and feel for a step", "A step is deposit or wear.", 1, when=("free",), cautions=("fingers",)),
            StepTemplate("wipe", "With the plate open, wipe bore, edge and back with a cloth damp with cleaner",
                         "On the cloth, not sprayed: liquid creeps along the shaft into the motor.", 8, when=("light", "on_cloth"), tools=("lint-free cloth",),
                         cautions=("eyes", "fire", "fingers"), agent="throttle_cleaner", agent_ml=30, needs=("battery_off",),
                         wait=Wait("drying", 5, "Vapour in the intake burns at the first start", "throttle_cleaner")),
            StepTemplate("brush", "With the plate open, loosen the layer with a soft brush damp with cleaner, wipe, repeat until the cloth stays clean",
                         "A layer needs a tool; a hard brush would scratch the bore.", 16, when=("heavy", "on_cloth"), tools=("soft brush", "lint-free cloth"),
                         cautions=("eyes", "fire", "fingers"), agent="throttle_cleaner", agent_ml=70, needs=("battery_off",),
                         wait=Wait("drying", 5, "Vapour in the intake burns at the first start", "throttle_cleaner")),
            StepTemplate("spray", "With the plate open, spray small amounts on bore and edge, brush what holds, wipe up what pools",
                         "What pools behind the plate goes into one cylinder at the first start.", 10, when=("direct",), reckon="clearance", tools=("soft brush", "lint-free cloth"),
                         cautions=("eyes", "fire", "objects"), agent="throttle_cleaner", agent_ml=60,
                         wait=Wait("drying", 5, "Vapour in the intake burns at the first start", "throttle_cleaner")),
            StepTemplate("check", "Look again: metal shows all round, no streak runs toward the shaft", "What is left is what idles wrong.", 2, when=("service_mode",), tools=("lamp",), records=(AFTER,)),
            StepTemplate("check", "Look again: metal shows all round, the plate closes without a step", "What is left is what idles wrong.", 2, when=("by_hand",),
                         tools=("lamp",), records=(AFTER, Record("free", "yes_no", "The plate moves freely and closes by itself", "It sticks still: clean again, or condemn the shaft."))),
            StepTemplate("wedge_out", "Hold the plate's edge, take the soft wedge out and let the spring close it; look in with the lamp, then look again", "A wedge left in jams the plate open at the first start.", 2,
                         when=("service_mode",), tools=("lamp",), cautions=("fingers", "objects"), closes=("Soft wedge at the plate",), place="close",
                         records=(Record("free", "yes_no", "The plate closes by its spring, without a step", "It sticks still: clean again, or condemn the shaft."),
                                  Record("eyes", "yes_no", "Looked in twice, and it is empty", "Stop: find it before anything is shut."))),
            StepTemplate("rag_out", "Take the cloth from behind the plate. Look in with the lamp, then look again", "A cloth is drawn in at the first start.", 1,
                         when=("on_engine",), tools=("lamp",), cautions=("objects",), closes=("Cloth behind the plate",), place="close",
                         records=(Record("eyes", "yes_no", "Looked in twice, and it is empty", "Stop: find it before anything is shut."),)),
            StepTemplate("plug", "Plug the throttle connector in until it clicks", "", 1, when=("on_engine",), closes=("Throttle connector",), place="close"),
        )),
        PartProcedure("map_sensor", "Manifold pressure sensor", (
            StepTemplate("look", "Look at the snout, the probe and into the port", "It tells how the rest of the manifold looks.", 2, tools=("lamp",),
                         records=(BEFORE, Record("whole", "yes_no", "Snout, tab and body are whole", "Replace the sensor."))),
            StepTemplate("spray", "Short bursts across the snout, not into the hole; wire only in the port, never in the sensor",
                         "The membrane tears where anything is pushed in.", 3, cautions=("eyes", "fire"), agent="contact_cleaner", agent_ml=15,
                         wait=Wait("drying", 10, "A wet membrane reads wrong", "contact_cleaner")),
            StepTemplate("check", "Dry and bare", "", 1, records=(AFTER,)),
        )),
        _plain("idle_air_valve", "Idle air valve", "Look at pintle and seat, push it with a finger: springy, no grit",
               "Wipe pintle and seat with a cloth damp with cleaner, motor side up", "Liquid in the motor ends it.", 8, "Pintle bare, seat bare, motor dry",
               "throttle_cleaner", 20, _dries(5, "Vapour in the intake burns at the first start", "throttle_cleaner"), ("lint-free cloth",), ("eyes", "fire")),
        _plain("boost_sensor", "Boost sensor", "Look at snout, tab and cage, wipe the O-ring's groove with a dry cloth",
               "Short bursts across the snout, never into it; the pick only in the port", "The tab inside breaks when it is picked at.", 4, "Dry and bare, tab whole",
               "contact_cleaner", 15, _dries(10, "A wet membrane reads wrong", "contact_cleaner"), (), ("eyes", "fire"), (WHOLE,)),
        _plain("secondary_air_flow_sensor", "Secondary air meter", "Look through the small meter against a lamp, take out its little filter",
               "Ten short bursts across the element, new little filter or the old one blown through", "A touched element is a dead one.", 4, "Bare, dry, line not cracked",
               "maf_cleaner", 25, _dries(15, "Solvent on a powered element burns it", "maf_cleaner"), (), ("eyes", "fire", "element"), (WHOLE,)),
        PartProcedure("egr_valve", "Recirculation valve", (
            StepTemplate("look", "Push the stem off its seat by hand, look at seat and stem against the lamp", "What is found decides how far the work goes.", 3, tools=("lamp",), records=(BEFORE, PALE)),
            StepTemplate("clean", "Part the electrics or keep them up and dry; scrape the seat, work the stem free with cleaner on a brush", "Hard carbon holds the seat open; spray alone does not move it.", 22,
                         tools=("scraper", "soft brush"), cautions=("eyes", "fire"), agent="egr_cleaner", agent_ml=60, wait=_dries(10, "Vapour in the intake burns at the first start", "throttle_cleaner")),
            StepTemplate("check", "Light does not pass the closed seat, the stem falls back by itself", "What is left is what comes back first.", 2, tools=("lamp",), records=(AFTER,)),
            *COMMANDED,
        )),
        _plain("egr_passage", "Recirculation passage", "Look into both ends with lamp and wire: how far is it open",
               "Turn a wire from both ends, vacuum at the other; then cleaner on a brush, wiped out", "What is loosened comes out, never further in.", 26, "Wire and light pass, nothing rattles",
               "egr_cleaner", 50, None, ("wire", "vacuum with fine filter"), ("eyes", "fire", "objects")),
        _plain("egr_pipe", "Recirculation pipe", "Look through the pipe, tap it: scale that rings loose", "Brush through, wiped wet, vacuumed", "Soot dust is not blown about.", 10,
               "Light passes, no scale left", "", 0, None, ("bottle brush", "vacuum with fine filter"), ("eyes",)),
        PartProcedure("egr_cooler", "Recirculation cooler", (
            StepTemplate("look", "Look at both faces and at the coolant side's stubs", "A pale crust is coolant: then it is not cleaned but replaced.", 4, tools=("lamp",), records=(BEFORE, PALE)),
            StepTemplate("pressure", "Shut the stubs, 2 bar of air under water for two minutes: no bubble", "A cleaned cooler that leaks ruins the engine.", 8, tools=("pressure test kit",),
                         cautions=("eyes",), records=(Record("held", "reading", "Pressure after two minutes", quantity="pressure"), Record("tight", "yes_no", "No bubble", "Replace the cooler."))),
            StepTemplate("send", "Send the cooler out to the heated bath, label on, O-rings off", "Soot in its tubes needs heat and time.", 5, tools=("label",),
                         wait=Wait("at the bath", 1440, "The bath works over night")),
            StepTemplate("check", "Look through every tube against a lamp, press it again, dry it with air", "One shut tube in ten is a fifth of its cooling.", 9, tools=("lamp", "pressure test kit"),
                         records=(AFTER, Record("held_after", "reading", "Pressure after two minutes", quantity="pressure"), Record("tight_after", "yes_no", "No bubble", "Replace the cooler."))),
        )),
        _plain("egr_dp_ports", "Differential pressure ports", "Look into both bores with the lamp: which is shut", "Turn a fitting drill in the fingers, both bores, vacuum at each turn",
               "Both are cleaned: one alone reads worse than none.", 10, "A wire falls through both", "", 0, None, ("4 mm drill", "vacuum with fine filter"), ("eyes", "objects")),
        _plain("egr_dp_sensor", "Differential pressure sensor", "Look at both snouts and the body", "Short bursts across the snouts, none into them", "Nothing is pushed into a membrane.", 4,
               "Dry, bare, body whole", "contact_cleaner", 15, _dries(10, "A wet membrane reads wrong", "contact_cleaner"), (), ("eyes", "fire"), (WHOLE,)),
        _plain("exhaust_pressure_tube", "Exhaust pressure tube", "Blow gently through the tube, shield on: does it pass", "Turn a drill in the fingers in the narrow root, wire through the tube, blow out into a cloth",
               "The root shuts first; the sensor is innocent.", 14, "It passes freely, and the root shows metal", "", 0, None, ("drill in the fingers", "wire", "shield"), ("eyes",)),
        _plain("charge_air_pipe", "Charge air pipe", "Look for pooled oil, feel the seals", "Wipe the oil out, seals with soap and water", "Oil here fouls what lies behind it.", 8, "Dry inside, seals whole",
               "soap_and_water", 150, _dries(10, "Drops are drawn in at the first start", "soap_and_water"), ("cloth",), ("eyes",)),
        PartProcedure("intake_manifold", "Intake manifold", (
            StepTemplate("look", "Look into every runner, measure the mouths with the bore gauge", "What is found decides how far the work goes.", 3, tools=("lamp",), records=(BEFORE,)),
            StepTemplate("strip", "Electronics, sensors and seals off the manifold; bag them together", "No electronics and no sensor go into bath or brush.", 9, tools=("small driver", "bag"),
                         records=(Record("flaps", "yes_no", "Flaps, bushings and plenum are whole, nothing warped", "Worn or warped: new flaps or manifold."),)),
            StepTemplate("clean", "Scrape runner by runner, then brush with cleaner, rinse", "Wall layers of millimetres need tools, no spray moves them.", 66, when=("hand",),
                         tools=("scraper", "brushes", "vacuum with fine filter"), cautions=("eyes", "fire"), agent="egr_cleaner", agent_ml=250,
                         wait=Wait("drying", 30, "Wet until it looks and feels dry", "water")),
            StepTemplate("bath", "Into the heated ultrasonic bath, label's time and temperature, then rinse runner by runner", "Heat and sound reach what no scraper does; too hot warps plastic.", 20,
                         when=("bath_own",), tools=("bath", "thermometer"), cautions=("eyes",), agent="bath_detergent", agent_ml=500, wait=Wait("bath and drying", 90, "The bath's time, then dry to the touch", "water")),
            StepTemplate("send", "Send the manifold out to the bath, label on, stripped bare", "Layers of millimetres need heat and time.", 5, when=("bath_out",), tools=("label",),
                         wait=Wait("at the bath", 1440, "The bath works over night")),
            StepTemplate("check", "Every runner shows its wall, flaps move over their whole travel, dry and empty", "What is left is what comes back first.", 4, tools=("lamp",), records=(AFTER,)),
        )),
        _plain("runner_flaps", "Runner flaps", "Move the flaps by hand over their whole travel, look at lever and bushings", "Scrape edges and seats, a drop of light oil at the bushings", "Stiff flaps break their motor.",
               18, "They fall by their own weight, no play", "", 0, None, ("scraper",), (), (Record("free", "yes_no", "Whole travel, no play", "Worn: new flaps or manifold."),)),
        _plain("runner_actuator", "Runner actuator", "Turn the gear by hand, look for brush dust on magnet and sensor", "Open the cover, soft dry brush and vacuum, no liquid", "Electronics are never bathed.", 15,
               "No dust on magnet and sensor, gear whole", "", 0, None, ("soft brush", "vacuum"), (), (WHOLE,)),
        PartProcedure("intake_ports", "Intake ports", (
            StepTemplate("look", "Look into every port, measure with the bore gauge, mark the worst", "What is found decides how far the work goes.", 3, tools=("lamp", "borescope"), records=(BEFORE,)),
            StepTemplate("clean", "Turn the cylinder's valves shut; soak with cleaner on a brush, scrape with plastic, vacuum; one cylinder after the other", "Never loosened above an open valve.", 95, reckon="clearance",
                         when=("soak",), tools=("plastic scraper", "vacuum with fine filter", "socket for the crank"), cautions=("eyes", "fire", "objects"), agent="egr_cleaner", agent_ml=300),
            StepTemplate("shut", "Turn the crank forward to this position; look with the lamp that the intake valves of its cylinders sit", "Shell that falls past a valve scores the cylinder.", 6, each="position",
                         when=("blast",), tools=("socket for the crank", "lamp"), cautions=("objects",), records=(Record("shut", "yes_no", "Both valves of each cylinder sit", "Turn on to where they do; nothing is blasted above an open valve."),)),
            StepTemplate("blast", "Seal the nozzle to the port, blast in short goes with the vacuum on; the ports of this position's cylinders only", "Hard carbon breaks off dry; no spray moves it.", 70, each="position",
                         when=("blast",), tools=("blast gun", "port adapter", "vacuum with fine filter"), cautions=("eyes", "objects"), agent="blast_walnut", agent_ml=3000,
                         opens=(Opened("Blast media in the ports", "media inside", dangerous=True),)),
            StepTemplate("media_out", "Vacuum every port and the gallery, blow out into the vacuum; look into each with the lamp, then look again", "One grain of shell holds a valve off its seat.", 12,
                         when=("blast",), tools=("vacuum with fine filter", "lamp"), cautions=("objects",), closes=("Blast media in the ports",),
                         records=(Record("eyes", "yes_no", "Looked in twice, and they are empty", "Stop: find it before anything is shut."),)),
            StepTemplate("check", "Metal shows, nothing lies on a valve", "What is left is what comes back first.", 2, when=("opened",), tools=("lamp",), records=(AFTER,)),
        )),
        _plain("crankcase_pressure_hose", "Crankcase pressure hose", "Blow through by mouth with a clean tube, look at the barb's seat", "Wipe hose and fitting, 1.5 mm drill turned in the fingers in the fitting",
               "A narrow bore hides the load from the control unit.", 8, "It passes freely", "", 0, None, ("1.5 mm drill", "cloth"), ()),
        _plain("crankcase_pressure_sensor", "Crankcase pressure sensor", "Look for dust or oil past the O-ring, at snout and barb", "Wipe with a dry cloth, new O-ring with a trace of its own grease",
               "Air past the ring reads as another load.", 5, "Ring seated, barb whole", "", 0, None, ("cloth",), (), (WHOLE,)),
        _plain("secondary_air_valve", "Secondary air valve", "Look at the valve's plate from the line's side", "Scrape the seat, cleaner on a brush, line kept dry", "Condensate and soot glue it.", 14,
               "The plate moves and closes", "egr_cleaner", 30, None, ("scraper",), ("eyes", "fire")),
        _plain("aftertreatment_doser", "Exhaust fuel doser", "Look at the nozzle: coke, drips", "Soak the tip in cleaner, soft brass brush round it, never a wire in the hole", "A dribbling tip does not light off.", 18,
               "Tip bare, nothing in the hole", "egr_cleaner", 40, _dries(10, "Vapour near a hot exhaust burns", "throttle_cleaner"), ("soft brass brush",), ("eyes", "fire")),
        _plain("breather_valve", "Breather valve", "Shake it, blow both ways: it lets one way only", "Wash with soap and water, or fit a new one where it sticks", "Stuck, it passes oil and feeds every deposit behind it.",
               6, "It moves and lets one way only", "soap_and_water", 100, None, (), ()),
        _plain("exhaust_pressure_sensor", "Exhaust pressure sensor", "Look at snout and body: dry, whole, no water in it", "Short bursts across the snout, never into it; the tube is a part of its own",
               "A good sensor on a shut tube is thrown away for nothing.", 4, "Dry, bare, body whole", "contact_cleaner", 15, _dries(10, "A wet membrane reads wrong", "contact_cleaner"), (), ("eyes", "fire"), (WHOLE,)),
        _plain("iat_sensor", "Intake air temperature sensor", "Look at the bead: film, fibres, a cage that is whole", "Short bursts across the bead, the plug up and dry", "A film makes it slow, and the mixture lags behind.", 3,
               "Bead bare and dry", "contact_cleaner", 15, _dries(5, "A wet plug sets a code", "contact_cleaner"), (), ("eyes", "fire"), (WHOLE,)),
        _plain("egr_temperature_sensor", "Recirculation temperature sensor", "Look at the tip: soot as a sleeve, a bend, a worn thread", "Brush the tip dry with a soft brush", "Soot as a sleeve makes it slow; a hard brush breaks it.", 4,
               "Tip bare and straight", "", 0, None, ("soft brush",), (), (WHOLE,)),
        PartProcedure("oxygen_sensor", "Oxygen sensor", (
            StepTemplate("look", "Look at its tip through the bung or at the sensor: soot, pale crust, a glassy coat", "Soot may burn off; coolant, oil ash and silicone do not.", 3, tools=("lamp",),
                         records=(BEFORE, Record("whole", "yes_no", "Whole: no crack, no pale crust, no glassy coat", "Replace it: it is poisoned or broken."))),
            StepTemplate("upkeep", "Dose the labelled additive to the tank's volume; the sensor itself is never sprayed", "What reaches it safely comes with the fuel, over the next tank.", 3, cautions=("eyes", "fire"),
                         agent="fuel_system_additive", agent_ml=250),
        )),
        _ingestion("Upkeep by aerosol", "running_aerosol", "intake_valve_aerosol", 300, (), (
            StepTemplate("soak", "Leave it shut off and hot, bonnet down, so that the agent works on", "Heat loosens what the bursts have wetted.", 1, place="running", wait=Wait("heat soak", 60, "The agent works on in the heat")),
            DRIVE_HOT,
            StepTemplate("oil", "Change oil and filter", "The amine and what it loosened end in the oil and thin it.", 30, place="running", tools=("drain tray", "filter tool"), cautions=("hot_surfaces",)),
        )),
        _ingestion("Upkeep by in-place flush", "running_flush", "soot_flush_waterbased", 400,
                   tuple(replace(t, place="running") for t in COMMANDED),
                   (DRIVE_HOT,)),
        PartProcedure("left_for_now", "Left and rechecked", (
            StepTemplate("leave", "Leave it as it is: light deposit, looked at again at the next visit", "The school is to leave a light deposit; the report says so.", 1, place="walk"),
        ), in_place=True),
        PartProcedure("inspect_only", "Inspection", (
            StepTemplate("look", "Look, grade and note; this part is not cleaned here", "Seen now, it is known at the next visit.", 3, tools=("lamp",), records=(BEFORE,)),
        )),
    )
}  # fmt: skip

CLOSING: tuple[StepTemplate, ...] = (
    StepTemplate("level", "Top up the coolant to the mark and open the bleed screw until no air comes", "A hose was opened.", 4,
                 tools=("funnel",), closes=("Coolant topped up",), place="close"),
    StepTemplate("cover", "Press the engine cover on", "", 1, closes=("Engine cover",), place="close"),
    StepTemplate("leaks", "Listen and feel, or smoke, round every joint that was opened: no air in, no charge out", "Unmetered air after the work is a fault of the work.", 4, place="walk",
                 tools=("lamp",), records=(Record("tight", "yes_no", "Nothing whistles, no smoke", "Find it and seat it anew before the engine is started."),)),
    StepTemplate("walk", "Walk round: touch every connector, hose and clamp once more, count cloths and tools", "One missed plug is the comeback.", 3, place="walk",
                 records=(Record("all", "yes_no", "Everything touched, everything counted", "Find it now, not on the road."),)),
)  # fmt: skip
