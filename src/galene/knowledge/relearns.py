"""Relearn templates, to be overridden per engine family."""

from collections.abc import Mapping
from dataclasses import replace

from galene.core.airpath.family import EngineFamily
from galene.core.proof.relearn import Guard, RelearnTemplate
from galene.knowledge.documents import table

GUARDS: dict[str, Guard] = table("relearns.toml", Guard, "guards")
"""Guards that a hold may ask for."""

RELEARNS: dict[str, RelearnTemplate] = table("relearns.toml", RelearnTemplate, "relearns")


READINESS = RELEARNS["readiness_drive"]
"""What each monitor needs. Offered, never asked for: it may take the owner's own days."""


COOLANT_GUARDS = frozenset({"coolant", "coolant_high", "coolant_open", "fan"})
"""Guards that an engine without coolant does not have."""
WARM_BY_AIR = "Ridden or idled for ten minutes"


def with_holds(
    family: EngineFamily, relearn_id: str, relearns: Mapping[str, RelearnTemplate]
) -> RelearnTemplate:
    """A template as it is on this engine: its own hold minutes, its battery's volts, no coolant
    where air cools it."""
    template = relearns[relearn_id]
    by_air = family.cooling == "air"
    conditions = tuple(
        (name, WARM_BY_AIR if by_air and name == "warm" else _volts(text, family.battery_v))
        for name, text in template.conditions
    )
    phases = tuple(
        replace(
            p,
            hold_minutes=family.relearn_holds.get(p.id, p.hold_minutes),
            guards=tuple(
                replace(g, text=_volts(g.text, family.battery_v))
                for g in p.guards
                if not (by_air and g.id in COOLANT_GUARDS)
            ),
        )
        for p in template.phases
    )
    return replace(template, conditions=conditions, phases=phases)


def _volts(text: str, battery_v: float) -> str:
    """A text that names the least volts of a 12 V battery, for another."""
    return text.replace("12.2 V", f"{12.2 * battery_v / 12:.1f} V")
