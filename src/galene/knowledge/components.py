"""Kinds of component, deposit kinds and grades: the words that every screen uses."""

from dataclasses import dataclass

from galene.core.airpath.family import EngineFamily


@dataclass(frozen=True, kw_only=True)
class ComponentKind:
    """A kind of component: its name, one sentence that tells it from parts with a like name, what
    chemistry looks at.

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
        ComponentKind(
            id="air_filter",
            title="Air filter",
            what="The element in its box, where the air comes in.",
        ),
        ComponentKind(
            id="maf_sensor",
            title="Air meter",
            what=(
                "The main meter: counts all the air that the engine takes, in the neck behind the"
                " filter."
            ),
            features=("hot_element", "plastic"),
            sensor=True,
        ),
        ComponentKind(
            id="iat_sensor",
            title="Intake air temperature sensor",
            what="Reads the temperature of the intake air, no pressure.",
            features=("plastic",),
            sensor=True,
        ),
        ComponentKind(
            id="intake_tube",
            title="Intake tube",
            what=(
                "The boot between meter and throttle or turbine; a tear lets in air that nobody"
                " counts."
            ),
            features=("seal_epdm",),
        ),
        ComponentKind(
            id="secondary_air_flow_sensor",
            title="Secondary air meter",
            what=(
                "The small meter: counts only the air pumped into the exhaust after a cold start."
                " Not the main meter."
            ),
            features=("hot_element", "plastic"),
            sensor=True,
            once=True,
        ),
        ComponentKind(
            id="secondary_air_valve",
            title="Secondary air valve",
            what="Shuts the secondary air line at the head; exhaust gas cokes it from behind.",
        ),
        ComponentKind(
            id="throttle_body",
            title="Throttle body",
            what="Bore and plate that meter the air.",
            features=("aluminium",),
        ),
        ComponentKind(
            id="idle_air_valve",
            title="Idle air valve",
            what="Lets idle air past the closed plate of a cable throttle.",
            features=(),
            sensor=False,
            once=True,
        ),
        ComponentKind(
            id="charge_air_pipe",
            title="Charge air pipe",
            what="From the compressor to the throttle, under pressure.",
            features=("seal_nbr",),
        ),
        ComponentKind(
            id="intake_manifold",
            title="Intake manifold",
            what="Plenum and runners to the head.",
            features=("plastic",),
        ),
        ComponentKind(
            id="runner_flaps",
            title="Runner flaps",
            what="Flaps in the runners that make the charge swirl or tumble.",
        ),
        ComponentKind(
            id="runner_actuator",
            title="Runner actuator",
            what="The motor or capsule that moves the runner flaps, with its position sensor.",
            features=("hall_sensor",),
        ),
        ComponentKind(
            id="intake_ports",
            title="Intake ports",
            what="The ways in the head and the backs of the valves.",
            features=("aluminium",),
            sensor=False,
            once=True,
        ),
        ComponentKind(
            id="breather_valve",
            title="Breather valve",
            what="Lets crankcase gas back into the intake; stuck, it passes oil.",
            features=("plastic", "seal_nbr"),
        ),
        ComponentKind(
            id="map_sensor",
            title="Manifold pressure sensor",
            what="Absolute pressure in the manifold, behind the throttle.",
            features=("membrane",),
            sensor=True,
        ),
        ComponentKind(
            id="boost_sensor",
            title="Boost sensor",
            what="Charge pressure in the pipe, before the throttle.",
            features=("membrane",),
            sensor=True,
        ),
        ComponentKind(
            id="barometric_sensor",
            title="Ambient pressure sensor",
            what="The air outside; often inside the control unit.",
            features=("membrane",),
            sensor=True,
            once=True,
        ),
        ComponentKind(
            id="exhaust_pressure_sensor",
            title="Exhaust pressure sensor",
            what="Back pressure before the turbine, at the cool end of its tube.",
            features=("membrane",),
            sensor=True,
        ),
        ComponentKind(
            id="exhaust_pressure_tube",
            title="Exhaust pressure tube",
            what="The metal tube from the exhaust to its sensor; blocks at its narrow root.",
            features=(),
            sensor=False,
            once=True,
        ),
        ComponentKind(
            id="egr_dp_sensor",
            title="Differential pressure sensor",
            what=(
                "Pressure drop across the venturi of the recirculation pipe: two ports, one"
                " reading."
            ),
            features=("membrane",),
            sensor=True,
            once=True,
        ),
        ComponentKind(
            id="egr_dp_ports",
            title="Differential pressure ports",
            what="The two small bores that the differential sensor reads.",
            features=(),
            sensor=False,
            once=True,
        ),
        ComponentKind(
            id="egr_valve",
            title="Recirculation valve",
            what="Opens the way for exhaust gas back into the intake.",
        ),
        ComponentKind(
            id="egr_passage",
            title="Recirculation passage",
            what="The drilled or cast way from the valve into the manifold.",
            features=("aluminium",),
        ),
        ComponentKind(
            id="egr_cooler",
            title="Recirculation cooler",
            what="Cools recirculated gas with coolant.",
            features=("seal_epdm",),
        ),
        ComponentKind(
            id="egr_pipe",
            title="Recirculation pipe",
            what="The pipe that leads exhaust gas to valve or cooler.",
        ),
        ComponentKind(
            id="egr_temperature_sensor",
            title="Recirculation temperature sensor",
            what="Temperature of the recirculated gas.",
            features=(),
            sensor=True,
        ),
        ComponentKind(
            id="crankcase_pressure_sensor",
            title="Crankcase pressure sensor",
            what="The two-stroke's load signal, read from the crankcase.",
            features=("membrane",),
            sensor=True,
            once=True,
        ),
        ComponentKind(
            id="crankcase_pressure_hose",
            title="Crankcase pressure hose",
            what="The narrow hose from the crankcase fitting to its sensor.",
            features=("seal_nbr",),
            sensor=False,
            once=True,
        ),
        ComponentKind(
            id="oxygen_sensor",
            title="Oxygen sensor",
            what="In the exhaust: upstream steers the mixture, downstream watches the catalyst.",
            features=(),
            sensor=True,
        ),
        ComponentKind(
            id="crankcase",
            title="Crankcase",
            what="The two-stroke's pump under the piston: draws the charge through the reeds.",
            features=(),
            sensor=False,
            once=True,
        ),
        ComponentKind(
            id="secondary_air_line",
            title="Secondary air line",
            what="Thin line from the air pump to the exhaust; brittle plastic.",
            features=("plastic",),
        ),
        ComponentKind(
            id="exhaust_pipe",
            title="Exhaust manifold or pipe",
            what="Leads the exhaust away; the tube's root and recirculation begin here.",
        ),
        ComponentKind(
            id="turbine",
            title="Turbine",
            what="Driven by the exhaust, presses the charge; outside this work.",
        ),
        ComponentKind(
            id="aftertreatment_doser",
            title="Exhaust fuel doser",
            what="Injects fuel into the exhaust to burn the particulate filter clean.",
            features=(),
            sensor=False,
            once=True,
        ),
        ComponentKind(
            id="oxidation_catalyst",
            title="Catalyst",
            what="Burns off what the engine leaves; its face plugs first.",
        ),
        ComponentKind(
            id="particulate_filter",
            title="Particulate filter",
            what="Holds the soot until a burn-off.",
        ),
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


def deposits_of(family: EngineFamily) -> dict[str, str]:
    """Kinds of deposit that an engine can wear: coolant leaves none where there is none."""
    left_out = () if family.cooling == "liquid" else ("coolant_residue",)
    return {k: v for k, v in DEPOSIT_KINDS.items() if k not in left_out}


GRADES: tuple[str, ...] = (
    "Clean: metal or plastic shows",
    "Discoloured, nothing wipes off",
    "A film that wipes off",
    "A layer with thickness, edges rounded",
    "Shape lost, bore narrowed, parts stick",
)
COOLANT_STOP = "Pale, crusty residue is coolant: stop, find the leak before anything is cleaned."
