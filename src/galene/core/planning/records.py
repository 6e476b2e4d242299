"""The records of a plan: state words, items, records with their consequences, steps, the plan."""

from collections.abc import Mapping
from dataclasses import dataclass, field

from galene.core.planning.words import (
    Act,
    Battery,
    Codes,
    ConsequenceKind,
    Coolant,
    Engine,
    FuelLine,
    Heat,
    Phase,
    Place,
    RecordKind,
    Work,
)


@dataclass(frozen=True, kw_only=True)
class StateWords:
    """Words about the car: what a step needs or does. None says nothing: no matter, or
    unchanged."""

    battery: Battery | None = None
    engine: Engine | None = None
    heat: Heat | None = None
    coolant: Coolant | None = None
    fuel_line: FuelLine | None = None
    codes: Codes | None = None
    before_set: bool | None = None
    place: Mapping[str, Place] = field(default_factory=dict)


NOTHING = StateWords()


@dataclass(frozen=True, kw_only=True)
class OpenItem:
    """Something that must go back.

    `inside` lies within the engine or in a mouth; `on` is the part that bears it; `while_running`
    is open on purpose while the engine runs. `before` is the gate that it holds, `dangerous` asks
    for two looks. `operation` or `owner` (a part, or the go that treats several) and `turn` say
    what opened it and for which time, `mouth` what it covers, `cylinder` whose, `of` the part whose
    plug or rod it is; `by_hand` was written on the list by somebody.
    """

    id: str
    what: str
    kind: str
    inside: bool = False
    on: str | None = None
    while_running: bool = False
    count: int = 1
    before: str = "start"
    dangerous: bool = False
    operation: str = ""
    owner: str = ""
    turn: int = 1
    mouth: str = ""
    cylinder: int | None = None
    of: str = ""
    by_hand: bool = False


@dataclass(frozen=True, kw_only=True)
class Wet:
    """A part that an agent has wetted, and how many minutes it dries in this bay."""

    part: str
    agent: str
    way: str
    dry_minutes: float


@dataclass(frozen=True, kw_only=True)
class PlannedWait:
    """A wait that a step starts. The id is also its name on the screen."""

    id: str
    minutes: float
    why: str


@dataclass(frozen=True, kw_only=True)
class Consequence:
    """What one answer does.

    `parts` join the scope under ``more``; `regrade` says that the answer is the part's grade from
    here on; `then` decides when the same treatment was in vain a second time. `repeats` names the
    deeds that ``again`` does once more, all of the treatment where it is empty.
    """

    answer: str
    kind: ConsequenceKind
    text: str
    parts: tuple[str, ...] = ()
    regrade: bool = False
    then: ConsequenceKind = "stop"
    repeats: tuple[str, ...] = ()


@dataclass(frozen=True, kw_only=True)
class Record:
    """Something to write down at a step, with what each bad answer does; none is without.

    A reading is a figure of `quantity`; under `least` it is answered ``low``, over `most` ``high``.
    """

    id: str
    kind: RecordKind
    label: str
    consequences: tuple[Consequence, ...] = ()
    quantity: str = ""
    least: float | None = None
    most: float | None = None
    key: str = ""
    """The template's own name of it; the id is this name at its step."""

    @property
    def bad(self) -> str:
        """What the bad answer of a yes or no question means, in words."""
        return self.consequences[0].text if self.kind == "yes_no" and self.consequences else ""

    @property
    def bad_answer(self) -> str:
        """The bad answer of a yes or no question."""
        named = self.kind == "yes_no" and self.consequences
        return self.consequences[0].answer if named else "no"

    @property
    def name(self) -> str:
        """The template's name of it."""
        return self.key or self.id


@dataclass(frozen=True, kw_only=True)
class AgentUse:
    """An agent as a step brings it: its class, the way, how much, its properties.

    `label`: properties that the product's own label must affirm, or it is not the one.
    """

    class_id: str
    way: str
    ml: float
    properties: tuple[str, ...] = ()
    label: tuple[str, ...] = ()


@dataclass(frozen=True, kw_only=True)
class Rewording:
    """A step's words before somebody worded it anew for this job."""

    text: str
    minutes: float
    by: str


@dataclass(frozen=True, kw_only=True)
class Step:
    """One step of a plan: its words, what it needs and does, what it opens, closes, asks.

    `act` says how it is done: by a tick on the card, or by what its name says on the page of proof.
    `brings` are chemistry's words of the part's state that it brings about and that hold for the
    steps of its part behind it; `opening` and `closing` name the operation that it opens or closes,
    `owner` the procedure or part that it belongs to; `tags` chose it. `own_cautions` are those of
    its cautions that its operation or procedure names itself; `drivers` turn its fasteners.
    `name` is what its procedure calls it, `turn` which time it is done.

    Its marks say what the hand does, in the words of `marks`: `acts`; `through` the mouths that it
    goes through; `on` parts that it acts on beside its own; `dirties` parts into which something
    may fall or run; `judges_clean` parts and ports that it finds clean at last; `seals` that go in
    new; `sees` parts whose joints, plugs or levels it looks at; `speaks_of` kinds of part and
    features that its text names.
    """

    id: str
    text: str
    phase: Phase
    minutes: float
    why: str = ""
    part: str = ""
    work: Work | None = None
    act: Act = "tick"
    needs: StateWords = NOTHING
    does: StateWords = NOTHING
    opens: tuple[OpenItem, ...] = ()
    closes: tuple[str, ...] = ()
    takes_off: tuple[str, ...] = ()
    refits: tuple[str, ...] = ()
    sends: tuple[str, ...] = ()
    receives: tuple[str, ...] = ()
    wets: tuple[Wet, ...] = ()
    wait: PlannedWait | None = None
    waits_for: tuple[str, ...] = ()
    agent: AgentUse | None = None
    records: tuple[Record, ...] = ()
    cautions: tuple[str, ...] = ()
    own_cautions: tuple[str, ...] = ()
    tools: tuple[str, ...] = ()
    fasteners: tuple[str, ...] = ()
    drivers: tuple[str, ...] = ()
    consumes: tuple[str, ...] = ()
    where: str = ""
    note: str = ""
    worksheet: str = ""
    crank_deg: float | None = None
    cylinders: tuple[int, ...] = ()
    tags: tuple[str, ...] = ()
    brings: tuple[str, ...] = ()
    name: str = ""
    turn: int = 1
    acts: tuple[str, ...] = ()
    through: tuple[str, ...] = ()
    on: tuple[str, ...] = ()
    dirties: tuple[str, ...] = ()
    judges_clean: tuple[str, ...] = ()
    seals: tuple[str, ...] = ()
    sees: tuple[str, ...] = ()
    speaks_of: tuple[str, ...] = ()
    opening: str = ""
    closing: str = ""
    owner: str = ""
    relearn: str = ""
    treats: tuple[str, ...] = ()
    """Parts that one go treats together; its part alone where it is empty."""
    was: Rewording | None = None
    own: bool = False
    """Added on the job by somebody, in their own words."""
    find: str = ""
    """Kind of a find on the way that this step answers."""

    @property
    def marks(self) -> tuple[tuple[str, ...], ...]:
        """All that says what the hand does, without a word."""
        return (
            self.acts,
            self.through,
            self.on,
            self.dirties,
            self.judges_clean,
            self.seals,
            self.sees,
            self.speaks_of,
        )


@dataclass(frozen=True, kw_only=True)
class Held:
    """Why a plan is stopped: the record that was answered, and what the answer means."""

    record: str
    why: str


@dataclass(frozen=True, kw_only=True)
class PlannedRelearn:
    """A relearn with the state that it needs, run after the step that brings that state about."""

    id: str
    after: str
    needs: StateWords


@dataclass(frozen=True, kw_only=True)
class ProofTest:
    """A test that is to show the gain, and why it does."""

    test: str
    why: str


@dataclass(frozen=True, kw_only=True)
class PlannedPart:
    """A part of the scope as the plan treats it, with its own hands-on minutes."""

    part: str
    work: Work
    grade: int | None
    kind: str
    procedure: str
    minutes: float
    left_out: bool = False


@dataclass(frozen=True, kw_only=True)
class Plan:
    """A whole plan: steps in their order, relearns, proof; held where an answer stopped it."""

    steps: tuple[Step, ...]
    relearns: tuple[PlannedRelearn, ...] = ()
    proof: tuple[ProofTest, ...] = ()
    parts: tuple[PlannedPart, ...] = ()
    hands_on_minutes: float = 0.0
    elapsed_minutes: float = 0.0
    held: Held | None = None

    def step(self, step_id: str) -> Step | None:
        """The step of that id, None where the plan has none."""
        return next((s for s in self.steps if s.id == step_id), None)


@dataclass(frozen=True, kw_only=True)
class Air:
    """The bay's air, which decides drying: degrees C and relative humidity as a share."""

    temperature_c: float
    humidity: float = 0.5


@dataclass(frozen=True, kw_only=True)
class PartWork:
    """A part of the scope: the kind of work, its deposit's grade and kind where they are known."""

    part: str
    work: Work = "clean"
    grade: int | None = None
    kind: str = ""


@dataclass(frozen=True, kw_only=True)
class Find:
    """Something found on the way, in the order in which it was found.

    `after` is how many steps of the card were done by then; `minutes` count where the kind of find
    brings no steps of its own.
    """

    number: int
    kind: str
    part: str
    note: str
    retrieved: bool | None = None
    minutes: float = 0.0
    cost: float = 0.0


@dataclass(frozen=True, kw_only=True)
class OwnStep:
    """A step that somebody put on the card in words of their own, behind another step."""

    id: str
    after: str
    text: str
    minutes: float
    by: str


@dataclass(frozen=True, kw_only=True)
class DoneStep:
    """A step that is done, with its answers by record id; left out ones were passed by."""

    step: Step
    answers: Mapping[str, str] = field(default_factory=dict)
    left_out: bool = False


@dataclass(frozen=True, kw_only=True)
class Answer:
    """What was answered at a record and what it did, in the order of answering."""

    record: str
    step: str
    part: str
    label: str
    answer: str
    consequence: Consequence | None
