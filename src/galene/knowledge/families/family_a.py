"""Family A: a 1.6 litre four-cylinder petrol engine with port injection. Invented, with plausible
figures."""

from galene.core.airpath.family import (
    Band,
    EngineFamily,
    Fastener,
    OpenedItem,
    Operation,
    Part,
    Pipe,
    SparePart,
    Tap,
)
from galene.knowledge.families.shorthand import bus, held

FAMILY_A = EngineFamily(
    id="A",
    name="Skerry 16P",
    fuel="petrol",
    injection="port",
    cycle="four_stroke",
    throttle="electronic",
    displacement_l=1.6,
    cylinders=4,
    compression_ratio=10.2,
    parts=(
        Part(
            id="air_filter",
            component="air_filter",
            label="Air filter",
            where="Black box behind the left headlamp, four clips on the lid.",
            part_number="SK-1610",
        ),
        Part(
            id="maf_sensor",
            component="maf_sensor",
            label="Air meter",
            features=("hot_element", "plastic"),
            where=(
                "In the neck of the air box, plug toward the wing. The temperature probe sits in"
                " the same body."
            ),
            quirk="Unplugged, the engine runs on its model and sets a code.",
            part_number="SK-2204",
            may_be_unplugged=True,
        ),
        Part(
            id="iat_sensor",
            component="iat_sensor",
            label="Intake temperature",
            features=("plastic",),
            where="Glass bead in the air meter's body.",
        ),
        Part(
            id="intake_tube",
            component="intake_tube",
            label="Intake tube",
            where="Ribbed boot from the meter to the throttle; breather nipple on its underside.",
            quirk=(
                "The notch at the throttle end must sit on its lug, or the boot pulls off under"
                " vacuum."
            ),
            part_number="SK-1633",
        ),
        Part(
            id="breather_valve",
            component="breather_valve",
            label="Breather valve",
            where="On the cam cover, right-hand end, hose to the boot.",
        ),
        Part(
            id="throttle_body",
            component="throttle_body",
            label="Throttle body",
            features=("electronic",),
            where=(
                "On the manifold's left end, motor cover toward the bulkhead. Two coolant hoses"
                " below."
            ),
            quirk="Never pushed by hand with the ignition on: the motor fights back.",
            part_number="SK-1650",
            bore_mm=52.0,
        ),
        Part(
            id="intake_manifold",
            component="intake_manifold",
            label="Intake manifold",
            features=("plastic",),
            where="Plastic, front of the head, eight nuts.",
        ),
        Part(
            id="map_sensor",
            component="map_sensor",
            label="Manifold pressure",
            features=("membrane",),
            where="On top of the plenum, one small screw.",
            part_number="SK-2230",
        ),
        Part(
            id="barometric_sensor",
            component="barometric_sensor",
            label="Ambient pressure",
            features=("membrane",),
            where="Inside the control unit, left wing.",
        ),
        Part(
            id="intake_ports",
            component="intake_ports",
            label="Intake ports",
            where="Under the manifold; washed by fuel.",
        ),
        Part(
            id="catalyst",
            component="oxidation_catalyst",
            label="Catalyst",
            where="Close to the head, under its shield.",
        ),
        Part(
            id="oxygen_sensor_upstream",
            component="oxygen_sensor",
            label="Oxygen, upstream",
            features=("upstream",),
            where="In the exhaust manifold, from above.",
        ),
        Part(
            id="oxygen_sensor_downstream",
            component="oxygen_sensor",
            label="Oxygen, downstream",
            features=("downstream",),
            where="Behind the catalyst, from below.",
        ),
    ),
    pipes=(
        Pipe("air_filter", "intake_tube"),
        Pipe("intake_tube", "throttle_body"),
        Pipe("throttle_body", "intake_manifold"),
        Pipe("intake_manifold", "intake_ports"),
        Pipe("intake_ports", "breather_valve", "breather"),
        Pipe("breather_valve", "intake_tube", "breather"),
        Pipe("intake_ports", "catalyst", "exhaust"),
    ),
    taps=(
        Tap("maf_sensor", "air_filter"),
        Tap("iat_sensor", "air_filter"),
        Tap("map_sensor", "intake_manifold"),
        Tap("barometric_sensor", None),
        Tap("oxygen_sensor_upstream", "intake_ports"),
        Tap("oxygen_sensor_downstream", "catalyst"),
    ),
    fasteners=(
        Fastener(part="air_filter", what="lid clip", count=4, driver="fingers", torque_nm=None),
        Fastener(
            part="maf_sensor",
            what="screw",
            count=2,
            driver="T20 driver",
            torque_nm=1.5,
            hand_tool_only=True,
        ),
        Fastener(
            part="intake_tube",
            what="hose clamp",
            count=2,
            driver="7 mm nut driver",
            torque_nm=3.0,
            hand_tool_only=True,
        ),
        Fastener(part="throttle_body", what="bolt", count=4, driver="10 mm socket", torque_nm=9.0),
        Fastener(
            part="map_sensor",
            what="screw",
            count=1,
            driver="T20 driver",
            torque_nm=2.0,
            hand_tool_only=True,
        ),
        Fastener(
            part="intake_manifold", what="nut", count=8, driver="12 mm socket", torque_nm=18.0
        ),
        Fastener(
            part="oxygen_sensor_upstream",
            what="sensor thread",
            count=1,
            driver="22 mm slotted socket",
            torque_nm=44.0,
        ),
        Fastener(
            part="oxygen_sensor_downstream",
            what="sensor thread",
            count=1,
            driver="22 mm slotted socket",
            torque_nm=44.0,
        ),
    ),
    operations=(
        Operation(
            id="engine_cover",
            text="Lift off the engine cover",
            text_back="Press the engine cover onto its four pins",
            part="intake_manifold",
            minutes_off=1,
            minutes_on=1,
            opens=(OpenedItem(what="Engine cover", kind="cover", before="handover"),),
            own=(
                held(
                    "intake_manifold",
                    "rubber pin",
                    4,
                    driver="fingers",
                    torque_nm=None,
                    place="one at each corner",
                ),
            ),
            sight_of=(
                "intake_tube",
                "throttle_body",
                "map_sensor",
                "intake_manifold",
                "breather_valve",
            ),
        ),
        Operation(
            id="air_box_open",
            text="Open the four clips and lift the air box lid",
            text_back="Seat the lid and close the four clips",
            part="air_filter",
            minutes_off=2,
            minutes_on=2,
            reaches=("air_filter",),
            undoes=("air_filter",),
            opens=(OpenedItem(what="Air box lid clips", kind="fastener set", count=4),),
            tools=("lamp",),
        ),
        Operation(
            id="meter_out",
            text=(
                "Unplug the air meter; thin driver: its two screws into a dish; lift it"
                " straight out"
            ),
            text_back=(
                "Refit the air meter straight: two screws finger-started, snug and at most a"
                " quarter turn, plug clicked home"
            ),
            part="maf_sensor",
            minutes_off=3,
            minutes_on=3,
            reaches=("maf_sensor", "iat_sensor"),
            needs=("ignition_off",),
            tools=("T20 driver",),
            opens=(
                OpenedItem(what="Air meter connector", kind="connector", of="maf_sensor"),
                OpenedItem(what="Air meter screws", kind="fastener set", count=2),
            ),
            acts=("draw_straight",),
        ),
        Operation(
            id="intake_tube_off",
            text="Loosen both clamps, pull the breather hose and take off the intake tube",
            text_back=(
                "Refit the intake tube: notch on its lug, breather hose on, both clamps tight"
            ),
            part="intake_tube",
            minutes_off=4,
            minutes_on=5,
            after=("engine_cover",),
            reaches=("intake_tube", "breather_valve", "throttle_body"),
            needs=("ignition_off",),
            tools=("7 mm nut driver",),
            opens=(
                OpenedItem(what="Intake tube clamps", kind="clamp", count=2),
                OpenedItem(what="Breather hose", kind="hose"),
            ),
        ),
        Operation(
            id="throttle_aside",
            text=(
                "Unplug the throttle, undo four bolts and lay it aside on its coolant hoses, bore"
                " upward"
            ),
            text_back=(
                "Refit the throttle on a new seal, hoses unkinked, four bolts crosswise, plug on"
            ),
            part="throttle_body",
            minutes_off=9,
            minutes_on=10,
            after=("intake_tube_off",),
            removes="throttle_body",
            reaches=("throttle_body",),
            needs=("ignition_off", "battery_off"),
            hangs=True,
            tools=("10 mm socket",),
            consumes=("throttle_seal",),
            opens=(
                OpenedItem(what="Throttle connector", kind="connector", of="throttle_body"),
                OpenedItem(what="Throttle bolts", kind="fastener set", count=4),
            ),
        ),
        Operation(
            id="throttle_off",
            text="Clamp both coolant hoses, unplug the throttle, undo four bolts and lift it off",
            text_back=(
                "Refit the throttle on a new seal, four bolts crosswise, coolant hoses and plug on"
            ),
            part="throttle_body",
            minutes_off=14,
            minutes_on=16,
            after=("intake_tube_off",),
            reaches=("throttle_body",),
            removes="throttle_body",
            needs=("ignition_off", "battery_off", "engine_cold"),
            tools=("10 mm socket", "hose clamps", "drain tray"),
            consumes=("throttle_seal",),
            wait_minutes=40,
            opens=(
                OpenedItem(what="Throttle connector", kind="connector", of="throttle_body"),
                OpenedItem(what="Throttle bolts", kind="fastener set", count=4),
                OpenedItem(what="Throttle coolant hoses", kind="hose", count=2, carries="coolant"),
                OpenedItem(what="Coolant topped up", kind="coolant low"),
            ),
        ),
        Operation(
            id="map_sensor_out",
            text=(
                "Harness aside, unplug the manifold pressure sensor, one screw, work it side to"
                " side and straight out"
            ),
            text_back="Refit the sensor on a new O-ring, screw, plug",
            part="map_sensor",
            minutes_off=2,
            minutes_on=3,
            after=("engine_cover",),
            reaches=("map_sensor",),
            needs=("ignition_off",),
            tools=("T20 driver",),
            consumes=("map_o_ring",),
            opens=(
                OpenedItem(what="Manifold pressure connector", kind="connector", of="map_sensor"),
                OpenedItem(what="Manifold pressure screw", kind="fastener set"),
            ),
            acts=("draw_straight",),
        ),
        Operation(
            id="manifold_off",
            text="Undo eight nuts and lift off the manifold",
            text_back="Refit the manifold on new gaskets, eight nuts from the middle out",
            part="intake_manifold",
            minutes_off=28,
            minutes_on=34,
            after=("throttle_off", "map_sensor_out"),
            removes="intake_manifold",
            reaches=("intake_manifold", "intake_ports"),
            needs=("battery_off", "engine_cold"),
            tools=("12 mm socket", "lint-free caps"),
            consumes=("manifold_gaskets",),
            wait_minutes=40,
            opens=(OpenedItem(what="Manifold nuts", kind="fastener set", count=8),),
        ),
        Operation(
            id="oxygen_upstream_out",
            text="Unplug and unscrew the upstream oxygen sensor",
            text_back="Refit the upstream oxygen sensor",
            part="oxygen_sensor_upstream",
            minutes_off=12,
            minutes_on=8,
            reaches=("oxygen_sensor_upstream",),
            needs=("ignition_off", "engine_cold"),
            wait_minutes=60,
            tools=("22 mm slotted socket",),
            opens=(
                OpenedItem(
                    what="Upstream oxygen connector", kind="connector", of="oxygen_sensor_upstream"
                ),
                OpenedItem(what="Upstream oxygen sensor", kind="fastener set"),
            ),
        ),
        Operation(
            id="oxygen_downstream_out",
            text="Unplug and unscrew the downstream oxygen sensor",
            text_back="Refit the downstream oxygen sensor",
            part="oxygen_sensor_downstream",
            minutes_off=15,
            minutes_on=10,
            reaches=("oxygen_sensor_downstream",),
            needs=("ignition_off", "engine_cold"),
            wait_minutes=60,
            tools=("22 mm slotted socket",),
            opens=(
                OpenedItem(
                    what="Downstream oxygen connector",
                    kind="connector",
                    of="oxygen_sensor_downstream",
                ),
                OpenedItem(what="Downstream oxygen sensor", kind="fastener set"),
            ),
        ),
    ),
    bands={
        "idle_rpm": Band(700, 780, "family entry: target 740 rpm warm, loads off"),
        "idle_map_kpa": Band(29.0, 36.0, "after readings of this workshop"),
        "idle_airflow_g_s": Band(2.2, 3.0, "after readings of this workshop"),
        "learned_throttle_percent": Band(2.2, 4.6, "after readings of this workshop"),
        "trim_idle_percent": Band(-6, 6, "family entry"),
        "trim_cruise_percent": Band(-6, 6, "family entry"),
        "idle_rpm_spread": Band(0, 40, "after readings of this workshop"),
    },
    bus=bus(
        "manifold_kpa",
        "air_g_s",
        "throttle_pct",
        outputs=("throttle_body",),
        routines=("idle_adaptation", "memory_reset"),
    ),
    spares=(
        SparePart(id="throttle_seal", name="Throttle body seal", number="SK-1651", price=6.40),
        SparePart(
            id="map_o_ring", name="Manifold pressure sensor O-ring", number="SK-2231", price=1.80
        ),
        SparePart(id="manifold_gaskets", name="Manifold gasket set", number="SK-1662", price=24.00),
        SparePart(id="air_filter", name="Air filter element", number="SK-1610", price=18.50),
        SparePart(id="intake_tube", name="Intake tube", number="SK-1633", price=42.00),
        SparePart(id="hose_clamp", name="Hose clamp 60 mm", number="SK-0012", price=2.20),
        SparePart(id="maf_sensor", name="Air meter", number="SK-2204", price=186.00),
        SparePart(id="throttle_body", name="Throttle body", number="SK-1650", price=312.00),
        SparePart(id="map_sensor", name="Manifold pressure sensor", number="SK-2230", price=68.00),
        SparePart(
            id="oxygen_sensor_upstream",
            name="Oxygen sensor, upstream",
            number="SK-2290",
            price=94.00,
        ),
        SparePart(
            id="oxygen_sensor_downstream",
            name="Oxygen sensor, downstream",
            number="SK-2291",
            price=88.00,
        ),
        SparePart(id="intake_manifold", name="Intake manifold", number="SK-1660", price=286.00),
        SparePart(id="breather_valve", name="Breather valve", number="SK-1641", price=28.00),
        SparePart(id="iat_sensor", name="Intake temperature sensor", number="SK-2207", price=24.00),
        SparePart(id="engine_oil", name="Engine oil, 4 l", number="SK-1001", price=36.00),
        SparePart(id="oil_filter", name="Oil filter", number="SK-1002", price=9.50),
        SparePart(id="drain_washer", name="Drain plug washer", number="SK-1003", price=0.90),
    ),
    volumetric_efficiency_idle=0.75,
    closed_angle_deg=6.0,
    degrees_per_percent=0.84,
    fan_on_c=98.0,
    relearn="throttle_manual",
    relearn_holds={"key_on": 2.0, "key_off": 1.0, "idle": 8.0, "idle_loads": 3.0, "drive": 20.0},
    notes=(
        "The throttle is heated by coolant: two hoses below it.",
        "Loads for the relearn: headlamps, rear heater, fan on three.",
    ),
)
