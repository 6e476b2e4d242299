"""Routines of a control unit that belong to a relearn's holds: what must hold before one is begun
from the page, and what is asked of who stands at the car.

Only those are begun from the page whose danger can be said in a few words; what the maker's own
procedure asks beyond them stands in the service information and goes first.
"""

from collections.abc import Mapping
from dataclasses import dataclass

from galene.core.airpath.family import EngineFamily
from galene.knowledge.commanded_tests import ENGINE_OFF, ENOUGH_VOLTS, IDLES, STANDS, WARM, Lamp


@dataclass(frozen=True, kw_only=True)
class LiveRoutine:
    """A routine that a hold begins with.

    Parameters
    ----------
    routine : its name in the car's document
    button : what the page's control says
    lamps : what the program reads before
    asks : what who stands at the car must have seen to, by id
    ends : how it is broken off
    """

    routine: str
    button: str
    lamps: tuple[Lamp, ...]
    asks: tuple[tuple[str, str], ...]
    ends: str


SOOT_BURNS = Lamp(
    id="soot", text="Soot in the filter", column="soot_pct", quantity="share", low=0, high=90
)
"""More soot than the control unit itself would burn off melts a filter (project default; the
service information's own limit goes first)."""
ROUTINES: Mapping[tuple[str, str], LiveRoutine] = {
    ("egr_valve_zero", "key_on"): LiveRoutine(
        routine="egr_valve_zero",
        button="Begin the zero from here",
        lamps=(STANDS, ENGINE_OFF, ENOUGH_VOLTS),
        asks=(("fingers", "Hands and tools are off the valve and its linkage"),),
        ends="Ignition off breaks it off.",
    ),
    ("particulate_burn_off", "heat"): LiveRoutine(
        routine="regeneration",
        button="Begin the burn-off from here",
        lamps=(STANDS, WARM, IDLES, ENOUGH_VOLTS, SOOT_BURNS),
        asks=(
            ("outside", "It stands outside, nothing that burns is under or behind it"),
            ("watched", "Somebody stays with it and keeps people off the tailpipe"),
            ("brake", "Brake on, gear in neutral"),
        ),
        ends="Ignition off breaks it off: the filter stays hot for half an hour.",
    ),
}
"""By relearn and hold."""


def routine_of(family: EngineFamily, template_id: str, phase_id: str) -> LiveRoutine | None:
    """The routine of a hold, where the car's document names it."""
    found = ROUTINES.get((template_id, phase_id))
    named = {e.name for e in family.bus if e.kind == "routine"}
    return found if found is not None and found.routine in named else None
