"""How each kind of part is treated, and why: what the plan shows beside the part."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from galene.core.airpath import Part
from galene.knowledge.schools import way_in_place


@dataclass(frozen=True)
class Method:
    """Method of a component kind, or of a procedure that several kinds share: the words, agent class and way, why this agent, the schools' letters.

    `state` is what the procedure's own steps bring about before the agent comes near; `instead` are agents and ways that
    are taken where the rules forbid the first on this part, in this order.
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
        Method("air_filter", "Look through, wipe and vacuum the box; new element where light does not pass", "", "No agent: wet paper swells and passes dirt.", ()),
        Method("maf_sensor", "Out of its neck, short bursts across, dry for the full time", "maf_cleaner", "Residue-free and plastic-safe: anything stronger clouds the film or the body.", ("A", "B", "C"), "direct_spray", ("removed",), (("contact_cleaner", "direct_spray"),)),
        Method("intake_tube", "Off, flexed and looked at, soap and water inside", "soap_and_water", "Rubber swells in solvents.", ("C",), "on_cloth", ("removed",)),
        Method("throttle_body", "Wiped with a damp cloth, plate opened gently by hand without power", "throttle_cleaner", "Coating-safe, on the cloth: sprayed liquid creeps along the shaft into motor and gears.", ("D", "E", "F", "H", "I"), "on_cloth", ("plate_open", "battery_off"), (("isopropanol", "on_cloth"),)),
        Method("map_sensor", "Out, short bursts across the snout, port swabbed dry", "contact_cleaner", "Residue-free: a film on the membrane slows it.", ("C", "G", "J"), "direct_spray", ("removed", "seal_removed"), (("isopropanol", "direct_spray"),)),
        Method("idle_air_valve", "Off, wiped with a damp cloth, motor side up", "throttle_cleaner", "On the cloth: liquid in the motor ends it.", ("C", "G"), "on_cloth", ("removed", "seal_removed")),
        Method("boost_sensor", "Out, short bursts across the snout, port swabbed dry", "contact_cleaner", "Residue-free: a film on the membrane slows it.", ("C", "G", "J"), "direct_spray", ("removed", "seal_removed"), (("isopropanol", "direct_spray"),)),
        Method("secondary_air_flow_sensor", "Short bursts across, its little filter looked through", "maf_cleaner", "Residue-free and plastic-safe.", ("A", "C"), "direct_spray", ("removed",), (("contact_cleaner", "direct_spray"),)),
        Method("egr_valve", "Off, electrics dry, seat scraped, stem worked free", "egr_cleaner", "Metal only; electronics are never bathed.", ("G", "H", "K", "N"), "on_brush", ("removed", "electronics_removed")),
        Method("egr_passage", "Both ends: wire, vacuum, brush", "egr_cleaner", "Hard carbon needs a tool.", ("K",), "on_brush", (), (("soot_flush_waterbased", "on_brush"),)),
        Method("egr_pipe", "Off, brushed wet, vacuumed", "", "Soot dust is not blown about.", ()),
        Method("egr_cooler", "Off, pressed, sent out to the heated bath", "", "Soot in its tubes needs heat and time.", ("G",)),
        Method("egr_dp_ports", "Both bores cleared by a drill in the fingers", "", "A tool in the port, never in the sensor.", ()),
        Method("egr_dp_sensor", "Off, short bursts across both snouts", "contact_cleaner", "Residue-free, plastic-safe.", ("C", "G", "J"), "direct_spray", ("removed", "seal_removed"), (("isopropanol", "direct_spray"),)),
        Method("exhaust_pressure_tube", "Root reamed by hand, what comes loose caught", "", "The root shuts first.", ()),
        Method("charge_air_pipe", "Wiped out, seals with soap and water", "soap_and_water", "Elastomers swell in solvents.", ("C", "G"), "on_cloth", ("removed",)),
        Method("intake_manifold", "Off, stripped of electronics and sensors, cleaned runner by runner", "egr_cleaner", "Layers of millimetres need tools.", ("G", "K", "L", "R"), "on_brush", ("removed", "electronics_removed", "sensor_removed"), (("soap_and_water", "on_brush"),)),
        Method("runner_flaps", "Moved by hand, edges and seats scraped", "", "No liquid at the bushings but a drop of oil.", ()),
        Method("runner_actuator", "Opened, brush dust out with a dry brush", "", "Electronics are never bathed.", ("H",)),
        Method("intake_ports", "Valves shut, loosened, vacuumed out", "egr_cleaner", "Never loosened above an open valve.", ("G", "K", "M"), "on_brush", ("port_shut", "removed"), (("soot_flush_waterbased", "on_brush"),)),
        Method("crankcase_pressure_hose", "Off, wiped, fitting cleared by hand", "", "The narrow fitting is what blocks.", ()),
        Method("crankcase_pressure_sensor", "Out, wiped dry, new O-ring", "", "Air past the ring reads as another load.", ("G",)),
        Method("secondary_air_valve", "Off, seat scraped", "egr_cleaner", "Metal only; the plastic line stays dry.", ("G",), "on_brush", ("removed",)),
        Method("aftertreatment_doser", "Off, tip soaked and brushed", "egr_cleaner", "No wire in the nozzle's hole.", ("G",), "drip_soak", ("removed",)),
        Method("breather_valve", "Washed, or renewed where it sticks", "soap_and_water", "Its rubber swells in solvents.", (), "bath", ("removed",)),
        Method("exhaust_pressure_sensor", "Off, short bursts across the snout", "contact_cleaner", "Residue-free: a film on the membrane slows it.", ("C", "G", "J"), "direct_spray", ("removed", "seal_removed"), (("isopropanol", "direct_spray"),)),
        Method("iat_sensor", "Out, short bursts across the bead", "contact_cleaner", "Residue-free and plastic-safe.", ("C",), "direct_spray", ("removed",)),
        Method("egr_temperature_sensor", "Out, brushed dry", "", "Nothing wet on a hot sensor's seal.", ("G",)),
        Method("oxygen_sensor", "Looked at and tested", "", "Sprays on the sensor are refused under every school.", ("P",)),
        Method("tank_additive", "One labelled dose in the tank, driven at 2000 to 3000 rpm", "fuel_system_additive", "What reaches the sensor safely comes with the fuel.", ("P",), "running_ingestion"),
        Method("vacuum_line_product", "Labelled intake product through a vacuum line, in goes of half a minute with pauses", "intake_valve_aerosol", "What reaches the sensor safely comes with the air, a little at a time.", ("P",), "running_ingestion"),
        Method("running_aerosol", "Aerosol into the warm, running engine, in bursts; heat soak, road run, oil change", "intake_valve_aerosol", "Film on the valves goes without opening anything; hard carbon stays.", ("M",), "running_ingestion"),
        Method("running_flush", "Soot flush into the warm, running engine, in bursts; then driven hot", "soot_flush_waterbased", "A film of soot goes without opening anything; never for hard carbon or a plugged way.", ("K", "N"), "running_ingestion"),
        Method("left_for_now", "Left as it is, looked at again at the next visit", "", "Light, and the school is to leave it.", ("K",)),
        Method("inspect_only", "Looked at and graded, not cleaned", "", "No cleaning of this part is offered here.", ()),
    )
}  # fmt: skip


def agents_for(part: Part, tags: Iterable[str], policy: Mapping[str, str]) -> tuple[tuple[str, str, Mapping[str, bool]], ...]:
    """Agents, ways and what their label must say, for a part under the schools, the first choice first."""
    held = set(tags)
    method = METHODS.get(way_in_place(held) or part.component)
    if method is None or not method.agent:
        return ()
    usual: tuple[tuple[str, str, Mapping[str, bool]], ...] = tuple((a, w, {}) for a, w in ((method.agent, method.way), *method.instead))
    if part.component in ("maf_sensor", "secondary_air_flow_sensor") and policy.get("A") == "plastic_safe":
        return (("contact_cleaner", "direct_spray", {}), *usual)
    if method.agent == "contact_cleaner" and policy.get("J") == "brake_cleaner":
        return (("brake_cleaner_flammable", "direct_spray", {"plastic_safe": True}), *usual)
    if "direct" in held:
        return ((method.agent, "direct_spray", {}), *usual)
    if "blast" in held:
        return (("blast_walnut", "blast", {}),)
    if "bath_own" in held:
        return (("bath_detergent", "bath", {}),)
    return () if "bath_out" in held else usual


PREPARED: tuple[str, ...] = ("ignition_off", "engine_cold", "ventilated")
"""What making safe brings about in every procedure, before anything wet is touched."""

CABLE_THROTTLE = Method(
    "throttle_body",
    "Wiped with a damp cloth, a little at a time, plate held open by its lever",
    "throttle_cleaner",
    "On the cloth: sprayed liquid creeps along the shaft and runs into the manifold.",
    ("E", "F"),
    "on_cloth",
    ("plate_open",),
    (("isopropanol", "on_cloth"),),
)
"""The throttle's method where a cable moves it: no motor, nothing to unplug, nothing to learn."""
