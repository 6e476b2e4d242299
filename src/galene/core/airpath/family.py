"""The engine's air path as a directed graph, and what a workshop knows about one engine family."""

from collections.abc import Mapping
from dataclasses import dataclass, field

from galene.core.airpath.graph import Graph, circle, graph_of, longest_way, reached
from galene.core.airpath.natures import kind_is
from galene.core.errors import InputError

CIRCUITS: tuple[str, ...] = (
    "main",
    "bypass",
    "breather",
    "recirculation",
    "secondary",
    "exhaust",
    "signal",
)
"""What a pipe carries: counted air, idle air round the plate, crankcase gas, exhaust led back, air
pumped into the exhaust, exhaust on its way out, and a pressure that a sensor reads at the end of a
tube."""


@dataclass(frozen=True, kw_only=True)
class Part:
    """One component in its place. `id` is unique in the family, `component` is the id of its kind.

    `picture` is the content hash of a picture of the place, empty where there is none;
    `may_be_unplugged` says that the engine runs on safely while this sensor is off for a test.
    """

    id: str
    component: str
    label: str
    features: tuple[str, ...] = ()
    where: str = ""
    quirk: str = ""
    part_number: str = ""
    bore_mm: float | None = None
    picture: str = ""
    may_be_unplugged: bool = False

    @property
    def name(self) -> str:
        """What it is called in a sentence: the drawing's label leaves the word sensor to its
        shape."""
        low = self.label.lower()
        if not kind_is(self.component, "sensor") or "sensor" in low or "meter" in low:
            return self.label
        head, comma, rest = self.label.partition(",")
        return f"{head.replace('temp.', 'temperature')} sensor{comma}{rest}"


@dataclass(frozen=True)
class Pipe:
    """Gas goes from one part to the next, in one of `CIRCUITS`."""

    source: str
    target: str
    circuit: str = "main"


@dataclass(frozen=True)
class Tap:
    """A sensor (by part id) sits on a part, or on nothing (`on` None: in the control unit, open to
    the air)."""

    sensor: str
    on: str | None = None


@dataclass(frozen=True, kw_only=True)
class Fastener:
    """What holds a part: how many, what size, what turns it, how tight."""

    part: str
    what: str
    count: int
    driver: str
    torque_nm: float | None = None
    hand_tool_only: bool = False
    place: str = ""
    """Where they sit, for those that a hand does not find at once."""


@dataclass(frozen=True, kw_only=True)
class OpenedItem:
    """Something that must go back. `kind` as in the must-go-back list; `before`: start or
    handover. `of` is the part whose plug, rod or line it is; `carries` what runs in a hose:
    coolant, or nothing that is worth a word; `mouth` names what a cap, plug or tape covers, on the
    part that is taken off to it."""

    what: str
    kind: str
    count: int = 1
    before: str = "start"
    dangerous: bool = False
    while_running: bool = False
    """Open on purpose while the engine runs: the way in for a spray tube."""
    of: str = ""
    carries: str = ""
    mouth: str = ""


@dataclass(frozen=True, kw_only=True)
class Operation:
    """One opening of the engine, with the way back.

    `minutes_off` and `minutes_on` are hands-on; `wait_minutes` is a wait before it may begin (cool
    down); `after` are the operations that must be done before; `reaches` the parts that it lays
    open; `removes` the part that it takes off the engine; `needs` the states it asks for. `undoes`
    are parts whose fasteners it undoes beside those of the part that it takes off; `hangs` says
    that the part is laid aside on its lines, not taken off whole. `own` are fasteners that hold no
    part of the air path: of a cover, an undertray, a shield, a line. `acts` and `acts_back` are
    deeds beside those that follow from what it opens and takes off; `sight_of` are parts whose
    joints and plugs are seen only while it is open.
    """

    id: str
    text: str
    text_back: str
    part: str
    minutes_off: float
    minutes_on: float
    after: tuple[str, ...] = ()
    reaches: tuple[str, ...] = ()
    removes: str = ""
    opens: tuple[OpenedItem, ...] = ()
    consumes: tuple[str, ...] = ()
    tools: tuple[str, ...] = ()
    needs: tuple[str, ...] = ()
    wait_minutes: float = 0.0
    cautions: tuple[str, ...] = ()
    undoes: tuple[str, ...] = ()
    hangs: bool = False
    own: tuple[Fastener, ...] = ()
    acts: tuple[str, ...] = ()
    acts_back: tuple[str, ...] = ()
    sight_of: tuple[str, ...] = ()


@dataclass(frozen=True)
class Band:
    """Known-good range of a reading, kept units, with where it comes from."""

    low: float
    high: float
    source: str


@dataclass(frozen=True, kw_only=True)
class SparePart:
    """A consumed or offered part: its name, the workshop's number, its price.

    `contains`: ids of spares that come with it and are not charged beside it.
    """

    id: str
    name: str
    number: str
    price: float
    contains: tuple[str, ...] = ()


BUS_KINDS: tuple[str, ...] = ("figure", "output", "routine")


@dataclass(frozen=True, kw_only=True)
class BusEntry:
    """What one of the maker's own identifiers stands for on the bus (ISO 14229-1).

    `kind`: a figure that can be read, an output that a tester may hold, a routine. `name`: its
    column, actuator or routine. What stands on the bus, most significant byte first in `size`
    bytes, times `scale` plus `offset` is the figure, or the position in percent.
    """

    kind: str
    name: str
    identifier: int
    size: int = 2
    scale: float = 1.0
    offset: float = 0.0


@dataclass(frozen=True, kw_only=True)
class EngineFamily:
    """All that is known of one engine: facts, air path, access, fasteners, reference values,
    relearn."""

    id: str
    name: str
    fuel: str
    injection: str
    cycle: str
    throttle: str
    displacement_l: float
    cylinders: int
    compression_ratio: float
    parts: tuple[Part, ...]
    pipes: tuple[Pipe, ...] = ()
    taps: tuple[Tap, ...] = ()
    fasteners: tuple[Fastener, ...] = ()
    operations: tuple[Operation, ...] = ()
    bands: Mapping[str, Band] = field(default_factory=dict)
    spares: tuple[SparePart, ...] = ()
    volumetric_efficiency_idle: float = 0.75
    closed_angle_deg: float = 6.0
    degrees_per_percent: float = 0.84
    fan_on_c: float = 98.0
    relearn: str = ""
    relearn_holds: Mapping[str, float] = field(default_factory=dict)
    notes: tuple[str, ...] = ()
    maker_says: Mapping[str, str] = field(default_factory=dict)
    """Letters of the schools of practice that the maker has decided for this engine."""
    firing_order: tuple[int, ...] = ()
    intake_opens_btdc_deg: float | None = None
    intake_closes_abdc_deg: float | None = None
    """Valve timing in degrees of crank, from the service information: with the firing order it
    gives the positions in which ports are shut."""
    battery_v: float = 12.0
    cooling: str = "liquid"
    """Liquid or air: an engine without coolant has none to watch."""
    bus: tuple[BusEntry, ...] = ()
    """The maker's own identifiers; what public standards define is not listed."""

    def part(self, part_id: str) -> Part:
        """The part `part_id`, or the only part of that component kind.

        Raises
        ------
        InputError
            The family does not carry it, or carries several of that kind.
        """
        for part in self.parts:
            if part.id == part_id:
                return part
        same = [p for p in self.parts if p.component == part_id]
        if len(same) == 1:
            return same[0]
        if same:
            raise InputError("component", part_id, "one of " + ", ".join(p.id for p in same))
        raise InputError(
            "component",
            part_id,
            f"a part of family {self.id}: " + ", ".join(p.id for p in self.parts),
        )

    @property
    def components(self) -> frozenset[str]:
        """Kinds of component that the family carries."""
        return frozenset(p.component for p in self.parts)

    def fasteners_of(self, part_id: str) -> tuple[Fastener, ...]:
        """What holds the part."""
        return tuple(f for f in self.fasteners if f.part == part_id)

    @property
    def all_fasteners(self) -> tuple[Fastener, ...]:
        """Those that hold parts and those that only operations undo."""
        return (*self.fasteners, *(f for o in self.operations for f in o.own))

    def spare(self, spare_id: str) -> SparePart:
        """The spare `spare_id`."""
        return next(s for s in self.spares if s.id == spare_id)


def spine(family: EngineFamily) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """The longest way of the main circuit, and the longest way on along the exhaust, as part ids in
    the order of flow.

    Where ways are equally long, the parts' own order decides, so that a drawing never jumps.
    """
    order = {p.id: i for i, p in enumerate(family.parts)}

    def longest(circuit: str, start: str | None) -> tuple[str, ...]:
        way = graph_of(
            (p.source, p.target)
            for p in sorted(family.pipes, key=lambda p: order[p.source])
            if p.circuit == circuit
        )
        if start is not None:
            wanted = {start, *reached(way, start)} if start in way else set()
            way = {node: after for node, after in way.items() if node in wanted}
        return () if circle(way) else longest_way(way)

    intake = longest("main", None)
    exhaust = longest("exhaust", intake[-1]) if intake else ()
    return intake, tuple(p for p in exhaust if p not in intake)


def joined(family: EngineFamily) -> Graph:
    """How the parts are joined by pipes of all circuits. Sensors are not nodes of it."""
    sensors = {t.sensor for t in family.taps}
    nodes = (p.id for p in family.parts if p.id not in sensors)
    return graph_of(((p.source, p.target) for p in family.pipes), nodes)
