"""The steps that put covers on mouths, take them off, and look in and round."""

from collections.abc import Sequence

from galene.core.planning.openings import (
    numbered,
)
from galene.core.planning.records import (
    Consequence,
    OpenItem,
    Record,
    StateWords,
    Step,
)
from galene.core.planning.words import Phase

EMPTY = Record(
    id="eyes",
    kind="yes_no",
    label="Looked in twice, and it is empty",
    consequences=(
        Consequence(
            answer="no", kind="stop", text="Something lies in there: no cranking until it is out."
        ),
    ),
)


def uncovering(
    items: Sequence[OpenItem], part: str, *, phase: Phase, empty: Sequence[OpenItem] = ()
) -> Step:
    """Covers of one part, or before one closing, off one after another. Where a mouth leads into a
    cylinder it is looked into twice.

    Parameters
    ----------
    items : the covers, at least one where `empty` is none
    empty : mouths that wear no cover and are looked into all the same
    """
    every = [*items, *empty]
    step_id = f"uncover:{every[0].id}" if items else f"look_in:{every[0].id}"
    dangerous = any(i.dangerous for i in every)
    text = "Take off: " + "; ".join(lower_first(i.what) for i in items)
    if items and dangerous:
        text += ". Look in with the lamp, then look again"
    if not items:
        places = "; ".join(lower_first(i.what.partition(" ")[2]) for i in empty)
        text = f"Look in with the lamp, then look again: {places}"
    if len(items) > 1:
        text += f". Counted: {len(items)}"
    records: tuple[Record, ...] = ()
    if dangerous:
        records = (
            Record(
                id=f"{step_id}/eyes",
                key="eyes",
                kind="yes_no",
                label=EMPTY.label,
                consequences=EMPTY.consequences,
            ),
        )
    acts = (*(("uncover",) if items else ()), *(("look", "look_twice") if dangerous else ()))
    return Step(
        id=step_id,
        name="uncover" if items else "look_in",
        acts=acts,
        through=tuple(i.mouth for i in every if i.mouth) if dangerous else (),
        text=text,
        why="What stays in here ends up in a cylinder." if dangerous else "",
        phase=phase,
        part=part,
        minutes=max(0.5, 0.25 * len(every)),
        closes=tuple(i.id for i in items),
        tools=("lamp",) if dangerous else (),
        records=records,
        needs=StateWords(engine="off"),
    )


def looked_round(parts: Sequence[str], turn: int) -> Step:
    """What was opened for a check is looked at while it is in sight."""
    return Step(
        id=numbered("looked_round", turn),
        name="looked_round",
        turn=turn,
        acts=("leak_look", "touch_all"),
        sees=tuple(parts),
        text="Look round what was opened: plugs home, clamps tight, nothing left lying",
        why="A look that leaves a leak is a fault of the look.",
        phase="walk",
        minutes=1,
        needs=StateWords(engine="off"),
    )


def covering(items: Sequence[OpenItem]) -> Step:
    """Covers on mouths that stand open, before something else is done beside them."""
    return Step(
        id=f"cover:{items[0].id}",
        name="cover",
        acts=("cover",),
        text="Put on: " + "; ".join(lower_first(i.what) for i in items),
        why="What drops in here while other work goes on ends up in a cylinder.",
        phase="clean",
        minutes=0.5,
        opens=tuple(items),
        needs=StateWords(engine="off"),
    )


def lower_first(text: str) -> str:
    """A text as it stands within a sentence."""
    return text[:1].lower() + text[1:]
