"""What is found on the way: the steps that each find adds, and what it does besides."""

from galene.core.airpath.family import EngineFamily
from galene.core.planning.case import FindKind
from galene.knowledge.documents import read

KINDS: tuple[FindKind, ...] = read("found.toml", tuple[FindKind, ...], "kinds")
FOUND: dict[str, FindKind] = {k.id: k for k in KINDS}


def finds_of(family: EngineFamily) -> dict[str, FindKind]:
    """What may be found on an engine."""
    return {k: f for k, f in FOUND.items() if f.possible_on(family)}
