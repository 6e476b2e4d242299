"""Hazards of this trade, by the marks of a step, check or relearn phase, and by worksheet."""

from galene.core.airpath.family import EngineFamily
from galene.core.diagnosis.records import Check
from galene.core.planning.car import Car
from galene.core.planning.hazards import Hazard, cautions_at
from galene.core.planning.records import StateWords, Step
from galene.core.planning.words import Engine
from galene.core.proof.relearn import Phase
from galene.knowledge.documents import read

HAZARDS: tuple[Hazard, ...] = read("hazards.toml", tuple[Hazard, ...], "hazards")
"""What every step of every plan, check and phase is held against, a foreman's own too."""
WORKSHEET_HAZARDS: dict[str, tuple[str, ...]] = read(
    "hazards.toml", dict[str, tuple[str, ...]], "worksheets"
)
"""Calculation to what can hurt where its figures are taken or used."""


def cautions_of_phase(relearn_id: str, phase: Phase, family: EngineFamily) -> tuple[str, ...]:
    """What can hurt in one phase of a relearn on an engine."""
    engine: Engine = "running" if phase.engine_on else "ignition"
    step = Step(
        id=phase.id,
        text="",
        phase="relearn",
        minutes=phase.hold_minutes,
        relearn=relearn_id,
        acts=phase.acts,
        does=StateWords(engine=engine),
    )
    return cautions_at(step, family, HAZARDS, Car(heat="warm" if phase.engine_on else "cold"))


def cautions_of_check(check: Check, family: EngineFamily) -> tuple[str, ...]:
    """What can hurt at a check on an engine, besides what its way in asks."""
    part = next((p.id for k in check.components for p in family.parts if p.component == k), "")
    running = check.engine == "running"
    step = Step(
        id=check.id,
        text="",
        phase="safe",
        minutes=check.minutes,
        part=part,
        acts=check.acts,
        tools=check.needs,
        needs=StateWords(engine=check.engine or "off"),  # type: ignore[arg-type]
    )
    return cautions_at(step, family, HAZARDS, Car(heat="warm" if running else "cold"))
