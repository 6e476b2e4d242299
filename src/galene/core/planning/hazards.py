"""What can hurt at a step, known by its marks: the state of the car, what the hand does, tools,
agent, part; not by who wrote it, nor in which words."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from galene.core.airpath.family import EngineFamily
from galene.core.planning.car import Car, after
from galene.core.planning.records import AgentUse, Step


@dataclass(frozen=True, kw_only=True)
class Hazard:
    """What a caution warns of, and by what of a step it is known; of the marks that are set, one is
    enough.

    Parameters
    ----------
    caution : id of the caution that the step must carry
    acts : deeds
    acts_inside : deeds where they go through a mouth of the engine
    tools : names of tools
    properties : of the agent, where it is not only drawn in by the running engine
    ways : of the agent
    engines : states of the engine in which the step is done
    kinds : of act, as a road run
    relearns : ids of relearns
    fuel_line, coolant : the step opens a fuel line, lowers the coolant or fills it
    inside : the step lays something into a mouth or takes it out, or bares a way into a cylinder
    cools : the step waits until the engine is cold
    cold : it opens what is touched cold only
    warm_hands : deeds by which a hand reaches in at a warm engine
    fuels, injections, coolings : of the engines on which it holds, all where empty
    parts, features : kinds and features of the part at which it holds, likewise
    """

    caution: str
    acts: frozenset[str] = frozenset()
    acts_inside: frozenset[str] = frozenset()
    tools: frozenset[str] = frozenset()
    properties: frozenset[str] = frozenset()
    ways: frozenset[str] = frozenset()
    engines: frozenset[str] = frozenset()
    kinds: frozenset[str] = frozenset()
    relearns: frozenset[str] = frozenset()
    fuel_line: bool = False
    coolant: bool = False
    inside: bool = False
    cools: bool = False
    cold: bool = False
    warm_hands: frozenset[str] = frozenset()
    fuels: frozenset[str] = frozenset()
    injections: frozenset[str] = frozenset()
    coolings: frozenset[str] = frozenset()
    parts: frozenset[str] = frozenset()
    features: frozenset[str] = frozenset()

    def holds(self, seen: "Seen", family: EngineFamily) -> bool:
        """Whether this can hurt at what is seen of a step."""
        return self._marked(seen) and self._at(seen, family)

    def _at(self, seen: "Seen", family: EngineFamily) -> bool:
        return (
            (not self.fuels or family.fuel in self.fuels)
            and (not self.injections or family.injection in self.injections)
            and (not self.coolings or family.cooling in self.coolings)
            and (not self.parts or seen.component in self.parts)
            and (not self.features or not self.features.isdisjoint(seen.features))
        )

    def _marked(self, seen: "Seen") -> bool:
        step = seen.step
        return bool(
            (self.acts and not self.acts.isdisjoint(step.acts))
            or (self.acts_inside and step.through and not self.acts_inside.isdisjoint(step.acts))
            or (self.tools and not self.tools.isdisjoint(step.tools))
            or (step.agent and self._by_agent(step.agent))
            or (self.engines and seen.engine in self.engines)
            or (self.kinds and step.act in self.kinds)
            or (self.relearns and step.relearn in self.relearns)
            or (self.fuel_line and step.does.fuel_line == "opened")
            or (self.coolant and step.does.coolant is not None)
            or (self.inside and seen.inside)
            or (self.cools and step.does.heat == "cold")
            or (self.cold and step.phase == "open" and step.needs.heat == "cold")
            or (self.warm_hands and seen.warm and not self.warm_hands.isdisjoint(step.acts))
        )

    def _by_agent(self, agent: AgentUse) -> bool:
        outside = agent.way != "running_ingestion"
        return agent.way in self.ways or (
            outside and not self.properties.isdisjoint(agent.properties)
        )


@dataclass(frozen=True, kw_only=True)
class Seen:
    """A step with what its car and its part say: state of the engine, whether it is warm, whether
    it lays something into a mouth or takes it out, the part's kind and features."""

    step: Step
    engine: str
    warm: bool
    inside: bool
    component: str = ""
    features: tuple[str, ...] = ()


def _inside(step: Step, car: Car) -> bool:
    opened = any(i.inside and _laid_in(i.kind) for i in step.opens)
    closed = (car.open[c] for c in step.closes if c in car.open)
    return opened or any(i.inside and (_laid_in(i.kind) or i.dangerous) for i in closed)


def _laid_in(kind: str) -> bool:
    return kind.endswith(" inside")


def engine_during(step: Step, car: Car) -> str:
    """State of the engine while the step is done: what it brings about, else what it needs, else
    as it was."""
    return step.does.engine or step.needs.engine or car.engine


def cautions_at(
    step: Step, family: EngineFamily, hazards: Sequence[Hazard], car: Car
) -> tuple[str, ...]:
    """A caution for everything at a step that can hurt, each once."""
    part = family.part(step.part) if step.part else None
    seen = Seen(
        step=step,
        engine=engine_during(step, car),
        warm="warm" in (car.heat, step.does.heat),
        inside=_inside(step, car),
        component=part.component if part else "",
        features=part.features if part else (),
    )
    return tuple(dict.fromkeys(h.caution for h in hazards if h.holds(seen, family)))


def warned(step: Step, family: EngineFamily, hazards: Sequence[Hazard], car: Car) -> Step:
    """The step with what can hurt at it, on the car as it stands before it; what a workshop has
    written of its own goes first."""
    found = tuple(dict.fromkeys((*step.cautions, *cautions_at(step, family, hazards, car))))
    return replace(step, cautions=found) if found != step.cautions else step


def all_warned(
    steps: Sequence[Step], family: EngineFamily, hazards: Sequence[Hazard], car: Car
) -> list[Step]:
    """Steps in their order, each with what can hurt at it as the car then stands."""
    found = []
    for step in steps:
        found.append(warned(step, family, hazards, car))
        car = after(car, step)
    return found
