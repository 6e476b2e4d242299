"""Write into the built stylesheet what it was built from, so that a test can tell when it is out of
date."""

import hashlib
import re
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
SHEET = ROOT / "src/galene/web/shared/static/app.css"


def fingerprint() -> str:
    """Hash of everything that decides the built stylesheet: its sources, the class words of all
    templates, the tool's lock."""
    digest = hashlib.sha256()
    for path in sorted([*(ROOT / "styles").rglob("*.css"), ROOT / "package-lock.json"]):
        digest.update(path.read_bytes())
    words: set[str] = set()
    for path in sorted((ROOT / "src/galene/web").rglob("*")):
        if path.suffix in {".html", ".svg"} or (
            path.suffix == ".js" and "vendor" not in path.parts
        ):
            for found in re.findall(r'class="([^"]*)"', path.read_text()):
                words |= set(re.findall(r"[\w:/.\[\]()%#-]+", found))
    digest.update(" ".join(sorted(words)).encode())
    return digest.hexdigest()[:24]


if __name__ == "__main__":
    text = re.sub(r"^/\* built from \w+ \*/\n", "", SHEET.read_text())
    SHEET.write_text(f"/* built from {fingerprint()} */\n{text}")
