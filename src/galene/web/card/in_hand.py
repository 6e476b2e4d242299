"""What a step has in hand, as it is drawn: heads of fasteners with what turns them, and the hand's
motion where it is one that is drawn."""

import re
from dataclasses import dataclass

from galene.core.airpath.family import EngineFamily, Fastener
from galene.core.planning.openings import fastener_text
from galene.core.planning.records import Step

BY_HAND = frozenset({"wing nut", "knob"})
"""What fingers turn; all else that fingers undo is lifted or pressed."""
MOTIONS = (
    ("draw_straight", "out", "Straight out, without a twist"),
    ("both_ends", "ends", "From one end, then from the other"),
    ("prove_by_pull", "prove", "Push home, then pull: it must hold"),
)
"""Deeds that are drawn, the drawing of each, and what it says."""


@dataclass(frozen=True, kw_only=True)
class DrawnFastener:
    """A fastener seen from above.

    `head` is one of hex, slotted, star, inner_hex, slot, knob, lift, hook; `size` what is written
    into it; `torque_nm` only where it is made tight; `closing` turns it clockwise.
    """

    text: str
    head: str
    size: str
    torque_nm: float | None
    closing: bool

    @property
    def turns(self) -> bool:
        """Whether it is undone by turning."""
        return self.head not in ("lift", "hook")


@dataclass(frozen=True, kw_only=True)
class Motion:
    """A motion of the hand: which drawing, and what it says."""

    drawing: str
    words: str


def _head(fastener: Fastener) -> tuple[str, str]:
    driver = fastener.driver
    if star := re.fullmatch(r"(T\d+) driver", driver):
        return "star", star[1]
    if inner := re.fullmatch(r"([\d.]+) mm hex", driver):
        return "inner_hex", inner[1]
    if sized := re.fullmatch(r"([\d.]+) mm (.+)", driver):
        return ("slotted" if sized[2] in ("slotted socket", "flare spanner") else "hex"), sized[1]
    if driver == "flat driver":
        return "slot", ""
    if driver == "fingers":
        return ("knob" if fastener.what in BY_HAND else "lift"), ""
    return "hook", ""


def fasteners_drawn(family: EngineFamily, step: Step) -> tuple[DrawnFastener, ...]:
    """The fasteners of a step as they are drawn; those that the family no longer has are left to
    their words."""
    known = {fastener_text(f): f for f in family.all_fasteners}
    closing = bool(step.closing)
    drawn = []
    for text in step.fasteners:
        if fastener := known.get(text):
            head, size = _head(fastener)
            drawn.append(
                DrawnFastener(
                    text=text,
                    head=head,
                    size=size,
                    torque_nm=fastener.torque_nm if closing else None,
                    closing=closing,
                )
            )
    return tuple(drawn)


def motion_of(step: Step) -> Motion | None:
    """The motion of a step's deeds that is drawn, None where none is."""
    for deed, drawing, said in MOTIONS:
        if deed in step.acts:
            return Motion(drawing=drawing, words=said)
    return None
