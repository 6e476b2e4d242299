"""No real make or product name anywhere: checked by hashes, so that the list itself names none."""

import hashlib
import re
import subprocess
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
REAL = set((ROOT / "tests/real_names.sha256").read_text().split())
TEXT = {".py", ".html", ".js", ".css", ".md", ".toml", ".json", ".svg", ".sh"}


def hit(word: str) -> bool:
    return hashlib.sha256(word.encode()).hexdigest()[:12] in REAL


def test_the_list_catches_what_it_should() -> None:
    assert hit("".join(chr(c) for c in (104, 111, 110, 100, 97)))
    assert not hit("brinewell")


def test_no_real_make_or_product_is_named() -> None:
    names = subprocess.run(
        ["git", "ls-files"], cwd=ROOT, capture_output=True, text=True, check=True
    ).stdout.splitlines()
    found = []
    for name in names:
        path = ROOT / name
        if (
            path.suffix not in TEXT
            or "vendor" in path.parts
            or path.name == "package-lock.json"
            or not path.is_file()
        ):
            continue
        for number, line in enumerate(path.read_text(errors="ignore").splitlines(), 1):
            found += [
                f"{name}:{number}: {w}" for w in set(re.findall(r"[a-z]+", line.lower())) if hit(w)
            ]
    assert found == []
