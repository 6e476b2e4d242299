"""Short ways to write a procedure's records, so that each stands in one line with what it does."""

from galene.core.planning.procedure import StepTemplate, Wait
from galene.core.planning.records import Consequence, Record
from galene.core.planning.words import ConsequenceKind, Work

LOOKED: tuple[Work, ...] = ("clean", "inspect")
LEAK_FIRST = "Coolant in the gas: stop, find the leak before anything is cleaned."
BEFORE = Record(
    id="grade_before",
    kind="grade",
    label="Deposit found",
    consequences=(
        Consequence(answer="coolant_residue", kind="stop", text=LEAK_FIRST),
        Consequence(
            answer="foreign_matter",
            kind="note",
            text="Ask where it came from: it stands in the report.",
        ),
    ),
)


def after(*, from_grade: int = 3, then: ConsequenceKind = "part_only") -> Record:
    """Deposit left: from this grade on the same once more, then `then`."""
    again = tuple(
        Consequence(
            answer=str(grade),
            kind="again",
            text="Once more; what is left then is decided.",
            then=then,
        )
        for grade in range(from_grade, 5)
    )
    residue = Consequence(answer="coolant_residue", kind="stop", text=LEAK_FIRST)
    return Record(
        id="grade_after", kind="grade", label="Deposit left", consequences=(*again, residue)
    )


AFTER = after()


def asked(
    key: str,
    label: str,
    kind: ConsequenceKind,
    *,
    text: str,
    bad: str = "no",
    parts: tuple[str, ...] = (),
    then: ConsequenceKind = "stop",
    repeats: tuple[str, ...] = (),
) -> Record:
    """A question of yes or no, with what its bad answer does."""
    consequence = Consequence(
        answer=bad, kind=kind, text=text, parts=parts, then=then, repeats=repeats
    )
    return Record(id=key, kind="yes_no", label=label, consequences=(consequence,))


WHOLE = asked(
    "whole",
    "Whole: no crack, no broken tab",
    "replace",
    text="Cleaning mends no crack: a new one goes in.",
)
PALE = asked("pale", "Pale, crusty residue", "stop", text=LEAK_FIRST, bad="yes")
EYES = asked(
    "eyes",
    "Looked in twice, and it is empty",
    "stop",
    text="Something lies in there: no cranking until it is out.",
)
LAMP = ("lamp",)
DECIDES = "What is found decides how far the work goes."
BACK = "What is left is what comes back first."


def dries(minutes: float, reason: str, agent: str) -> Wait:
    """Drying by label minutes at 20 C."""
    return Wait(name="drying", base_minutes=minutes, reason=reason, dries=agent)


def look(
    text: str,
    *records: Record,
    minutes: float = 3,
    why: str = DECIDES,
    works: tuple[Work, ...] = LOOKED,
    when: tuple[str, ...] = (),
    tools: tuple[str, ...] = LAMP,
    acts: tuple[str, ...] = ("look",),
    through: tuple[str, ...] = (),
    brings: tuple[str, ...] = (),
) -> StepTemplate:
    """The look before, with the grade that decides the method."""
    return StepTemplate(
        key="look",
        text=text,
        minutes=minutes,
        why=why,
        works=works,
        when=when,
        tools=tools,
        records=(BEFORE, *records),
        brings=brings,
        acts=acts,
        through=through,
    )


def check(
    text: str,
    *records: Record,
    minutes: float = 2,
    why: str = BACK,
    when: tuple[str, ...] = (),
    tools: tuple[str, ...] = LAMP,
    left: Record = AFTER,
    acts: tuple[str, ...] = ("look",),
    through: tuple[str, ...] = (),
    seals: bool = False,
) -> StepTemplate:
    """The look after, which finds it clean at last: what is not good enough is done once more."""
    return StepTemplate(
        key="check",
        text=text,
        minutes=minutes,
        why=why,
        when=when,
        tools=tools,
        records=(left, *records),
        acts=acts,
        through=through,
        judges=("own",),
        seals=seals,
    )
