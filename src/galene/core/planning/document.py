"""The records that a job keeps of its plan and its card: what was agreed, what was answered, what
joined."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from galene.core.planning.records import (
    NOTHING,
    Find,
    Held,
    OwnStep,
    PartWork,
    StateWords,
)
from galene.core.planning.words import Work


@dataclass(frozen=True, kw_only=True)
class BilledSpare:
    """A part that goes in. Its price is None where the family's entry does not hold it."""

    id: str
    name: str
    number: str
    price: float | None


@dataclass(frozen=True, kw_only=True)
class BilledAgent:
    """An agent as all steps use it together, millilitres."""

    class_id: str
    title: str
    ml: float
    price: float
    label: tuple[str, ...] = ()
    """What its product's label must affirm."""


@dataclass(frozen=True, kw_only=True)
class OwnMinutes:
    """Hands-on minutes of a plan by own work, with their 80 % interval: of `steps` steps, `timed`
    have been timed here."""

    minutes: float
    low: float
    high: float
    timed: int
    steps: int


@dataclass(frozen=True, kw_only=True)
class Bill:
    """The bill of a plan; money in the shop's currency, minutes with hands on.

    `own` is what own work says of them, None before a step of it was timed; `by` the figures that
    `work_minutes`, `proof_minutes` and the labour are of: book or own.
    """

    work_minutes: float = 0.0
    proof_minutes: float = 0.0
    labour: float = 0.0
    proof_labour: float = 0.0
    spares: tuple[BilledSpare, ...] = ()
    agents: tuple[BilledAgent, ...] = ()
    tools: tuple[str, ...] = ()
    protection: tuple[str, ...] = ()
    other: float = 0.0
    hourly_rate: float = 0.0
    currency: str = ""
    book_minutes: float | None = None
    own: OwnMinutes | None = None
    by: str = "book"

    @property
    def spares_price(self) -> float:
        """Spares whose price is known."""
        return sum(s.price or 0.0 for s in self.spares)

    @property
    def agents_price(self) -> float:
        """Agents by the millilitre."""
        return sum(a.price for a in self.agents)

    @property
    def total(self) -> float:
        """Everything together."""
        money = self.labour + self.proof_labour + self.other
        return money + self.spares_price + self.agents_price


@dataclass(frozen=True, kw_only=True)
class SchoolFollowed:
    """A school that a part's treatment follows, and the choice in words."""

    letter: str
    choice: str


@dataclass(frozen=True, kw_only=True)
class ReasonSaid:
    """A rule of chemistry and its words."""

    rule: str
    text: str


@dataclass(frozen=True, kw_only=True)
class WorkOffered:
    """A kind of work that could be done on a part, with its own minutes and what the plan would
    cost."""

    work: Work
    minutes: float
    price: float


@dataclass(frozen=True, kw_only=True)
class PartSheet:
    """A part of the scope as plan and report show it."""

    part: str
    label: str
    work: Work
    text: str
    why: str
    where: str = ""
    agent: str = ""
    agent_title: str = ""
    way: str = ""
    verdict: str = ""
    reasons: tuple[ReasonSaid, ...] = ()
    conditions: tuple[str, ...] = ()
    protection: tuple[str, ...] = ()
    schools: tuple[SchoolFollowed, ...] = ()
    grade: int | None = None
    deposit: str = ""
    minutes: float = 0.0
    procedure: str = ""
    advice: str = ""
    left_out: bool = False

    @property
    def inspect_only(self) -> bool:
        """Whether nothing is cleaned or fitted."""
        return self.work == "inspect" or self.procedure in ("inspect_only", "left_for_now")


@dataclass(frozen=True, kw_only=True)
class FindNote:
    """A find on the way as the plan's version that followed it tells it."""

    kind: str
    title: str
    part: str
    note: str
    minutes: float
    cost: float
    more: float
    by: str
    at: str


@dataclass(frozen=True, kw_only=True)
class PlanDocument:
    """A version of the plan: the scope with its kinds of work, the bill, and what it was made with.

    `changed` are parts whose work this version changed in mid-card; `templates` the workshop's own
    procedures and relearns in the form in which they are kept.
    """

    form: int = 2
    works: tuple[PartWork, ...] = ()
    extra_spares: tuple[str, ...] = ()
    parts: tuple[PartSheet, ...] = ()
    bill: Bill = Bill()
    hands_minutes: float = 0.0
    elapsed_minutes: float = 0.0
    policy: Mapping[str, str] = field(default_factory=dict)
    sources: Mapping[str, str] = field(default_factory=dict)
    templates: Mapping[str, Mapping[str, Any]] = field(default_factory=dict)
    found: tuple[FindNote, ...] = ()
    changed: tuple[str, ...] = ()
    why: str = ""

    @property
    def price(self) -> float:
        """What it costs in all."""
        return self.bill.total

    @property
    def work_minutes(self) -> float:
        """Hands on before the first start."""
        return self.bill.work_minutes


@dataclass(frozen=True, kw_only=True)
class Given:
    """What was written down at one record: the answer, a deposit's kind, a figure in kept units."""

    record: str
    answer: str
    deposit: str = ""
    figure: float | None = None

    @property
    def said(self) -> str:
        """The answer as consequences read it."""
        return f"{self.answer}:{self.deposit}" if self.deposit else self.answer


@dataclass(frozen=True, kw_only=True)
class StepAnswers:
    """Everything that was written down at a step, or why it was left out."""

    given: tuple[Given, ...] = ()
    left_out: str = ""

    def of(self, record: str) -> Given | None:
        """What was written at a record, by its id or its own name."""
        return next(
            (g for g in self.given if record in (g.record, g.record.rpartition("/")[2])), None
        )


@dataclass(frozen=True, kw_only=True)
class Resolution:
    """A stop that a foreman lifted, with the reason."""

    record: str
    reason: str
    by: str
    at: str


@dataclass(frozen=True, kw_only=True)
class CardState:
    """What a job's card holds beside its steps: where the round began, what was found, joined,
    lifted.

    `first` is the position of the round's first step; `start` the state in which the car came in;
    `next_first` where the next round begins, once something was opened for a check since.
    """

    first: int = 0
    start: StateWords = NOTHING
    works: tuple[PartWork, ...] = ()
    finds: tuple[Find, ...] = ()
    joined: tuple[PartWork, ...] = ()
    resolved: tuple[Resolution, ...] = ()
    own_steps: tuple[OwnStep, ...] = ()
    relearns: tuple[str, ...] = ()
    held: Held | None = None
    next_first: int | None = None
