"""Checks: what they need, what they tell. Minutes with the access closed, and with it open, by
workshop judgement."""

from galene.core.diagnosis.records import Check

CHECKS: tuple[Check, ...] = (
    Check(
        id="key_on_agreement",
        title="Key-on agreement",
        how="Engine off, ignition on: read every absolute pressure sensor and the barometer.",
        minutes=3,
        yields=(
            "key_on_one_off:map_sensor",
            "key_on_one_off:boost_sensor",
            "key_on_one_off:exhaust_pressure_sensor",
            "key_on_one_off:crankcase_pressure_sensor",
            "key_on_one_off:barometric_sensor",
            "dp_zero_off",
        ),
        components=(),
        calculation="key-on-agreement",
    ),
    Check(
        id="idle_readings",
        title="Idle readings",
        how=(
            "Warm, loads off, hands off: five readings of speed, air, manifold pressure and"
            " throttle opening."
        ),
        minutes=4,
        yields=("learned_opening_high", "idle_airflow_high"),
        components=("throttle_body",),
        calculation="idle-gap",
        only={"fuel": "petrol"},
    ),
    Check(
        id="trim_survey",
        title="Fuel trims over airflow",
        how="Warm: hold idle, a fast idle and a steady 2500, read airflow and total trim at each.",
        minutes=6,
        yields=("trim_leak_shape", "trim_meter_shape", "trim_rises_with_airflow"),
        components=("maf_sensor", "oxygen_sensor"),
        calculation="trim-split",
        only={"fuel": "petrol"},
    ),
    Check(
        id="airflow_against_expected",
        title="Air meter against expected air",
        how=(
            "Recirculation held shut or unplugged for the reading, steady revs: read meter,"
            " manifold pressure and intake temperature. The idle fills worse than 2500 rpm: compare"
            " each with its own."
        ),
        minutes=4,
        yields=("airflow_reads_low",),
        components=("maf_sensor", "map_sensor"),
        calculation="expected-airflow",
    ),
    Check(
        id="egr_flow_test",
        title="Recirculation flow test",
        how=(
            "Warm idle, throttle held, a bypass valve held too: command the valve open and read"
            " pressure and speed."
        ),
        minutes=10,
        yields=("egr_test_area_small",),
        components=("egr_valve",),
        calculation="egr-flow-test",
        only={"fuel": "petrol"},
    ),
    Check(
        id="egr_position_sweep",
        title="Valve position sweep",
        how="Command the valve in steps and read its position.",
        minutes=6,
        yields=("egr_position_follows", "egr_position_reaches_zero"),
        components=("egr_valve",),
    ),
    Check(
        id="egr_dp_crosscheck",
        title="Differential pressure against balance",
        how=(
            "Steady load: meter, pressure, differential pressure, and the charge temperature behind"
            " the mixer; measured before it, the balance is off by what the gas warms it."
        ),
        minutes=12,
        yields=("dp_low_but_balance_high", "dp_and_balance_low"),
        components=("egr_dp_sensor",),
        calculation="egr-flow-crosscheck",
    ),
    Check(
        id="throttle_sweep",
        title="Throttle sweep",
        how="Ignition on, engine off: press the pedal slowly and watch the position.",
        minutes=4,
        yields=("plate_sticks",),
        components=("throttle_body",),
        only={"fuel": "petrol"},
    ),
    Check(
        id="runner_sweep_by_hand",
        title="Runner flaps by hand",
        how="Unhook the lever and move the flaps.",
        minutes=12,
        yields=("flap_moves_freely", "flap_stiff", "lever_unhooked_seen"),
        components=("runner_flaps",),
        piecemeal=True,
    ),
    Check(
        id="runner_sweep_commanded",
        title="Runner flaps commanded",
        how="Command the flaps and watch the position.",
        minutes=6,
        yields=("flap_stiff",),
        components=("runner_flaps",),
    ),
    Check(
        id="look_throttle",
        title="Look into the throttle",
        how="Tube off or mirror and lamp: the band at the closed plate.",
        minutes=9,
        yields=("look_throttle_clean",),
        components=("throttle_body",),
        access=("intake_tube_off",),
        minutes_open=2,
        only={"fuel": "petrol"},
    ),
    Check(
        id="look_maf",
        title="Look at the meter's element",
        how="Two screws: lamp at a slant, look for dust, fibres and shine.",
        minutes=8,
        yields=("look_maf_clean", "maf_oily_seen"),
        components=("maf_sensor",),
        access=("meter_out",),
        minutes_open=1,
    ),
    Check(
        id="look_secondary_air",
        title="Look at the small secondary-air meter and its valve",
        how="Meter out of its hose, lamp through it; line off the valve: its plate.",
        minutes=10,
        yields=("secondary_meter_dirty_seen", "secondary_valve_coked_seen"),
        components=("secondary_air_flow_sensor",),
        access=("secondary_meter_out",),
        minutes_open=3,
        piecemeal=True,
    ),
    Check(
        id="look_filter",
        title="Look at the filter",
        how=(
            "Box open: lamp behind the pleats, seat all round; foam and dense elements are judged"
            " by gauge, weight and age."
        ),
        minutes=5,
        yields=("filter_light_blocked",),
        components=("air_filter",),
        access=("air_box_open",),
        minutes_open=1,
    ),
    Check(
        id="look_manifold",
        title="Look into the manifold",
        how="Borescope past the plate.",
        minutes=20,
        yields=("manifold_coked_seen", "oil_in_charge_pipe"),
        components=("intake_manifold",),
        access=("throttle_off",),
        minutes_open=4,
        piecemeal=True,
    ),
    Check(
        id="look_ports",
        title="Look into the ports",
        how="Borescope through the manifold.",
        minutes=30,
        yields=("ports_coked_seen",),
        components=("intake_ports",),
        access=("manifold_off",),
        minutes_open=4,
    ),
    Check(
        id="pull_map_sensor",
        title="Pull the manifold pressure sensor",
        how="One screw: look at the snout and into the port.",
        minutes=6,
        yields=("soot_on_map_sensor",),
        components=("map_sensor",),
        access=("map_sensor_out",),
        minutes_open=1,
    ),
    Check(
        id="pull_boost_sensor",
        title="Pull the boost sensor",
        how="Look at the snout, never pick at it.",
        minutes=6,
        yields=("soot_on_boost_sensor",),
        components=("boost_sensor",),
    ),
    Check(
        id="look_egr_valve",
        title="Look at the recirculation valve",
        how="Valve off: seat and stem.",
        minutes=35,
        yields=("egr_position_reaches_zero",),
        components=("egr_valve",),
        access=("egr_valve_off",),
        minutes_open=3,
    ),
    Check(
        id="look_egr_passage",
        title="Look into the recirculation passage",
        how="Both ends, lamp and wire.",
        minutes=12,
        yields=("egr_passage_blocked_seen",),
        components=("egr_passage",),
    ),
    Check(
        id="look_egr_cooler",
        title="Look at the cooler's face",
        how="Cooler inlet open, borescope.",
        minutes=40,
        yields=("cooler_face_plugged", "crack_seen"),
        components=("egr_cooler",),
        piecemeal=True,
    ),
    Check(
        id="look_egr_dp_ports",
        title="Look at the differential ports",
        how="Sensor off: both small ports.",
        minutes=12,
        yields=("dp_ports_blocked_seen",),
        components=("egr_dp_ports",),
    ),
    Check(
        id="blow_through_exhaust_pressure_tube",
        title="Blow through the exhaust pressure tube",
        how="Sensor off, gentle air, shield.",
        minutes=12,
        yields=("tube_blocked_seen",),
        components=("exhaust_pressure_tube",),
    ),
    Check(
        id="blow_through_crankcase_hose",
        title="Blow through the crankcase hose",
        how="Hose off both ends.",
        minutes=6,
        yields=("hose_clear",),
        components=("crankcase_pressure_hose",),
    ),
    Check(
        id="look_crankcase_seal",
        title="Look at the crankcase sensor's seal",
        how="Sensor out: dust or oil past the O-ring?",
        minutes=6,
        yields=("seal_dust_path_seen",),
        components=("crankcase_pressure_sensor",),
    ),
    Check(
        id="leak_smoke",
        title="Smoke test for leaks",
        how="Smoke into the closed intake: watch boots, clamps, gaskets.",
        minutes=15,
        yields=("leak_found", "boost_leak_found"),
        components=(),
        piecemeal=True,
    ),
    Check(
        id="leak_spray",
        title="Leak search with a mist of water",
        how=(
            "Warm idle, extraction on: a fine mist of water along joints and boots, never anything"
            " that burns; the idle changes where it is drawn in."
        ),
        minutes=10,
        yields=("leak_found",),
        components=(),
        last_resort=True,
    ),
    Check(
        id="drive_side_trace",
        title="Trace the drive side",
        how="Find out which side the control unit switches; a jumper needs it.",
        minutes=15,
        yields=(),
        components=("egr_valve",),
        calculation="actuator-drive-check",
    ),
    Check(
        id="oxygen_response",
        title="Oxygen sensor response",
        how=(
            "Narrow-band sensor before the catalyst, warm, fast idle: force it rich, then lean, and"
            " log its volts over time."
        ),
        minutes=8,
        yields=("oxygen_response_slow", "oxygen_response_flat"),
        components=("oxygen_sensor",),
    ),
    Check(
        id="cooler_pressure_test",
        title="Press the cooling system",
        how=(
            "Cold, engine off: pump the system to its cap's pressure, watch the gauge for ten"
            " minutes; look for a crust and a wet trace at the cooler."
        ),
        minutes=20,
        yields=("coolant_pressure_falls",),
        components=("egr_cooler",),
    ),
    Check(
        id="coolant_level_cold",
        title="Coolant level cold",
        how="Cold engine only: level against the mark.",
        minutes=3,
        yields=("coolant_low_cold",),
        components=("egr_cooler",),
    ),
    Check(
        id="regeneration_trace",
        title="Burn-off trace",
        how=(
            "Outside: temperatures before and after during a burn-off. One that does not light: too"
            " cold first, then the doser where there is one, then the catalyst."
        ),
        minutes=45,
        yields=("burn_off_incomplete",),
        components=("particulate_filter",),
    ),
    Check(
        id="isolation_unplug",
        title="Unplug to isolate",
        how=(
            "A timed test only where the family allows it; the plug must go back. Leaving it off is"
            " tampering."
        ),
        minutes=6,
        yields=("improves_unplugged",),
        components=("maf_sensor",),
        last_resort=True,
    ),
    Check(
        id="road_test",
        title="Road test",
        how="Insured and licensed driver, an observer reads.",
        minutes=25,
        yields=("fault_on_road",),
        components=(),
    ),
)
