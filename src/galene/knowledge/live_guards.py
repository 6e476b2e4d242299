"""Which guards of a relearn a car can tell itself, which state each hold asks of it, and by what a
relearn's success is measured."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from galene.core.airpath.family import EngineFamily
from galene.core.proof.live_hold import GuardLimit, Wanted
from galene.core.proof.relearn import Phase
from galene.knowledge.documents import read

LIMITS: Mapping[str, GuardLimit] = read("live.toml", dict[str, GuardLimit], "limits")
"""Guards that figures tell of. How long a break lasts before it counts keeps a single noisy sample
from beginning a hold anew (this project's judgement). A fan, a load and what happens in the bay no
car tells: they are tapped."""


def limits_of(family: EngineFamily, phase: Phase) -> tuple[GuardLimit, ...]:
    """The guards of a hold that this car can tell.

    Parameters
    ----------
    phase : the hold
    """
    asked = [LIMITS[g.id] for g in phase.guards if g.id in LIMITS]
    return tuple(limit for limit in asked if limit.guard != "pedal" or family.throttle != "cable")


def wanted_in(phase: Phase) -> Wanted:
    """The state of the car that a hold asks for."""
    if phase.engine_on:
        return "running"
    return "silent" if phase.id == "key_off" else "key_on"


@dataclass(frozen=True, kw_only=True)
class Aim:
    """A figure by which a relearn's success is measured: between two ends, or inside the family's
    band of that name."""

    column: str
    label: str
    quantity: str
    band: str = ""
    low: float | None = None
    high: float | None = None


SPEED = Aim(column="rpm", label="Idle speed", quantity="speed", band="idle_rpm")
OPENING = Aim(
    column="throttle_pct",
    label="Throttle opening",
    quantity="share",
    band="learned_throttle_percent",
)
AIMS: Mapping[str, Sequence[Aim]] = {
    "throttle_manual": (SPEED, OPENING),
    "throttle_guided": (SPEED, OPENING),
    "cable_none": (SPEED,),
    "memory_reset": (SPEED,),
    "egr_valve_zero": (
        Aim(
            column="egr_position_pct",
            label="Valve shut",
            quantity="share",
            low=-1.0,
            high=1.5,
        ),
    ),
    "particulate_burn_off": (
        Aim(column="soot_pct", label="Soot in the filter", quantity="share", low=0, high=25),
    ),
    "differential_zero": (
        Aim(column="dp_pa", label="Pressure drop", quantity="pressure_drop", low=-60, high=60),
    ),
}
"""By what each relearn is measured; one that is not listed is judged by who stands there. No code
that is pending or stored belongs to each. A filter counts as burned off up to a quarter of its load
(project default)."""
OWN_FIGURES = ("soot_pct",)
"""Columns that OBD does not carry: only a car's own document names them."""


def aims_of(family: EngineFamily, template_id: str) -> tuple[Aim, ...]:
    """The aims of a relearn on this engine with their ends; one without ends is left out.

    Parameters
    ----------
    family : with the bands that are in force
    """
    named = {e.name for e in family.bus if e.kind == "figure"}
    found = []
    for aim in AIMS.get(template_id, ()):
        if aim.column in OWN_FIGURES and aim.column not in named:
            continue
        band = family.bands.get(aim.band) if aim.band else None
        if aim.band and band is None:
            continue
        found.append(replace(aim, low=band.low, high=band.high) if band else aim)
    return tuple(found)
