"""Classes of agent: what they are made of as the rules read it, the ways they are made for, price, protection, waste."""

from dataclasses import dataclass

from galene.core.chemistry.judge import Agent, Subject
from galene.knowledge.components import COMPONENTS


@dataclass(frozen=True)
class AgentClass:
    """A class of agent: typical make-up, the price of a millilitre for the quote, what its waste is."""

    agent: Agent
    make_up: str
    price_per_ml: float = 0.0
    waste: str = ""

    @property
    def id(self) -> str:
        """The class's id."""
        return self.agent.id

    @property
    def title(self) -> str:
        """The class's name."""
        return self.agent.title

    @property
    def protection(self) -> tuple[str, ...]:
        """What its user wears."""
        return self.agent.protection


SOLVENT, NITRILE = ("glasses", "solvent-proof gloves"), ("glasses", "nitrile gloves")
SPRAYED = ("direct_spray", "on_cloth", "on_brush", "drip_soak")


def _class(
    id_: str, title: str, make_up: str, properties: str, ways: tuple[str, ...], price: float, drying: str, protection: tuple[str, ...], waste: str = "",
) -> AgentClass:  # fmt: skip
    return AgentClass(Agent(id_, title, frozenset(properties.split()), frozenset(ways), drying, protection), make_up, price, waste)


RAGS = "rags with solvent: lidded metal bin"
AGENTS: dict[str, AgentClass] = {
    a.id: a
    for a in (
        _class("maf_cleaner", "Meter cleaner, residue-free", "light alkanes, some alcohol", "residue_free plastic_safe flammable alkanes", ("direct_spray", "on_cloth", "on_brush"), 0.030, "alkanes", NITRILE, RAGS),
        _class("contact_cleaner", "Contact cleaner, plastic-safe", "light alkanes or fluorinated, plastic-safe grade", "residue_free plastic_safe flammable alkanes", ("direct_spray", "on_cloth", "on_brush"), 0.026, "alkanes", NITRILE, RAGS),
        _class("isopropanol", "Isopropanol, high purity", "2-propanol", "residue_free plastic_safe flammable", SPRAYED, 0.008, "2-propanol", NITRILE, RAGS),
        _class("throttle_cleaner", "Throttle cleaner, mild", "mild aromatics, ketone in part; coating-safe grades exist", "aromatics flammable leaves_film", SPRAYED, 0.018, "aromatics", SOLVENT, RAGS),
        _class("carburettor_cleaner", "Carburettor cleaner, strong", "strong ketones and aromatics", "ketones aromatics flammable leaves_film", SPRAYED, 0.012, "aromatics", SOLVENT, RAGS),
        _class("brake_cleaner_chlorinated", "Brake cleaner, chlorinated", "chlorinated solvent", "chlorinated residue_free", SPRAYED, 0.009, "acetone", (*SOLVENT, "respirator, type AX"), "halogenated solvent: a bin of its own"),
        _class("brake_cleaner_flammable", "Brake cleaner, flammable", "heptane, acetone, alcohol mixes", "residue_free flammable alkanes ketones", SPRAYED, 0.007, "acetone", SOLVENT, RAGS),
        _class("intake_valve_aerosol", "Intake valve aerosol", "amine detergent in solvent, drawn in running", "amine aromatics flammable leaves_film ingested catalyst_safe", ("running_ingestion",), 0.030, "", SOLVENT, "old oil after its oil change"),
        _class("egr_cleaner", "Soot remover, metal only", "foaming or solvent soot remover", "metal_only leaves_film flammable aromatics", SPRAYED, 0.014, "aromatics", (*SOLVENT, "mask for soot"), "wash water and rags with soot"),
        _class("soot_flush_waterbased", "Soot flush, water-based", "alkaline surfactant in water", "water_based alkaline leaves_film ingested catalyst_safe", ("direct_spray", "on_brush", "running_ingestion"), 0.012, "water", ("glasses", "chemical gloves"), "wash water: caught, not into the drain"),
        _class("fuel_system_additive", "Fuel system additive", "polyether amine in fuel", "fuel_dosed amine flammable catalyst_safe", ("running_ingestion",), 0.040, "", NITRILE),
        _class("bath_detergent", "Bath detergent", "alkaline, aqueous, ultrasonic, heated", "water_based alkaline leaves_film", ("bath",), 0.002, "water", ("face shield", "chemical gloves"), "spent bath: by local rule"),
        _class("parts_wash_solvent", "Parts wash solvent", "high-flash mineral spirit", "alkanes mineral_oil leaves_film flammable", ("on_brush", "on_cloth", "bath", "drip_soak"), 0.004, "alkanes", SOLVENT, "spent solvent: by local rule"),
        _class("soap_and_water", "Soap and water", "mild soap", "water_based plastic_safe aluminium_safe", ("on_cloth", "on_brush", "bath", "direct_spray"), 0.001, "water", ("glasses",), "wash water"),
        _class("blast_walnut", "Shell grit", "crushed shell, blown and vacuumed", "abrasive", ("blast",), 0.002, "", ("shield", "mask with fine filter", "ear protection"), "shell with oil and carbon"),
        _class("penetrating_oil", "Penetrating oil", "light mineral oil in solvent", "assembly_aid mineral_oil leaves_film flammable", ("drip_soak", "direct_spray", "on_cloth"), 0.020, "", NITRILE, RAGS),
        _class("silicone_grease", "Silicone grease", "silicone", "assembly_aid silicone leaves_film", ("on_cloth",), 0.080, "", NITRILE),
        _class("light_oil", "Light oil", "mineral oil", "assembly_aid mineral_oil leaves_film", ("drip_soak", "on_cloth"), 0.020, "", NITRILE),
        _class("threadlocker_medium", "Threadlocker, medium", "anaerobic resin", "assembly_aid leaves_film", ("drip_soak",), 0.400, "", NITRILE),
    )
}  # fmt: skip

DRYING_MINUTES = {"maf_sensor": 15.0, "secondary_air_flow_sensor": 15.0, "throttle_body": 5.0, "intake_manifold": 30.0}
"""Base minutes at 20 C by part; pressure sensors ten, everything else five (project defaults; a label that says more wins)."""


def subject_of(component: str) -> Subject:
    """A kind of component as the rules see it.

    Raises
    ------
    KeyError
        No such kind.
    """
    kind = COMPONENTS[component]
    minutes = DRYING_MINUTES.get(component, 10.0 if "membrane" in kind.features else 5.0)
    return Subject(component, frozenset(kind.features), minutes)
