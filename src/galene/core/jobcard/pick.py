"""The pick list: what must be at hand before the first step is done."""

from collections.abc import Sequence

from galene.core.chemistry.judge import PROPERTIES
from galene.core.planning.document import Bill


def pick_list(bill: Bill) -> dict[str, str]:
    """Spares, agents and tools of a bill, id to words."""
    spares = {f"spare:{s.id}": f"{s.name}, {s.number}" if s.number else s.name for s in bill.spares}
    agents = {
        f"agent:{a.class_id}": f"{a.title}, {a.ml:.0f} ml{label_words(a.label)}"
        for a in bill.agents
    }
    return {**spares, **agents, **{f"tool:{t}": t for t in bill.tools}}


def label_words(label: Sequence[str]) -> str:
    """What a product's label must affirm, as words behind its name."""
    return f", {', '.join(PROPERTIES[word] for word in label)}" if label else ""
