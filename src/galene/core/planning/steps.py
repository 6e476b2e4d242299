"""The steps that every job shares: making safe, opening, covering, closing, finds. Words are the
trade's."""

from collections.abc import Mapping

from galene.core.airpath.family import EngineFamily, Operation
from galene.core.planning.openings import (
    COOL_MINUTES,
    Lifting,
    deeds_of,
    drivers,
    fastener_texts,
    has_motor,
    is_coolant,
    numbered,
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

HOLD = "Electronics discharging"
"""The wait behind the battery's lead: two minutes for what stores charge (project default)."""
HOLD_MINUTES = 2.0
RESET_HOLD = "Memory clearing"
RESET_MINUTES = 15.0
"""Lead off for a reset by battery: fifteen minutes or more (project default)."""
COOLING = "Engine cooling"


def before_set(*, running: bool) -> Step:
    """The before readings: before codes are cleared and before anything is moved.

    Parameters
    ----------
    running : whether the engine may be run for them; it is warm and idles after them then
    """
    if not running:
        return Step(
            id="before_set",
            name="before_set",
            acts=("read", "look"),
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
        name="before_set",
        acts=("start", "idle", "read"),
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
        name="secure",
        acts=("secure",),
        text="Upright on its stand, doors open or extraction on"
        if on_stand
        else "Parking brake on, wheels chocked, doors open or extraction on",
        why="Solvent vapour and a vehicle that falls hurt without warning."
        if on_stand
        else "Solvent vapour and a rolling vehicle hurt without warning.",
        phase="safe",
        minutes=2,
        brings=("ventilated",),
    )


def cool(minutes: float, turn: int, *, cooling: str) -> Step:
    """Cooling before hot metal and hot coolant are touched; minutes by the family's entry.

    Parameters
    ----------
    cooling : ``liquid`` or ``air``: one without coolant burns by its metal alone
    """
    liquid = cooling == "liquid"
    wait = PlannedWait(
        id=COOLING if turn == 1 else f"{COOLING} ({turn})",
        minutes=minutes or COOL_MINUTES,
        why="Hot coolant is under pressure, hot metal burns and lights solvents"
        if liquid
        else "Hot metal burns and lights solvents",
    )
    return Step(
        id=numbered("cool", turn),
        name="cool",
        turn=turn,
        acts=("key_off", "wait"),
        text="Engine off. Let it cool until a hand can rest on what is opened",
        why="Hot coolant is under pressure and solvents catch fire on hot metal."
        if liquid
        else "Solvents catch fire on hot metal, and fins burn a hand.",
        phase="safe",
        minutes=0,
        wait=wait,
        does=StateWords(engine="off", heat="cold"),
    )


def ignition(turn: int) -> Step:
    """No power at the plugs that are pulled."""
    return Step(
        id=numbered("ignition", turn),
        name="ignition",
        turn=turn,
        acts=("key_off",),
        text="Ignition off, key out and away from the car",
        why="A plug pulled under power sets codes and may hurt a driver.",
        phase="safe",
        minutes=1,
        does=StateWords(engine="off"),
    )


def battery_off(turn: int) -> Step:
    """The battery's lead, with the hold that stored charge needs."""
    return Step(
        id=numbered("battery_off", turn),
        name="battery_off",
        turn=turn,
        acts=("power_off",),
        text="Take the battery's negative lead off and turn it aside",
        why="Nothing that is unplugged now is live, and nothing with a motor can move.",
        phase="safe",
        minutes=3,
        tools=("10 mm socket",),
        needs=StateWords(engine="off"),
        does=StateWords(battery="off"),
        wait=PlannedWait(
            id=HOLD if turn == 1 else f"{HOLD} ({turn})",
            minutes=HOLD_MINUTES,
            why="Airbag and motor electronics hold charge",
        ),
        opens=(
            OpenItem(
                id=numbered("battery:lead", turn),
                what="Battery negative lead",
                kind="battery lead",
            ),
        ),
    )


def battery_on(turn: int, closes: tuple[str, ...], *, cleared: bool = False) -> Step:
    """The battery's lead back on.

    Parameters
    ----------
    closes : the items that stand for its lead
    cleared : whether it was off long enough to have cleared the codes
    """
    return Step(
        id=numbered("battery_on", turn),
        name="battery_on",
        turn=turn,
        acts=("power_on",),
        text="Connect the battery's negative lead and tighten it",
        why="Last of all, when nothing that moves can be touched and nothing is wet.",
        phase="close",
        minutes=2,
        tools=("10 mm socket",),
        needs=StateWords(engine="off"),
        does=StateWords(battery="on", codes="cleared" if cleared else None),
        closes=closes,
    )


def filled(turn: int, closes: tuple[str, ...]) -> Step:
    """The coolant back at its mark, without air."""
    return Step(
        id=numbered("fill", turn),
        name="fill",
        turn=turn,
        acts=("fill", "bleed"),
        text="Fill the coolant to the mark, bleed screw open until no air comes, then shut",
        why="A hose was opened; an air pocket boils where the cooler sits.",
        phase="close",
        minutes=6,
        tools=("funnel",),
        needs=StateWords(engine="off"),
        does=StateWords(coolant="full"),
        closes=closes,
    )


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
    turn: int,
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
    items : what it opens
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
        id=numbered(f"open:{operation.id}", turn),
        name="open",
        turn=turn,
        acts=deeds_of(family, operation),
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
        drivers=drivers(family, operation),
        own_cautions=operation.cautions,
        where=family.part(operation.part).where,
        opening=operation.id,
    )


def closing(
    family: EngineFamily,
    operation: Operation,
    *,
    turn: int,
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
    step_id = numbered(f"close:{operation.id}", turn)
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
        text = _on_the_old_seal(text)
    level = {o.what for o in operation.opens if o.kind == "coolant low"}
    only_level = bool(operation.opens) and len(level) == len(operation.opens)
    deeds = deeds_of(family, operation, back=True)
    return Step(
        id=step_id,
        name="close",
        turn=turn,
        acts=tuple(d for d in deeds if not (reuse_seals and d == "seal_new")),
        seals=() if reuse_seals else seals,
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
        drivers=drivers(family, operation),
        consumes=(*(() if reuse_seals else seals), *new),
        where=family.part(operation.part).where,
        closing=operation.id,
    )


def _on_the_old_seal(text: str) -> str:
    """The way back in words that name no new seal; nothing is decided by them."""
    for new in ("on new ", "on a new ", "on its new "):
        text = text.replace(new, "on its looked-at ")
    return text


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
        name=template.key,
        acts=template.acts,
        text=template.text,
        why=template.why,
        phase="clean",
        part=find.part,
        minutes=template.minutes or find.minutes,
        tools=template.tools,
        own_cautions=template.cautions,
        records=records,
        note=f"{title}: {find.note}" if number == 1 else "",
        needs=StateWords(engine="off"),
        find=find.kind,
    )
