"""The graph, its faults, access unions, and the drawing's positions."""

import itertools
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from galene.core.access import minutes_of, operations_for, scope
from galene.core.airpath import Operation, Part, Pipe, Tap, faults_of, graph
from galene.core.errors import InputError
from galene.exchange.cases import scope_of
from galene.knowledge.families import FAMILIES
from galene.web.drawings.airpath import BODY, picture_of

A = FAMILIES["A"]
REACHABLE = sorted({p for o in A.operations for p in o.reaches})


def test_family_a_is_sound() -> None:
    assert faults_of(A) == []
    assert graph(A).has_edge("intake_tube", "throttle_body")


@pytest.mark.parametrize(
    ("broken", "words"),
    [
        (replace(A, parts=(*A.parts, Part("air_filter", "air_filter", "x"))), "stands twice"),
        (replace(A, pipes=(*A.pipes, Pipe("air_filter", "nowhere"))), "'nowhere' is no part"),
        (replace(A, pipes=tuple(p for p in A.pipes if p.target != "throttle_body")), "no air reaches the ports"),
        (replace(A, pipes=(*A.pipes, Pipe("intake_manifold", "intake_tube"))), "runs in a circle"),
        (replace(A, taps=(*A.taps, Tap("ghost", None))), "'ghost' is no part"),
        (replace(A, parts=(*A.parts, Part("egr_pipe", "egr_pipe", "x"))), "joined to nothing"),
        (replace(A, operations=(*A.operations, Operation("x", "", "", "air_filter", 1, 1, ("y",)))), "is no operation"),
        (
            replace(
                A,
                operations=(
                    Operation("x", "", "", "air_filter", 1, 1, ("y",)),
                    Operation("y", "", "", "air_filter", 1, 1, ("x",)),
                ),
            ),
            "wait for each other",
        ),
    ],
)
def test_faults_of_a_family_are_named(broken, words: str) -> None:  # type: ignore[no-untyped-def]
    assert any(words in f for f in faults_of(broken)), faults_of(broken)


def test_throttle_needs_cover_and_tube() -> None:
    found = scope(A, ["throttle_body"])
    assert [o.id for o in found.operations] == ["engine_cover", "intake_tube_off"]
    assert found.hands_on_minutes == 11
    assert found.marginal["breather_valve"] == 0, "the tube is off already"
    assert found.marginal["maf_sensor"] == 6
    assert {s.component for s in found.suggested} >= {"intake_tube", "breather_valve"}


def test_what_is_open_already_costs_nothing() -> None:
    assert scope(A, ["throttle_body"], ["engine_cover", "intake_tube_off"]).hands_on_minutes == 0
    with pytest.raises(InputError, match="bonnet"):
        scope(A, ["throttle_body"], ["bonnet"])


def test_taking_a_part_off_the_engine_adds_its_removal() -> None:
    on, off = scope(A, ["throttle_body"]), scope(A, ["throttle_body"], removed=["throttle_body"])
    assert {o.id for o in off.operations} - {o.id for o in on.operations} == {"throttle_off"}
    assert off.wait_minutes == 40


def test_a_dirty_neighbour_is_suggested_with_its_grade() -> None:
    found = scope(A, ["throttle_body"], grades={"map_sensor": 3})
    assert any(s.component == "map_sensor" and "grade 3" in s.why for s in found.suggested)


@given(st.sets(st.sampled_from(REACHABLE), min_size=1, max_size=5), st.sampled_from(REACHABLE))
def test_unions_are_closed_ordered_and_never_shrink(parts: set[str], more: str) -> None:
    operations = operations_for(A, sorted(parts))
    ids = [o.id for o in operations]
    assert len(ids) == len(set(ids))
    for operation in operations:
        assert all(need in ids[: ids.index(operation.id)] for need in operation.after), "prerequisites come first"
    assert all(any(p in o.reaches for o in operations) for p in parts)
    larger = minutes_of(operations_for(A, sorted(parts | {more})))
    assert larger >= minutes_of(operations)
    if more not in parts:
        assert scope(A, sorted(parts)).marginal[more] == pytest.approx(larger - minutes_of(operations))


def test_the_scope_contract() -> None:
    found = scope_of({"family": "A", "components": ["maf_sensor", "throttle_body"], "open": ["engine_cover"]})
    assert set(found) == {"operations", "hands_on_minutes", "marginal", "suggested"}
    assert all({"id", "minutes_off", "minutes_on", "opens", "parts"} <= set(o) for o in found["operations"])
    assert "engine_cover" not in {o["id"] for o in found["operations"]}


@pytest.mark.parametrize(
    ("given_", "named"),
    [
        ({"family": "Q", "components": ["throttle_body"]}, "Q"),
        ({"family": "A", "components": ["egr_valve"]}, "egr_valve"),
        ({"family": "A", "components": []}, "components"),
        ({"family": "A", "components": ["oxygen_sensor"]}, "oxygen_sensor_upstream"),
        ({"family": "A", "components": ["throttle_body"], "open": ["x"]}, "x"),
        ({"components": ["throttle_body"]}, "family"),
        ([], "list"),
    ],
)
def test_the_scope_contract_refuses_by_name(given_: object, named: str) -> None:
    with pytest.raises(InputError) as fault:
        scope_of(given_)
    assert named in str(fault.value)


@pytest.mark.parametrize("folding", ["wide", "narrow"])
def test_nothing_in_the_drawing_overlaps(folding: str) -> None:
    layout = getattr(picture_of(A, scope=["throttle_body"]), folding)
    assert {p.part.id for p in layout.parts} | {s.part.id for s in layout.sensors} == {p.id for p in A.parts}
    boxes = [(p.part.id, p.x - BODY / 2, p.y - 40, p.x + BODY / 2, p.y + 82) for p in layout.parts]
    boxes += [(s.part.id, s.x - 44, s.y - 54, s.x + 44, s.y + 16) for s in layout.sensors]
    for (a, *one), (b, *two) in itertools.combinations(boxes, 2):
        apart = one[2] <= two[0] or two[2] <= one[0] or one[3] <= two[1] or two[3] <= one[1]
        assert apart, f"{a} overlaps {b}"
    for _, x0, y0, x1, y1 in boxes:
        assert x0 >= 0 and y0 >= 0 and x1 <= layout.width and y1 <= layout.height + 40
