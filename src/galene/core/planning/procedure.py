"""Templates of steps: what the trade knows of treating a kind of part, before a car is known."""

from dataclasses import dataclass

from galene.core.airpath.family import OpenedItem
from galene.core.errors import InputError
from galene.core.planning.records import NOTHING, Record, StateWords
from galene.core.planning.words import Work

STAGES: tuple[str, ...] = ("whole", "running", "first", "clean", "close", "back", "walk", "drive")
"""Where a template's step stands: on the car as it came, before anything is opened; the warm engine
before that too; laid open, before the battery comes off; the work itself; before the refit; once it
is refitted, before the power is back; all closed and powered; on the road."""
COMPUTATIONS: tuple[str, ...] = ("", "clearance", "aerosol", "flush", "goes", "drive")
EACH: tuple[str, ...] = ("", "position", "cylinder")
MOVES: tuple[str, ...] = ("takes_off", "refits", "sends", "receives")
NEEDS: dict[str, StateWords] = {
    "battery_off": StateWords(battery="off"),
    "battery_on": StateWords(battery="on"),
    "ignition_off": StateWords(engine="off"),
    "ignition_on": StateWords(engine="ignition"),
    "engine_running": StateWords(engine="running"),
    "engine_warm_running": StateWords(engine="running", heat="warm"),
    "engine_cold": StateWords(heat="cold"),
    "engine_warm": StateWords(heat="warm"),
    "coolant_full": StateWords(coolant="full"),
    "codes_cleared": StateWords(codes="cleared"),
    "ventilated": NOTHING,
}
"""Words of a template's needs and what each says of the car; the place of its own part besides."""
DOES: dict[str, StateWords] = {
    "ignition_off": StateWords(engine="off"),
    "ignition_on": StateWords(engine="ignition"),
    "engine_running": StateWords(engine="running"),
    "engine_warm": StateWords(heat="warm"),
    "engine_warm_running": StateWords(engine="running", heat="warm"),
}
PLACES: tuple[str, ...] = ("mounted", "loose", "off")


@dataclass(frozen=True, kw_only=True)
class Wait:
    """A wait that a step starts: minutes at 20 C, what dries (None: nothing), the reason."""

    name: str
    base_minutes: float
    reason: str
    dries: str | None = None


@dataclass(frozen=True, kw_only=True)
class StepTemplate:
    """A step of a part's procedure.

    `works` are the kinds of work in which it stands, `when` the tags that must all hold, `place` is
    one of `STAGES`, `moves` what happens to the part itself. `computation` is what is computed at
    the step for this engine: a cylinder's clearance, bursts and pauses, the drive check. Steps
    of one `each` are repeated together for every crank position or cylinder. A step that `treats`
    is the first of those that are done again where the result is not good enough.

    Its marks are those of a step (`acts` in the words of `marks.DEEDS`), with places named from the
    part's own: `through` as in `marks.THROUGH`, `dirties` and `judges` as in `marks.TOUCHED`,
    `sees` as in `marks.SEEN`; `about` is the kind of part that it is about, where one go treats
    several; `seals` says that a seal goes in at it, `speaks_of` kinds and
    features that its text names.
    """

    key: str
    text: str
    minutes: float
    why: str = ""
    works: tuple[Work, ...] = ("clean",)
    when: tuple[str, ...] = ()
    place: str = "clean"
    needs: tuple[str, ...] = ()
    does: tuple[str, ...] = ()
    brings: tuple[str, ...] = ()
    moves: tuple[str, ...] = ()
    tools: tuple[str, ...] = ()
    cautions: tuple[str, ...] = ()
    records: tuple[Record, ...] = ()
    wait: Wait | None = None
    opens: tuple[OpenedItem, ...] = ()
    closes: tuple[str, ...] = ()
    agent: str = ""
    agent_ml: float = 0.0
    way: str = ""
    consumes: tuple[str, ...] = ()
    computation: str = ""
    each: str = ""
    treats: bool = False
    about: str = ""
    acts: tuple[str, ...] = ()
    through: tuple[str, ...] = ()
    dirties: tuple[str, ...] = ()
    judges: tuple[str, ...] = ()
    seals: bool = False
    sees: tuple[str, ...] = ()
    speaks_of: tuple[str, ...] = ()


@dataclass(frozen=True, kw_only=True)
class PartProcedure:
    """How one kind of component is treated, or a way that several kinds share.

    One that is done `in_place` opens nothing of the engine; one go of it treats every part of the
    scope that asks for it when it is done `once`.
    """

    component: str
    title: str
    steps: tuple[StepTemplate, ...]
    in_place: bool = False
    once: bool = False


def merged(words: tuple[str, ...], table: dict[str, StateWords]) -> StateWords:
    """State words of a template as one record.

    Parameters
    ----------
    words : words of `table`
    table : `NEEDS` or `DOES`

    Raises
    ------
    InputError
        A word that the table does not have.
    """
    found: dict[str, object] = {}
    for word in words:
        if word in PLACES:
            continue
        if word not in table:
            raise InputError("needs", word, ", ".join(table))
        held = table[word]
        for name in ("battery", "engine", "heat", "coolant", "fuel_line", "codes", "before_set"):
            value = getattr(held, name)
            if value is not None:
                found[name] = value
    return StateWords(**found)  # type: ignore[arg-type]
