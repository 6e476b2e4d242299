"""What a plan is made from: the car, the scope, the schools, and what the trade says of treating
it."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Protocol

from galene.core.airpath.family import EngineFamily
from galene.core.chemistry.judge import Agent
from galene.core.planning.hazards import Hazard
from galene.core.planning.procedure import PartProcedure, StepTemplate
from galene.core.planning.records import (
    NOTHING,
    Air,
    Find,
    OwnStep,
    PartWork,
    ProofTest,
    StateWords,
)
from galene.core.proof.relearn import RelearnTemplate


@dataclass(frozen=True, kw_only=True)
class Treatment:
    """How a part is treated: the procedure, the tags that choose its steps, agents that stand in.

    `off` says that the schools want it off the engine.
    """

    part: str
    work: PartWork
    procedure: PartProcedure
    tags: frozenset[str] = frozenset()
    instead: Mapping[str, str] = field(default_factory=dict)
    agent: str = ""
    """The class of agent that it is treated with, as chosen for this part."""
    label: Mapping[str, bool] = field(default_factory=dict)
    """What the label of that agent's product must affirm."""
    off: bool = False

    @property
    def owner(self) -> str:
        """What its steps are named by: the part, or the go that treats several."""
        return self.procedure.component if self.procedure.once else self.part


class Treat(Protocol):
    """The trade's word on treating a part, for a car and its schools."""

    def __call__(self, work: PartWork, *, off: bool, opened: bool) -> Treatment:
        """`off`: the part lies on the bench; `opened`: other work lays it open anyway."""


@dataclass(frozen=True, kw_only=True)
class FindKind:
    """What is found on the way: its steps, and what it does besides."""

    id: str
    title: str
    steps: tuple[StepTemplate, ...] = ()
    needs_cost: bool = False
    needs_retrieved: bool = False
    replaces: bool = False
    stops: str = ""
    joins: tuple[str, ...] = ()
    own_words: bool = False
    on: tuple[str, ...] = ()
    """Kinds of part of which an engine must have one; empty: any engine."""
    coolant: bool = False
    """Whether only an engine with coolant can show it."""

    def possible_on(self, family: EngineFamily) -> bool:
        """Whether it can be found on an engine."""
        kinds = {p.component for p in family.parts}
        cooled = family.cooling == "liquid" or not self.coolant
        return cooled and (not self.on or bool(kinds & set(self.on)))


@dataclass(frozen=True, kw_only=True)
class Trade:
    """What the planner must know of the trade.

    Parameters
    ----------
    treat : how a part of this car is treated under its schools
    relearns : templates by id, with the family's own holds
    agents : classes of agent by id
    dry_minutes : base minutes of drying at 20 C by kind of component
    find_kinds : what may be found on the way
    proofs : kind of component to the tests that show its gain
    hazards : what every step is held against, so that it carries its cautions
    """

    treat: Treat
    relearns: Mapping[str, RelearnTemplate]
    agents: Mapping[str, Agent]
    dry_minutes: Mapping[str, float]
    find_kinds: Mapping[str, FindKind] = field(default_factory=dict)
    proofs: Mapping[str, Sequence[ProofTest]] = field(default_factory=dict)
    hazards: Sequence[Hazard] = ()


PALE = "coolant_residue"
"""The deposit that is coolant."""


@dataclass(frozen=True, kw_only=True)
class Case:
    """A job to plan.

    `resolved` are records whose stop a foreman has lifted; `hand_items` are kinds of item that were
    opened by hand and that ask for more (coolant, fuel); `relearns` are asked for besides; `liquid`
    says that coolant may stand in a cylinder.
    """

    family: EngineFamily
    works: tuple[PartWork, ...]
    policy: Mapping[str, str]
    air: Air
    start: StateWords = NOTHING
    finds: tuple[Find, ...] = ()
    resolved: frozenset[str] = frozenset()
    hand_items: frozenset[str] = frozenset()
    relearns: tuple[str, ...] = ()
    own_steps: tuple[OwnStep, ...] = ()
    liquid: bool = False

    @property
    def may_hold_liquid(self) -> bool:
        """Whether coolant may stand in a cylinder: somebody says so, or its crust was seen."""
        return self.liquid or any(w.kind == PALE for w in self.works)
