"""Kinds of component, deposit kinds and grades: the words that every screen uses."""

from dataclasses import dataclass


@dataclass(frozen=True)
class ComponentKind:
    """A kind of component: its name, one sentence that tells it from parts with a like name, what chemistry looks at.

    `sensor` ones are drawn on stalks; an engine has `once` ones at most once.
    """

    id: str
    title: str
    what: str
    features: tuple[str, ...] = ()
    sensor: bool = False
    once: bool = False


COMPONENTS: dict[str, ComponentKind] = {
    c.id: c
    for c in (
        ComponentKind("air_filter", "Air filter", "The element in its box, where the air comes in."),
        ComponentKind("maf_sensor", "Air meter", "The main meter: counts all the air that the engine takes, in the neck behind the filter.",
                      ("hot_element", "plastic"), True),
        ComponentKind("iat_sensor", "Intake air temperature sensor", "Reads the temperature of the intake air, no pressure.", ("plastic",), True),
        ComponentKind("intake_tube", "Intake tube", "The boot between meter and throttle or turbine; a tear lets in air that nobody counts.", ("seal_epdm",)),
        ComponentKind("secondary_air_flow_sensor", "Secondary air meter",
                      "The small meter: counts only the air pumped into the exhaust after a cold start. Not the main meter.",
                      ("hot_element", "plastic"), True, True),
        ComponentKind("secondary_air_valve", "Secondary air valve", "Shuts the secondary air line at the head; exhaust gas cokes it from behind."),
        ComponentKind("throttle_body", "Throttle body", "Bore and plate that meter the air.", ("aluminium",)),
        ComponentKind("idle_air_valve", "Idle air valve", "Lets idle air past the closed plate of a cable throttle.", (), False, True),
        ComponentKind("charge_air_pipe", "Charge air pipe", "From the compressor to the throttle, under pressure.", ("seal_nbr",)),
        ComponentKind("intake_manifold", "Intake manifold", "Plenum and runners to the head.", ("plastic",)),
        ComponentKind("runner_flaps", "Runner flaps", "Flaps in the runners that make the charge swirl or tumble."),
        ComponentKind("runner_actuator", "Runner actuator", "The motor or capsule that moves the runner flaps, with its position sensor.", ("hall_sensor",)),
        ComponentKind("intake_ports", "Intake ports", "The ways in the head and the backs of the valves.", ("aluminium",), False, True),
        ComponentKind("breather_valve", "Breather valve", "Lets crankcase gas back into the intake; stuck, it passes oil.", ("plastic", "seal_nbr")),
        ComponentKind("map_sensor", "Manifold pressure sensor", "Absolute pressure in the manifold, behind the throttle.", ("membrane",), True),
        ComponentKind("boost_sensor", "Boost sensor", "Charge pressure in the pipe, before the throttle.", ("membrane",), True),
        ComponentKind("barometric_sensor", "Ambient pressure sensor", "The air outside; often inside the control unit.", ("membrane",), True, True),
        ComponentKind("exhaust_pressure_sensor", "Exhaust pressure sensor", "Back pressure before the turbine, at the cool end of its tube.", ("membrane",), True),
        ComponentKind("exhaust_pressure_tube", "Exhaust pressure tube", "The metal tube from the exhaust to its sensor; blocks at its narrow root.", (), False, True),
        ComponentKind("egr_dp_sensor", "Differential pressure sensor", "Pressure drop across the venturi of the recirculation pipe: two ports, one reading.",
                      ("membrane",), True, True),
        ComponentKind("egr_dp_ports", "Differential pressure ports", "The two small bores that the differential sensor reads.", (), False, True),
        ComponentKind("egr_valve", "Recirculation valve", "Opens the way for exhaust gas back into the intake."),
        ComponentKind("egr_passage", "Recirculation passage", "The drilled or cast way from the valve into the manifold.", ("aluminium",)),
        ComponentKind("egr_cooler", "Recirculation cooler", "Cools recirculated gas with coolant."),
        ComponentKind("egr_pipe", "Recirculation pipe", "The pipe that leads exhaust gas to valve or cooler."),
        ComponentKind("egr_temperature_sensor", "Recirculation temperature sensor", "Temperature of the recirculated gas.", (), True),
        ComponentKind("crankcase_pressure_sensor", "Crankcase pressure sensor", "The two-stroke's load signal, read from the crankcase.", ("membrane",), True, True),
        ComponentKind("crankcase_pressure_hose", "Crankcase pressure hose", "The narrow hose from the crankcase fitting to its sensor.", ("seal_nbr",), False, True),
        ComponentKind("oxygen_sensor", "Oxygen sensor", "In the exhaust: upstream steers the mixture, downstream watches the catalyst.", (), True),
        ComponentKind("crankcase", "Crankcase", "The two-stroke's pump under the piston: draws the charge through the reeds.", (), False, True),
        ComponentKind("secondary_air_line", "Secondary air line", "Thin line from the air pump to the exhaust; brittle plastic.", ("plastic",)),
        ComponentKind("exhaust_pipe", "Exhaust manifold or pipe", "Leads the exhaust away; the tube's root and recirculation begin here."),
        ComponentKind("turbine", "Turbine", "Driven by the exhaust, presses the charge; outside this work."),
        ComponentKind("aftertreatment_doser", "Exhaust fuel doser", "Injects fuel into the exhaust to burn the particulate filter clean.", (), False, True),
        ComponentKind("oxidation_catalyst", "Catalyst", "Burns off what the engine leaves; its face plugs first."),
        ComponentKind("particulate_filter", "Particulate filter", "Holds the soot until a burn-off."),
    )
}  # fmt: skip

DEPOSIT_KINDS: dict[str, str] = {
    "dust": "Dust",
    "oil_film": "Oil film",
    "varnish": "Varnish",
    "soot": "Soot, dry",
    "oil_carbon": "Oil carbon, sticky",
    "hard_carbon": "Hard carbon",
    "brush_dust": "Brush dust",
    "coolant_residue": "Coolant residue, pale crust",
    "foreign_matter": "Foreign matter",
}
GRADES: tuple[str, ...] = (
    "Clean: metal or plastic shows",
    "Discoloured, nothing wipes off",
    "A film that wipes off",
    "A layer with thickness, edges rounded",
    "Shape lost, bore narrowed, parts stick",
)
COOLANT_STOP = "Pale, crusty residue is coolant: stop, find the leak before anything is cleaned."
