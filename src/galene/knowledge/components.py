"""Kinds of component, deposit kinds and grades: the words that every screen uses."""

from dataclasses import dataclass


@dataclass(frozen=True)
class ComponentKind:
    """A kind of component. `sensor` ones are drawn on stalks."""

    id: str
    title: str
    features: tuple[str, ...] = ()
    sensor: bool = False


COMPONENTS: dict[str, ComponentKind] = {
    c.id: c
    for c in (
        ComponentKind("air_filter", "Air filter"),
        ComponentKind("maf_sensor", "Air meter", ("hot_element", "plastic"), True),
        ComponentKind("iat_sensor", "Intake air temperature sensor", ("plastic",), True),
        ComponentKind("intake_tube", "Intake tube"),
        ComponentKind("secondary_air_flow_sensor", "Secondary air meter", ("hot_element", "plastic"), True),
        ComponentKind("secondary_air_valve", "Secondary air valve"),
        ComponentKind("throttle_body", "Throttle body"),
        ComponentKind("idle_air_valve", "Idle air valve"),
        ComponentKind("charge_air_pipe", "Charge air pipe"),
        ComponentKind("intake_manifold", "Intake manifold"),
        ComponentKind("runner_flaps", "Runner flaps"),
        ComponentKind("runner_actuator", "Runner actuator", ("hall_sensor",)),
        ComponentKind("intake_ports", "Intake ports"),
        ComponentKind("breather_valve", "Breather valve"),
        ComponentKind("map_sensor", "Manifold pressure sensor", ("membrane",), True),
        ComponentKind("boost_sensor", "Boost sensor", ("membrane",), True),
        ComponentKind("barometric_sensor", "Ambient pressure sensor", ("membrane",), True),
        ComponentKind("exhaust_pressure_sensor", "Exhaust pressure sensor", ("membrane",), True),
        ComponentKind("exhaust_pressure_tube", "Exhaust pressure tube"),
        ComponentKind("egr_dp_sensor", "Differential pressure sensor", ("membrane",), True),
        ComponentKind("egr_dp_ports", "Differential pressure ports"),
        ComponentKind("egr_valve", "Recirculation valve"),
        ComponentKind("egr_passage", "Recirculation passage"),
        ComponentKind("egr_cooler", "Recirculation cooler"),
        ComponentKind("egr_pipe", "Recirculation pipe"),
        ComponentKind("egr_temperature_sensor", "Recirculation temperature sensor", (), True),
        ComponentKind("crankcase_pressure_sensor", "Crankcase pressure sensor", ("membrane",), True),
        ComponentKind("crankcase_pressure_hose", "Crankcase pressure hose"),
        ComponentKind("oxygen_sensor", "Oxygen sensor", (), True),
        ComponentKind("aftertreatment_doser", "Exhaust fuel doser"),
        ComponentKind("oxidation_catalyst", "Oxidation catalyst"),
        ComponentKind("particulate_filter", "Particulate filter"),
    )
}

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
