"""The graph and its faults, access unions and their order, where a part is."""

from dataclasses import replace
from itertools import pairwise, permutations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from galene.core.airpath.access import in_order, layers, minutes_of, operations_for, scope, ways_in
from galene.core.airpath.family import Band, EngineFamily, Operation, Part, Pipe, Tap, joined, spine
from galene.core.airpath.faults import family_faults
from galene.core.airpath.graph import (
    both_ways,
    circle,
    graph_of,
    longest_way,
    reached,
    reversed_of,
)
from galene.core.airpath.whereabouts import find_parts, whereabouts
from galene.core.errors import InputError
from galene.exchange.scopes import scope_of
from galene.knowledge.components import BESIDE, COMPONENTS
from galene.knowledge.families import FAMILIES, VOCABULARY

A = FAMILIES["A"]
REACHABLE = sorted({p for o in A.operations for p in o.reaches})


def test_shipped_families_are_sound() -> None:
    for family in FAMILIES.values():
        assert family_faults(family, VOCABULARY) == [], family.id
    assert "throttle_body" in joined(A)["intake_tube"]


D = FAMILIES["D"]


@pytest.mark.parametrize(
    ("broken", "place", "words"),
    [
        (
            replace(A, parts=(*A.parts, Part(id="air_filter", component="air_filter", label="x"))),
            "parts[13].id",
            "stands twice",
        ),
        (
            replace(
                A,
                parts=(
                    *A.parts,
                    Part(id="second_barometer", component="barometric_sensor", label="x"),
                ),
            ),
            "parts[13].component",
            "once only",
        ),
        (
            replace(A, parts=(*A.parts, Part(id="x", component="gearbox", label="x"))),
            "parts[13].component",
            "no kind of component",
        ),
        (
            replace(A, pipes=(*A.pipes, Pipe("air_filter", "nowhere"))),
            "pipes[7].target",
            "'nowhere' is no part",
        ),
        (
            replace(A, pipes=tuple(p for p in A.pipes if p.target != "throttle_body")),
            "parts[9]",
            "no air reaches intake ports",
        ),
        (
            replace(A, pipes=(*A.pipes, Pipe("intake_manifold", "intake_tube"))),
            "pipes",
            "intake_tube → throttle_body → intake_manifold → intake_tube",
        ),
        (replace(A, taps=(*A.taps, Tap("ghost", None))), "taps[6].sensor", "'ghost' is no part"),
        (replace(A, taps=A.taps[1:]), "parts[1]", "say on which part it sits"),
        (
            replace(A, parts=(*A.parts, Part(id="egr_pipe", component="egr_pipe", label="x"))),
            "parts[13]",
            "not joined to the path",
        ),
        (
            replace(
                D,
                pipes=tuple(
                    p for p in D.pipes if (p.source, p.target) != ("egr_passage", "intake_manifold")
                ),
            ),
            "parts[15]",
            "does not come back into the intake",
        ),
        (
            replace(
                D,
                pipes=tuple(p for p in D.pipes if (p.source, p.target) != ("turbine", "egr_pipe")),
            ),
            "parts[14]",
            "no exhaust gas reaches",
        ),
        (
            replace(
                A,
                operations=(
                    *A.operations,
                    Operation(
                        id="x",
                        text="off",
                        text_back="on",
                        part="air_filter",
                        minutes_off=1,
                        minutes_on=1,
                        after=("y",),
                    ),
                ),
            ),
            "operations[10].after",
            "'y' is no operation",
        ),
        (
            replace(
                A,
                operations=(
                    Operation(
                        id="x",
                        text="off",
                        text_back="on",
                        part="air_filter",
                        minutes_off=1,
                        minutes_on=1,
                        after=("y",),
                    ),
                    Operation(
                        id="y",
                        text="off",
                        text_back="on",
                        part="air_filter",
                        minutes_off=1,
                        minutes_on=1,
                        after=("x",),
                    ),
                ),
            ),
            "operations[0].after",
            "x → y → x",
        ),
        (
            replace(
                A,
                operations=(
                    Operation(
                        id="x",
                        text="off",
                        text_back="on",
                        part="air_filter",
                        minutes_off=-1,
                        minutes_on=1,
                    ),
                ),
            ),
            "operations[0].minutes_off",
            "-1 is not from 0",
        ),
        (
            replace(A, bands={"idle_rpm": Band(800, 700, "typed")}),
            "bands.idle_rpm",
            "low end comes first",
        ),
        (
            replace(A, maker_says={"F": "sideways"}),
            "maker_says.F",
            "'sideways' is none of always_off, always_on, by_grade",
        ),
        (replace(A, relearn="wish"), "relearn", "'wish' is none of"),
        (replace(A, displacement_l=0.0), "displacement_l", "0 is not from 0.02"),
    ],
)
def test_faults_of_a_family_are_named_at_their_place(
    broken: EngineFamily, place: str, words: str
) -> None:
    found = family_faults(broken, VOCABULARY)
    assert any(f.place == place and words in f.text for f in found), [str(f) for f in found]


def test_throttle_needs_cover_and_tube() -> None:
    found = scope(A, ["throttle_body"], beside=BESIDE)
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
    assert {o.id for o in off.operations} - {o.id for o in on.operations} == {"throttle_aside"}, (
        "the cheaper way: on its coolant hoses"
    )


def test_a_dirty_neighbour_is_suggested_with_its_grade() -> None:
    found = scope(A, ["throttle_body"], grades={"map_sensor": 3}, beside=BESIDE)
    assert any(s.component == "map_sensor" and "grade 3" in s.why for s in found.suggested)


@given(st.sets(st.sampled_from(REACHABLE), min_size=1, max_size=5), st.sampled_from(REACHABLE))
def test_unions_are_closed_ordered_and_never_shrink(parts: set[str], more: str) -> None:
    operations = operations_for(A, sorted(parts))
    ids = [o.id for o in operations]
    assert len(ids) == len(set(ids))
    for operation in operations:
        assert all(need in ids[: ids.index(operation.id)] for need in operation.after), (
            "prerequisites come first"
        )
    assert all(any(p in o.reaches for o in operations) for p in parts)
    larger = minutes_of(operations_for(A, sorted(parts | {more})))
    assert larger >= minutes_of(operations)
    if more not in parts:
        assert scope(A, sorted(parts)).marginal[more] == pytest.approx(
            larger - minutes_of(operations)
        )


def test_the_scope_contract() -> None:
    found = scope_of(
        {"family": "A", "components": ["maf_sensor", "throttle_body"], "open": ["engine_cover"]}
    )
    assert set(found) == {"operations", "hands_on_minutes", "marginal", "suggested"}
    assert all(
        {"id", "minutes_off", "minutes_on", "opens", "parts"} <= set(o) for o in found["operations"]
    )
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


def test_the_union_of_the_contract_example() -> None:
    found = scope(D, ["egr_valve", "intake_ports"], ["engine_cover"], beside=BESIDE)
    ids = [o.id for o in found.operations]
    assert (
        ids[-1] == "manifold_off"
        and "engine_cover" not in ids
        and ids.index("coolant_low") < ids.index("egr_valve_off")
    )
    assert found.marginal["egr_passage"] == 0 and found.marginal["egr_cooler"] > 60
    assert {s.component for s in found.suggested} >= {
        "egr_passage",
        "intake_manifold",
        "runner_flaps",
    }


def test_a_part_with_two_ways_takes_the_one_that_is_open_anyway() -> None:
    assert {o.id for o in operations_for(D, ["egr_passage"])} == {
        "engine_cover",
        "charge_pipe_off",
        "throttle_off",
    }
    assert "throttle_off" not in {o.id for o in operations_for(D, ["egr_passage", "egr_valve"])}


def _operation(name: str, needs: tuple[str, ...] = (), after: tuple[str, ...] = ()) -> Operation:
    return Operation(
        id=name,
        text=name,
        text_back=name,
        part="air_filter",
        minutes_off=1,
        minutes_on=1,
        after=after,
        needs=needs,
    )


def _changes(operations: tuple[Operation, ...]) -> int:
    used = ["engine_warm_running" in o.needs for o in operations if o.needs]
    return sum(a != b for a, b in pairwise(used))


@given(st.data())
def test_the_order_needs_the_fewest_changes_of_state(data: st.DataObject) -> None:
    """Against every order there is, for five operations with random states and prerequisites."""
    listed = []
    for i in range(5):
        needs = data.draw(
            st.sampled_from([(), ("engine_warm_running",), ("engine_cold",), ("battery_off",)])
        )
        after = (
            tuple(sorted(data.draw(st.sets(st.sampled_from([o.id for o in listed]), max_size=2))))
            if listed
            else ()
        )
        listed.append(_operation(f"o{i}", needs, after))
    ordered = in_order(listed)
    ids = [o.id for o in ordered]
    assert sorted(ids) == sorted(o.id for o in listed) and all(
        ids.index(n) < ids.index(o.id) for o in ordered for n in o.after
    )
    valid = (
        p
        for p in permutations(listed)
        if all([x.id for x in p].index(n) < i for i, o in enumerate(p) for n in o.after)
    )
    assert _changes(ordered) == min(_changes(p) for p in valid)


def test_layers_rest_on_what_comes_off_before() -> None:
    found = layers(operations_for(D, ["intake_ports"]))
    depth = {o.id: k for k, layer in enumerate(found) for o in layer}
    assert depth["engine_cover"] == 0 and depth["manifold_off"] == max(depth.values())
    for layer in found:
        assert all(depth[n] < depth[o.id] for o in layer for n in o.after if n in depth)


KINDS = {c.id: (c.title, c.what) for c in COMPONENTS.values()}


@pytest.mark.parametrize(
    ("typed", "first"),
    [
        ("air meter", "maf_sensor"),
        ("secondary met", "secondary_air_flow_sensor"),
        ("ho-2960", "egr_valve"),
        ("pump", "secondary_air_flow_sensor"),
        ("passage", "egr_passage"),
    ],
)
def test_a_part_is_found_by_name_number_or_place(typed: str, first: str) -> None:
    assert find_parts(FAMILIES["B"], typed, KINDS)[0].id == first


def test_like_names_are_told_apart_and_the_way_is_shown() -> None:
    found = whereabouts(FAMILIES["B"], "maf_sensor", KINDS)
    assert [(n.part.id, "Not the main meter" in n.what) for n in found.namesakes] == [
        ("secondary_air_flow_sensor", True)
    ]
    assert [o.id for o in whereabouts(D, "egr_valve", KINDS).operations or ()] == [
        "engine_cover",
        "coolant_low",
        "egr_valve_off",
    ]
    assert whereabouts(D, "egr_valve", KINDS, done=["engine_cover", "coolant_low"]).minutes == 29
    assert whereabouts(D, "barometric_sensor", KINDS).operations is None
    assert find_parts(D, "gearbox", KINDS) == []


def test_the_spine_follows_the_air_and_then_the_exhaust() -> None:
    intake, exhaust = spine(FAMILIES["E"])
    assert (
        intake[0] == "air_filter"
        and intake[-1] == "intake_ports"
        and exhaust[-1] == "particulate_filter"
    )


@given(st.sampled_from(sorted(FAMILIES)), st.data())
def test_what_is_open_makes_no_way_longer_and_leaves_the_scope_s_minutes(
    family_id: str, data: st.DataObject
) -> None:
    family = FAMILIES[family_id]
    done = data.draw(st.sets(st.sampled_from([o.id for o in family.operations])))
    closed, opened = ways_in(family), ways_in(family, done)
    assert (
        closed.keys()
        == opened.keys()
        == {p.component for p in family.parts if any(p.id in o.reaches for o in family.operations)}
    )
    for component, way in opened.items():
        assert sum(way.values()) <= sum(closed[component].values())
        assert not way.keys() & done
        best = min(
            scope(family, [p.id], done).hands_on_minutes
            for p in family.parts
            if p.component == component
            and p.component in closed
            and any(p.id in o.reaches for o in family.operations)
        )
        assert sum(way.values()) == pytest.approx(best)


def test_graphs_know_their_circles_and_longest_ways() -> None:
    line = graph_of([("a", "b"), ("b", "c"), ("a", "c"), ("x", "c")], ["alone"])
    assert circle(line) == () and longest_way(line) == ("a", "b", "c")
    assert reached(line, "a") == {"b", "c"} and reached(line, "alone") == frozenset()
    assert reached(reversed_of(line), "c") == {"a", "b", "x"}
    assert reached(both_ways(line), "c") == {"a", "b", "c", "x"}
    round_ = graph_of([("a", "b"), ("b", "c"), ("c", "a"), ("c", "d")])
    found = circle(round_)
    assert set(found) == {"a", "b", "c"}
    assert all(b in round_[a] for a, b in zip(found, (*found[1:], found[0]), strict=True))
    assert longest_way({}) == ()
