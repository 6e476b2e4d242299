"""Classes of agent, as the plan's methods name them."""

from dataclasses import dataclass


@dataclass(frozen=True)
class AgentClass:
    """A class of agent with the price of a millilitre, for the quote, and what its user wears."""

    id: str
    title: str
    price_per_ml: float
    protection: tuple[str, ...]


AGENTS: dict[str, AgentClass] = {
    a.id: a
    for a in (
        AgentClass("maf_cleaner", "Meter cleaner, residue-free", 0.030, ("glasses", "nitrile gloves")),
        AgentClass("contact_cleaner", "Contact cleaner, plastic-safe", 0.026, ("glasses", "nitrile gloves")),
        AgentClass("throttle_cleaner", "Throttle cleaner, coating-safe", 0.018, ("glasses", "solvent-proof gloves")),
        AgentClass("egr_cleaner", "Soot remover, metal only", 0.014, ("glasses", "solvent-proof gloves", "mask for soot")),
        AgentClass("soap_and_water", "Soap and water", 0.001, ("glasses",)),
    )
}
