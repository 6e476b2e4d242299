"""Classes of agent: what they are made of as the rules read it, the ways they are made for, price,
protection, waste."""

from dataclasses import dataclass

from galene.core.chemistry.judge import Agent, Subject
from galene.knowledge.components import COMPONENTS


@dataclass(frozen=True, kw_only=True)
class AgentClass:
    """A class of agent: typical make-up, the price of a millilitre for the quote, what its waste
    is."""

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
    id_: str,
    title: str,
    make_up: str,
    *,
    properties: str,
    ways: tuple[str, ...],
    price: float,
    drying: str,
    protection: tuple[str, ...],
    waste: str = "",
) -> AgentClass:
    return AgentClass(
        agent=Agent(
            id=id_,
            title=title,
            properties=frozenset(properties.split()),
            ways=frozenset(ways),
            drying=drying,
            protection=protection,
        ),
        make_up=make_up,
        price_per_ml=price,
        waste=waste,
    )


RAGS = "rags with solvent: lidded metal bin"
AGENTS: dict[str, AgentClass] = {
    a.id: a
    for a in (
        _class(
            "maf_cleaner",
            "Meter cleaner, residue-free",
            "light alkanes, some alcohol",
            properties="residue_free plastic_safe flammable alkanes",
            ways=("direct_spray", "on_cloth", "on_brush"),
            price=0.030,
            drying="alkanes",
            protection=NITRILE,
            waste=RAGS,
        ),
        _class(
            "contact_cleaner",
            "Contact cleaner, plastic-safe",
            "light alkanes or fluorinated, plastic-safe grade",
            properties="residue_free plastic_safe flammable alkanes",
            ways=("direct_spray", "on_cloth", "on_brush"),
            price=0.026,
            drying="alkanes",
            protection=NITRILE,
            waste=RAGS,
        ),
        _class(
            "isopropanol",
            "Isopropanol, high purity",
            "2-propanol",
            properties="residue_free plastic_safe flammable",
            ways=SPRAYED,
            price=0.008,
            drying="2-propanol",
            protection=NITRILE,
            waste=RAGS,
        ),
        _class(
            "throttle_cleaner",
            "Throttle cleaner, mild",
            "mild aromatics, ketone in part; coating-safe grades exist",
            properties="aromatics flammable leaves_film",
            ways=SPRAYED,
            price=0.018,
            drying="aromatics",
            protection=SOLVENT,
            waste=RAGS,
        ),
        _class(
            "carburettor_cleaner",
            "Carburettor cleaner, strong",
            "strong ketones and aromatics",
            properties="ketones aromatics flammable leaves_film",
            ways=SPRAYED,
            price=0.012,
            drying="aromatics",
            protection=SOLVENT,
            waste=RAGS,
        ),
        _class(
            "brake_cleaner_chlorinated",
            "Brake cleaner, chlorinated",
            "chlorinated solvent",
            properties="chlorinated residue_free",
            ways=SPRAYED,
            price=0.009,
            drying="acetone",
            protection=(*SOLVENT, "respirator, type AX"),
            waste="halogenated solvent: a bin of its own",
        ),
        _class(
            "brake_cleaner_flammable",
            "Brake cleaner, flammable",
            "heptane, acetone, alcohol mixes",
            properties="residue_free flammable alkanes ketones",
            ways=SPRAYED,
            price=0.007,
            drying="acetone",
            protection=SOLVENT,
            waste=RAGS,
        ),
        _class(
            "intake_valve_aerosol",
            "Intake valve aerosol",
            "amine detergent in solvent, drawn in running",
            properties="amine aromatics flammable leaves_film ingested catalyst_safe",
            ways=("running_ingestion",),
            price=0.030,
            drying="",
            protection=SOLVENT,
            waste="old oil after its oil change",
        ),
        _class(
            "egr_cleaner",
            "Soot remover, metal only",
            "foaming or solvent soot remover",
            properties="metal_only leaves_film flammable aromatics",
            ways=SPRAYED,
            price=0.014,
            drying="aromatics",
            protection=(*SOLVENT, "mask for soot"),
            waste="wash water and rags with soot",
        ),
        _class(
            "soot_flush_waterbased",
            "Soot flush, water-based",
            "alkaline surfactant in water",
            properties="water_based alkaline leaves_film ingested catalyst_safe",
            ways=("direct_spray", "on_brush", "running_ingestion"),
            price=0.012,
            drying="water",
            protection=("glasses", "chemical gloves"),
            waste="wash water: caught, not into the drain",
        ),
        _class(
            "fuel_system_additive",
            "Fuel system additive",
            "polyether amine in fuel",
            properties="fuel_dosed amine flammable catalyst_safe",
            ways=("running_ingestion",),
            price=0.040,
            drying="",
            protection=NITRILE,
        ),
        _class(
            "bath_detergent",
            "Bath detergent",
            "alkaline, aqueous, ultrasonic, heated",
            properties="water_based alkaline leaves_film",
            ways=("bath",),
            price=0.002,
            drying="water",
            protection=("face shield", "chemical gloves"),
            waste="spent bath: by local rule",
        ),
        _class(
            "parts_wash_solvent",
            "Parts wash solvent",
            "high-flash mineral spirit",
            properties="alkanes mineral_oil leaves_film flammable",
            ways=("on_brush", "on_cloth", "bath", "drip_soak"),
            price=0.004,
            drying="alkanes",
            protection=SOLVENT,
            waste="spent solvent: by local rule",
        ),
        _class(
            "soap_and_water",
            "Soap and water",
            "mild soap",
            properties="water_based plastic_safe aluminium_safe",
            ways=("on_cloth", "on_brush", "bath", "direct_spray"),
            price=0.001,
            drying="water",
            protection=("glasses",),
            waste="wash water",
        ),
        _class(
            "blast_walnut",
            "Shell grit",
            "crushed shell, blown and vacuumed",
            properties="abrasive",
            ways=("blast",),
            price=0.002,
            drying="",
            protection=("shield", "mask with fine filter", "ear protection"),
            waste="shell with oil and carbon",
        ),
        _class(
            "penetrating_oil",
            "Penetrating oil",
            "light mineral oil in solvent",
            properties="assembly_aid mineral_oil leaves_film flammable",
            ways=("drip_soak", "direct_spray", "on_cloth"),
            price=0.020,
            drying="",
            protection=NITRILE,
            waste=RAGS,
        ),
        _class(
            "silicone_grease",
            "Silicone grease",
            "silicone",
            properties="assembly_aid silicone leaves_film",
            ways=("on_cloth",),
            price=0.080,
            drying="",
            protection=NITRILE,
        ),
        _class(
            "light_oil",
            "Light oil",
            "mineral oil",
            properties="assembly_aid mineral_oil leaves_film",
            ways=("drip_soak", "on_cloth"),
            price=0.020,
            drying="",
            protection=NITRILE,
        ),
        _class(
            "threadlocker_medium",
            "Threadlocker, medium",
            "anaerobic resin",
            properties="assembly_aid leaves_film",
            ways=("drip_soak",),
            price=0.400,
            drying="",
            protection=NITRILE,
        ),
    )
}

DRYING_MINUTES = {
    "maf_sensor": 15.0,
    "secondary_air_flow_sensor": 15.0,
    "throttle_body": 5.0,
    "intake_manifold": 30.0,
}
"""Base minutes at 20 C by part; pressure sensors ten, everything else five (project defaults; a
label that says more wins)."""


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
