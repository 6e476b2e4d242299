"""What of a chain is done once more, where an answer asks for it."""

from collections.abc import Iterator, Sequence
from dataclasses import replace

from galene.core.planning.chain import Link
from galene.core.planning.openings import numbered
from galene.core.planning.records import (
    Step,
)


def repeated(
    links: Sequence[Link], at: int, turn: int, deeds: frozenset[str] = frozenset()
) -> Iterator[Link]:
    """The steps that are done once more after `at`: the treatment where it judges one, else itself.

    Parameters
    ----------
    at : index of the link whose answer asked for it
    turn : 2 for the first repeat
    deeds : what the answer names; empty: all of the treatment
    """
    link = links[at]
    judges = any(r.name == "grade_after" for r in link.step.records) or bool(link.template.judges)
    first = at
    if judges:
        first = next((i for i, x in enumerate(links) if x.template.treats), at)
        first = min(first, at)
    segment = list(links[first : at + 1])
    if deeds:
        segment = _named(segment, deeds, turn)
    ids = {x.step.id for x in segment}
    items = {i.id for x in segment for i in x.step.opens}
    waits = {x.step.wait.id for x in segment if x.step.wait}
    head = True
    for one in segment:
        step = again(one.step, turn, items=items, waits=waits)
        after = tuple(numbered(a, turn) if a in ids else a for a in one.after)
        yield Link(
            step=step, template=one.template, after=(*after, link.step.id) if head else after
        )
        head = False


def _named(segment: Sequence[Link], deeds: frozenset[str], turn: int) -> list[Link]:
    """Of a treatment the steps that an answer names: looked at again, dried first where it says so,
    nothing wetted a second time."""
    kept = [x for x in segment if set(x.step.acts) <= deeds]
    wetting = next((x for x in reversed(segment) if x.step.wait), None)
    if "dry" not in deeds or wetting is None or not kept:
        return kept or list(segment[-1:])
    assert wetting.step.wait is not None
    wait = replace(wetting.step.wait, why=f"It was still wet. {wetting.step.wait.why}")
    dry = replace(
        wetting.step,
        id=f"{wetting.step.owner}:dry",
        name="dry",
        text="Nothing is sprayed on top: leave it in moving air until it is dry",
        why="Power on what is wet ruins it.",
        minutes=0.5,
        acts=("dry",),
        agent=None,
        wait=wait,
        opens=(),
        closes=(),
        records=(),
        consumes=(),
        tools=(),
        dirties=(),
    )
    first = replace(wetting, step=dry, after=())
    return [
        first,
        *(
            replace(
                x, step=replace(x.step, waits_for=(*x.step.waits_for, wait.id)), after=(dry.id,)
            )
            for x in kept
        ),
    ]


def again(step: Step, turn: int, *, items: set[str], waits: set[str]) -> Step:
    """A step's repeat, under ids of its own."""
    step_id = numbered(step.id, turn)
    return replace(
        step,
        id=step_id,
        turn=turn,
        records=tuple(replace(r, id=f"{step_id}/{r.name}") for r in step.records),
        wait=replace(step.wait, id=step.wait.id + f" ({turn})") if step.wait else None,
        waits_for=tuple(f"{w} ({turn})" if w in waits else w for w in step.waits_for),
        opens=tuple(replace(i, id=numbered(i.id, turn), turn=turn) for i in step.opens),
        closes=tuple(numbered(c, turn) for c in step.closes if c in items),
    )
