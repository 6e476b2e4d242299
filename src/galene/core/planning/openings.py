"""What opening the engine does: which parts come off, which mouths stand open, whose fasteners
turn."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace

from galene.core.airpath.family import EngineFamily, Fastener, OpenedItem, Operation, Part
from galene.core.airpath.natures import any_is, kind_is
from galene.core.planning.marks import mouth_of
from galene.core.planning.records import OpenItem

COOL_MINUTES = 60.0
"""Cooling from working heat to where a hand can rest (project default; the family's own goes
first)."""
COVERED = frozenset({"main", "bypass", "recirculation", "secondary", "exhaust", "signal"})
"""Circuits whose open mouths are covered. A breather hose lies on the list as a hose."""


@dataclass(frozen=True, kw_only=True)
class Lifting:
    """What one operation takes off: the part itself, those that are one with it (`riders`), and the
    sensors and motors that sit on it and are only unplugged (`attached`)."""

    part: str
    riders: tuple[str, ...]
    attached: tuple[str, ...]
    hangs: bool

    @property
    def parts(self) -> tuple[str, ...]:
        """All that leaves its place."""
        return (self.part, *self.riders)


def lifting(family: EngineFamily, operation: Operation) -> Lifting | None:
    """What an operation takes off the engine; None where it only lays open.

    Notes
    -----
    The family's own word goes first. Without one, an operation on a part that it also reaches takes
    that part off, if it is of a kind that comes off. Sensors in one body come off together; flaps
    and a passage cast into it come off with the manifold.
    """
    part = operation.removes
    if not part:
        kind = family.part(operation.part).component
        if operation.part in operation.reaches and kind_is(kind, "comes_off"):
            part = operation.part
    if not part:
        return None
    kind = family.part(part).component
    riders: list[str] = []
    attached = [t.sensor for t in family.taps if t.on == part]
    if kind_is(kind, "sensor"):
        riders += [p for p in operation.reaches if kind_is(family.part(p).component, "sensor")]
    if kind_is(kind, "plenum"):
        riders += [p.id for p in family.parts if kind_is(p.component, "flaps")]
        attached += [p.id for p in family.parts if kind_is(p.component, "flap_motor")]
        riders += [p for p in operation.reaches if kind_is(family.part(p).component, "passage")]
    own = tuple(dict.fromkeys(r for r in riders if r != part))
    return Lifting(part=part, riders=own, attached=tuple(attached), hangs=operation.hangs)


def needs_cold(family: EngineFamily, operation: Operation) -> bool:
    """Whether an operation waits for a cold engine: by its entry, or because it touches what is
    hot."""
    touched = {operation.part, operation.removes or operation.part}
    hot = any(kind_is(family.part(p).component, "burns") for p in touched)
    return "engine_cold" in operation.needs or hot


def has_motor(part: Part) -> bool:
    """Whether power off comes before the part is unplugged: a motor of its own moves it."""
    if kind_is(part.component, "plate"):
        return "electronic" in part.features
    return kind_is(part.component, "flap_motor")


def numbered(name: str, turn: int) -> str:
    """The id of a step, or of an opening, that is done for the `turn`-th time.

    Examples
    --------
    >>> numbered("walk", 1), numbered("walk", 2)
    ('walk', 'walk~2')
    """
    return f"{name}~{turn}" if turn > 1 else name


def fasteners_undone(family: EngineFamily, operation: Operation) -> tuple[Fastener, ...]:
    """Fasteners of what the operation takes off or undoes, then those of its own."""
    lifted = lifting(family, operation)
    owners = dict.fromkeys((*((lifted.part,) if lifted else ()), *operation.undoes))
    return (*(f for owner in owners for f in family.fasteners_of(owner)), *operation.own)


def fastener_texts(family: EngineFamily, operation: Operation) -> tuple[str, ...]:
    """Fasteners of what the operation undoes, in words; nothing rather than a neighbour's."""
    return tuple(fastener_text(f) for f in fasteners_undone(family, operation))


def fastener_text(fastener: Fastener) -> str:
    """How many of what, what turns it, how tight, and where it sits."""
    tight = "" if fastener.torque_nm is None else f", {fastener.torque_nm:g} N m"
    by_hand = ", by hand only" if fastener.hand_tool_only else ""
    place = f"; {fastener.place}" if fastener.place else ""
    return f"{fastener.count} × {fastener.what}, {fastener.driver}{tight}{by_hand}{place}"


def drivers(family: EngineFamily, operation: Operation) -> tuple[str, ...]:
    """What turns the fasteners that the operation undoes, each once."""
    return tuple(dict.fromkeys(f.driver for f in fasteners_undone(family, operation)))


def is_mouth(opened: OpenedItem) -> bool:
    """Whether a family's own entry of what is opened is a cap, tape or rag over a mouth."""
    return bool(opened.mouth) or opened.kind in ("tape", "rag inside")


def is_coolant(opened: OpenedItem) -> bool:
    """Whether opening it lets coolant out: the level itself, or a hose of the coolant's."""
    return opened.kind == "coolant low" or opened.carries == "coolant"


def same_thing(one: OpenItem, other: OpenItem) -> bool:
    """Whether two items are the same plug, lever or bolts, whatever they are called."""
    return bool(one.of) and one.of == other.of and one.kind == other.kind


UNDONE: Mapping[str, tuple[str, str]] = {
    "connector": ("unplug", "plug_in"),
    "sensor unplugged": ("unplug", "plug_in"),
    "hose": ("unhook", "hook"),
    "clamp": ("unscrew", "torque"),
    "fastener set": ("unscrew", "torque"),
    "cover": ("lift_off", "fit"),
    "coolant low": ("drain", "fill"),
    "fuel line open": ("open_fuel", "hook"),
    "battery lead": ("power_off", "power_on"),
    "cab tilted": ("tilt", "untilt"),
}
"""Kind of item to the deed that opens it, and the one that closes it again."""


def deeds_of(family: EngineFamily, operation: Operation, *, back: bool = False) -> tuple[str, ...]:
    """What the hand does at an operation: by what it opens and takes off, then its own deeds.

    Parameters
    ----------
    back : the way back
    """
    lifted = lifting(family, operation)
    found = [UNDONE[o.kind][back] for o in operation.opens if not o.mouth and o.kind in UNDONE]
    if lifted and lifted.hangs:
        found.append("fit" if back else "lay_aside")
    elif lifted:
        found.append("fit" if back else "lift_off")
    if back and operation.consumes:
        found.append("seal_new")
    return tuple(dict.fromkeys((*found, *(operation.acts_back if back else operation.acts))))


def carrier_of(family: EngineFamily, part_id: str) -> str:
    """The part that another is one with and comes off with; empty where it is one of its own."""
    for operation in family.operations:
        lifted = lifting(family, operation)
        if lifted and part_id in lifted.riders:
            return lifted.part
    return ""


def has(family: EngineFamily, word: str) -> bool:
    """Whether a vehicle has what a text speaks of: a kind of part, a way of driving its plate, a
    vacuum hose, coolant."""
    throttle = next((p for p in family.parts if kind_is(p.component, "plate")), None)
    driven = family.throttle
    if throttle is not None and {"electronic", "cable"} & set(throttle.features):
        driven = "electronic" if "electronic" in throttle.features else "cable"
    known = {
        "electronic": driven == "electronic",
        "cable": driven != "electronic",
        "vacuum_hose": family.fuel == "petrol",
        "coolant": family.cooling == "liquid",
    }
    return known.get(word, word in family.components)


def opens_fuel(operation: Operation) -> bool:
    """Whether an operation opens a fuel line."""
    return any(o.kind == "fuel line open" for o in operation.opens)


def plain_items(
    family: EngineFamily, operation: Operation, turn: int, *, gone: Collection[str]
) -> list[OpenItem]:
    """Connectors, hoses, clamps, fasteners and lines of an operation, without what covers
    mouths."""
    items = [
        OpenItem(
            id=f"{numbered(operation.id, turn)}:{o.what}",
            what=o.what,
            kind=o.kind,
            count=o.count,
            before=o.before,
            dangerous=o.dangerous,
            operation=operation.id,
            turn=turn,
            of=o.of,
        )
        for o in operation.opens
        if not is_mouth(o)
    ]
    lifted = lifting(family, operation)
    pulled = {o.of for o in operation.opens if o.kind == "connector"}
    for rider in lifted.attached if lifted and not lifted.hangs else ():
        if rider in gone or rider in pulled:
            continue
        what = f"{family.part(rider).name} connector"
        items.append(
            OpenItem(
                id=f"{numbered(operation.id, turn)}:{what}",
                what=what,
                kind="connector",
                operation=operation.id,
                turn=turn,
                of=rider,
            )
        )
    return items


def mouths(
    family: EngineFamily,
    operation: Operation,
    turn: int,
    *,
    gone: Collection[str],
) -> list[OpenItem]:
    """Covers of the mouths that the operation lays open, one item a mouth.

    Parameters
    ----------
    operation : the opening
    turn : for which time the operation is opened
    gone : parts that are off already, which have no mouth on the engine

    Returns
    -------
    list of OpenItem
        By the family's own entry where it names covers, else by its pipes and taps: every neighbour
        of what leaves that stays, and every port that a sensor leaves.
    """
    every = [o for o in operation.opens if is_mouth(o)]
    liquid = [o for o in every if o.mouth.startswith("coolant_")]
    gas = [o for o in every if o not in liquid]
    plugs = _named(operation, turn, liquid)
    if gas:
        return [*_named(operation, turn, gas), *plugs]
    lifted = lifting(family, operation)
    if lifted is None:
        return plugs
    leaving = set(lifted.parts)
    found: dict[str, OpenItem] = {}
    for pipe in family.pipes:
        if pipe.circuit not in COVERED or (pipe.source in leaving) == (pipe.target in leaving):
            continue
        inward = pipe.source in leaving
        stays = pipe.target if inward else pipe.source
        leaves = pipe.source if inward else pipe.target
        # A motor's rod is drawn as a pipe, but no gas goes through it.
        ends = (family.part(p).component for p in (pipe.source, pipe.target))
        if stays in gone or any_is(ends, "flap_motor"):
            continue
        ways_in = pipe.circuit in ("main", "bypass") and inward
        for item in _covers(family, operation, turn, leaves=leaves, stays=stays, ways_in=ways_in):
            found.setdefault(item.mouth, item)
    for tap in family.taps:
        if tap.sensor in leaving and tap.on and tap.on not in leaving and tap.on not in gone:
            item = port_tape(family, tap.sensor, f"{numbered(operation.id, turn)}", on=tap.on)
            found[item.mouth] = replace(item, operation=operation.id, turn=turn)
    return [*found.values(), *plugs]


def port_tape(family: EngineFamily, sensor: str, opened_by: str, *, on: str) -> OpenItem:
    """The tape over the port that a sensor leaves."""
    return OpenItem(
        id=f"{opened_by}:port {sensor}",
        what=f"Tape over the port of: {family.part(sensor).name.lower()}",
        kind="tape",
        inside=True,
        on=bearer(family, on),
        mouth=mouth_of(on, sensor),
    )


def _named(operation: Operation, turn: int, named: Sequence[OpenedItem]) -> list[OpenItem]:
    """Covers that a family names itself, one item each."""
    return [
        OpenItem(
            id=f"{numbered(operation.id, turn)}:{o.what}{f' {n}' if o.count > 1 else ''}",
            what=f"{o.what}, {n} of {o.count}" if o.count > 1 else o.what,
            kind=o.kind,
            inside=True,
            before=o.before,
            dangerous=o.dangerous,
            operation=operation.id,
            turn=turn,
            mouth=f"{o.mouth or operation.id}{f'_{n}' if o.count > 1 else ''}",
        )
        for o in named
        for n in range(1, o.count + 1)
    ]


def bearer(family: EngineFamily, part_id: str) -> str | None:
    """The part that a cover is said to be on.

    None where it sits on the head or the filter's box: neither the ports that are worked on nor the
    element that is lifted out bear it.
    """
    kind = family.part(part_id).component
    return None if kind_is(kind, "ports", "paper") else part_id


def _covers(
    family: EngineFamily,
    operation: Operation,
    turn: int,
    *,
    leaves: str,
    stays: str,
    ways_in: bool,
) -> list[OpenItem]:
    part, other = family.part(stays), family.part(leaves).name.lower()
    at = numbered(operation.id, turn)
    if kind_is(part.component, "ports") and ways_in:
        return [
            OpenItem(
                id=f"{at}:ports {n}",
                what=f"Tape over the intake ports of cylinder {n}",
                kind="tape",
                inside=True,
                on=stays,
                dangerous=True,
                operation=operation.id,
                turn=turn,
                mouth=mouth_of(stays, n),
                cylinder=n,
            )
            for n in range(1, family.cylinders + 1)
        ]
    return [
        OpenItem(
            id=f"{at}:mouth {mouth_of(stays, leaves)}",
            what=f"Cap on the {part.name.lower()}, where the {other} was",
            kind="cover",
            inside=True,
            on=bearer(family, stays),
            dangerous=ways_in,
            operation=operation.id,
            turn=turn,
            mouth=mouth_of(stays, leaves),
        )
    ]


def riding(family: EngineFamily) -> Mapping[str, Sequence[str]]:
    """Part to what must come off it, by name, before it goes to a bath or out of the house."""
    found: dict[str, list[str]] = {}
    for tap in family.taps:
        if tap.on:
            found.setdefault(tap.on, []).append(tap.sensor)
    for part in family.parts:
        if kind_is(part.component, "plenum"):
            found.setdefault(part.id, []).extend(
                p.id for p in family.parts if kind_is(p.component, "flap_motor")
            )
    return found
