"""What is drawn beside a step of the card says what the step's words say."""

from dataclasses import replace
from typing import Any

import pytest
from sqlalchemy.orm import Session

from galene.core.airpath.family import EngineFamily, Fastener
from galene.core.planning.openings import fastener_text
from galene.core.planning.records import Step
from galene.knowledge.families import FAMILIES
from galene.web.card.in_hand import fasteners_drawn, motion_of
from tests.conftest import newest_job
from tests.web.conftest import Browser

HEADS = {
    "10 mm socket": ("hex", "10"),
    "7 mm nut driver": ("hex", "7"),
    "17 mm spanner": ("hex", "17"),
    "22 mm slotted socket": ("slotted", "22"),
    "19 mm flare spanner": ("slotted", "19"),
    "T25 driver": ("star", "T25"),
    "5 mm hex": ("inner_hex", "5"),
    "flat driver": ("slot", ""),
}


def step(text: str = "Undo it", **fields: object) -> Step:
    plain: Any = Step(id="s", text=text, phase="open", minutes=1.0)
    made: Step = replace(plain, **fields)
    return made


@pytest.mark.parametrize("driver", HEADS)
def test_a_head_is_drawn_as_its_driver(driver: str) -> None:
    base = FAMILIES["A"]
    bolt = Fastener(part=base.parts[0].id, what="bolt", count=2, driver=driver, torque_nm=9.0)
    family = replace(base, fasteners=(bolt,))
    opening, closing = (
        fasteners_drawn(family, step(fasteners=(fastener_text(bolt),), **{way: "an operation"}))[0]
        for way in ("opening", "closing")
    )
    assert (opening.head, opening.size) == HEADS[driver]
    assert opening.turns and not opening.closing and opening.torque_nm is None
    assert closing.closing and closing.torque_nm == 9.0


@pytest.mark.parametrize("family", FAMILIES.values(), ids=list(FAMILIES))
def test_every_shipped_fastener_has_a_drawing(family: EngineFamily) -> None:
    for fastener in family.all_fasteners:
        (drawn,) = fasteners_drawn(family, step(fasteners=(fastener_text(fastener),)))
        assert drawn.turns == (
            fastener.driver not in ("fingers", "hook", "spring hook", "pliers")
            or fastener.what in ("wing nut", "knob")
        )
        assert drawn.size in fastener.driver


def test_what_the_family_does_not_know_is_left_to_its_words() -> None:
    assert fasteners_drawn(FAMILIES["A"], step(fasteners=("3 × peg, mallet",))) == ()


@pytest.mark.parametrize(
    ("acts", "drawing"),
    [
        (("unscrew", "draw_straight"), "out"),
        (("brush", "both_ends"), "ends"),
        (("hook", "prove_by_pull"), "prove"),
        (("wipe",), None),
    ],
)
def test_the_hand_moves_as_the_marks_say(acts: tuple[str, ...], drawing: str | None) -> None:
    motion = motion_of(step("It goes straight out: pull to prove it", acts=acts))
    assert (motion.drawing if motion else None) == drawing


def test_the_card_draws_them(web: Browser, db: Session) -> None:
    page = web.get(f"/jobs/{newest_job(db, 'QN-260')}/work").text  # the van: half-way open
    assert page.count('class="drawing in-hand"') > 4
