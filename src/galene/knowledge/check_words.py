"""What each check needs at hand, and what a sound engine shows. General workshop practice; a
family's own figures stand beside it."""

NEEDS_AND_SHOWS: dict[str, tuple[tuple[str, ...], str]] = {
    "key_on_agreement": (
        ("scan tool or meter", "barometer, or the height of the place"),
        "Every absolute sensor reads the air outside, within the tolerance.",
    ),
    "idle_readings": (
        ("scan tool", "warm engine, loads off"),
        "The throttle's opening, the air and the pressure lie inside the family's bands.",
    ),
    "trim_survey": (
        ("scan tool", "warm engine", "a helper on the pedal"),
        "Trims within a few percent at every airflow, and no slope over it.",
    ),
    "airflow_against_expected": (
        ("scan tool", "steady speed"),
        "The meter stands inside the range of the expected air.",
    ),
    "egr_flow_test": (
        (
            "scan tool that commands the valve, or a jumper after the drive check",
            "pressure reading",
            "extraction",
        ),
        "The manifold's pressure rises at once and the idle sags or stalls.",
    ),
    "egr_position_sweep": (
        ("scan tool",),
        "The position follows each step and comes back to zero.",
    ),
    "egr_dp_crosscheck": (
        ("scan tool", "a steady load, brake or road"),
        "Sensor and balance agree within what the figures can be off.",
    ),
    "throttle_sweep": (
        ("scan tool", "ignition on, engine off"),
        "The position follows the pedal without steps, up and down alike.",
    ),
    "runner_sweep_by_hand": (
        ("small screwdriver", "lamp"),
        "The flaps swing by a finger and fall back, the lever sits on its ball.",
    ),
    "runner_sweep_commanded": (("scan tool",), "The whole travel, up and down alike."),
    "look_throttle": (
        ("lamp", "mirror", "white cloth"),
        "Bare metal shows at the closed plate; a stain that does not wipe off is no deposit.",
    ),
    "look_maf": (
        ("small driver of the right size", "lamp"),
        "Element and wires are bright, without fibres, dust or shine.",
    ),
    "look_secondary_air": (
        ("lamp", "pliers for the hose clamps"),
        "The little element is bright and its filter pale; the valve's plate is dry and shuts.",
    ),
    "look_filter": (
        ("lamp",),
        (
            "Light comes through every pleat, the seal has marked the box all round, the clean side"
            " is clean."
        ),
    ),
    "look_manifold": (("borescope",), "A dull film at most; the wall's own casting shows."),
    "look_ports": (
        ("borescope", "a socket to turn the crank"),
        "The valve's neck is round and its stem shows; a brown stain is fine.",
    ),
    "pull_map_sensor": (
        ("small driver", "new O-ring", "lamp"),
        "The snout is open and dry, the port behind it too.",
    ),
    "pull_boost_sensor": (
        ("small driver", "new O-ring", "lamp"),
        "The snout is open, the tab inside is whole, no oil runs out.",
    ),
    "look_egr_valve": (
        ("gasket", "lamp"),
        "The pintle sits on its seat all round and moves by hand against its spring alone.",
    ),
    "look_egr_passage": (
        ("soft wire", "lamp"),
        "The wire goes through from end to end, the small bore too.",
    ),
    "look_egr_cooler": (
        ("borescope", "gaskets", "cold, drained engine where the family asks for it"),
        "Every tube of the face is open; no pale crust, no wet trace.",
    ),
    "look_egr_dp_ports": (
        ("lamp", "fine wire for the port only"),
        "Both small ports show light; the sensor's own bores are dry.",
    ),
    "blow_through_exhaust_pressure_tube": (
        ("air below 2 bar", "shield and glasses"),
        "Air passes freely with a steady hiss.",
    ),
    "blow_through_crankcase_hose": (
        ("air below 2 bar",),
        "Air passes freely; the hose is soft, its ends grip.",
    ),
    "look_crankcase_seal": (
        ("lamp",),
        "The O-ring is whole and round, its seat dry and free of dust.",
    ),
    "leak_smoke": (
        ("smoke machine at low pressure", "lamp"),
        "No smoke leaves the path but by the tail.",
    ),
    "leak_spray": (
        ("spray bottle of water", "extraction", "hands clear of fan and belts"),
        "The idle does not change wherever the mist goes.",
    ),
    "drive_side_trace": (
        ("meter", "wiring information"),
        "One of the coil's wires leads to a fuse or to ground: the other is switched.",
    ),
    "oxygen_response": (
        ("scan tool or scope", "warm, fast idle"),
        (
            "Several crossings in ten seconds over more than half a volt, each in a fraction of a"
            " second."
        ),
    ),
    "cooler_pressure_test": (
        ("cold engine", "pressure pump with the cap's adapter"),
        "The gauge stands for ten minutes, and nothing is wet.",
    ),
    "coolant_level_cold": (
        ("cold engine",),
        "The level stands at the mark, and stood there last time.",
    ),
    "regeneration_trace": (
        ("scan tool with a log", "outside, clear of people and dry grass"),
        "Hot before and behind the filter for the needed minutes.",
    ),
    "isolation_unplug": (
        ("a family that names the sensor as safe to unplug",),
        "Nothing gets better with the sensor off.",
    ),
    "road_test": (
        ("insured and licensed driver", "an observer with the scan tool"),
        "No complaint returns over the route, and no code is pending.",
    ),
}
