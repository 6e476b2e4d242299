"""What a step uses up or has in hand: tools and drivers, spares, agents, and the aids that cover a
mouth or are laid in it."""

from collections import Counter
from dataclasses import dataclass
from typing import Literal

from galene.core.planning.records import Step

AIDS = {"cover": "clean caps", "tape": "masking tape", "rag inside": "counted cloths"}
"""Kind of item to what lies ready for it."""
BY_HAND = "fingers"


@dataclass(frozen=True, kw_only=True)
class Used:
    """A tool, a spare, an agent or an aid, with how many or how many millilitres."""

    id: str
    kind: Literal["tool", "spare", "agent", "aid"]
    count: int = 1
    ml: float = 0.0


def uses_of(step: Step) -> tuple[Used, ...]:
    """Everything that a step uses: its tools and what turns its fasteners, its spares, its agent
    by the millilitre, an aid for each mouth that it covers or lays something into."""
    tools = dict.fromkeys((*step.tools, *step.drivers))
    aids = Counter(AIDS[i.kind] for i in step.opens if i.inside and i.kind in AIDS)
    agent = step.agent
    return (
        *(Used(id=t, kind="tool") for t in tools if t != BY_HAND),
        *(Used(id=s, kind="spare", count=n) for s, n in Counter(step.consumes).items()),
        *((Used(id=agent.class_id, kind="agent", ml=agent.ml),) if agent else ()),
        *(Used(id=a, kind="aid", count=n) for a, n in aids.items()),
    )
