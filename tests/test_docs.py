"""What the documents say is where they say."""

import ast
import re
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent
SOURCE = ROOT / "src" / "galene"
DOCUMENTS = [
    *sorted((ROOT / "docs").glob("*.md")),
    ROOT / "README.md",
    ROOT / "CONTRIBUTING.md",
]
PATHS = re.compile(r"`((?:[\w.-]+/)+[\w.*<>-]*|[\w-]+\.(?:py|md|html|js|toml))`")


@pytest.mark.parametrize("document", DOCUMENTS, ids=[d.name for d in DOCUMENTS])
def test_every_path_that_is_named_exists(document: Path) -> None:
    missing = []
    for path in PATHS.findall(document.read_text()):
        pattern = path.replace("<feature>", "*").rstrip("/")
        if path.startswith((".venv", "~", "api/")) or "<" in pattern:
            continue
        # A module is named without its ending.
        named = [pattern, f"{pattern}.py"]
        found = (list(place.glob(n)) for n in named for place in (ROOT, SOURCE))
        if not any(found) and not any(SOURCE.rglob(n) for n in named if "/" not in n):
            missing.append(path)
    assert not missing, f"{document.name} names what is not there"


def test_links_between_documents_lead_somewhere() -> None:
    for document in DOCUMENTS:
        for target in re.findall(r"\]\(([^)#]+)", document.read_text()):
            if not target.startswith("http"):
                assert (document.parent / target).exists(), f"{document.name}: {target}"


def words_never_said() -> list[str]:
    """The right column of the glossary's last table."""
    text = (ROOT / "docs" / "glossary.md").read_text().partition("## One word for one thing")[2]
    rows = re.findall(r"^\| (.+?) \| (.+?) \|$", text, re.MULTILINE)
    return [word for _, never in rows[1:] for word in never.split(", ")]


def spoken_words(file: Path) -> list[str]:
    """Texts of a module that a person may read: no docstrings, no names of fields or rules."""
    tree = ast.parse(file.read_text())
    silent = {
        id(node.body[0].value)
        for node in ast.walk(tree)
        if isinstance(node, ast.Module | ast.ClassDef | ast.FunctionDef)
        and node.body
        and isinstance(node.body[0], ast.Expr)
    }
    return [
        node.value
        for node in ast.walk(tree)
        if isinstance(node, ast.Constant)
        and isinstance(node.value, str)
        and id(node) not in silent
        and " " in node.value.strip()
    ]


def never_said() -> re.Pattern[str]:
    never = words_never_said()
    assert "customer" in never and len(never) > 6
    return re.compile(r"\b(" + "|".join(map(re.escape, never)) + r")s?\b", re.IGNORECASE)


def test_refusals_and_tasks_have_one_word_for_one_thing() -> None:
    said = never_said()
    for module in sorted((SOURCE / "jobs").rglob("*.py")):
        for text in spoken_words(module):
            assert not said.search(text), f"{module.name}: {text}"


def test_pages_have_one_word_for_one_thing() -> None:
    said = never_said()
    for page in sorted((SOURCE / "web").rglob("*.html")):
        for text in re.findall(r'_\("((?:[^"\\]|\\.)*)"', page.read_text()):
            assert not said.search(text), f"{page.name}: {text}"
