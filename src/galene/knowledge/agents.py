"""Classes of agent: what they are made of as the rules read it, the ways they are made for, price,
protection, waste."""

from dataclasses import dataclass

from galene.core.chemistry.judge import Agent, Subject
from galene.knowledge.components import COMPONENTS
from galene.knowledge.documents import table


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


AGENTS: dict[str, AgentClass] = table("agents.toml", AgentClass, "agents")

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
