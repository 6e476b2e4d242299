"""Step templates per kind of component, and the walk-round that ends every procedure."""

from galene.core.airpath import Opened
from galene.core.procedures import PartProcedure, Record, StepTemplate, Wait

BEFORE = Record("grade_before", "grade", "Deposit found")
AFTER = Record("grade_after", "grade", "Deposit left")

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
            StepTemplate("unplug", "Press the lock and pull the throttle connector", "The motor must not fight the hand.", 1, when=("on_engine",),
                         opens=(Opened("Throttle connector", "connector"),), needs=("battery_off",)),
            StepTemplate("look", "Look at the bore, the plate's edge and both shaft ends; mark the band at the closed plate",
                         "The band sets the idle gap; the shaft ends tell if it sticks.", 2, tools=("lamp", "mirror"), cautions=("fingers",),
                         records=(BEFORE, Record("pale", "yes_no", "Pale, crusty residue", "Coolant in the gas: stop, find the leak first.", "yes"))),
            StepTemplate("rag", "Lay one counted cloth behind the plate", "What is loosened must come out, not go in.", 1, when=("on_engine",),
                         tools=("cloth",), cautions=("objects",), opens=(Opened("Cloth behind the plate", "rag inside", dangerous=True),)),
            StepTemplate("wipe", "Open the plate gently by hand; wipe bore, edge and back with a cloth damp with cleaner",
                         "On the cloth, not sprayed: liquid creeps along the shaft into the motor.", 9, when=("light",), tools=("lint-free cloth",),
                         cautions=("eyes", "fire", "fingers"), agent="throttle_cleaner", agent_ml=30, needs=("battery_off",),
                         wait=Wait("drying", 5, "Vapour in the intake burns at the first start", "throttle_cleaner")),
            StepTemplate("brush", "Open the plate gently by hand; loosen the layer with a soft brush damp with cleaner, wipe, repeat until the cloth stays clean",
                         "A layer needs a tool; a hard brush would scratch the bore.", 17, when=("heavy",), tools=("soft brush", "lint-free cloth"),
                         cautions=("eyes", "fire", "fingers"), agent="throttle_cleaner", agent_ml=70, needs=("battery_off",),
                         wait=Wait("drying", 5, "Vapour in the intake burns at the first start", "throttle_cleaner")),
            StepTemplate("check", "Look again: metal shows all round, the plate closes without a step", "What is left is what idles wrong.", 2,
                         tools=("lamp",), records=(AFTER, Record("free", "yes_no", "The plate moves freely and closes by itself", "It sticks still: clean again, or condemn the shaft."))),
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
        PartProcedure("inspect_only", "Inspection", (
            StepTemplate("look", "Look, grade and note; this part is not cleaned here", "Seen now, it is known at the next visit.", 3, tools=("lamp",), records=(BEFORE,)),
        )),
    )
}  # fmt: skip

CLOSING: tuple[StepTemplate, ...] = (
    StepTemplate("level", "Top up the coolant to the mark and open the bleed screw until no air comes", "A hose was opened.", 4,
                 tools=("funnel",), closes=("Coolant topped up",), place="close"),
    StepTemplate("cover", "Press the engine cover on", "", 1, closes=("Engine cover",), place="close"),
    StepTemplate("walk", "Walk round: touch every connector, hose and clamp once more, count cloths and tools", "One missed plug is the comeback.", 3, place="walk",
                 records=(Record("all", "yes_no", "Everything touched, everything counted", "Find it now, not on the road."),)),
)  # fmt: skip
