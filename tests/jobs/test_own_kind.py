"""A kind of part that the program does not ship, from a folder of documents: judged, diagnosed,
planned, simulated, and worked through to the signature. Each in a process of its own, as the
documents are read once at its start."""

import csv
import json
import os
import shutil
import subprocess
import sys
from pathlib import Path
from statistics import fmean
from typing import Any

import pytest

ROOT = Path(__file__).parents[2]
TRADE = ROOT / "tests/cases/own_trade"


def galene(*words: str, given: Any, trade: Path = TRADE) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, "-m", "galene.cli", *words],
        input=json.dumps(given),
        env={**os.environ, "GALENE_TRADE": str(trade)},
        capture_output=True,
        text=True,
        cwd=ROOT,
        check=False,
    )


def answer(*words: str, given: Any) -> Any:
    done = galene(*words, given=given)
    assert done.returncode == 0, done.stderr
    return json.loads(done.stdout)


def test_its_sign_its_check_and_its_cause_are_in_the_ranking() -> None:
    told = answer(
        "assess",
        given={"engine": {"family": "G"}, "evidence": {"spits_back": {"state": "present"}}},
    )
    assert told["causes"][0]["id"] == "reeds_gummed"
    assert "look_reeds" in [c["id"] for c in told["next_checks"]]
    seen = answer(
        "assess",
        given={"engine": {"family": "G"}, "evidence": {"reeds_seen_open": {"state": "present"}}},
    )
    assert seen["causes"][0]["probability"] > 0.9


def test_its_procedure_is_planned_with_its_own_hazard() -> None:
    part = {"part": "reed_cage", "work": "clean", "grade": 3, "kind": "varnish"}
    steps = answer("plan", given={"family": "G", "parts": [part]})["steps"]
    by_id = {s["id"]: s for s in steps}
    order = list(by_id)
    assert (
        order.index("open:reeds_out")
        < order.index("reed_cage:look")
        < order.index("reed_cage:wipe")
        < order.index("close:reeds_out")
    )
    assert "edges" in by_id["reed_cage:wipe"]["cautions"]
    assert "edges" not in by_id["reed_cage:look"]["cautions"]


def test_its_fault_shows_in_the_simulated_car() -> None:
    def idle(faults: dict[str, float]) -> float:
        script = [{"at": 0, "do": "start"}]
        case = {"family": "G", "faults": faults, "seconds": 40, "script": script}
        done = galene("simulate", given=case)
        assert done.returncode == 0, done.stderr
        rows = csv.DictReader(done.stdout.splitlines())
        return fmean(float(r["rpm"]) for r in rows if float(r["time_s"]) > 15)

    assert idle({"reeds_gummed": 0.5}) < 0.9 * idle({})


@pytest.mark.parametrize(
    ("file", "was", "becomes", "said"),
    [
        (
            "causes.toml",
            "prior = 0.12",
            'prior = "often"',
            "own causes.toml, line 5: causes[0].",
        ),
        ("causes.toml", 'id = "reeds_gummed"', 'id = "reeds_stuck"', "reeds_gummed"),
        ("causes.toml", 'id = "reeds_gummed"', 'id = "maf_dust"', "maf_dust"),
        ("cautions.toml", 'id = "edges"', 'id = "fire"', "fire"),
        ("kinds/reed_cage.toml", '"comes_off"', '"comes_apart"', "reed_cage.nature"),
        ("kinds/reed_cage.toml", '"move_by_hand", "wipe"', '"juggle", "wipe"', "juggle"),
        ("hazards.toml", '"edges"', '"corners"', "corners"),
        ("causes.toml", '"breathing"', '"breething"', "breething"),
        ("causes.toml", '"roughness_nm"', '"throttle"', "effects.reeds_gummed"),
        ("families/G.toml", 'id = "G"', 'id = "H"', "families/G"),
        ("families/G.toml", 'target = "crankcase"', 'target = "cellar"', "cellar"),
        ("causes.toml", "reeds_gummed = [{ use", "throttle_deposit = [{ use", "proving"),
    ],
)
def test_a_slip_in_it_is_told_before_anything_is_done(
    tmp_path: Path, file: str, was: str, becomes: str, said: str
) -> None:
    folder = tmp_path / "trade"
    shutil.copytree(TRADE, folder)
    text = (folder / file).read_text()
    assert was in text
    (folder / file).write_text(text.replace(was, becomes, 1))
    done = galene("calc", "isa-pressure", given={"altitude_m": 10}, trade=folder)
    assert done.returncode == 2
    assert said in done.stderr and "Traceback" not in done.stderr, done.stderr
    assert len(done.stderr.strip().splitlines()) == 1


def test_a_job_with_it_goes_to_the_signature(tmp_path: Path) -> None:
    done = subprocess.run(
        [
            *(sys.executable, "-m", "pytest", "-q", "-p", "no:cacheprovider"),
            *("tests/jobs/own_kind_signed.py", "--basetemp", str(tmp_path / "inner")),
        ],
        env={k: v for k, v in os.environ.items() if not k.startswith("PYTEST_")}
        | {"GALENE_TRADE": str(TRADE)},
        capture_output=True,
        text=True,
        cwd=ROOT,
        check=False,
    )
    assert done.returncode == 0, done.stdout[-3000:] + done.stderr[-2000:]
    assert done.stdout.startswith(".."), done.stdout
