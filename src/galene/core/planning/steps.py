"""The steps that every job shares: making safe, opening, covering, closing, finds. Words are the
trade's."""

from collections.abc import Mapping

from galene.core.airpath.family import EngineFamily, Operation, Part
from galene.core.planning.openings import (
    COOL_MINUTES,
    HOT_KINDS,
    Lifting,
    bearer,
    fastener_texts,
    has_motor,
    is_coolant,
    opens_fuel,
)
from galene.core.planning.policy_keys import MAKING_SAFE
from galene.core.planning.procedure import StepTemplate
from galene.core.planning.records import (
    Consequence,
    Find,
    OpenItem,
    PlannedWait,
    Record,
    StateWords,
    Step,
)
from galene.core.planning.words import Phase, Place

HOLD = "Electronics discharging"
"""The wait behind the battery's lead: two minutes for what stores charge (project default)."""
HOLD_MINUTES = 2.0
RESET_HOLD = "Memory clearing"
RESET_MINUTES = 15.0
"""Lead off for a reset by battery: fifteen minutes or more (project default)."""
COOLING = "Engine cooling"
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


def before_set(*, running: bool) -> Step:
    """The before readings: before codes are cleared and before anything is moved.

    Parameters
    ----------
    running : whether the engine may be run for them; it is warm and idles after them then
    """
    if not running:
        return Step(
            id="before_set",
            text=(
                "Take the before readings that a standing engine gives: codes with their freeze"
                " frame, what key-on shows, what the eye sees"
            ),
            why="It is not turned: coolant may stand in a cylinder, or something lies open.",
            phase="safe",
            minutes=8,
            act="before_set",
            does=StateWords(before_set=True),
        )
    return Step(
        id="before_set",
        text=(
            "Take the before readings: warm idle, codes with their freeze frame, the complaint's"
            " own test"
        ),
        why="Clearing and unplugging erase what they would have shown.",
        phase="safe",
        minutes=15,
        act="before_set",
        needs=StateWords(battery="on", coolant="full"),
        does=StateWords(before_set=True, engine="running", heat="warm"),
    )


def secure(family: EngineFamily) -> Step:
    """The vehicle and the air of the bay."""
    on_stand = family.cycle == "two_stroke"
    return Step(
        id="secure",
        text="Upright on its stand, doors open or extraction on"
        if on_stand
        else "Parking brake on, wheels chocked, doors open or extraction on",
        why="Solvent vapour and a vehicle that falls hurt without warning."
        if on_stand
        else "Solvent vapour and a rolling vehicle hurt without warning.",
        phase="safe",
        minutes=2,
        cautions=("fumes",),
        brings=("ventilated",),
    )


def cool(minutes: float, step_id: str, *, cooling: str) -> Step:
    """Cooling before hot metal and hot coolant are touched; minutes by the family's entry.

    Parameters
    ----------
    cooling : ``liquid`` or ``air``: one without coolant burns by its metal alone
    """
    liquid = cooling == "liquid"
    wait = PlannedWait(
        id=COOLING + ("" if "~" not in step_id else f" ({step_id.partition('~')[2]})"),
        minutes=minutes or COOL_MINUTES,
        why="Hot coolant is under pressure, hot metal burns and lights solvents"
        if liquid
        else "Hot metal burns and lights solvents",
    )
    return Step(
        id=step_id,
        text="Engine off. Let it cool until a hand can rest on what is opened",
        why="Hot coolant is under pressure and solvents catch fire on hot metal."
        if liquid
        else "Solvents catch fire on hot metal, and fins burn a hand.",
        phase="safe",
        minutes=0,
        cautions=("hot_coolant",) if liquid else ("hot_surfaces",),
        wait=wait,
        does=StateWords(engine="off", heat="cold"),
    )


def ignition(step_id: str) -> Step:
    """No power at the plugs that are pulled."""
    return Step(
        id=step_id,
        text="Ignition off, key out and away from the car",
        why="A plug pulled under power sets codes and may hurt a driver.",
        phase="safe",
        minutes=1,
        does=StateWords(engine="off"),
    )


def battery_off(step_id: str) -> Step:
    """The battery's lead, with the hold that stored charge needs."""
    return Step(
        id=step_id,
        text="Take the battery's negative lead off and turn it aside",
        why="Nothing that is unplugged now is live, and nothing with a motor can move.",
        phase="safe",
        minutes=3,
        tools=("10 mm socket",),
        cautions=("battery",),
        needs=StateWords(engine="off"),
        does=StateWords(battery="off"),
        wait=PlannedWait(
            id=hold_of(step_id),
            minutes=HOLD_MINUTES,
            why="Airbag and motor electronics hold charge",
        ),
        opens=(
            OpenItem(
                id=f"battery:lead{step_id.removeprefix('battery_off')}",
                what="Battery negative lead",
                kind="battery lead",
            ),
        ),
    )


def battery_on(step_id: str, closes: tuple[str, ...], *, cleared: bool = False) -> Step:
    """The battery's lead back on.

    Parameters
    ----------
    closes : the items that stand for its lead
    cleared : whether it was off long enough to have cleared the codes
    """
    return Step(
        id=step_id,
        text="Connect the battery's negative lead and tighten it",
        why="Last of all, when nothing that moves can be touched and nothing is wet.",
        phase="close",
        minutes=2,
        tools=("10 mm socket",),
        needs=StateWords(engine="off"),
        does=StateWords(battery="on", codes="cleared" if cleared else None),
        closes=closes,
    )


def filled(step_id: str, closes: tuple[str, ...]) -> Step:
    """The coolant back at its mark, without air."""
    return Step(
        id=step_id,
        text="Fill the coolant to the mark, bleed screw open until no air comes, then shut",
        why="A hose was opened; an air pocket boils where the cooler sits.",
        phase="close",
        minutes=6,
        tools=("funnel",),
        needs=StateWords(engine="off"),
        does=StateWords(coolant="full"),
        closes=closes,
    )


def hold_of(step_id: str) -> str:
    """The name of the hold behind a battery's step."""
    turn = step_id.partition("~")[2]
    return f"{HOLD} ({turn})" if turn else HOLD


def wants_battery_off(
    family: EngineFamily,
    operation: Operation,
    lifted: Lifting | None,
    *,
    policy: Mapping[str, str],
) -> bool:
    """Whether an operation waits for the battery: it unplugs a motor, or the family says so.

    School H's ``ignition_only`` holds for what has no motor of its own.
    """
    moved = [*(lifted.parts if lifted else ()), *(lifted.attached if lifted else ())]
    if any(has_motor(family.part(p)) for p in moved):
        return True
    return "battery_off" in operation.needs and policy.get(MAKING_SAFE) != "ignition_only"


def opening(
    family: EngineFamily,
    operation: Operation,
    *,
    step_id: str,
    items: tuple[OpenItem, ...],
    takes_off: tuple[str, ...],
    hangs: bool,
    cold: bool,
    battery_off: bool,
    loose: tuple[str, ...] = (),
) -> Step:
    """One operation of the way in.

    Parameters
    ----------
    items : what it opens, covers of its mouths among them
    takes_off : parts that leave their place; they hang on their lines where `hangs` says so
    cold, battery_off : states that it waits for
    loose : parts of `takes_off` that were laid aside before
    """
    does = StateWords(
        coolant="lowered" if any(is_coolant(o) for o in operation.opens) else None,
        fuel_line="opened" if opens_fuel(operation) else None,
        place=dict.fromkeys(takes_off, "loose") if hangs else {},
    )
    needs = StateWords(
        engine="off",
        heat="cold" if cold else None,
        battery="off" if battery_off else None,
        place={p: "loose" if p in loose else "mounted" for p in takes_off},
    )
    return Step(
        id=step_id,
        text=operation.text,
        phase="open",
        part=operation.removes or operation.part,
        minutes=operation.minutes_off,
        needs=needs,
        does=does,
        opens=items,
        takes_off=() if hangs else takes_off,
        tools=operation.tools,
        fasteners=fastener_texts(family, operation),
        cautions=_cautions(operation, cold),
        where=family.part(operation.part).where,
        opening=operation.id,
    )


def _cautions(operation: Operation, cold: bool) -> tuple[str, ...]:
    found = list(operation.cautions)
    if cold:
        found.append("hot_surfaces")
    return tuple(dict.fromkeys(found))


def closing(
    family: EngineFamily,
    operation: Operation,
    *,
    step_id: str,
    closes: tuple[str, ...],
    refits: tuple[str, ...],
    waits: tuple[str, ...],
    new: tuple[str, ...],
    reuse_seals: bool,
) -> Step:
    """The way back of one operation.

    Parameters
    ----------
    new : parts that go in new here; their spares are consumed by this step
    reuse_seals : school G: seals are looked at, cleaned and noted, no new ones are consumed
    """
    text = operation.text_back
    seals = operation.consumes
    notes: list[str] = []
    records: tuple[Record, ...] = ()
    if new:
        names = ", ".join(family.part(p).name.lower() for p in new)
        notes.append(f"Goes in new: {names}.")
    if seals and reuse_seals:
        notes.append("The old seal goes back only clean, whole and not set hard: look at it first.")
        records = (_seal_record(step_id),)
        text = text.replace("on new ", "on its looked-at ").replace(
            "on a new ", "on its looked-at "
        )
        text = text.replace("on its new ", "on its looked-at ")
    level = {o.what for o in operation.opens if o.kind == "coolant low"}
    only_level = bool(operation.opens) and len(level) == len(operation.opens)
    return Step(
        id=step_id,
        text=text,
        phase="close",
        part=operation.removes or operation.part,
        minutes=operation.minutes_on,
        needs=StateWords(engine="off"),
        does=StateWords(
            coolant="full" if only_level else None,
            fuel_line="closed" if opens_fuel(operation) else None,
        ),
        closes=closes,
        refits=refits,
        waits_for=waits,
        records=records,
        note=" ".join(notes),
        tools=operation.tools,
        fasteners=fastener_texts(family, operation),
        consumes=(*(() if reuse_seals else seals), *new),
        where=family.part(operation.part).where,
        closing=operation.id,
    )


def _seal_record(step_id: str) -> Record:
    return Record(
        id=f"{step_id}/seal",
        key="seal",
        kind="yes_no",
        label="The old seal is clean, whole and soft",
        consequences=(
            Consequence(
                answer="no",
                kind="note",
                text="A new seal goes in: put it on the card as found; it is a follow-up.",
            ),
        ),
    )


def uncovering(item: OpenItem, part: str, *, phase: Phase) -> Step:
    """One cover off. One that lies on the way into the engine is looked behind twice."""
    text = f"Take off: {item.what[0].lower()}{item.what[1:]}"
    step_id = f"uncover:{item.id}"
    records: tuple[Record, ...] = ()
    if item.dangerous:
        text += ". Look in with the lamp, then look again"
        records = (
            Record(
                id=f"{step_id}/eyes",
                key="eyes",
                kind="yes_no",
                label=EMPTY.label,
                consequences=EMPTY.consequences,
            ),
        )
    return Step(
        id=step_id,
        text=text,
        why="What stays in here ends up in a cylinder." if item.dangerous else "",
        phase=phase,
        part=part,
        minutes=0.5,
        closes=(item.id,),
        tools=("lamp",) if item.dangerous else (),
        cautions=("objects",) if item.dangerous else (),
        records=records,
        needs=StateWords(engine="off"),
    )


def taken_back(item: OpenItem, part: str) -> Step:
    """What a part's work opened is taken back where that work goes no further."""
    step = uncovering(item, part, phase="close")
    return Step(
        id=step.id,
        text=f"Take back: {item.what[0].lower()}{item.what[1:]}",
        phase="close",
        part=part,
        owner=part,
        minutes=1,
        closes=step.closes,
        records=step.records,
        cautions=step.cautions,
        tools=step.tools,
        needs=step.needs,
    )


def taken_out(family: EngineFamily, part_id: str, carrier: str) -> Step:
    """A part with no operation of its own is drawn out of its place by hand.

    Parameters
    ----------
    carrier : the part on the bench that it sits on; empty where it sits on the car
    """
    part = family.part(part_id)
    low = part.name.lower()
    on = next((t.on for t in family.taps if t.sensor == part_id), None)
    items: tuple[OpenItem, ...] = (
        OpenItem(id=f"{part_id}:connector", what=_what_holds(part), kind=_holds_by(part)),
        OpenItem(
            id=f"{part_id}:port",
            what=f"Tape over the port of: {low}",
            kind="tape",
            inside=True,
            on=bearer(family, on) if on else None,
        ),
    )
    text = f"Unplug the {low}, draw it straight out of its place, tape its port"
    if part.component == "breather_valve":
        text = f"Ease the hoses off the {low}, draw it out of its seat, tape the opening"
    if carrier:
        base = family.part(carrier).name.lower()
        text = f"On the bench: draw the {low} out of the {base}"
        seat = f"{part.name}, off the {base}"
        items = (OpenItem(id=f"{part_id}:seat", what=seat, kind="fastener set"),)
    return Step(
        id=f"{part_id}:out",
        text=text,
        why="It is treated in the hand, never where its agent runs on into something else.",
        phase="clean",
        part=part_id,
        owner=part_id,
        minutes=3,
        needs=StateWords(
            engine="off",
            heat="cold" if part.component in HOT_KINDS else None,
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
    hoses = part.component == "breather_valve"
    return f"{part.name} hoses" if hoses else f"{part.name} connector"


def _holds_by(part: Part) -> str:
    return "hose" if part.component == "breather_valve" else "connector"


def put_back(family: EngineFamily, part_id: str, carrier: str) -> Step:
    """The same part's way back."""
    part = family.part(part_id)
    low = part.name.lower()
    text = f"Tape off, refit the {low} straight, plug clicked home"
    if part.component == "breather_valve":
        text = f"Tape off, press the {low} home in its seat, hoses on"
    closes: tuple[str, ...] = (f"{part_id}:connector", f"{part_id}:port")
    if carrier:
        text = f"On the bench: put the {low} back into the {family.part(carrier).name.lower()}"
        closes = (f"{part_id}:seat",)
    return Step(
        id=f"{part_id}:in",
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
    item = OpenItem(id=f"strip:{rider}:{name}", what=f"{name}, off the {base}", kind="fastener set")
    off = Step(
        id=f"strip:{rider}",
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


def found(find: Find, template: StepTemplate, number: int, *, title: str) -> Step:
    """A step that a find on the way asks for."""
    step_id = f"found:{find.number}:{number}"
    records = tuple(
        Record(
            id=f"{step_id}/{r.name}",
            key=r.name,
            kind=r.kind,
            label=r.label,
            consequences=r.consequences,
            quantity=r.quantity,
            least=r.least,
            most=r.most,
        )
        for r in template.records
    )
    return Step(
        id=step_id,
        text=template.text,
        why=template.why,
        phase="clean",
        part=find.part,
        minutes=template.minutes or find.minutes,
        tools=template.tools,
        cautions=template.cautions,
        records=records,
        note=f"{title}: {find.note}" if number == 1 else "",
        needs=StateWords(engine="off"),
        find=find.kind,
    )
