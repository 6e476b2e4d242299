"""Family F: a 0.25 litre fuel-injected two-stroke single, read by its crankcase pressure. Invented, with plausible figures."""

from galene.core.airpath import Band, EngineFamily, Fastener, Opened, Operation, Part, SparePart, Tap
from galene.knowledge.families.shorthand import bolts, chain, hose, plug, screw, tape

FAMILY_F = EngineFamily(
    id="F",
    name="Sandsprett 25",
    fuel="petrol",
    injection="port",
    cycle="two_stroke",
    throttle="cable",
    displacement_l=0.25,
    cylinders=1,
    compression_ratio=7.4,
    parts=(
        Part("air_filter", "air_filter", "Air filter", where="Oiled foam under the seat, one wing nut.", part_number="SS-2510", quirk="Oiled foam: squeezed out, not dripping."),
        Part("intake_tube", "intake_tube", "Intake boot", where="From the air box to the throttle, two clamps."),
        Part("throttle_body", "throttle_body", "Throttle body", ("cable",), where="Left of the cylinder, cable on top.", bore_mm=36.0, part_number="SS-2550"),
        Part("iat_sensor", "iat_sensor", "Intake temperature", ("plastic",), where="In the air box wall."),
        Part("crankcase", "crankcase", "Crankcase and reed block", ("aluminium",), where="Below the cylinder, reeds behind the throttle."),
        Part("crankcase_pressure_hose", "crankcase_pressure_hose", "Crankcase hose", where="A hand long, from the brass fitting on the case to the sensor.", bore_mm=3.2,
             part_number="SS-2532", quirk="Its fitting has a 1.5 mm hole: clear it with a drill in the fingers, never with a machine."),
        Part("crankcase_pressure_sensor", "crankcase_pressure_sensor", "Crankcase pressure", ("membrane",), where="Under the tank on its bracket, one screw.", part_number="SS-2530",
             quirk="Fragile snout; the barb is part of it."),
        Part("barometric_sensor", "barometric_sensor", "Ambient pressure", ("membrane",), where="On the control unit, behind the number plate.", part_number="SS-2531"),
        Part("exhaust_pipe", "exhaust_pipe", "Expansion chamber", where="Round the front of the engine, two springs.", bore_mm=40.0),
    ),
    pipes=(
        *chain("main", "air_filter", "intake_tube", "throttle_body", "crankcase"),
        *chain("exhaust", "crankcase", "exhaust_pipe"),
        *chain("signal", "crankcase", "crankcase_pressure_hose"),
    ),
    taps=(Tap("iat_sensor", "air_filter"), Tap("crankcase_pressure_sensor", "crankcase_pressure_hose"), Tap("barometric_sensor", None)),
    fasteners=(
        Fastener("air_filter", "wing nut", 1, "fingers", None), Fastener("intake_tube", "hose clamp", 2, "flat driver", 2.0, True),
        Fastener("throttle_body", "clamp", 1, "5 mm hex", 3.0, True), screw("crankcase_pressure_sensor", 1.5, 1, "5 mm hex"),
        Fastener("crankcase_pressure_hose", "hose clip", 2, "pliers", None),
    ),
    operations=(
        Operation("seat_off", "Unlatch and lift off the seat", "Latch the seat, pull to prove it", "air_filter", 1, 1, opens=(Opened("Seat", "cover", before="road test"),)),
        Operation("filter_out", "Undo the wing nut, draw the foam out, tape the boot's mouth", "Seat the foam all round, wing nut tight", "air_filter", 2, 3, after=("seat_off",),
                  reaches=("air_filter", "iat_sensor"), opens=(Opened("Filter wing nut", "fastener set"), tape("the boot's mouth"))),
        Operation("boot_off", "Loosen both clamps, pull the boot", "Refit the boot, both clamps tight", "intake_tube", 3, 4, after=("filter_out",), reaches=("intake_tube", "throttle_body"),
                  tools=("flat driver",), opens=(Opened("Boot clamps", "clamp", 2),)),
        Operation("tank_up", "Fuel off, lift the tank's rear onto its prop", "Lower the tank, bolt in, fuel on", "crankcase_pressure_sensor", 5, 5, after=("seat_off",),
                  needs=("ignition_off", "engine_cold"), wait_minutes=20, cautions=("fire",), tools=("10 mm socket",), opens=(bolts("Tank", 1, "bolt"),)),
        Operation("hose_off", "Ease both clips, pull the crankcase hose off barb and fitting", "Press the hose home on both, clips on", "crankcase_pressure_hose", 3, 3,
                  after=("tank_up",), reaches=("crankcase_pressure_hose",), tools=("pliers",), consumes=("hose_clips",), opens=(hose("Crankcase hose"), tape("the case fitting"))),
        Operation("sensor_out", "Unplug the crankcase sensor, one screw, draw it straight", "Refit the sensor on a new O-ring, screw by hand, plug on", "crankcase_pressure_sensor", 2, 3,
                  after=("hose_off",), reaches=("crankcase_pressure_sensor",), needs=("ignition_off",), tools=("5 mm hex",), consumes=("sensor_ring",),
                  opens=(plug("Crankcase sensor"), bolts("Crankcase sensor", 1, "screw"))),
        Operation("exhaust_off", "Unhook two springs, take off the expansion chamber", "Refit the chamber, springs hooked", "exhaust_pipe", 5, 6, reaches=("exhaust_pipe", "crankcase"),
                  needs=("engine_cold",), wait_minutes=20, tools=("spring hook",), opens=(bolts("Exhaust", 2, "springs"),)),
    ),
    bands={"idle_rpm": Band(1350, 1550, "family entry: warm, lever free")},
    spares=(
        SparePart("sensor_ring", "Crankcase sensor O-ring", "SS-2533", 1.10), SparePart("hose_clips", "Hose clips", "SS-2534", 0.80),
        SparePart("crankcase_pressure_hose", "Crankcase hose", "SS-2532", 6.50), SparePart("crankcase_pressure_sensor", "Crankcase pressure sensor", "SS-2530", 84.00),
        SparePart("air_filter", "Foam element", "SS-2510", 14.00),
    ),
    volumetric_efficiency_idle=0.5,
    notes=("Salt and sand: look at every seal before it is shut.",),
)  # fmt: skip
