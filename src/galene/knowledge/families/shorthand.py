"""Short ways to write a family's parts, so that each stands in one line of its table."""

import itertools

from galene.core.airpath.family import Fastener, OpenedItem, Operation, Pipe


def plug(name: str) -> OpenedItem:
    """A connector that is pulled."""
    return OpenedItem(what=f"{name} connector", kind="connector")


def bolts(name: str, count: int = 1, word: str = "bolts") -> OpenedItem:
    """A set of fasteners that is undone."""
    return OpenedItem(what=f"{name} {word}", kind="fastener set", count=count)


def hose(name: str, count: int = 1) -> OpenedItem:
    """A hose that is pulled."""
    return OpenedItem(what=name, kind="hose", count=count)


def chain(circuit: str, *parts: str) -> tuple[Pipe, ...]:
    """Parts joined one after the other."""
    return tuple(Pipe(a, b, circuit) for a, b in itertools.pairwise(parts))


def screw(part: str, torque_nm: float, count: int = 1, *, driver: str = "T20 driver") -> Fastener:
    """Small screws of a plastic body: by hand only."""
    return Fastener(
        part=part,
        what="screw" if count == 1 else "screws",
        count=count,
        driver=driver,
        torque_nm=torque_nm,
        hand_tool_only=True,
    )


def held(
    part: str,
    what: str,
    count: int,
    *,
    driver: str,
    torque_nm: float | None,
    place: str,
    by_hand: bool = False,
) -> Fastener:
    """Fasteners of an operation's own: of a cover, a shield, a line."""
    return Fastener(
        part=part,
        what=what,
        count=count,
        driver=driver,
        torque_nm=torque_nm,
        hand_tool_only=by_hand,
        place=place,
    )


def sensor_out(
    part: str,
    label: str,
    off: float,
    *,
    on: float,
    torque_driver: str,
    after: tuple[str, ...] = (),
    consumes: tuple[str, ...] = (),
) -> Operation:
    """Pull a small sensor held by one screw; its port is covered as every mouth is."""
    low = label[0].lower() + label[1:]
    return Operation(
        id=f"{part}_out",
        text=(
            f"Harness aside, unplug the {low}, undo its screw, work it side to side and"
            " straight out"
        ),
        text_back=f"Refit the {low} on its new ring, screw snug by hand, plug clicked home",
        part=part,
        minutes_off=off,
        minutes_on=on,
        after=after,
        reaches=(part,),
        needs=("ignition_off",),
        tools=(torque_driver,),
        consumes=consumes,
        opens=(plug(label), bolts(label, 1, "screw")),
    )
