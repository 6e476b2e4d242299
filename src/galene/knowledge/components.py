"""Kinds of component, deposit kinds and grades: the words that every screen uses."""

from dataclasses import dataclass

from galene.core.airpath.family import EngineFamily
from galene.knowledge.documents import by_kind, read


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


COMPONENTS: dict[str, ComponentKind] = by_kind(ComponentKind, "kind")

DEPOSIT_KINDS: dict[str, str] = read("deposits.toml", dict[str, str], "kinds")


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
