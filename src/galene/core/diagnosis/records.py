"""What the diagnosis takes and gives. The knowledge tables are made of the first half of these."""

from collections.abc import Mapping
from dataclasses import dataclass, field


@dataclass(frozen=True, kw_only=True)
class EngineOutline:
    """What an engine has, as far as the diagnosis must know."""

    components: frozenset[str]
    fuel: str
    injection: str
    cycle: str
    throttle: str
    banks: int = 1
    """Rows of cylinders with a mixture control of their own."""
    cooling: str = "liquid"


@dataclass(frozen=True, kw_only=True)
class Cause:
    """A cause that can be present or not.

    `prior` is its probability in a vehicle that comes with a complaint, before anything else is
    known; `components` must all be on the engine; `only` limits it to engines with these facts
    (``{"injection": "direct"}``), `likelier` multiplies its prior odds on engines with a fact
    (``("injection", "direct", 4.0)``). `action` is clean, repair, replace, relearn or refer_on, at
    `component`, with its own minutes (access apart) and parts cost.
    """

    id: str
    title: str
    kind: str
    prior: float
    components: tuple[str, ...]
    action: str
    component: str
    minutes: float
    cost: float
    only: Mapping[str, str] = field(default_factory=dict)
    mends: str = ""
    likelier: tuple[tuple[str, str, float], ...] = ()

    def possible_on(self, engine: EngineOutline) -> bool:
        """Whether this engine can have the cause."""
        return set(self.components) <= engine.components and all(
            getattr(engine, k) == v for k, v in self.only.items()
        )


@dataclass(frozen=True, kw_only=True)
class RootCause:
    """What feeds a deposit: asked for and reported beside it."""

    id: str
    title: str
    ask: str
    feeds: tuple[str, ...]
    signs: tuple[str, ...]


@dataclass(frozen=True, kw_only=True)
class Evidence:
    """One thing that can be seen, present or absent.

    ``inverse=False``: noisy-OR, P(present) = 1 - (1 - leak) prod(1 - strength) over the causes that
    hold. ``inverse=True``: what is seen when nothing is wrong, P(present) = (1 - leak) prod(1 -
    strength). `odds` multiplies the prior odds of causes instead (history: it comes before the
    causes, not from them). `needs` are kinds of part that the engine must have for it, `only` facts
    of it (``{"cooling": "liquid"}``).
    """

    id: str
    group: str
    text: str
    ground: str
    leak: float = 0.02
    links: Mapping[str, float] = field(default_factory=dict)
    inverse: bool = False
    odds: Mapping[str, float] = field(default_factory=dict)
    needs: tuple[str, ...] = ()
    only: Mapping[str, str] = field(default_factory=dict)

    def possible_on(self, engine: EngineOutline) -> bool:
        """Whether this can be seen on the engine at all."""
        return set(self.needs) <= engine.components and all(
            getattr(engine, k) == v for k, v in self.only.items()
        )


@dataclass(frozen=True, kw_only=True)
class Check:
    """Something that can be done to learn more. Minutes shrink to `minutes_open` once `access` is
    open.

    `needs` must be at hand, `shows` is what a sound engine shows; `reaches` are kinds of part that
    it looks at from near, `unhooks` what it takes off besides: the words, the kind of item, whose.
    With one of its results known it was done, unless it is `piecemeal`: then its results are also
    seen on other ways. `acts` are deeds in the words of a step's marks, `engine` the state in which
    it is done, where that is not off.
    """

    id: str
    title: str
    how: str
    minutes: float
    yields: tuple[str, ...]
    components: tuple[str, ...] = ()
    access: tuple[str, ...] = ()
    minutes_open: float | None = None
    after: tuple[str, ...] = ()
    calculation: str | None = None
    last_resort: bool = False
    piecemeal: bool = False
    only: Mapping[str, str] = field(default_factory=dict)
    needs: tuple[str, ...] = ()
    shows: str = ""
    reaches: tuple[str, ...] = ()
    unhooks: tuple[str, str, str] | None = None
    acts: tuple[str, ...] = ()
    engine: str = ""

    def possible_on(self, engine: EngineOutline) -> bool:
        """Whether this engine can have the check."""
        return set(self.components) <= engine.components and all(
            getattr(engine, k) == v for k, v in self.only.items()
        )


@dataclass(frozen=True, kw_only=True)
class DangerRule:
    """What is said before everything else, and when: one of these causes is at least so likely, or
    one of these pieces of evidence is present, on an engine with these parts and facts. `checks`
    settle it and are offered first; absent, evidence of `settled_by` ends it. While it stands, one
    that `forbids_start` keeps the engine from being turned.
    """

    id: str
    text: str
    causes: Mapping[str, float] = field(default_factory=dict)
    evidence: tuple[str, ...] = ()
    components: tuple[str, ...] = ()
    without: tuple[str, ...] = ()
    only: Mapping[str, str] = field(default_factory=dict)
    checks: tuple[str, ...] = ()
    settled_by: tuple[str, ...] = ()
    forbids_start: bool = False

    def possible_on(self, engine: EngineOutline) -> bool:
        """Whether this engine can be in the danger."""
        return (
            set(self.components) <= engine.components
            and not set(self.without) & engine.components
            and all(getattr(engine, k) == v for k, v in self.only.items())
        )


@dataclass(frozen=True, kw_only=True)
class Danger:
    """A danger that this case is in."""

    id: str
    text: str


@dataclass(frozen=True, kw_only=True)
class KnowledgeBase:
    """All tables together."""

    causes: Mapping[str, Cause]
    roots: Mapping[str, RootCause]
    evidence: Mapping[str, Evidence]
    checks: Mapping[str, Check]
    components: frozenset[str]
    dangers: tuple[DangerRule, ...] = ()


@dataclass(frozen=True)
class Observation:
    """State of one piece of evidence and how sure the reading of it is (0.5 says nothing, 1 is
    certain)."""

    state: str
    confidence: float = 1.0


@dataclass(frozen=True, kw_only=True)
class Case:
    """What is known of one vehicle."""

    engine: EngineOutline
    evidence: Mapping[str, Observation]
    codes: tuple[str, ...] = ()
    distance_km: float | None = None
    hours: float | None = None
    duty: tuple[str, ...] = ()
    access_open: tuple[str, ...] = ()
    done_checks: tuple[str, ...] = ()


@dataclass(frozen=True)
class Reason:
    """A piece of evidence and the change of log-odds (natural) that it makes: positive speaks for
    the cause."""

    evidence: str
    weight: float


@dataclass(frozen=True)
class RankedCause:
    """A cause with its marginal probability and the reasons, strongest first."""

    id: str
    probability: float
    because: tuple[Reason, ...]


@dataclass(frozen=True)
class CauseSet:
    """Causes that hold together, with the probability of just this set."""

    causes: tuple[str, ...]
    probability: float


@dataclass(frozen=True)
class Outcome:
    """What one answer of a check would do: its probability and the leading causes then."""

    probability: float
    causes: Mapping[str, float]


@dataclass(frozen=True, kw_only=True)
class NextCheck:
    """A check with what it is expected to teach about the causes, in bits, and what it costs.

    `asks` is the evidence that a yes is about, the most telling one that the check yields.
    """

    id: str
    asks: str
    bits: float
    minutes: float
    if_positive: Outcome
    if_negative: Outcome
    changes_first_action: bool


@dataclass(frozen=True, kw_only=True)
class RootAsked:
    """A root cause to ask about, because of what it feeds."""

    id: str
    ask: str
    feeds: tuple[str, ...]
    supported: bool


@dataclass(frozen=True, kw_only=True)
class Repair:
    """An action in the order to take it."""

    action: str
    component: str
    cause: str
    probability: float
    cost: float
    minutes: float


@dataclass(frozen=True, kw_only=True)
class Assessment:
    """The whole judgement of one case."""

    causes: tuple[RankedCause, ...]
    sets: tuple[CauseSet, ...]
    root_causes: tuple[RootAsked, ...]
    next_checks: tuple[NextCheck, ...]
    repair_order: tuple[Repair, ...]
    refer_on: bool
    stop: bool
    dangers: tuple[Danger, ...] = ()
    """What is said before the ranking."""
