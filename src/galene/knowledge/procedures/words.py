"""What a procedure asks about the deposit, before its treatment and after."""

from galene.core.planning.records import Consequence, Record
from galene.core.planning.words import ConsequenceKind
from galene.knowledge.documents import read

BEFORE = read("fragments.toml", Record, "grade_before")
AFTER = read("fragments.toml", Record, "grade_after")
LEAK_FIRST = next(c.text for c in BEFORE.consequences if c.answer == "coolant_residue")


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
