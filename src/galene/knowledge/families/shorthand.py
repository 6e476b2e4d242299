"""Short ways to write a family's parts, so that each stands in one line of its table."""

import itertools

from galene.core.airpath.family import BusEntry, Fastener, OpenedItem, Operation, Pipe
from galene.knowledge.bus_names import FIGURES, OUTPUTS, ROUTINES


def plug(name: str, of: str) -> OpenedItem:
    """A connector that is pulled, and the part whose it is."""
    return OpenedItem(what=f"{name} connector", kind="connector", of=of)


def bolts(name: str, count: int = 1, word: str = "bolts", *, of: str = "") -> OpenedItem:
    """A set of fasteners that is undone; `of` the part that it holds, where two operations undo
    it."""
    return OpenedItem(what=f"{name} {word}", kind="fastener set", count=count, of=of)


def hose(name: str, count: int = 1, *, carries: str = "") -> OpenedItem:
    """A hose that is pulled."""
    return OpenedItem(what=name, kind="hose", count=count, carries=carries)


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
        opens=(plug(label, part), bolts(label, 1, "screw")),
        acts=("draw_straight",),
    )


BUS_SCALES: dict[str, tuple[float, float]] = {
    "dp_pa": (1.0, -500.0),
    "egr_gas_c": (0.1, -40.0),
    "runner_command_pct": (0.01, -100.0),
    "runner_position_pct": (0.01, -100.0),
}
"""Scale and offset of figures whose steps are not hundredths from zero."""


def bus(
    *figures: str, outputs: tuple[str, ...] = (), routines: tuple[str, ...] = ()
) -> tuple[BusEntry, ...]:
    """The identifiers of a shipped family, numbered as `knowledge/bus_names` lists the names."""
    places = [(n, 0x2001 + k) for k, n in enumerate(FIGURES) if n in figures]
    found = []
    for name, identifier in places:
        scale, offset = BUS_SCALES.get(name, (0.01, 0.0))
        found.append(
            BusEntry(kind="figure", name=name, identifier=identifier, scale=scale, offset=offset)
        )
    found += [
        BusEntry(kind="output", name=n, identifier=0x3001 + k, scale=0.01)
        for k, n in enumerate(OUTPUTS)
        if n in outputs
    ]
    found += [
        BusEntry(kind="routine", name=n, identifier=0x0101 + k)
        for k, n in enumerate(ROUTINES)
        if n in routines
    ]
    return tuple(found)
