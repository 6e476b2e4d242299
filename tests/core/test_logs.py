"""Time that runs forward, stretches found in logs, and files of every shape."""

from io import BytesIO
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from galene.core.calculations.egr_flow_test import FlowTestInput, IdlePoint, egr_flow_test
from galene.core.errors import InputError
from galene.core.logs.series import (
    TimeSeries,
    find_idle,
    find_plateaus,
    find_trim_points,
    on_grid,
    run_forward,
)
from galene.core.logs.thinning import downsample_minmax, thinned
from galene.demo.engine import EngineState
from galene.demo.logger import EXHAUST_C, EXHAUST_KPA, recorded
from galene.exchange.logs import read_log, time_unit
from galene.knowledge.families import FAMILIES
from galene.knowledge.log_channels import CHANNELS, TIME_NAMES, propose, unit_word

B = FAMILIES["B"]
STATE = EngineState(roughness_rpm=8)


def log_of(passage_mm2: float, state: EngineState = STATE, command: bool = True) -> TimeSeries:
    read = read_log(recorded(B, state, 5, idle_rpm=690, passage_mm2=passage_mm2).encode())
    found = propose([c.name for c in read.columns[1:]], B.components)
    channels = {
        channel: read.columns[k + 1].values
        for channel, k in found.items()
        if command or channel != "egr_command_percent"
    }
    return TimeSeries(read.columns[0].values, channels)


@pytest.mark.parametrize(
    ("times", "rows", "forward", "counts"),
    [
        ([5, 6, 7], [0, 1, 2], [0, 1, 2], (0, 0, 0)),
        ([0, 1, 1, 2, 3, 4], [0, 1, 3, 4, 5], [0, 1, 2, 3, 4], (1, 0, 0)),
        ([0, 1, 2, 0.5, 3, 4], [0, 1, 2, 4, 5], [0, 1, 2, 3, 4], (1, 0, 0)),
        ([0, np.nan, 1, 2], [0, 2, 3], [0, 1, 2], (1, 0, 0)),
        ([0, 1, 2, 3, 0, 1, 2, 3, 4], list(range(9)), list(range(9)), (0, 0, 1)),
        ([0, 0, 1, 1, 2, 2], list(range(6)), [0, 0.5, 1, 1.5, 2, 2.5], (0, 3, 0)),
    ],
)
def test_time_runs_forward_whatever_the_logger_did(
    times: list[float], rows: list[int], forward: list[float], counts: tuple[int, ...]
) -> None:
    made = run_forward(np.array(times, float))
    assert made.rows.tolist() == rows and made.time_s.tolist() == pytest.approx(forward)
    assert (made.left_out, made.spread, made.restarts) == counts


@given(st.lists(st.floats(0, 1e6), min_size=3, max_size=60))
def test_time_always_rises_or_is_refused(times: list[float]) -> None:
    try:
        made = run_forward(np.array(times))
    except InputError:
        return
    assert (np.diff(made.time_s) > 0).all() and len(made.rows) == len(made.time_s)


def test_time_that_stands_still_is_refused() -> None:
    with pytest.raises(InputError, match="runs forward"):
        run_forward(np.array([3.0, 3.0, 3.0, 3.0]))
    with pytest.raises(InputError, match="two rows"):
        run_forward(np.array([np.nan, 1.0]))


def test_idle_and_trim_points_are_found_where_they_were_held() -> None:
    state = EngineState(roughness_rpm=8, leak_g_s=0.5)
    trace = log_of(30, state)
    trims = sum(trace.channels[c] for c in ("short_trim_percent", "long_trim_percent"))
    trace = TimeSeries(trace.time_s, {**trace.channels, "trim_percent": trims})
    idle = find_idle(trace, 1000)
    assert (
        idle is not None and 0 <= idle.start_s < 5 and 50 < idle.end_s <= 56 and "warm" in idle.why
    )
    points = find_trim_points(trace)
    spans = [(55 * k_from, k_to) for k_from, k_to in ((0, 55), (1, 90))]
    assert [s.kind for s in points] == ["trim"] * 3 and points[0].end_s <= 56
    assert (
        spans[1][0] <= points[1].start_s < points[1].end_s <= spans[1][1] + 1
        and 90 <= points[2].start_s < points[2].end_s <= 126
    )
    means = [trace.mean("trim_percent", s.start_s, s.end_s) for s in points]
    assert means[0] > 2 * means[2] > 0, "a leak's trim fades with the air"


def test_idle_leaves_out_the_pedal_the_cold_and_the_road() -> None:
    time = np.arange(0, 120, 0.5)
    rpm = np.full(len(time), 740.0)
    coolant = np.where(time < 60, 40.0, 85.0)
    pedal = np.where((time > 80) & (time < 90), 12.0, 0.0)
    found = find_idle(
        TimeSeries(time, {"rpm": rpm, "coolant_c": coolant, "pedal_percent": pedal}), 1000
    )
    assert found is not None and found.start_s >= 90 and found.end_s > 118
    assert find_idle(TimeSeries(time, {"rpm": rpm + 900}), 1000) is None
    cold = find_idle(TimeSeries(time, {"rpm": rpm, "coolant_c": coolant * 0 + 30}), 1000)
    assert cold is not None and "not known to be warm" in cold.why, (
        "a cold idle is found, and said to be cold"
    )


@pytest.mark.parametrize("command", [True, False])
def test_plateaus_give_back_the_passage_that_made_the_trace(command: bool) -> None:
    for area in (7.0, 20.0, 32.0):
        trace = log_of(area, command=command)
        closed, opened = find_plateaus(trace)
        assert closed.end_s <= 155.2 <= opened.start_s < opened.end_s <= 169.2
        names = ("map_kpa", "rpm", "egr_command_percent") if command else ("map_kpa", "rpm")
        rows = thinned(trace.time_s, [trace.channels[c] for c in names], 135, end_s=172, most=600)
        csv = "time;map;rpm\n" + "\n".join(";".join(f"{x:.2f}" for x in r) for r in rows)
        fields = {
            "displacement_l": 2.9,
            "volumetric_efficiency": B.volumetric_efficiency_idle,
            "intake_c": STATE.intake_c + 12,
            "ambient_kpa": STATE.barometer_kpa,
            "exhaust_kpa": EXHAUST_KPA,
            "exhaust_c": EXHAUST_C,
        }
        found = egr_flow_test(FlowTestInput(**fields, csv=csv, reference_area_mm2=32.0))
        assert found.passage_area_mm2 == pytest.approx(area, rel=0.06)
        assert found.passage_area_low_mm2 < found.passage_area_mm2 < found.passage_area_high_mm2
        assert found.verdict == {7.0: "plugged", 20.0: "restricted", 32.0: "clear"}[area]
        by_means = egr_flow_test(
            FlowTestInput(
                **fields,
                closed=IdlePoint(*_of(found, 0)),
                open=IdlePoint(*_of(found, 1)),
                reference_area_mm2=32.0,
            )
        )
        assert by_means.passage_area_mm2 == pytest.approx(found.passage_area_mm2), (
            "the trace is read by its plateaus' means"
        )
        moved = egr_flow_test(FlowTestInput(**fields, csv=csv, closed_from_s=148, closed_to_s=151))
        assert (moved.plateaus[0].start_s, moved.plateaus[0].end_s) == (
            148,
            151,
        ) and moved.plateaus[1] == found.plateaus[1]


def _of(found: Any, k: int) -> tuple[float, float]:
    plateau = found.plateaus[k]
    return plateau.map_kpa, plateau.rpm


def test_a_trace_without_a_step_says_so_and_takes_seconds_by_hand() -> None:
    rows = "\n".join(f"{k / 2},{33 + 0.1 * (k % 3)},{690 + k % 5}" for k in range(60))
    given = {
        "displacement_l": 2.9,
        "volumetric_efficiency": 0.72,
        "intake_c": 34,
        "ambient_kpa": 101,
        "exhaust_kpa": 103,
        "exhaust_c": 190,
        "csv": rows,
    }
    with pytest.raises(InputError, match="no step in the manifold pressure"):
        egr_flow_test(FlowTestInput(**given))
    found = egr_flow_test(
        FlowTestInput(**given, closed_from_s=1, closed_to_s=8, open_from_s=12, open_to_s=20)
    )
    assert found.verdict == "plugged"
    for wrong, field in (
        ({"closed_from_s": -4, "closed_to_s": 8}, "closed_from_s"),
        ({"closed_from_s": 9, "closed_to_s": 8}, "closed_to_s"),
    ):
        with pytest.raises(InputError) as fault:
            egr_flow_test(FlowTestInput(**given, **wrong, open_from_s=12, open_to_s=20))
        assert fault.value.field == field
    with pytest.raises(InputError, match="either csv, or closed and open"):
        egr_flow_test(FlowTestInput(**given, closed=IdlePoint(34, 700), open=IdlePoint(36, 700)))
    with pytest.raises(InputError, match="csv line 3"):
        egr_flow_test(FlowTestInput(**{**given, "csv": "0,33,690\n1,33,690\n2,33"}))


def test_holes_are_not_bridged_and_spikes_are_kept() -> None:
    time = np.concatenate([np.arange(0, 50, 0.01), np.arange(60, 100, 0.01)])
    values = np.sin(time)
    values[1234] = 99.0
    assert (
        np.isnan(on_grid(time, values, np.array([55.0])))[0]
        and np.isfinite(on_grid(time, values, np.array([45.0])))[0]
    )
    at, shown = downsample_minmax(time, values, 0, end_s=100, points=300)
    assert len(at) <= 602 and 99.0 in shown and shown.count(None) == 1 and at == sorted(at)
    close, exact = downsample_minmax(time, values, 12.0, end_s=12.5, points=300)
    assert len(close) <= 60 and 99.0 in exact
    assert downsample_minmax(time, values * np.nan, 0, end_s=9, points=300) == ([], [])


SHAPES = {
    "comma, unit in brackets": "Time (s),RPM,MAP [kPa]\n0,700,33\n0.5,710,\n1.0,705,34\n",
    "semicolon, decimal comma, units below, preamble": (
        "logger 3\nvehicle;x\n\nTime;RPM;MAP\ns;1/min;kPa\n0,0;700;33\n0,5;710;-\n1,0;705;34\n"
    ),
    "tab, unit after an underscore": (
        "time_s\tRPM\tmap_kPa\r\n0\t700\t33\r\n0.5\t710\tn/a\r\n1\t705\t34\r\n"
    ),
    "a sign at the end of each line": "Time (s);RPM;MAP (kPa);\n0;700;33;\n0.5;710;;\n1;705;34;\n",
    "quoted": '"Time (s)","RPM","MAP, (kPa)"\n"0","700","33"\n"0.5","710",""\n"1","705","34"\n',
    "milliseconds": "ms,RPM,MAP kPa\n0,700,33\n500,710,\n1000,705,34\n",
    "a column of words": (
        "Time (s),State,RPM,MAP (kPa)\n0,open loop,700,33\n0.5,closed loop,710,\n1.0,closed"
        " loop,705,34\n"
    ),
    "blank lines": "Time (s),RPM,MAP (kPa)\n0,700,33\n\n0.5,710,\n1.0,705,34\n\n",
}


@pytest.mark.parametrize("shape", SHAPES)
def test_logs_of_any_shape_read_alike(shape: str) -> None:
    read = read_log(SHAPES[shape].encode())
    time = read.columns[read.time_column or 0]
    scale = {"s": 1, "ms": 1e-3}[time_unit(time)]
    held = np.isfinite(time.values)
    assert (time.values[held] * scale).tolist() == [0, 0.5, 1.0]
    rpm, pressure = (
        next(c for c in read.columns if c.name.startswith(n))
        for n in ("RPM", "MAP" if "map_kPa" not in SHAPES[shape] else "map")
    )
    assert rpm.values[held].tolist() == [700, 710, 705] and unit_word(pressure.unit) == "kPa"
    assert np.isnan(pressure.values[held][1]) and pressure.values[held][2] == 34


def test_the_encodings_and_clocks_of_loggers() -> None:
    text = "Clock;Coolant (°C)\n23:59:58,5;88,1\n23:59:59,5;88,2\n00:00:00,5;88,3\n"
    for encoding in ("utf-8", "utf-8-sig", "cp1252", "utf-16"):
        read = read_log(text.encode(encoding))
        assert np.diff(read.columns[0].values).tolist() == [1, 1], "over midnight"
        assert unit_word(read.columns[1].unit) == "degC" and read.columns[1].values[2] == 88.3
    stamped = read_log(
        b"stamp,a\n2026-03-01 10:00:00,1\n2026-03-01 10:00:02,2\n2026-03-01 10:00:04,3\n"
    )
    assert stamped.time_column == 0 and np.diff(stamped.columns[0].values).tolist() == [2, 2]


@pytest.mark.parametrize(
    ("text", "field"),
    [
        ("t,a\n0,1\n1,2\n2,x\n" + "".join(f"{k},1\n" for k in range(3, 9)), "line 4, column 2 (a)"),
        (
            "name: x\n\nt;a\n0;1\n1;2\n2;3,y\n" + "".join(f"{k};1\n" for k in range(3, 9)),
            "line 6, column 2 (a)",
        ),
        ("t,a\n0,1\n1,2,9\n2,3\n", "line 3"),
        ("t,a\n0,1\n1\n2,3\n", "line 3"),
        (
            "Clock,a\n12:00:01,1\n12:00:02,1\nnoon,1\n12:00:04,1\n12:00:05,1\n12:00:06,1\n",
            "line 4, column 1 (Clock)",
        ),
        ("t,a\n0,1\n1,1e999\n2,3\n", "line 3, column a"),
        ("dear all\nno numbers here\n", "line 1"),
        ("", "file"),
        ("\x89PNG\x00\x01", "file"),
    ],
)
def test_a_malformed_file_is_named_by_line_and_column(text: str, field: str) -> None:
    with pytest.raises(InputError) as fault:
        read_log(text.encode("latin-1"))
    assert fault.value.field == field


def test_a_last_line_that_was_cut_off_is_left_out_and_said() -> None:
    read = read_log(b"t,a,b\n0,1,1\n1,2,1\n2,1")
    assert len(read.columns[0].values) == 2 and "last line, 4" in read.remarks[0]


def test_measurement_files_in_mdf_4() -> None:
    from asammdf import MDF, Signal

    file = MDF(version="4.10")
    fast, slow = np.arange(0, 10, 0.1), np.arange(0, 10, 1.0)
    file.append(
        [
            Signal(700 + fast, fast, unit="1/min", name="Engine speed"),
            Signal(np.full(100, 33.5, np.float32), fast, unit="kPa", name="MAP"),
        ]
    )
    file.append(
        [
            Signal(80 + slow, slow, unit="°C", name="Coolant"),
            Signal(np.array([b"on"] * 10), slow, name="State", encoding="utf-8"),
        ]
    )
    out = BytesIO()
    file.save(out)
    file.close()
    read = read_log(out.getvalue())
    assert (
        read.kind == "mdf"
        and read.time_column == 0
        and [c.name for c in read.columns] == ["time", "Engine speed", "MAP", "Coolant"]
    )
    assert read.columns[0].values == pytest.approx(fast) and read.columns[
        1
    ].values == pytest.approx(700 + fast)
    assert read.columns[3].values[5] == pytest.approx(80.5) and np.isnan(
        read.columns[3].values[-1]
    ), "between samples, never beyond them"
    assert any("State" in r for r in read.remarks) and any("one time" in r for r in read.remarks)
    assert set(propose([c.name for c in read.columns[1:]], {"map_sensor"})) == {
        "rpm",
        "map_kpa",
        "coolant_c",
    }


@pytest.mark.parametrize(
    "data",
    [
        b"MDF     3.30    ",
        b"MDF     4.10    tests   " + bytes(200),
        b"MDF     4.10    tests   " + bytes(40) + b"##HD" + b"\xff" * 300,
    ],
)
def test_broken_measurement_files_are_refused(data: bytes) -> None:
    with pytest.raises(InputError) as fault:
        read_log(data)
    assert fault.value.field == "file" and "MDF 4" in fault.value.allowed


def test_headings_of_many_loggers_find_their_channels() -> None:
    headings = {
        "Engine RPM": "rpm",
        "Mass Air Flow Rate": "maf_g_s",
        "Intake Manifold Absolute Pressure": "map_kpa",
        "Short Term Fuel Trim Bank 1": "short_trim_percent",
        "Long Term Fuel Trim - Bank 1": "long_trim_percent",
        "STFT B2": "short_trim_2_percent",
        "LTFT2": "long_trim_2_percent",
        "ECT": "coolant_c",
        "IAT": "intake_c",
        "Absolute Throttle Position": "throttle_percent",
        "AcceleratorPedal": "pedal_percent",
        "Vehicle Speed": "vehicle_km_h",
        "Commanded EGR": "egr_command_percent",
        "EGR valve position": "egr_position_percent",
        "Barometric pressure": "barometer_kpa",
        "O2 B1S1": "o2_v",
        "Boost pressure": "boost_kpa",
        "Desired boost pressure": "boost_command_kpa",
    }
    components = {c for channel in CHANNELS.values() for c in channel.components}
    found = propose(list(headings), components)
    assert {list(headings)[column]: channel for channel, column in found.items()} == headings
    assert "maf_g_s" not in propose(["MAF"], {"throttle_body"}), (
        "an engine without a meter shows no air"
    )
    assert (
        TIME_NAMES
        and unit_word("in Hg") == "inHg"
        and unit_word("°F") == "degF"
        and unit_word("furlong") is None
    )
