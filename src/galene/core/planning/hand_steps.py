"""The steps that draw a part out of its place by hand, strip one on the bench, and take back what
was opened."""

from dataclasses import replace

from galene.core.airpath.family import EngineFamily, Part
from galene.core.airpath.natures import kind_is
from galene.core.planning.cover_steps import lower_first, uncovering
from galene.core.planning.openings import (
    port_tape,
)
from galene.core.planning.records import (
    OpenItem,
    StateWords,
    Step,
)
from galene.core.planning.words import Place


def taken_back(item: OpenItem, part: str) -> Step:
    """What a part's work opened is taken back where that work goes no further."""
    step = uncovering((item,), part, phase="close")
    return replace(
        step, text=f"Take back: {lower_first(item.what)}", name="taken_back", owner=part, minutes=1
    )


def taken_out(family: EngineFamily, part_id: str, carrier: str) -> Step:
    """A part with no operation of its own is drawn out of its place by hand.

    Parameters
    ----------
    carrier : the part on the bench that it sits on; empty where it sits on the car
    """
    part = family.part(part_id)
    low = part.name.lower()
    hoses = kind_is(part.component, "breather")
    items: tuple[OpenItem, ...] = (
        OpenItem(
            id=f"{part_id}:connector",
            what=_what_holds(part),
            kind=_holds_by(part),
            of=part_id,
            owner=part_id,
        ),
    )
    text = f"Unplug the {low}, draw it straight out of its place"
    acts: tuple[str, ...] = ("unplug", "draw_straight", "lift_off")
    if hoses:
        text = f"Ease the hoses off the {low}, draw it out of its seat"
        acts = ("unhook", "lift_off")
    if carrier:
        base = family.part(carrier).name.lower()
        text = f"On the bench: draw the {low} out of the {base}"
        seat = f"{part.name}, off the {base}"
        items = (
            OpenItem(
                id=f"{part_id}:seat", what=seat, kind="fastener set", of=part_id, owner=part_id
            ),
        )
        acts = ("lift_off",)
    return Step(
        id=f"{part_id}:out",
        name="out",
        acts=acts,
        text=text,
        why="It is treated in the hand, never where its agent runs on into something else.",
        phase="clean",
        part=part_id,
        owner=part_id,
        minutes=3,
        needs=StateWords(
            engine="off",
            heat="cold" if kind_is(part.component, "burns") else None,
            place=_places(part_id, carrier),
        ),
        takes_off=(part_id,),
        opens=items,
        where=part.where,
    )


def _places(part_id: str, carrier: str) -> dict[str, Place]:
    places: dict[str, Place] = {part_id: "mounted"}
    if carrier:
        places[carrier] = "off"
    return places


def _what_holds(part: Part) -> str:
    hoses = kind_is(part.component, "breather")
    return f"{part.name} hoses" if hoses else f"{part.name} connector"


def _holds_by(part: Part) -> str:
    return "hose" if kind_is(part.component, "breather") else "connector"


def hand_mouth(family: EngineFamily, part_id: str) -> OpenItem | None:
    """The mouth that a part leaves which is drawn out by hand, with what covers it; None where it
    sits in nothing."""
    on = next((t.on for t in family.taps if t.sensor == part_id), None)
    if on is None:
        if not kind_is(family.part(part_id).component, "breather"):
            return None
        on = next((p.source for p in family.pipes if p.target == part_id), None)
    return replace(port_tape(family, part_id, part_id, on=on), owner=part_id) if on else None


def put_back(family: EngineFamily, part_id: str, carrier: str) -> Step:
    """The same part's way back."""
    part = family.part(part_id)
    low = part.name.lower()
    text = f"Refit the {low} straight, plug clicked home"
    acts: tuple[str, ...] = ("fit", "plug_in")
    closes: tuple[str, ...] = (f"{part_id}:connector",)
    if kind_is(part.component, "breather"):
        text = f"Press the {low} home in its seat, hoses on"
        acts = ("fit", "hook")
    if carrier:
        text = f"On the bench: put the {low} back into the {family.part(carrier).name.lower()}"
        closes = (f"{part_id}:seat",)
        acts = ("fit",)
    return Step(
        id=f"{part_id}:in",
        name="in",
        acts=acts,
        text=text,
        phase="close",
        part=part_id,
        owner=part_id,
        minutes=3,
        needs=StateWords(engine="off", place={part_id: "off"}),
        refits=(part_id,),
        closes=closes,
        where=part.where,
    )


def stripped(family: EngineFamily, rider: str, carrier: str) -> tuple[Step, Step]:
    """What still sits on a part on the bench comes off it, and goes back on it."""
    name, base = family.part(rider).name, family.part(carrier).name.lower()
    item = OpenItem(
        id=f"strip:{rider}",
        what=f"{name}, off the {base}",
        kind="fastener set",
        of=rider,
        owner=carrier,
    )
    off = Step(
        id=f"strip:{rider}",
        name="strip",
        acts=("unscrew", "lift_off"),
        text=f"On the bench: take the {name.lower()} off the {base}, bag it with its screws",
        why="No electronics and no sensor go into a bath or out of the house.",
        phase="clean",
        part=rider,
        owner=carrier,
        minutes=3,
        needs=StateWords(engine="off", place={carrier: "off", rider: "mounted"}),
        takes_off=(rider,),
        opens=(item,),
        tools=("small driver", "bag"),
    )
    on = Step(
        id=f"unstrip:{rider}",
        name="unstrip",
        acts=("fit", "torque"),
        text=f"On the bench: put the {name.lower()} back on the {base}, screws by hand",
        phase="close",
        part=rider,
        owner=carrier,
        minutes=3,
        needs=StateWords(engine="off", place={carrier: "off", rider: "off"}),
        refits=(rider,),
        closes=(item.id,),
        tools=("small driver",),
    )
    return off, on
