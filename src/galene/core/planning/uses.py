"""What a step uses up or has in hand: tools, spares, agents, and the aids that cover and wipe."""

from collections import Counter
from dataclasses import dataclass

from galene.core.planning.records import Step

AIDS = {"cover": "cap", "tape": "tape", "rag inside": "cloth", "tool inside": "wedge"}
"""Kind of item to the aid that is laid over or into a mouth by it."""


@dataclass(frozen=True, kw_only=True)
class Used:
    """A tool, a spare, an agent or an aid, with how many or how much."""

    id: str
    count: int = 1
    ml: float = 0.0


def uses_of(step: Step) -> tuple[Used, ...]:
    """Everything that a step uses: its tools, its spares, its agent by the millilitre, an aid for
    each mouth that it covers or lays something into."""
    aids = Counter(AIDS[i.kind] for i in step.opens if i.inside and i.kind in AIDS)
    agent = (Used(id=step.agent.class_id, ml=step.agent.ml),) if step.agent else ()
    return (
        *(Used(id=tool) for tool in dict.fromkeys(step.tools)),
        *(Used(id=spare, count=n) for spare, n in Counter(step.consumes).items()),
        *agent,
        *(Used(id=aid, count=n) for aid, n in aids.items()),
    )
