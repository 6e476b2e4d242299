"""The JSON contract of scopes: parts to reach in, what must come off and how long it takes out."""

from collections.abc import Mapping
from typing import Annotated, Any

from pydantic import Field

from galene.core.airpath.access import scope
from galene.core.airpath.family import EngineFamily
from galene.core.errors import InputError
from galene.exchange.shapes import Names, Strict, shaped
from galene.knowledge.components import BESIDE
from galene.knowledge.families import FAMILIES


class ScopeFile(Strict):
    """Parts to reach, and what is open already."""

    family: str
    components: Annotated[Names, Field(min_length=1)]
    open: Names = Field(default_factory=list)


def scope_of(given: Any, families: Mapping[str, EngineFamily] = FAMILIES) -> Any:
    """Access for a set of parts; `families` are the workshop's own where there are any.

    Raises
    ------
    InputError
        Unknown family, part or operation, naming it.
    """
    wanted = shaped(ScopeFile, given)
    if wanted.family not in families:
        raise InputError("family", wanted.family, ", ".join(families))
    found = scope(families[wanted.family], wanted.components, wanted.open, beside=BESIDE)
    return {
        "operations": [
            {
                "id": o.id,
                "minutes_off": o.minutes_off,
                "minutes_on": o.minutes_on,
                "opens": [x.what for x in o.opens],
                "parts": list(o.consumes),
            }
            for o in found.operations
        ],
        "hands_on_minutes": found.hands_on_minutes,
        "marginal": dict(found.marginal),
        "suggested": [
            {"component": s.component, "minutes": s.minutes, "why": s.why} for s in found.suggested
        ],
    }
