"""What a bridge and the server say to each other. Both read it through these models.

Times are seconds of the bridge's own clock, which only runs: the server reckons by how long ago a
thing was, so that a laptop's date may be wrong by any amount.
"""

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

LineState = Literal["live", "off", "adapter", "bus"]
"""The line as a bridge finds it: figures come; nobody in the car answers; the adapter does not;
what comes can not be read."""
LINE_WORDS: dict[str, str] = {
    "none": "No bridge reads this car: pair the one at the cart.",
    "ended": "The bridge was let go: pair it again to read on.",
    "waiting": "The bridge is paired and has not spoken yet.",
    "live": "Live from the car.",
    "off": "Nobody in the car answers: turn the ignition on, or look whether the plug sits.",
    "adapter": "The adapter does not answer: look at its plug and cable. It is tried again.",
    "bus": "What comes from the bus can not be read: wrong speed, or another device talks.",
    "other": "Another car than this job's answers: nothing is taken of it and nothing asked.",
    "lost": "The bridge is not heard of: look at the laptop and its net. It keeps what it reads.",
}
"""What is said of a line, by how the bridge finds it and how the server finds the bridge."""
Do = Literal["hold", "held", "let_go", "routine", "codes", "clear", "readiness", "look"]
MOST_NUMBER = 2**53 - 1
"""The largest whole number that every reader of JSON holds exactly (RFC 8259, section 6)."""
MOST_BATCHES, MOST_ROWS, MOST_COLUMNS = 50, 64, 60
LOOK_S = 40.0
"""How long one `look` lets a bridge read at full pace. The server says it every fifteen seconds
while somebody looks or something is recorded."""
STALE_S = 2.0
"""Age from which a command is carried out no more."""
Name = Annotated[str, Field(max_length=60)]
Code = Annotated[str, Field(pattern=r"^[PCBU][0-9A-F]{4}$")]
Figure = Annotated[float, Field(ge=-1e9, le=1e9, allow_inf_nan=False)]


class Wire(BaseModel):
    """Whatever is said: nothing unknown, never changed."""

    model_config = ConfigDict(extra="forbid", frozen=True)


class FrameRead(Wire):
    """The figures that were kept with a code."""

    code: Code
    figures: dict[Name, Figure] = Field(max_length=40)


class CodesRead(Wire):
    """The codes of a control unit as it told them."""

    stored: tuple[Code, ...] = Field(max_length=120)
    pending: tuple[Code, ...] = Field(max_length=120)
    permanent: tuple[Code, ...] = Field(max_length=120)
    frame: FrameRead | None = None


class Answer(Wire):
    """What came of a command. `phase`: it began (something is held), or it is over. A sign of the
    hand has no number: 0."""

    id: int = Field(ge=0, le=MOST_NUMBER)
    phase: Literal["began", "over"] = "over"
    done: bool
    words: str = Field(default="", max_length=300)
    codes: CodesRead | None = None
    ready: dict[Name, bool] | None = Field(default=None, max_length=30)


class Batch(Wire):
    """What was read in about a tenth of a second.

    `at_s` is the bridge's clock at its end; a row's first value is how many seconds before that it
    was read, the others are the columns' in their order. `serial` is the car's own number, said
    once when it begins to answer. `rests_s` is how long the bridge rests before its next word.
    """

    seq: int = Field(ge=1, le=MOST_NUMBER)
    at_s: float = Field(ge=0, le=1e10, allow_inf_nan=False)
    state: LineState
    words: str = Field(default="", max_length=300)
    columns: tuple[Name, ...] = Field(default=(), max_length=MOST_COLUMNS)
    rows: tuple[tuple[Figure | None, ...], ...] = Field(default=(), max_length=MOST_ROWS)
    answers: tuple[Answer, ...] = Field(default=(), max_length=20)
    serial: str = Field(default="", pattern=r"^([A-HJ-NPR-Z0-9]{17})?$")
    rests_s: float = Field(default=0.0, ge=0, le=30, allow_inf_nan=False)

    @model_validator(mode="after")
    def rows_fit(self) -> "Batch":
        """A row has its age and one value for each column."""
        wide = len(self.columns) + 1
        for row in self.rows:
            if len(row) != wide or row[0] is None or not 0 <= row[0] <= 60:
                raise ValueError(f"a row has its age (0 to 60 s) and {wide - 1} figures")
        return self


class Sent(Wire):
    """Batches in their order; `now_s` is the bridge's clock as they leave."""

    now_s: float = Field(ge=0, le=1e10, allow_inf_nan=False)
    batches: tuple[Batch, ...] = Field(min_length=1, max_length=MOST_BATCHES)


class Kept(Wire):
    """The number of the last batch that is durable, and the server's clock."""

    kept_to: int
    now_s: float


class Pair(Wire):
    """A bridge asks to be let in."""

    code: str = Field(pattern=r"^[0-9]{6}$")
    name: str = Field(default="laptop", min_length=1, max_length=80)


class OwnEntry(Wire):
    """One of the maker's own identifiers, as the engine family's document has it."""

    kind: str
    name: str
    identifier: int
    size: int = 2
    scale: float = 1.0
    offset: float = 0.0


class Paired(Wire):
    """What a bridge is told when it is let in: its key, and what to read."""

    key: str
    job: str
    bay: str
    entries: tuple[OwnEntry, ...]
    kept_to: int = 0


class Command(Wire):
    """Something to do. `issued_s` is the server's clock; after two seconds it counts no more.

    A `hold` with `sweep_s` runs the output from 0 to 100 percent and back in that time. A `look`
    asks nothing of the car: the bridge reads at full pace for a while, and at a slow beat where
    nobody looks.
    """

    id: int
    issued_s: float
    do: Do
    actuator: str = Field(default="", max_length=60)
    value: float | None = None
    longest_s: float | None = None
    sweep_s: float | None = None
    routine: str = Field(default="", max_length=60)
    of: int | None = None
