"""The vocabularies of marks: every shipped step has them, and the glossary tells each."""

from pathlib import Path

import pytest

from galene.core.planning.marks import DEEDS, SEEN, THROUGH, TOUCHED
from galene.core.planning.openings import deeds_of
from galene.knowledge.base import KNOWLEDGE
from galene.knowledge.families import FAMILIES
from galene.knowledge.found import FOUND
from galene.knowledge.procedures import PROCEDURES
from galene.knowledge.relearns import RELEARNS

GLOSSARY = Path(__file__).parents[3] / "docs" / "glossary.md"


@pytest.mark.parametrize("words", [DEEDS, THROUGH, TOUCHED, SEEN])
def test_the_glossary_tells_every_mark(words: dict[str, str]) -> None:
    told = GLOSSARY.read_text()
    assert not [w for w, meaning in words.items() if f"| `{w}` | {meaning} |" not in told]


def test_every_step_that_ships_says_what_the_hand_does() -> None:
    done = [s.acts for p in PROCEDURES.values() for s in p.steps]
    done += [s.acts for f in FOUND.values() for s in f.steps]
    done += [p.acts for r in RELEARNS.values() for p in r.phases]
    done += [c.acts for c in KNOWLEDGE.checks.values()]
    done += [
        deeds_of(f, o, back=back)
        for f in FAMILIES.values()
        for o in f.operations
        for back in (False, True)
    ]
    assert all(done) and {deed for acts in done for deed in acts} <= set(DEEDS)


def test_every_deed_is_done_somewhere() -> None:
    """A word that nothing uses is taken out."""
    product = Path(__file__).parents[3] / "src" / "galene"
    sources = (*product.rglob("*.py"), *product.rglob("*.toml"))
    text = "".join(p.read_text() for p in sources if p.name != "marks.py")
    assert not [deed for deed in DEEDS if f'"{deed}"' not in text]
