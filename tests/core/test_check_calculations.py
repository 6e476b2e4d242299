"""Calculations of the checks: worked examples, laws that hold for any figures, refusals by name."""

import math
from itertools import permutations

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from galene.core.calculations.repair_sequence import Action, RepairInput, repair_sequence
from galene.core.errors import InputError
from galene.exchange.calculations import calculate

FLOW = {
    "displacement_l": 2.0,
    "volumetric_efficiency": 0.78,
    "intake_c": 38,
    "ambient_kpa": 100.5,
    "closed": {"map_kpa": 34, "rpm": 720},
    "open": {"map_kpa": 61, "rpm": 560},
    "exhaust_kpa": 103,
    "exhaust_c": 190,
}
CROSS = {
    "displacement_l": 7.8,
    "volumetric_efficiency": 0.88,
    "rpm": 1200,
    "map_kpa": 118,
    "charge_c": 55,
    "maf_g_s": 70,
    "dp_pa": 300,
    "gas_kpa": 118,
    "gas_c": 120,
    "pipe_mm": 50,
    "throat_mm": 28,
}
CAN = {
    "airflow_g_s": 9.0,
    "can_rate_g_s": 1.8,
    "burst_s": 1,
    "displacement_l": 2.0,
    "cylinders": 4,
    "compression_ratio": 10.5,
}
COIL = {
    "supply_v": 12.6,
    "coil_ohm": 14.5,
    "other_wire_leads_to": "fuse",
    "wire_limit_a": 10,
    "lamp_a": 0.1,
}
BLAST = {"firing_order": [1, 3, 4, 2], "intake_opens_btdc_deg": 12, "intake_closes_abdc_deg": 52}
LINE = {"points": [{"volts": 0.5, "kpa": 20}, {"volts": 4.5, "kpa": 250}], "volts": 2.1}


def test_worked_examples() -> None:
    flow = calculate("egr-flow-test", FLOW)
    assert [
        flow[k]
        for k in ("fresh_g_s", "recirculated_g_s", "passage_area_mm2", "recirculated_fraction")
    ] == pytest.approx([3.514, 0.979, 6.388, 0.218], rel=0.005)
    half = calculate(
        "egr-flow-test", {**FLOW, "open": {"map_kpa": 44, "rpm": 690}, "reference_area_mm2": 6.388}
    )
    assert half["passage_area_mm2"] == pytest.approx(3.716, rel=0.005) and half[
        "percent_of_reference"
    ] == pytest.approx(58, abs=0.5)
    assert (flow["verdict"], half["verdict"]) == ("no_reference", "restricted")
    both = calculate("egr-flow-crosscheck", CROSS)
    assert (both["balance_g_s"], both["dp_flow_g_s"]) == pytest.approx(
        (15.99, 15.92), rel=0.005
    ) and both["verdict"] == "agree"
    assert calculate("egr-flow-crosscheck", {**CROSS, "dp_pa": 60})["dp_flow_g_s"] == pytest.approx(
        7.12, rel=0.005
    )
    can = calculate("ingestion-limit", CAN)
    assert [
        can[k] for k in ("sustained_g_s", "pause_s", "burst_ml", "clearance_ml")
    ] == pytest.approx([0.1585, 10.4, 2.43, 52.6], rel=0.005)
    assert len(calculate("blast-positions", BLAST)["positions"]) == 2
    coil = calculate("actuator-drive-check", COIL)
    assert (coil["drive_side"], coil["fuse_a"], coil["lamp_moves_it"], coil["jumper_allowed"]) == (
        "ground",
        2,
        False,
        True,
    )
    assert coil["current_a"] == pytest.approx(0.869, rel=0.005)
    assert calculate("sensor-line", LINE)["kpa"] == pytest.approx(112)


@given(st.floats(35, 89), st.floats(300, 900))
def test_more_pressure_at_the_same_speed_means_a_larger_passage(
    pressure: float, rpm: float
) -> None:
    def area(p: float) -> float:
        return calculate(
            "egr-flow-test",
            {**FLOW, "closed": {"map_kpa": 34, "rpm": rpm}, "open": {"map_kpa": p, "rpm": rpm}},
        )["passage_area_mm2"]

    assert area(pressure + 1) > area(pressure) >= 0


def test_a_valve_that_moves_nothing_is_plugged_and_a_stall_is_not() -> None:
    assert (
        calculate("egr-flow-test", {**FLOW, "open": {"map_kpa": 34, "rpm": 720}})["verdict"]
        == "plugged"
    )
    stalled = calculate("egr-flow-test", {**FLOW, "open": {"map_kpa": 80, "rpm": 0}})
    assert (
        stalled["verdict"] == "stalled"
        and stalled["passage_area_mm2"] is None
        and "at least" in stalled["sentence"]
    )
    free = calculate("egr-flow-test", {**FLOW, "reference_area_mm2": 6.4, "throttle_held": False})
    assert free["verdict"] == "no_reference" and "not held" in free["sentence"]


@pytest.mark.parametrize(
    ("change", "verdict"),
    [
        ({"dp_pa": 5}, "ports_blocked"),
        ({"dp_pa": 1500}, "sensor_high"),
        ({"maf_g_s": 82, "dp_pa": 30, "expected_g_s": 20}, "true_low_flow"),
        ({"dp_pa": 60}, "inconclusive"),
    ],
)
def test_sensor_against_balance(change: dict[str, float], verdict: str) -> None:
    assert calculate("egr-flow-crosscheck", {**CROSS, **change})["verdict"] == verdict


@given(st.permutations([1, 2, 3, 4, 5, 6]), st.floats(0, 30), st.floats(20, 80), st.floats(0, 719))
def test_every_cylinder_is_blasted_once_with_its_valve_shut(
    order: list[int], opens: float, closes: float, start: float
) -> None:
    found = calculate(
        "blast-positions",
        {
            "firing_order": order,
            "intake_opens_btdc_deg": opens,
            "intake_closes_abdc_deg": closes,
            "start_deg": start,
        },
    )
    assert sorted(c for p in found["positions"] for c in p["cylinders"]) == sorted(order)
    for position in found["positions"]:
        for cylinder in position["cylinders"]:
            angle = (position["crank_deg"] - 720 * order.index(cylinder) / len(order)) % 720
            assert not (360 - opens - 10 + 1e-6 < angle < 540 + closes + 10 - 1e-6)
    turned = [(p["crank_deg"] - start) % 720 for p in found["positions"]]
    assert turned == sorted(turned) and found["rotation_deg"] == pytest.approx(max(turned))


@given(st.floats(0.1, 5), st.floats(0.05, 10))
def test_the_pause_makes_the_average_hold(burst: float, rate: float) -> None:
    found = calculate("ingestion-limit", {**CAN, "burst_s": burst, "can_rate_g_s": rate})
    assume(found["pause_s"] > 0)
    assert rate * burst / (burst + found["pause_s"]) == pytest.approx(found["sustained_g_s"])
    assert (found["verdict"] == "refuse") == (found["clearance_share"] > 0.30)


def test_no_jumper_before_the_drive_side_is_known_or_without_a_fuse() -> None:
    assert not calculate("actuator-drive-check", {**COIL, "other_wire_leads_to": "unknown"})[
        "jumper_allowed"
    ]
    assert not calculate("actuator-drive-check", {**COIL, "coil_ohm": 0.5, "wire_limit_a": 20})[
        "jumper_allowed"
    ]
    assert calculate("sensor-line", {**LINE, "volts": 4.95})["in_range"] is False


def burn(face: float, inlet: float, outlet: float, *, minutes: int = 30) -> str:
    rows = (
        [(0, 150, 120, 90)]
        + [(60 * k, face, inlet, outlet) for k in range(1, minutes + 1)]
        + [(60 * minutes + 60, 200, 200, 200)]
    )
    return "time,face,inlet,outlet\n" + "\n".join(",".join(map(str, r)) for r in rows)


@pytest.mark.parametrize(
    ("trace", "verdict"),
    [
        (burn(380, 600, 590), "complete"),
        (burn(380, 600, 420), "partial"),
        (burn(200, 210, 180), "no_ignition"),
        (burn(620, 400, 350), "burns_at_catalyst"),
    ],
)
def test_burn_off_traces(trace: str, verdict: str) -> None:
    found = calculate("regeneration-trace", {"csv": trace})
    assert found["verdict"] == verdict, found["sentence"]
    assert (
        calculate("regeneration-trace", {"csv": trace.replace(",", ";").replace(".", ",")})[
            "verdict"
        ]
        == verdict
    )
    assert [p["name"] for p in found["phases"]] == (
        ["warm_up", "burn", "tail"] if verdict in ("complete", "partial") else ["whole"]
    )


@pytest.mark.parametrize(
    ("gain", "lag", "verdict"),
    [(0.9, 0, "ok"), (0.9, 12, "sticky"), (0.5, 0, "short_travel"), (1.1, 0, "over_travel")],
)
def test_flap_sweeps(gain: float, lag: float, verdict: str) -> None:
    points = [
        {"command": c, "position": min(119.0, gain * c + (lag if down else 0))}
        for down, run in ((0, range(0, 101, 10)), (1, range(90, -1, -10)))
        for c in run
    ]
    assert (
        calculate("runner-sweep", {"points": points, "expected_travel": 90})["verdict"] == verdict
    )


@pytest.mark.parametrize(
    ("hertz", "swing", "sharp", "verdict"),
    [(1.0, 0.4, 9, "alive"), (0.15, 0.4, 1, "slow"), (1.0, 0.05, 9, "flat")],
)
def test_oxygen_sensors(hertz: float, swing: float, sharp: float, verdict: str) -> None:
    points = [
        {
            "time_s": k * 0.02,
            "volts": 0.45 + swing * math.tanh(sharp * math.sin(2 * math.pi * hertz * k * 0.02)),
        }
        for k in range(600)
    ]
    found = calculate("oxygen-response", {"points": points})
    assert found["verdict"] == verdict, found["sentence"]
    if verdict == "alive":
        assert (
            found["crossings_per_10s"] == pytest.approx(2 * hertz * 10, rel=0.1)
            and 0 < found["rise_s"] < 0.1
        )


def test_the_order_of_repair_weighs_chance_against_cost_and_shares_access() -> None:
    actions = [
        {
            "id": "clean",
            "mends": ["plugged"],
            "success": 0.9,
            "minutes": 60,
            "parts_cost": 10,
            "access": ["off"],
        },
        {
            "id": "valve",
            "mends": ["dead"],
            "success": 1.0,
            "minutes": 30,
            "parts_cost": 240,
            "access": ["off"],
        },
    ]
    given_ = {
        "actions": actions,
        "posterior": {"plugged": 0.7, "dead": 0.2},
        "hourly_rate": 60,
        "access_minutes": {"off": 30},
    }
    found = calculate("repair-sequence", given_)
    assert [s["id"] for s in found["order"]] == ["clean", "valve"]
    assert found["expected_cost"] == pytest.approx(100 + (1 - 0.63) * 270), "access is paid once"
    assert found["replace_first"]["expected_cost"] == pytest.approx(300 + 0.8 * 70)
    assert (
        calculate("repair-sequence", {**given_, "posterior": {"plugged": 0.02, "dead": 0.9}})[
            "order"
        ][0]["id"]
        == "valve"
    )


@given(
    st.lists(
        st.tuples(st.floats(0.05, 1), st.floats(1, 200), st.floats(0, 500)), min_size=2, max_size=5
    )
)
def test_no_order_of_repair_is_cheaper(rows: list[tuple[float, float, float]]) -> None:
    actions = [
        {
            "id": f"a{i}",
            "mends": [f"c{i}"],
            "success": s,
            "minutes": m,
            "parts_cost": p,
            "access": [],
        }
        for i, (s, m, p) in enumerate(rows)
    ]
    posterior = {f"c{i}": 1 / len(rows) for i in range(len(rows))}
    found = calculate(
        "repair-sequence", {"actions": actions, "posterior": posterior, "hourly_rate": 70}
    )
    ratio = [s / max(1e-9, p + m / 60 * 70) for s, m, p in rows]
    by_rule = [ratio[int(s["id"][1:])] for s in found["order"]]
    assert by_rule == pytest.approx(sorted(by_rule, reverse=True)), (
        "without shared access: chance over cost"
    )
    assert found["expected_cost"] <= found["replace_first"]["expected_cost"] + 1e-9


@given(
    st.lists(
        st.tuples(
            st.floats(0.05, 1),
            st.floats(1, 200),
            st.floats(0, 500),
            st.sets(st.sampled_from("xyz")),
        ),
        min_size=2,
        max_size=5,
    )
)
def test_with_shared_access_every_other_order_costs_as_much_or_more(
    rows: list[tuple[float, float, float, set[str]]],
) -> None:
    given_ = RepairInput(
        actions=[
            Action(
                id=f"a{i}",
                mends=[f"c{i % 3}"],
                success=s,
                minutes=m,
                parts_cost=p,
                access=sorted(way),
            )
            for i, (s, m, p, way) in enumerate(rows)
        ],
        posterior={"c0": 0.5, "c1": 0.3, "c2": 0.1},
        hourly_rate=70,
        access_minutes={"x": 40, "y": 25, "z": 90},
    )
    found = repair_sequence(given_)
    for order in permutations(given_.actions):
        left, opened, reached, cost = dict(given_.posterior), set[str](), 1.0, 0.0
        for a in order:
            minutes = a.minutes + sum(given_.access_minutes[o] for o in set(a.access) - opened)
            cost += reached * (a.parts_cost + minutes / 60 * 70)
            opened |= set(a.access)
            reached -= left[a.mends[0]] * a.success
            left[a.mends[0]] *= 1 - a.success
        assert found.expected_cost <= cost + 1e-6


def test_fuel_use_is_total_over_total() -> None:
    fills = {
        "before": [{"litres": 40, "km": 500}, {"litres": 5, "km": 40}],
        "after": [{"litres": 36, "km": 500}, {"litres": 36.5, "km": 505}],
    }
    found = calculate("fuel-economy-change", fills)
    assert (
        found["before_l_100km"] == pytest.approx(100 * 45 / 540) and found["verdict"] == "unchanged"
    ), "two fills scatter too much"
    many = {
        "before": [{"litres": 40 + k % 2 * 0.4, "km": 500} for k in range(5)],
        "after": [{"litres": 36 + k % 2 * 0.4, "km": 500} for k in range(5)],
    }
    assert calculate("fuel-economy-change", many)["verdict"] == "improved"
    assert (
        calculate("fuel-economy-change", {**many, "after": many["after"][:1]})["verdict"]
        == "not_enough"
    )


@pytest.mark.parametrize(
    ("name", "given_", "place"),
    [
        ("egr-flow-test", {**FLOW, "closed": {"map_kpa": 120, "rpm": 720}}, "closed.map_kpa"),
        ("egr-flow-test", {**FLOW, "open": {"map_kpa": 34, "rpm": 400}}, "open"),
        ("egr-flow-test", {**FLOW, "exhaust_kpa": 50}, "exhaust_kpa"),
        ("egr-flow-crosscheck", {**CROSS, "throat_mm": 50}, "throat_mm"),
        ("egr-flow-crosscheck", {**CROSS, "dp_pa": -3}, "dp_pa"),
        ("actuator-drive-check", {**COIL, "current_a": 1.0}, "coil_ohm"),
        (
            "actuator-drive-check",
            {**COIL, "other_wire_leads_to": "somewhere"},
            "other_wire_leads_to",
        ),
        ("sensor-line", {**LINE, "points": LINE["points"][:1]}, "points"),
        ("blast-positions", {**BLAST, "firing_order": [1, 3, 3, 2]}, "firing_order"),
        ("ingestion-limit", {**CAN, "compression_ratio": 1}, "compression_ratio"),
        ("regeneration-trace", {"csv": "0,1,2,3\n1,2,x,4\n"}, "csv line 2, column 3"),
        ("regeneration-trace", {"csv": "0,1,2\n1,2,3\n"}, "csv line 1"),
        ("runner-sweep", {"csv": "1,2\n", "points": [{"command": 1, "position": 2}]}, "csv"),
        (
            "oxygen-response",
            {"points": [{"time_s": 0, "volts": 0.1}, {"time_s": 0, "volts": 0.2}] * 6},
            "points[1].time_s",
        ),
        ("repair-sequence", {"actions": [], "posterior": {}, "hourly_rate": 70}, "actions"),
        ("fuel-economy-change", {"before": [], "after": [{"litres": 1, "km": 10}]}, "before"),
    ],
)
def test_impossible_figures_are_named(name: str, given_: dict[str, object], place: str) -> None:
    with pytest.raises(InputError) as fault:
        calculate(name, given_)
    assert fault.value.field == place, str(fault.value)
