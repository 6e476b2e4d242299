"""A case from a file to its rows, and every way in which it can be wrong."""

import csv
import json
import math
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest

from galene.core.errors import InputError
from galene.knowledge.families import FAMILIES
from galene.simulation.run import csv_of, read_case

CASE: dict[str, Any] = {
    "family": "B",
    "faults": {"egr_passage_plugged": 0.7},
    "seconds": 40,
    "rate_hz": 5,
    "seed": 1,
    "ambient": {"kpa": 100.9, "c": 12},
    "start": {"heat": "warm"},
    "script": [
        {"at": 0, "do": "key_on"},
        {"at": 3, "do": "start"},
        {"at": 20, "do": "command", "actuator": "egr_valve", "value": 100},
        {"at": 30, "do": "release"},
    ],
}


def rows_of(case: dict[str, Any]) -> list[dict[str, float]]:
    read = read_case(case)
    lines = csv.DictReader(csv_of(read, FAMILIES[read.family]))
    return [{k: float(v) for k, v in line.items()} for line in lines]


def test_the_rows_of_a_case() -> None:
    rows = rows_of(CASE)
    assert len(rows) == 201 and [r["time_s"] for r in rows[:3]] == [0.0, 0.2, 0.4]
    assert list(rows[0])[:4] == ["time_s", "rpm", "manifold_kpa", "air_g_s"]
    assert rows[20]["rpm"] > 300 > rows[10]["rpm"] == 0
    assert rows[120]["egr_position_pct"] > 99 and rows[-1]["egr_position_pct"] < 1
    assert rows == rows_of(CASE)


@pytest.mark.parametrize("family", "ABCDEF")
def test_a_family_shows_what_it_senses_and_no_more(family: str) -> None:
    row = rows_of({"family": family, "seconds": 0.2})[0]
    kinds = {p.component for p in FAMILIES[family].parts}
    assert ("manifold_kpa" in row) == ("map_sensor" in kinds)
    assert ("air_g_s" in row) == ("maf_sensor" in kinds)
    assert ("dp_pa" in row) == ("egr_dp_sensor" in kinds)
    assert ("lambda_v" in row) == ("oxygen_sensor" in kinds)
    assert ("crankcase_kpa" in row) == ("crankcase_pressure_sensor" in kinds)
    assert ("before_filter_c" in row) == ("particulate_filter" in kinds)
    assert all(math.isfinite(v) for v in row.values())


def test_everything_that_can_be_done_is_done() -> None:
    script = [
        {"at": 0, "do": "key_on"},
        {"at": 1, "do": "start"},
        {"at": 8, "do": "pedal", "value": 8},
        {"at": 10, "do": "pedal", "value": 0},
        {"at": 12, "do": "hold_rpm", "value": 2000},
        {"at": 16, "do": "release"},
        {"at": 17, "do": "load", "name": "lamps", "on": True},
        {"at": 18, "do": "load", "name": "lamps", "on": False},
        {"at": 19, "do": "routine", "id": "idle_adaptation"},
        {"at": 20, "do": "clear_codes"},
        {"at": 21, "do": "drive", "minutes": 0.3, "kind": "town"},
        {"at": 45, "do": "key_off"},
        {"at": 46, "do": "battery_off"},
        {"at": 47, "do": "clean", "part": "throttle_body"},
        {"at": 48, "do": "replace", "part": "air_filter"},
        {"at": 49, "do": "battery_on"},
        {"at": 50, "do": "start"},
    ]
    rows = rows_of({"family": "A", "seconds": 60, "rate_hz": 2, "script": script})
    assert rows[30]["rpm"] > 1700 and max(r["speed_kmh"] for r in rows) > 15
    assert rows[94]["voltage_v"] < 1 and rows[-1]["rpm"] > 600


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"family": "Q"}, "family"),
        ({"family": None}, "family"),
        ({"faults": {"maf_dust": "much"}}, "faults.maf_dust"),
        ({"faults": {"gremlins": 0.5}}, "faults.gremlins"),
        ({"faults": {"ports_coked": 2}}, "faults.ports_coked"),
        ({"faults": {"crankcase_hose_blocked": 0.5}}, "faults.crankcase_hose_blocked"),
        ({"faults": [1]}, "faults"),
        ({"seconds": -1}, "seconds"),
        ({"seconds": math.nan}, "seconds"),
        ({"seconds": 1e9}, "seconds"),
        ({"seconds": True}, "seconds"),
        ({"rate_hz": 0}, "rate_hz"),
        ({"ambient": {"kpa": 5}}, "ambient.kpa"),
        ({"ambient": {"wind": 5}}, "ambient.wind"),
        ({"start": {"heat": "hot"}}, "start.heat"),
        ({"speed": 3}, "case.speed"),
        ({"script": "start"}, "script"),
        ({"script": [3]}, "script[0]"),
        ({"script": [{"at": 1, "do": "fly"}]}, "script[0].do"),
        ({"script": [{"at": -1, "do": "start"}]}, "script[0].at"),
        ({"script": [{"at": 1, "do": "start", "hard": 1}]}, "script[0].hard"),
        ({"script": [{"at": 1, "do": "pedal", "value": 101}]}, "script[0].value"),
        (
            {"script": [{"at": 1, "do": "command", "actuator": "x", "value": 1}]},
            "script[0].actuator",
        ),
        ({"script": [{"at": 1, "do": "clean", "part": "wing"}]}, "script[0].part"),
        ({"script": [{"at": 1, "do": "clean", "part": "egr_valve", "how": "?"}]}, "script[0].how"),
        ({"script": [{"at": 1, "do": "load", "name": "lamps", "on": 1}]}, "script[0].on"),
        ({"script": [{"at": 1, "do": "routine", "id": "x"}]}, "script[0].id"),
        ({"script": [{"at": 1, "do": "routine", "id": "regeneration"}]}, "script[0].id"),
        ({"script": [{"at": 1, "do": "key_on"}] * 501}, "script"),
    ],
)
def test_what_can_not_be_is_named(change: dict[str, Any], field: str) -> None:
    with pytest.raises(InputError) as fault:
        case = read_case({**CASE, **change})
        if case.family not in FAMILIES:
            raise InputError("family", case.family, "a family")
        next(csv_of(case, FAMILIES[case.family]))
    assert fault.value.field == field


def command_line(given: str) -> subprocess.CompletedProcess[str]:
    command = [sys.executable, "-m", "galene.cli", "simulate"]
    return subprocess.run(command, input=given, capture_output=True, text=True, check=False)


def test_the_command_prints_rows_or_one_line(tmp_path: Path) -> None:
    done = command_line(json.dumps({**CASE, "seconds": 5}))
    assert done.returncode == 0 and done.stdout.startswith("time_s,rpm,manifold_kpa")
    for wrong in ({**CASE, "family": "A"}, {"seconds": 1}, [1]):
        refused = command_line(json.dumps(wrong))
        assert refused.returncode == 2 and refused.stdout == ""
        assert refused.stderr.count("\n") == 1 and "not possible" in refused.stderr
