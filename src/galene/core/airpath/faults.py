"""What is wrong with the description of an engine family, and where."""

import math
import re
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping
from dataclasses import dataclass

from galene.core.airpath.family import (
    BUS_KINDS,
    CIRCUITS,
    EngineFamily,
    Fastener,
    OpenedItem,
    Operation,
    joined,
)
from galene.core.airpath.graph import Graph, both_ways, circle, graph_of, reached, reversed_of
from galene.core.airpath.must_go_back import BEFORE, KINDS
from galene.core.airpath.natures import kind_is
from galene.core.airpath.threads import most_torque_nm
from galene.core.calculations.blast_positions import BlastInput, blast_positions
from galene.core.errors import Fault, InputError

STATES: tuple[str, ...] = ("ignition_off", "battery_off", "engine_cold", "engine_warm_running")
"""States of the engine that an operation may ask for."""
ID = re.compile(r"[a-z][a-z0-9_]{0,47}")
FACTS: tuple[tuple[str, float, float, str], ...] = (
    ("displacement_l", 0.02, 80, "litres"),
    ("cylinders", 1, 24, "cylinders"),
    ("compression_ratio", 4, 30, ""),
    ("volumetric_efficiency_idle", 0.05, 1.5, "as a share"),
    ("closed_angle_deg", 0, 30, "degrees"),
    ("degrees_per_percent", 0.1, 2, "degrees"),
    ("fan_on_c", 60, 130, "°C"),
    ("battery_v", 6, 48, "V"),
)
"""Numbers of a family and the range in which an engine can lie."""


@dataclass(frozen=True, kw_only=True)
class Vocabulary:
    """What the words of a family may be: ids of component kinds, those that an engine has once,
    sensors, the rest."""

    components: Collection[str]
    once: Collection[str]
    sensors: Collection[str]
    metrics: Collection[str]
    relearns: Collection[str]
    cautions: Collection[str]
    deeds: Collection[str]
    schools: Mapping[str, Collection[str]]
    bus: Mapping[str, Collection[str]]
    """What an entry of each kind may be called."""


def family_faults(family: EngineFamily, words: Vocabulary) -> list[Fault]:
    """Everything that is wrong with a family; empty when it can be drawn, planned and worked with.

    Parameters
    ----------
    family : EngineFamily
    words : Vocabulary

    Returns
    -------
    list of Fault
        Facts and names first; the graph is judged only when every name in it is known.
    """
    faults = [
        *_facts(family),
        *_names(family, words),
        *_access_names(family, words),
        *_bands(family, words),
        *_bus(family, words),
    ]
    if not faults:
        faults = [*_sensors(family, words), *_air(family), *_returns(family), *_order(family)]
    return faults


def _facts(family: EngineFamily) -> Iterator[Fault]:
    if not re.fullmatch(r"[A-Z0-9][A-Z0-9-]{0,15}", family.id):
        yield Fault("id", f"{family.id!r} is no short name: 1 to 16 capitals, figures or hyphens")
    if not family.name.strip() or len(family.name) > 80:
        yield Fault("name", "a name of 1 to 80 characters")
    for name, allowed in (
        ("fuel", ("petrol", "diesel")),
        ("injection", ("port", "direct")),
        ("cycle", ("four_stroke", "two_stroke")),
        ("throttle", ("cable", "electronic", "none")),
        ("cooling", ("liquid", "air")),
    ):
        if getattr(family, name) not in allowed:
            yield Fault(name, f"{getattr(family, name)!r} is none of {', '.join(allowed)}")
    for name, low, high, unit in FACTS:
        value = getattr(family, name)
        if not low <= value <= high:
            yield Fault(name, f"{value:g} is not from {low:g} to {high:g} {unit}".rstrip())

    yield from _timing(family)


def _timing(family: EngineFamily) -> Iterator[Fault]:
    """Firing order and valve timing: all or none, and such that each intake valve is shut
    somewhere."""
    if (
        not family.firing_order
        and family.intake_opens_btdc_deg is None
        and family.intake_closes_abdc_deg is None
    ):
        return
    if sorted(family.firing_order) != list(range(1, family.cylinders + 1)):
        yield Fault(
            "firing_order",
            f"each cylinder from 1 to {family.cylinders} once, or none and no valve timing",
        )
        return
    for name in ("intake_opens_btdc_deg", "intake_closes_abdc_deg"):
        if getattr(family, name) is None:
            yield Fault(name, "firing order and both valve angles belong together")
            return
    try:
        blast_positions(
            BlastInput(
                firing_order=list(family.firing_order),
                intake_opens_btdc_deg=family.intake_opens_btdc_deg or 0,
                intake_closes_abdc_deg=family.intake_closes_abdc_deg or 0,
            )
        )
    except InputError as fault:
        yield Fault(
            (
                fault.field
                if fault.field in ("intake_opens_btdc_deg", "intake_closes_abdc_deg")
                else "firing_order"
            ),
            fault.allowed,
        )


def _twice(ids: Iterable[str], place: Callable[[int], str], what: str) -> Iterator[Fault]:
    seen: set[str] = set()
    for i, one in enumerate(ids):
        if not ID.fullmatch(one):
            yield Fault(
                place(i),
                f"{one!r} is no id: small letters, figures and underscores, a letter first",
            )
        elif one in seen:
            yield Fault(place(i), f"{what} {one!r} stands twice")
        seen.add(one)


def _names(family: EngineFamily, words: Vocabulary) -> Iterator[Fault]:
    if not family.parts:
        yield Fault("parts", "no part yet: begin with the air filter")
    yield from _twice((p.id for p in family.parts), lambda i: f"parts[{i}].id", "part")
    known = {p.id for p in family.parts}
    yield from _parts(family, words)
    yield from _pipes(family, known)
    for i, tap in enumerate(family.taps):
        for end in ("sensor", "on"):
            if getattr(tap, end) is not None and getattr(tap, end) not in known:
                yield Fault(f"taps[{i}].{end}", f"{getattr(tap, end)!r} is no part of this family")
    for i, fastener in enumerate(family.fasteners):
        yield from _fastener(f"fasteners[{i}]", fastener, known)
    for i, operation in enumerate(family.operations):
        for j, fastener in enumerate(operation.own):
            yield from _fastener(f"operations[{i}].own[{j}]", fastener, known)


def _parts(family: EngineFamily, words: Vocabulary) -> Iterator[Fault]:
    counted: set[str] = set()
    for i, part in enumerate(family.parts):
        if part.component not in words.components:
            yield Fault(f"parts[{i}].component", f"{part.component!r} is no kind of component")
        elif part.component in words.once and part.component in counted:
            yield Fault(
                f"parts[{i}].component",
                f"an engine has {part.component.replace('_', ' ')} once only",
            )
        counted.add(part.component)
        if not part.label.strip() or len(part.label) > 60:
            yield Fault(f"parts[{i}].label", "a name of 1 to 60 characters")
        if part.bore_mm is not None and not 2 <= part.bore_mm <= 400:
            yield Fault(f"parts[{i}].bore_mm", f"{part.bore_mm:g} is not from 2 to 400 mm")


def _pipes(family: EngineFamily, known: Collection[str]) -> Iterator[Fault]:
    joined: set[tuple[str, str, str]] = set()
    for i, pipe in enumerate(family.pipes):
        for end in ("source", "target"):
            if getattr(pipe, end) not in known:
                yield Fault(
                    f"pipes[{i}].{end}", f"{getattr(pipe, end)!r} is no part of this family"
                )
        if pipe.circuit not in CIRCUITS:
            yield Fault(f"pipes[{i}].circuit", f"{pipe.circuit!r} is none of {', '.join(CIRCUITS)}")
        if pipe.source == pipe.target:
            yield Fault(f"pipes[{i}]", f"{pipe.source!r} is joined to itself")
        if (pipe.source, pipe.target, pipe.circuit) in joined:
            yield Fault(f"pipes[{i}]", f"{pipe.source} to {pipe.target} is joined twice")
        joined.add((pipe.source, pipe.target, pipe.circuit))


def _fastener(place: str, fastener: Fastener, known: Collection[str]) -> Iterator[Fault]:
    if fastener.part not in known:
        yield Fault(f"{place}.part", f"{fastener.part!r} is no part of this family")
    if not 1 <= fastener.count <= 99:
        yield Fault(f"{place}.count", f"{fastener.count} is not from 1 to 99")
    if fastener.torque_nm is None:
        return
    if not 0 < fastener.torque_nm <= 1000:
        yield Fault(f"{place}.torque_nm", f"{fastener.torque_nm:g} is not above 0 to 1000 N m")
        return
    most = most_torque_nm(fastener)
    if most is not None and fastener.torque_nm > most:
        yield Fault(
            f"{place}.torque_nm",
            f"{fastener.torque_nm:g} N m is more than the thread under a {fastener.driver} bears: "
            f"{most:g} N m",
        )


def _access_names(family: EngineFamily, words: Vocabulary) -> Iterator[Fault]:
    known, spares = {p.id for p in family.parts}, {s.id for s in family.spares}
    operations = {o.id for o in family.operations}
    yield from _twice(
        (o.id for o in family.operations), lambda i: f"operations[{i}].id", "operation"
    )
    yield from _twice((s.id for s in family.spares), lambda i: f"spares[{i}].id", "spare part")
    for i, operation in enumerate(family.operations):
        place = f"operations[{i}]"
        yield from _facts_of_operation(place, operation)
        for name, given, allowed, what in (
            ("part", [operation.part], known, "part of this family"),
            ("reaches", operation.reaches, known, "part of this family"),
            (
                "removes",
                [operation.removes] if operation.removes else [],
                known,
                "part of this family",
            ),
            ("after", operation.after, operations, "operation of this family"),
            ("consumes", operation.consumes, spares, "spare part of this family"),
            ("needs", operation.needs, STATES, "state of the engine"),
            ("cautions", operation.cautions, words.cautions, "caution"),
            ("sight_of", operation.sight_of, known, "part of this family"),
            ("acts", operation.acts, words.deeds, "deed"),
            ("acts_back", operation.acts_back, words.deeds, "deed"),
        ):
            for one in given:
                if one not in allowed:
                    yield Fault(f"{place}.{name}", f"{one!r} is no {what}")
        for k, opened in enumerate(operation.opens):
            yield from _opened(f"{place}.opens[{k}]", opened, known)
    for i, spare in enumerate(family.spares):
        if not 0 <= spare.price <= 1e6:
            yield Fault(f"spares[{i}].price", f"{spare.price:g} is not from 0 to 1000000")
        for other in spare.contains:
            if other not in spares or other == spare.id:
                yield Fault(
                    f"spares[{i}].contains", f"{other!r} is no other spare part of this family"
                )
    numbers = [s.number for s in family.spares]
    for i, spare in enumerate(family.spares):
        if spare.number and spare.number in numbers[:i]:
            yield Fault(f"spares[{i}].number", f"{spare.number} is another spare's number already")


def _facts_of_operation(place: str, operation: Operation) -> Iterator[Fault]:
    for name in ("text", "text_back"):
        if not getattr(operation, name).strip():
            yield Fault(f"{place}.{name}", "say what is done")
    for name in ("minutes_off", "minutes_on", "wait_minutes"):
        if not 0 <= getattr(operation, name) <= 2880:
            yield Fault(
                f"{place}.{name}", f"{getattr(operation, name):g} is not from 0 to 2880 min"
            )


CARRIED: tuple[str, ...] = ("", "coolant")
"""What runs in a hose that is worth a word."""


def _opened(place: str, opened: OpenedItem, parts: Collection[str]) -> Iterator[Fault]:
    if opened.of and opened.of not in parts:
        yield Fault(f"{place}.of", f"{opened.of!r} is no part of this family")
    if opened.carries not in CARRIED:
        yield Fault(f"{place}.carries", f"{opened.carries!r} is none of coolant, or nothing")
    if opened.mouth and not re.fullmatch(r"[a-z][a-z0-9_]{0,39}", opened.mouth):
        yield Fault(f"{place}.mouth", "a name of small letters, figures and underscores")
    if opened.kind not in KINDS:
        yield Fault(f"{place}.kind", f"{opened.kind!r} is none of {', '.join(KINDS)}")
    if opened.before not in BEFORE:
        yield Fault(f"{place}.before", f"{opened.before!r} is none of {', '.join(BEFORE)}")
    if not opened.what.strip():
        yield Fault(f"{place}.what", "say what is opened")


def _bands(family: EngineFamily, words: Vocabulary) -> Iterator[Fault]:
    for name, band in family.bands.items():
        if name not in words.metrics:
            yield Fault(f"bands.{name}", "is no reading that is kept")
        if not (math.isfinite(band.low) and math.isfinite(band.high) and band.low < band.high):
            yield Fault(
                f"bands.{name}",
                f"{band.low:g} to {band.high:g} is no range: the low end comes first",
            )
        if not band.source.strip():
            yield Fault(f"bands.{name}.source", "say where the range is from")
    if family.relearn and family.relearn not in words.relearns:
        yield Fault("relearn", f"{family.relearn!r} is none of {', '.join(sorted(words.relearns))}")
    for name, minutes in family.relearn_holds.items():
        if not 0 < minutes <= 600:
            yield Fault(f"relearn_holds.{name}", f"{minutes:g} is not above 0 to 600 min")
    for letter, choice in family.maker_says.items():
        if choice not in words.schools.get(letter, ()):
            allowed = ", ".join(sorted(words.schools.get(letter, ())))
            yield Fault(
                f"maker_says.{letter}",
                f"{choice!r} is none of {allowed or 'no school of this letter'}",
            )


MOST_IDENTIFIER, MOST_BYTES = 0xFFFF, 4


def _bus(family: EngineFamily, words: Vocabulary) -> Iterator[Fault]:
    """Identifiers of two bytes, each once for its kind; names of the vocabulary; a scale that is
    one."""
    for i, entry in enumerate(family.bus):
        if entry.kind not in BUS_KINDS:
            yield Fault(f"bus[{i}].kind", f"{entry.kind!r} is none of {', '.join(BUS_KINDS)}")
        elif entry.name not in words.bus[entry.kind]:
            allowed = ", ".join(sorted(words.bus[entry.kind]))
            yield Fault(f"bus[{i}].name", f"{entry.name!r} is none of {allowed}")
        if not 1 <= entry.identifier <= MOST_IDENTIFIER:
            yield Fault(f"bus[{i}].identifier", f"{entry.identifier} is not from 1 to FFFF")
        if not 1 <= entry.size <= MOST_BYTES:
            yield Fault(f"bus[{i}].size", f"{entry.size} is not from 1 to {MOST_BYTES} bytes")
        if not (math.isfinite(entry.scale) and entry.scale != 0 and math.isfinite(entry.offset)):
            yield Fault(f"bus[{i}].scale", "scale and offset must be figures, the scale not zero")
    seen: set[tuple[str, str, str | int]] = set()
    for i, entry in enumerate(family.bus):
        for field, value in (("name", entry.name), ("identifier", entry.identifier)):
            if (entry.kind, field, value) in seen:
                shown = value if isinstance(value, str) else f"{value:04X}"
                yield Fault(f"bus[{i}].{field}", f"the {entry.kind} {shown} stands twice")
            seen.add((entry.kind, field, value))


def _sensors(family: EngineFamily, words: Vocabulary) -> Iterator[Fault]:
    tapped = [t.sensor for t in family.taps]
    piped = {e for p in family.pipes for e in (p.source, p.target)}
    for i, tap in enumerate(family.taps):
        if tapped.index(tap.sensor) != i:
            yield Fault(f"taps[{i}]", f"{tap.sensor!r} sits in two places")
        if tap.sensor in piped:
            yield Fault(
                f"taps[{i}]",
                f"{tap.sensor!r} is a sensor on a stalk and can not be joined into the path as"
                " well",
            )
        if tap.on in tapped:
            yield Fault(f"taps[{i}].on", f"{tap.on!r} is a sensor itself")
    for i, part in enumerate(family.parts):
        if part.component in words.sensors and part.id not in tapped:
            yield Fault(f"parts[{i}]", f"{part.label}: say on which part it sits")


def _circuit(family: EngineFamily, circuit: str) -> Graph:
    return graph_of((p.source, p.target) for p in family.pipes if p.circuit == circuit)


def _air(family: EngineFamily) -> Iterator[Fault]:
    """The main path leads from the filter to the ports, and nothing hangs loose."""
    path, main = joined(family), _circuit(family, "main")
    if not main:
        yield Fault("pipes", "the main path is not joined yet")
        return
    loop = circle(main)
    if loop:
        yield Fault("pipes", "the main path runs in a circle: " + " → ".join([*loop, loop[0]]))
        return
    places = {p.id: f"parts[{i}]" for i, p in enumerate(family.parts)}
    filters = [p.id for p in family.parts if kind_is(p.component, "paper")]
    ends = [p.id for p in family.parts if kind_is(p.component, "ports")] or [
        n for n in main if not main[n]
    ][-1:]
    if not filters:
        yield Fault("parts", "there is no air filter: the main path begins there")
    for end in ends:
        if filters and not any(
            f in main and end in main and end in {f, *reached(main, f)} for f in filters
        ):
            yield Fault(places[end], f"no air reaches {end.replace('_', ' ')} from the filter")
    begin = next(iter(main))
    together = {begin, *reached(both_ways(path), begin)}
    for node in path:
        if node not in together:
            yield Fault(places[node], f"{node.replace('_', ' ')} is not joined to the path")


def _returns(family: EngineFamily) -> Iterator[Fault]:
    """Recirculation leaves the exhaust side and comes back into the main path; the breather too
    comes back there."""
    main = _circuit(family, "main")
    exhaust = {e for p in family.pipes if p.circuit == "exhaust" for e in (p.source, p.target)}
    hot = exhaust | {n for n in main if not main[n]}
    cold = {n for n in main if main[n]}
    places = {p.id: f"parts[{i}]" for i, p in enumerate(family.parts)}
    for circuit, sources in (("recirculation", hot), ("breather", None)):
        loop = _circuit(family, circuit)
        back = reversed_of(loop)
        for node in sorted(loop):
            if node in cold or (sources and node in sources):
                continue
            # Only the parts of the loop itself: its ends are on the main path and on the exhaust
            # side.
            if not any(n in cold for n in reached(loop, node)):
                yield Fault(
                    places[node],
                    f"the {circuit} does not come back into the intake behind"
                    f" {node.replace('_', ' ')}",
                )
            if sources is not None and not any(n in sources for n in reached(back, node)):
                yield Fault(places[node], f"no exhaust gas reaches {node.replace('_', ' ')}")
        for source, target in ((a, b) for a, after in loop.items() for b in after):
            if circuit == "recirculation" and source in cold and source not in hot:
                yield Fault(
                    "pipes",
                    f"recirculation from {source} to {target}: it must leave the exhaust side",
                )


def _order(family: EngineFamily) -> Iterator[Fault]:
    edges = ((need, o.id) for o in family.operations for need in o.after)
    loop = circle(graph_of(edges, (o.id for o in family.operations)))
    if not loop:
        return
    place = next(i for i, o in enumerate(family.operations) if o.id == loop[0])
    yield Fault(
        f"operations[{place}].after",
        "operations wait for each other: " + " → ".join([*loop, loop[0]]),
    )
