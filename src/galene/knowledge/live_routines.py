"""Routines of a control unit that belong to a relearn's holds: what must hold before one is begun
from the page, and what is asked of who stands at the car.

Only those are begun from the page whose danger can be said in a few words; what the maker's own
procedure asks beyond them stands in the service information and goes first.
"""

from dataclasses import dataclass

from galene.core.airpath.family import EngineFamily
from galene.knowledge.commanded_tests import Lamp
from galene.knowledge.documents import read


@dataclass(frozen=True, kw_only=True)
class LiveRoutine:
    """A routine that a hold begins with.

    Parameters
    ----------
    relearn, hold : the relearn and its hold
    routine : its name in the car's document
    button : what the page's control says
    lamps : what the program reads before
    asks : what who stands at the car must have seen to, by id
    ends : how it is broken off
    """

    relearn: str
    hold: str
    routine: str
    button: str
    lamps: tuple[Lamp, ...]
    asks: tuple[tuple[str, str], ...]
    ends: str


ROUTINES = read("live_routines.toml", tuple[LiveRoutine, ...], "routines")


def routine_of(family: EngineFamily, template_id: str, phase_id: str) -> LiveRoutine | None:
    """The routine of a hold, where the car's document names it."""
    own = (r for r in ROUTINES if (r.relearn, r.hold) == (template_id, phase_id))
    found = next(own, None)
    named = {e.name for e in family.bus if e.kind == "routine"}
    return found if found is not None and found.routine in named else None
