"""What ships for running it: the unit, the container's file, the table of rights."""

import configparser
import re
import shutil
import subprocess
from pathlib import Path

import pytest

from galene.jobs.rights import FOREMAN, HELD, TECHNICIAN, Right
from galene.settings import Settings

ROOT = Path(__file__).parent.parent
UNIT = ROOT / "deploy" / "galene.service"


def test_the_unit_starts_what_there_is() -> None:
    parser = configparser.ConfigParser(strict=False, interpolation=None)
    parser.optionxform = str
    parser.read_string(UNIT.read_text())
    service = parser["Service"]
    program, command = service["ExecStart"].split()
    assert (ROOT / Path(program).name).exists() and command == "serve"
    assert service["Restart"] == "on-failure" and service["NoNewPrivileges"] == "yes"
    assert service["ReadWritePaths"] == service["Environment"].partition("=")[2]


def test_systemd_itself_finds_no_fault(tmp_path: Path) -> None:
    analyze = shutil.which("systemd-analyze")
    if analyze is None:
        pytest.skip("systemd is not installed")
    # The program and account of the unit are the target machine's.
    text = UNIT.read_text().replace("/opt/galene/galene", str(ROOT / "galene"))
    text = re.sub(r"^(User|Group)=.*\n", "", text, flags=re.MULTILINE)
    unit = tmp_path / "galene.service"
    unit.write_text(text)
    done = subprocess.run(
        [analyze, "verify", "--man=no", unit], capture_output=True, text=True, check=False
    )
    said = [x for x in done.stderr.splitlines() if "galene.service" in x and "WorkingDir" not in x]
    assert said == []


def test_the_container_copies_what_there_is_and_asks_no_network() -> None:
    text = (ROOT / "deploy" / "Containerfile").read_text()
    copied = [line.split()[1:-1] for line in text.splitlines() if line.startswith("COPY")]
    for sources in copied:
        for source in sources:
            assert source == "wheels" or (ROOT / source).exists(), source
    assert "--no-index" in text and "--require-hashes" in text
    assert "apt-get" not in text and "USER galene" in text


def test_every_setting_is_said() -> None:
    said = (ROOT / "docs" / "running.md").read_text()
    for name in Settings.model_fields:
        assert f"`{name.upper()}`" in said, name
    assert "`SECRET_KEY`" in said


def test_the_table_of_rights_is_the_matrix() -> None:
    said = (ROOT / "docs" / "security.md").read_text()
    for right in Right:
        if right is Right.OPEN:
            continue
        cells = ["yes" if right in HELD[role] else "" for role in (TECHNICIAN, FOREMAN)]
        assert f"| {right.value} | {cells[0]} | {cells[1]} |" in said, right
