"""Kinds of component, deposit kinds and grades: the words that every screen uses."""

from dataclasses import dataclass

from galene.core.airpath.access import Beside
from galene.core.airpath.family import EngineFamily
from galene.core.airpath.natures import tell_kinds
from galene.knowledge.documents import by_kind, read


@dataclass(frozen=True, kw_only=True)
class ComponentKind:
    """A kind of component: its name, one sentence that tells it from parts with a like name, what
    chemistry looks at.

    `nature` is what it is in the words of `core/airpath/natures.py`; an engine has `once` ones at
    most once.
    """

    id: str
    title: str
    what: str
    features: tuple[str, ...] = ()
    nature: tuple[str, ...] = ()
    once: bool = False
    ruined_as: str = ""
    """The cause that a wrong agent makes of it at once."""
    drawn: str = ""
    """The section in which it is drawn; a plain duct or stalk where there is none."""

    @property
    def sensor(self) -> bool:
        """Whether it is electronics on a stalk."""
        return "sensor" in self.nature


COMPONENTS: dict[str, ComponentKind] = by_kind(ComponentKind, "kind")
tell_kinds({k: c.nature for k, c in COMPONENTS.items()})
BESIDE = read("beside.toml", tuple[Beside, ...], "beside")
"""Kinds of part that are worth a look together."""

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
