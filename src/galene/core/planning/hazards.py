"""What can hurt at a step, known by what the step does: its state, tools, agent, part; not by who
wrote it."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from galene.core.airpath.family import EngineFamily
from galene.core.planning.records import Step


@dataclass(frozen=True, kw_only=True)
class Hazard:
    """What a caution warns of, and by what of a step it is known; of the marks that are set, one is
    enough.

    Parameters
    ----------
    caution : id of the caution that the step must carry
    tools : words of which one stands in the name of a tool
    properties : of the agent, where it is not only drawn in by the running engine
    ways : of the agent
    engines : states of the engine in which the step is done
    commands : kinds of part that move when they are commanded with the ignition on
    acts : kinds of act, as a road run
    relearns : ids of relearns
    words : of which one stands in the step's text
    fuel_line, coolant : the step opens a fuel line, lowers the coolant or fills it
    fuels : fuels of the engines on which it holds, all where empty; beside the marks
    injections : likewise
    """

    caution: str
    tools: tuple[str, ...] = ()
    properties: frozenset[str] = frozenset()
    ways: frozenset[str] = frozenset()
    engines: frozenset[str] = frozenset()
    commands: frozenset[str] = frozenset()
    acts: frozenset[str] = frozenset()
    relearns: frozenset[str] = frozenset()
    words: tuple[str, ...] = ()
    fuel_line: bool = False
    coolant: bool = False
    fuels: frozenset[str] = frozenset()
    injections: frozenset[str] = frozenset()

    def holds(self, step: Step, family: EngineFamily) -> bool:
        """Whether this can hurt at the step on an engine of the family."""
        if self.fuels and family.fuel not in self.fuels:
            return False
        if self.injections and family.injection not in self.injections:
            return False
        if self.tools and any(word in tool for tool in step.tools for word in self.tools):
            return True
        if self.words and any(word in step.text for word in self.words):
            return True
        return (
            (step.agent is not None and self._by_agent(step))
            or (bool(self.engines) and engine_during(step) in self.engines)
            or (bool(self.commands) and self._commanded(step, family))
            or step.act in self.acts
            or step.relearn in self.relearns
            or (self.fuel_line and step.does.fuel_line == "opened")
            or (self.coolant and step.does.coolant is not None)
        )

    def _by_agent(self, step: Step) -> bool:
        if step.agent is None:
            return False
        outside = step.agent.way != "running_ingestion"
        return step.agent.way in self.ways or (
            outside and bool(self.properties & set(step.agent.properties))
        )

    def _commanded(self, step: Step, family: EngineFamily) -> bool:
        if engine_during(step) != "ignition" or not step.part:
            return False
        return family.part(step.part).component in self.commands


def engine_during(step: Step) -> str:
    """State of the engine while the step is done: what it brings about, else what it needs; empty
    where neither."""
    return step.does.engine or step.needs.engine or ""


def warned(step: Step, family: EngineFamily, hazards: Sequence[Hazard]) -> Step:
    """The step with a caution for everything at it that can hurt, its own first."""
    more = [h.caution for h in hazards if h.caution not in step.cautions and h.holds(step, family)]
    return replace(step, cautions=(*step.cautions, *dict.fromkeys(more))) if more else step
