"""The engine's air path as a directed graph, and what a workshop knows about one engine family."""

from collections.abc import Mapping
from dataclasses import dataclass, field

import networkx as nx

from galene.core.errors import InputError


@dataclass(frozen=True)
class Part:
    """One component in its place. `id` is unique in the family, `component` is the id of its kind."""

    id: str
    component: str
    label: str
    features: tuple[str, ...] = ()
    where: str = ""
    quirk: str = ""
    part_number: str = ""
    bore_mm: float | None = None


@dataclass(frozen=True)
class Pipe:
    """Gas goes from one part to the next. `circuit`: main, breather, recirculation, exhaust."""

    source: str
    target: str
    circuit: str = "main"


@dataclass(frozen=True)
class Tap:
    """A sensor (by part id) sits on a part, or on nothing (`on` None: in the control unit, open to the air)."""

    sensor: str
    on: str | None


@dataclass(frozen=True)
class Fastener:
    """What holds a part: how many, what size, what turns it, how tight."""

    part: str
    what: str
    count: int
    driver: str
    torque_nm: float | None
    hand_tool_only: bool = False


@dataclass(frozen=True)
class Opened:
    """Something that must go back. `kind` as in the must-go-back list; `before`: start or handover."""

    what: str
    kind: str
    count: int = 1
    before: str = "start"
    dangerous: bool = False


@dataclass(frozen=True)
class Operation:
    """One opening of the engine, with the way back.

    `minutes_off` and `minutes_on` are hands-on; `wait_minutes` is a wait before it may begin (cool down); `after` are
    the operations that must be done before; `reaches` the parts that it lays open; `removes` the part that it takes off the
    engine; `needs` the states it asks for.
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
    opens: tuple[Opened, ...] = ()
    consumes: tuple[str, ...] = ()
    tools: tuple[str, ...] = ()
    needs: tuple[str, ...] = ()
    wait_minutes: float = 0.0
    cautions: tuple[str, ...] = ()


@dataclass(frozen=True)
class Band:
    """Known-good range of a reading, kept units, with where it comes from."""

    low: float
    high: float
    source: str


@dataclass(frozen=True)
class SparePart:
    """A consumed or offered part: its name, the workshop's number, its price."""

    id: str
    name: str
    number: str
    price: float


@dataclass(frozen=True)
class EngineFamily:
    """All that is known of one engine: facts, air path, access, fasteners, reference values, relearn."""

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
        raise InputError("component", part_id, f"a part of family {self.id}: " + ", ".join(p.id for p in self.parts))

    @property
    def components(self) -> frozenset[str]:
        """Kinds of component that the family carries."""
        return frozenset(p.component for p in self.parts)

    def fasteners_of(self, part_id: str) -> tuple[Fastener, ...]:
        """What holds the part."""
        return tuple(f for f in self.fasteners if f.part == part_id)

    def spare(self, spare_id: str) -> SparePart:
        """The spare `spare_id`."""
        return next(s for s in self.spares if s.id == spare_id)


def graph(family: EngineFamily) -> "nx.DiGraph[str]":
    """The path as a directed graph of part ids; edges carry `circuit`. Sensors are not nodes of it."""
    path: nx.DiGraph[str] = nx.DiGraph()
    sensors = {t.sensor for t in family.taps}
    path.add_nodes_from(p.id for p in family.parts if p.id not in sensors)
    for pipe in family.pipes:
        path.add_edge(pipe.source, pipe.target, circuit=pipe.circuit)
    return path


def faults_of(family: EngineFamily) -> list[str]:
    """What is wrong with a family's description; empty when it can be drawn and planned with.

    Checked: unique ids, pipes and taps between known parts, main path connected and without a loop, air reaches the
    ports, operations with known parts and prerequisites and without a cycle.
    """
    ids = [p.id for p in family.parts]
    known = set(ids)
    faults = [f"part {i!r} stands twice" for i in sorted({i for i in ids if ids.count(i) > 1})]
    for pipe in family.pipes:
        faults += [f"pipe {pipe.source} -> {pipe.target}: {e!r} is no part" for e in (pipe.source, pipe.target) if e not in known]
    for tap in family.taps:
        faults += [f"tap: {e!r} is no part" for e in (tap.sensor, tap.on) if e is not None and e not in known]
    if faults:
        return faults
    path = graph(family)
    main = nx.DiGraph([(a, b) for a, b, c in path.edges(data="circuit") if c == "main"])
    if not nx.is_directed_acyclic_graph(main):
        faults.append("the main path runs in a circle: " + " -> ".join(a for a, _ in nx.find_cycle(main)))
    ports = [p.id for p in family.parts if p.component == "intake_ports"]
    filters = [p.id for p in family.parts if p.component == "air_filter"]
    if ports and filters and not (main.has_node(filters[0]) and main.has_node(ports[0]) and nx.has_path(main, filters[0], ports[0])):
        faults.append("no air reaches the ports from the filter")
    loose = [n for n in path.nodes if path.degree(n) == 0]
    faults += [f"part {n!r} is joined to nothing" for n in loose]
    operations = {o.id for o in family.operations}
    order = nx.DiGraph()
    for operation in family.operations:
        order.add_node(operation.id)
        for need in operation.after:
            if need not in operations:
                faults.append(f"operation {operation.id}: prerequisite {need!r} is no operation")
            order.add_edge(need, operation.id)
        faults += [f"operation {operation.id}: {p!r} is no part" for p in (operation.part, *operation.reaches) if p not in known]
    if not nx.is_directed_acyclic_graph(order):
        faults.append("operations wait for each other: " + " -> ".join(a for a, _ in nx.find_cycle(order)))
    return faults
