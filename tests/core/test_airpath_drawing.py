"""The drawing's positions: nothing overlaps, for the shipped families and for any other that is
valid."""

import itertools
from dataclasses import replace

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from galene.core.airpath.family import EngineFamily, Part, Pipe, Tap
from galene.core.airpath.faults import family_faults
from galene.knowledge.components import COMPONENTS
from galene.knowledge.families import FAMILIES, VOCABULARY
from galene.web.shared.airpath_layout import (
    GLYPH,
    Box,
    Layout,
    Line,
    Node,
    Stalk,
    coolant_line,
    lay_out,
    wrap,
)
from tests.often import walks

SENSORS = sorted(c.id for c in COMPONENTS.values() if c.sensor and not c.once)
MAIN = ["intake_tube", "charge_air_pipe", "throttle_body", "intake_manifold", "runner_flaps"]
LOOP = ["egr_pipe", "egr_cooler", "egr_valve", "egr_passage"]
WORDS = st.lists(
    st.sampled_from(
        [
            "Air",
            "meter",
            "recirculation",
            "left",
            "temperature",
            "Überdruckklappenstellgliedgehäuse",
            "no. 2",
            "of",
            "sensor",
        ]
    ),
    min_size=1,
    max_size=5,
)


@st.composite
def valid_families(draw: st.DrawFn) -> EngineFamily:
    """Any path from a filter to the ports, with loops, branches, sensors and long names: up to some
    forty parts."""
    parts: list[Part] = []

    def add(component: str) -> str:
        name = f"{component}_{len(parts)}"
        parts.append(Part(id=name, component=component, label=" ".join(draw(WORDS))[:60].strip()))
        return name

    main = [
        add("air_filter"),
        *(add(draw(st.sampled_from(MAIN))) for _ in range(draw(st.integers(1, 9)))),
        add("intake_ports"),
    ]
    exhaust = [
        add(draw(st.sampled_from(["turbine", "oxidation_catalyst", "particulate_filter"])))
        for _ in range(draw(st.integers(1, 5)))
    ]
    pipes = [
        *map(Pipe, main, main[1:]),
        *(Pipe(a, b, "exhaust") for a, b in itertools.pairwise([main[-1], *exhaust])),
    ]
    for circuit, kinds, longest, begins in (
        ("recirculation", LOOP, 6, [main[-1], *exhaust]),
        ("breather", ["breather_valve"], 2, [main[-1]]),
        ("bypass", ["intake_tube"], 3, main[:-1]),
        ("secondary", ["secondary_air_valve"], 3, main[:1]),
    ):
        for _ in range(draw(st.integers(0, 2))):
            way = [add(draw(st.sampled_from(kinds))) for _ in range(draw(st.integers(1, longest)))]
            end = draw(st.sampled_from(main[1:-1] if circuit != "secondary" else exhaust))
            pipes += [
                Pipe(a, b, circuit)
                for a, b in itertools.pairwise([draw(st.sampled_from(begins)), *way, end])
            ]
    for _ in range(draw(st.integers(0, 2))):
        pipes.append(
            Pipe(draw(st.sampled_from([*main, *exhaust])), add("runner_actuator"), "signal")
        )
    hosts = [p.id for p in parts]
    taps = [
        Tap(add(draw(st.sampled_from(SENSORS))), draw(st.sampled_from([*hosts, None])))
        for _ in range(draw(st.integers(0, 12)))
    ]
    return replace(
        FAMILIES["A"],
        id="Z",
        parts=tuple(parts),
        pipes=tuple(pipes),
        taps=tuple(taps),
        fasteners=(),
        operations=(),
        spares=(),
    )


def boxes_of(layout: Layout) -> list[tuple[str, Box]]:
    found = []
    every: tuple[Node | Stalk, ...] = (*layout.nodes, *layout.stalks)
    for one in every:
        found += [(one.id, one.box), (f"label of {one.id}", one.label.box)]
    return found


def lies_along(one: Line, two: Line) -> bool:
    """Whether two pipes lie on top of each other for more than the width of a pipe."""
    for (ax, ay), (bx, by) in itertools.pairwise(one.points):
        for (cx, cy), (dx, dy) in itertools.pairwise(two.points):
            for a, b, c, d, u, v in (
                (ax, bx, cx, dx, (ay, by), (cy, dy)),
                (ay, by, cy, dy, (ax, bx), (cx, dx)),
            ):
                level = abs(u[0] - u[1]) < 0.01 and abs(v[0] - v[1]) < 0.01
                shared = min(max(a, b), max(c, d)) - max(min(a, b), min(c, d))
                if level and abs(u[0] - v[0]) < 1 and shared > 8:
                    return True
    return False


def touches(point: tuple[float, float], box: Box) -> bool:
    """Whether a point is at the side edge of a box, with the tip of an arrow."""
    return abs(abs(point[0] - box.x) - box.w / 2) <= 3.01 and abs(point[1] - box.y) <= box.h / 2


def check(family: EngineFamily) -> None:
    layout = lay_out(family)
    assert {n.id for n in layout.nodes} | {s.id for s in layout.stalks} == {
        p.id for p in family.parts
    }
    boxes = boxes_of(layout)
    for (a, one), (b, two) in itertools.combinations(boxes, 2):
        assert not one.overlaps(two), f"{a} overlaps {b}"
    for name, box in boxes:
        assert (
            box.x - box.w / 2 >= 0
            and box.x + box.w / 2 <= layout.width
            and box.y - box.h / 2 >= 0
            and box.y + box.h / 2 <= layout.height
        ), name
    bodies = {n.id: n.box for n in layout.nodes}
    for stalk in layout.stalks:
        x, y = stalk.foot
        host = bodies[stalk.host]
        assert abs(x - host.x) <= host.w / 2 and abs(y - host.y) <= host.h / 2, "it floats"
    drawn = sorted((line.source, line.target, line.circuit) for line in layout.lines)
    meant = (*family.pipes, *coolant_line(family))
    assert drawn == sorted((p.source, p.target, p.circuit) for p in meant)
    for line in layout.lines:
        assert touches(line.points[0], bodies[line.source]), line
        assert touches(line.points[-1], bodies[line.target]), line
        for (x1, y1), (x2, y2) in itertools.pairwise(line.points):
            assert 0 <= x1 <= layout.width and 0 <= y1 <= layout.height
            assert abs(x1 - x2) < 0.01 or abs(y1 - y2) < 0.01, "pipes run level or upright"
            stretch = Box(x=(x1 + x2) / 2, y=(y1 + y2) / 2, w=abs(x1 - x2), h=abs(y1 - y2))
            for name, box in boxes:
                if name not in (line.source, line.target):
                    assert not stretch.overlaps(box), (
                        f"{line.source} to {line.target} runs through {name}"
                    )
    for one, two in itertools.combinations(layout.lines, 2):
        assert not lies_along(one, two), f"{one} on {two}"
    every: tuple[Node | Stalk, ...] = (*layout.nodes, *layout.stalks)
    assert min(n.label.size for n in every) >= 11


@pytest.mark.parametrize("family", FAMILIES.values(), ids=FAMILIES)
def test_the_shipped_families_stand_in_the_first_window(family: EngineFamily) -> None:
    check(family)
    layout = lay_out(family)
    assert layout.width <= 1232 and layout.height <= 300


def test_the_coolant_line_is_the_family_s_own() -> None:
    kinds = {
        key: [FAMILIES[key].part(line.target).component for line in coolant_line(FAMILIES[key])]
        for key in FAMILIES
    }
    assert kinds["D"] == kinds["E"] == ["egr_cooler"]
    assert kinds["A"] == ["throttle_body"]  # heated: its hoses stand among what is opened
    assert kinds["F"] == []  # cooled by air
    assert coolant_line(replace(FAMILIES["D"], cooling="air")) == ()


@settings(
    max_examples=walks(),
    deadline=None,
    suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large],
)
@given(family=valid_families())
def test_nothing_overlaps_floats_or_lies_on_another_in_any_valid_family(
    family: EngineFamily,
) -> None:
    assert family_faults(family, VOCABULARY) == []
    check(family)


def test_a_draft_that_is_joined_to_nothing_can_be_drawn_too() -> None:
    loose = replace(FAMILIES["A"], pipes=(), taps=(Tap("maf_sensor", "air_filter"),))
    drawn = lay_out(loose)
    assert len(drawn.nodes) + len(drawn.stalks) == len(loose.parts)
    assert lay_out(replace(loose, parts=(), taps=())).nodes == ()


def test_long_words_are_parted_and_long_labels_cut() -> None:
    assert wrap("Intake temperature", 80, 12) == ("Intake", "temperature")
    assert all(
        len(line) * 12 * GLYPH <= 80
        for line in wrap("Überdruckklappenstellgliedgehäuse vorn", 80, 12)
    )
    assert wrap("one two three four five six seven", 40, 12)[-1].endswith("…")
