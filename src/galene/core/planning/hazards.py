"""What can hurt at a step, known by its marks: the state of the car, what the hand does, tools,
agent, part; not by who wrote it, nor in which words."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property

from galene.core.airpath.family import EngineFamily, Part
from galene.core.planning.car import Car, after
from galene.core.planning.records import Step


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

    @cached_property
    def marks(self) -> frozenset[str]:
        """All by which it is known, each in the words of `marks_seen`."""
        lists = {
            "act": self.acts,
            "inside": self.acts_inside,
            "tool": self.tools,
            "property": self.properties,
            "way": self.ways,
            "engine": self.engines,
            "kind": self.kinds,
            "relearn": self.relearns,
            "warm": self.warm_hands,
        }
        flags = {
            "fuel_line": self.fuel_line,
            "coolant": self.coolant,
            "laid_in": self.inside,
            "cools": self.cools,
            "cold": self.cold,
        }
        words = {f"{kind}:{name}" for kind, names in lists.items() for name in names}
        return frozenset(words | {flag for flag, is_set in flags.items() if is_set})

    def on(self, family: EngineFamily) -> bool:
        """Whether it can come on an engine at all."""
        return (
            (not self.fuels or family.fuel in self.fuels)
            and (not self.injections or family.injection in self.injections)
            and (not self.coolings or family.cooling in self.coolings)
        )

    def at(self, part: Part | None) -> bool:
        """Whether it can come at a part."""
        return (not self.parts or (part is not None and part.component in self.parts)) and (
            not self.features or (part is not None and not self.features.isdisjoint(part.features))
        )


def marks_seen(step: Step, car: Car) -> frozenset[str]:
    """All of a step by which a hazard may be known, on the car as it stands before it."""
    found = {f"engine:{engine_during(step, car)}", f"kind:{step.act}", f"relearn:{step.relearn}"}
    found.update(f"tool:{tool}" for tool in step.tools)
    warm = "warm" in (car.heat, step.does.heat)
    for act in step.acts:
        found.add(f"act:{act}")
        if step.through:
            found.add(f"inside:{act}")
        if warm:
            found.add(f"warm:{act}")
    if step.agent:
        found.add(f"way:{step.agent.way}")
        if step.agent.way != "running_ingestion":
            found.update(f"property:{p}" for p in step.agent.properties)
    flags = {
        "fuel_line": step.does.fuel_line == "opened",
        "coolant": step.does.coolant is not None,
        "laid_in": _inside(step, car),
        "cools": step.does.heat == "cold",
        "cold": step.phase == "open" and step.needs.heat == "cold",
    }
    found.update(flag for flag, is_set in flags.items() if is_set)
    return frozenset(found)


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
    seen = marks_seen(step, car)
    found = (
        h.caution for h in hazards if not h.marks.isdisjoint(seen) and h.on(family) and h.at(part)
    )
    return tuple(dict.fromkeys(found))


def warned(step: Step, family: EngineFamily, hazards: Sequence[Hazard], car: Car) -> Step:
    """The step with what can hurt at it, on the car as it stands before it; what a workshop has
    written of its own goes first."""
    found = tuple(dict.fromkeys((*step.own_cautions, *cautions_at(step, family, hazards, car))))
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
