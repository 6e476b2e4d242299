"""Every module that measures runs once, with the smallest of everything."""

import os
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[2]
MODULES = sorted(p.stem for p in (ROOT / "bench").glob("*.py") if "__main__" in p.read_text())


def test_they_are_found() -> None:
    assert {"run", "rest", "plans", "simulation", "live", "load"} <= set(MODULES)


@pytest.mark.parametrize("module", MODULES)
def test_a_module_measures(module: str, demo: Path) -> None:
    done = subprocess.run(
        [sys.executable, "-m", f"bench.{module}"],
        cwd=ROOT,
        env={**os.environ, "BENCH_SMALL": "yes", "BENCH_DEMO": str(demo)},
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 0, done.stderr[-3000:]
    assert any(figure.isdigit() for figure in done.stdout), "it prints figures"
