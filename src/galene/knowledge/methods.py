"""How each kind of part is treated, and why: what the plan shows beside the part."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from galene.core.airpath.family import Part
from galene.core.planning.policy_keys import METER_AGENT, PRESSURE_SENSOR_AGENT
from galene.knowledge.policy import way_in_place


@dataclass(frozen=True, kw_only=True)
class Method:
    """Method of a component kind, or of a procedure that several kinds share: the words, agent
    class and way, why this agent, the schools' letters.

    `state` is what the procedure's own steps bring about before the agent comes near; `instead` are
    agents and ways that are taken where the rules forbid the first on this part, in this order.
    """

    component: str
    text: str
    agent: str
    why: str
    schools: tuple[str, ...]
    way: str = ""
    state: tuple[str, ...] = ()
    instead: tuple[tuple[str, str], ...] = ()


METHODS: dict[str, Method] = {
    m.component: m
    for m in (
        Method(
            component="air_filter",
            text="Look through, wipe and vacuum the box; new element where light does not pass",
            agent="",
            why="No agent: wet paper swells and passes dirt.",
            schools=(),
        ),
        Method(
            component="maf_sensor",
            text="Out of its neck, short bursts across, dry for the full time",
            agent="maf_cleaner",
            why="Residue-free and plastic-safe: anything stronger clouds the film or the body.",
            schools=("A", "B", "C"),
            way="direct_spray",
            state=("removed",),
            instead=(("contact_cleaner", "direct_spray"),),
        ),
        Method(
            component="intake_tube",
            text="Off, flexed and looked at, soap and water inside",
            agent="soap_and_water",
            why="Rubber swells in solvents.",
            schools=("C",),
            way="on_cloth",
            state=("removed",),
        ),
        Method(
            component="throttle_body",
            text="Wiped with a damp cloth, plate opened gently by hand without power",
            agent="throttle_cleaner",
            why=(
                "Coating-safe, on the cloth: sprayed liquid creeps along the shaft into motor and"
                " gears."
            ),
            schools=("D", "E", "F", "H", "I"),
            way="on_cloth",
            state=("plate_open", "battery_off"),
            instead=(("isopropanol", "on_cloth"),),
        ),
        Method(
            component="map_sensor",
            text="Out, short bursts across the snout, port swabbed dry",
            agent="contact_cleaner",
            why="Residue-free: a film on the membrane slows it.",
            schools=("C", "G", "J"),
            way="direct_spray",
            state=("removed", "seal_removed"),
            instead=(("isopropanol", "direct_spray"),),
        ),
        Method(
            component="idle_air_valve",
            text="Off, wiped with a damp cloth, motor side up",
            agent="throttle_cleaner",
            why="On the cloth: liquid in the motor ends it.",
            schools=("C", "G"),
            way="on_cloth",
            state=("removed", "seal_removed"),
        ),
        Method(
            component="boost_sensor",
            text="Out, short bursts across the snout, port swabbed dry",
            agent="contact_cleaner",
            why="Residue-free: a film on the membrane slows it.",
            schools=("C", "G", "J"),
            way="direct_spray",
            state=("removed", "seal_removed"),
            instead=(("isopropanol", "direct_spray"),),
        ),
        Method(
            component="secondary_air_flow_sensor",
            text="Short bursts across, its little filter looked through",
            agent="maf_cleaner",
            why="Residue-free and plastic-safe.",
            schools=("A", "C"),
            way="direct_spray",
            state=("removed",),
            instead=(("contact_cleaner", "direct_spray"),),
        ),
        Method(
            component="egr_valve",
            text="Off, electrics dry, seat scraped, stem worked free",
            agent="egr_cleaner",
            why="Metal only; electronics are never bathed.",
            schools=("G", "H", "K", "N"),
            way="on_brush",
            state=("removed", "electronics_removed"),
        ),
        Method(
            component="egr_passage",
            text="Both ends: wire, vacuum, brush",
            agent="egr_cleaner",
            why="Hard carbon needs a tool.",
            schools=("K",),
            way="on_brush",
            state=(),
            instead=(("soot_flush_waterbased", "on_brush"),),
        ),
        Method(
            component="egr_pipe",
            text="Off, brushed wet, vacuumed",
            agent="",
            why="Soot dust is not blown about.",
            schools=(),
        ),
        Method(
            component="egr_cooler",
            text="Off, pressed, sent out to the heated bath",
            agent="",
            why="Soot in its tubes needs heat and time.",
            schools=("G",),
        ),
        Method(
            component="egr_dp_ports",
            text="Both bores cleared by a drill in the fingers",
            agent="",
            why="A tool in the port, never in the sensor.",
            schools=(),
        ),
        Method(
            component="egr_dp_sensor",
            text="Off, short bursts across both snouts",
            agent="contact_cleaner",
            why="Residue-free, plastic-safe.",
            schools=("C", "G", "J"),
            way="direct_spray",
            state=("removed", "seal_removed"),
            instead=(("isopropanol", "direct_spray"),),
        ),
        Method(
            component="exhaust_pressure_tube",
            text="Root reamed by hand, what comes loose caught",
            agent="",
            why="The root shuts first.",
            schools=(),
        ),
        Method(
            component="charge_air_pipe",
            text="Wiped out, seals with soap and water",
            agent="soap_and_water",
            why="Elastomers swell in solvents.",
            schools=("C", "G"),
            way="on_cloth",
            state=("removed",),
        ),
        Method(
            component="intake_manifold",
            text="Off, stripped of electronics and sensors, cleaned runner by runner",
            agent="egr_cleaner",
            why="Layers of millimetres need tools.",
            schools=("G", "K", "L", "R"),
            way="on_brush",
            state=("removed", "electronics_removed", "sensor_removed"),
            instead=(("soap_and_water", "on_brush"),),
        ),
        Method(
            component="runner_flaps",
            text="Moved by hand, edges and seats scraped",
            agent="",
            why="No liquid at the bushings but a drop of oil.",
            schools=(),
        ),
        Method(
            component="runner_actuator",
            text="Opened, brush dust out with a dry brush",
            agent="",
            why="Electronics are never bathed.",
            schools=("H",),
        ),
        Method(
            component="intake_ports",
            text="Valves shut, loosened, vacuumed out",
            agent="egr_cleaner",
            why="Never loosened above an open valve.",
            schools=("G", "K", "M"),
            way="on_brush",
            state=("port_shut", "removed"),
            instead=(("soot_flush_waterbased", "on_brush"),),
        ),
        Method(
            component="crankcase_pressure_hose",
            text="Off, wiped, fitting cleared by hand",
            agent="",
            why="The narrow fitting is what blocks.",
            schools=(),
        ),
        Method(
            component="crankcase_pressure_sensor",
            text="Out, wiped dry, new O-ring",
            agent="",
            why="Air past the ring reads as another load.",
            schools=("G",),
        ),
        Method(
            component="secondary_air_valve",
            text="Off, seat scraped",
            agent="egr_cleaner",
            why="Metal only; the plastic line stays dry.",
            schools=("G",),
            way="on_brush",
            state=("removed",),
        ),
        Method(
            component="aftertreatment_doser",
            text="Off, tip soaked and brushed",
            agent="egr_cleaner",
            why="No wire in the nozzle's hole.",
            schools=("G",),
            way="drip_soak",
            state=("removed",),
        ),
        Method(
            component="breather_valve",
            text="Washed, or renewed where it sticks",
            agent="soap_and_water",
            why="Its rubber swells in solvents.",
            schools=(),
            way="bath",
            state=("removed",),
        ),
        Method(
            component="exhaust_pressure_sensor",
            text="Off, short bursts across the snout",
            agent="contact_cleaner",
            why="Residue-free: a film on the membrane slows it.",
            schools=("C", "G", "J"),
            way="direct_spray",
            state=("removed", "seal_removed"),
            instead=(("isopropanol", "direct_spray"),),
        ),
        Method(
            component="iat_sensor",
            text="Out, short bursts across the bead",
            agent="contact_cleaner",
            why="Residue-free and plastic-safe.",
            schools=("C",),
            way="direct_spray",
            state=("removed",),
        ),
        Method(
            component="egr_temperature_sensor",
            text="Out, brushed dry",
            agent="",
            why="Nothing wet on a hot sensor's seal.",
            schools=("G",),
        ),
        Method(
            component="oxygen_sensor",
            text="Looked at and tested",
            agent="",
            why="Sprays on the sensor are refused under every school.",
            schools=("P",),
        ),
        Method(
            component="tank_additive",
            text="One labelled dose in the tank, driven at 2000 to 3000 rpm",
            agent="fuel_system_additive",
            why="What reaches the sensor safely comes with the fuel.",
            schools=("P",),
            way="running_ingestion",
        ),
        Method(
            component="vacuum_line_product",
            text=(
                "Labelled intake product through a vacuum line, in goes of half a minute with"
                " pauses"
            ),
            agent="intake_valve_aerosol",
            why="What reaches the sensor safely comes with the air, a little at a time.",
            schools=("P",),
            way="running_ingestion",
        ),
        Method(
            component="running_aerosol",
            text=(
                "Aerosol into the warm, running engine, in bursts; heat soak, road run, oil change"
            ),
            agent="intake_valve_aerosol",
            why="Film on the valves goes without opening anything; hard carbon stays.",
            schools=("M",),
            way="running_ingestion",
        ),
        Method(
            component="running_flush",
            text="Soot flush into the warm, running engine, in bursts; then driven hot",
            agent="soot_flush_waterbased",
            why=(
                "A film of soot goes without opening anything; never for hard carbon or a plugged"
                " way."
            ),
            schools=("K", "N"),
            way="running_ingestion",
        ),
        Method(
            component="left_for_now",
            text="Left as it is, looked at again at the next visit",
            agent="",
            why="Light, and the school is to leave it.",
            schools=("K",),
        ),
        Method(
            component="inspect_only",
            text="Looked at and graded, not cleaned",
            agent="",
            why="No cleaning of this part is offered here.",
            schools=(),
        ),
    )
}


def agents_for(
    part: Part, tags: Iterable[str], policy: Mapping[str, str]
) -> tuple[tuple[str, str, Mapping[str, bool]], ...]:
    """Agents, ways and what their label must say, for a part under the schools, the first choice
    first."""
    held = set(tags)
    method = METHODS.get(way_in_place(held) or part.component)
    if method is None or not method.agent:
        return ()
    usual: tuple[tuple[str, str, Mapping[str, bool]], ...] = tuple(
        (a, w, {}) for a, w in ((method.agent, method.way), *method.instead)
    )
    if (
        part.component in ("maf_sensor", "secondary_air_flow_sensor")
        and policy.get(METER_AGENT) == "plastic_safe"
    ):
        return (("contact_cleaner", "direct_spray", {}), *usual)
    if method.agent == "contact_cleaner" and policy.get(PRESSURE_SENSOR_AGENT) == "brake_cleaner":
        return (("brake_cleaner_flammable", "direct_spray", {"plastic_safe": True}), *usual)
    if "direct" in held:
        return ((method.agent, "direct_spray", {}), *usual)
    if "blast" in held:
        return (("blast_walnut", "blast", {}),)
    if "bath_own" in held:
        return (("bath_detergent", "bath", {}),)
    if method.component == "running_flush":
        # One stream wets every part on its way, aluminium among them.
        return tuple((a, w, {"aluminium_safe": True}) for a, w, _ in usual)
    return () if "bath_out" in held else usual


PREPARED: tuple[str, ...] = ("ignition_off", "engine_cold", "ventilated")
"""What making safe brings about in every procedure, before anything wet is touched."""

CABLE_THROTTLE = Method(
    component="throttle_body",
    text="Wiped with a damp cloth, a little at a time, plate held open by its lever",
    agent="throttle_cleaner",
    why="On the cloth: sprayed liquid creeps along the shaft and runs into the manifold.",
    schools=("E", "F"),
    way="on_cloth",
    state=("plate_open",),
    instead=(("isopropanol", "on_cloth"),),
)
"""The throttle's method where a cable moves it: no motor, nothing to unplug, nothing to learn."""
