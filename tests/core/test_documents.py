"""The trade's documents: what is read of them, and how their faults are told."""

import tomllib
from dataclasses import dataclass
from pathlib import Path

import pytest

from galene.core.errors import InputError
from galene.knowledge.document_schema import everything_asked, schema_text
from galene.knowledge.documents import DATA, FRAGMENTS, Documents, line_of, shipped

ROOT = Path(__file__).parents[2]


@dataclass(frozen=True, kw_only=True)
class Broom:
    id: str
    bristles: int
    for_kinds: tuple[str, ...] = ()


BROOMS = """
# What sweeps.
[[brooms]]
id = "hall"
bristles = 400

[[brooms]]
id = "yard"
bristles = 90
for_kinds = ["leaves"]
"""


def folder_with(tmp_path: Path, text: str, *, shared: str = "") -> Path:
    (tmp_path / "brooms.toml").write_text(text)
    if shared:
        (tmp_path / FRAGMENTS).write_text(shared)
    return tmp_path


def brooms(folder: Path, kept: Path | None = None) -> tuple[Broom, ...]:
    return Documents(folder, kept).read("brooms.toml", tuple[Broom, ...], "brooms")


def test_everything_that_ships_is_read_strictly_and_by_somebody() -> None:
    asked = everything_asked()
    fresh = Documents(DATA)
    for (name, at), kind in asked.items():
        assert fresh.read(name, kind, at) == shipped().read(name, kind, at), (name, at)
    used = {name for name, _ in asked} | {"fragments"}
    for name, fields in fresh.fields().items():
        assert name in used, f"{name} is read by nobody"
        unread = [f for f in fields if (name, f) not in asked and (name, "") not in asked]
        assert name == FRAGMENTS or not unread, f"{name}: {unread} are read by nobody"


def test_every_shared_piece_is_used() -> None:
    texts = "".join(p.read_text() for p in DATA.rglob("*.toml"))
    read = {at for name, at in everything_asked() if name == FRAGMENTS}
    pieces = tomllib.loads((DATA / FRAGMENTS).read_text())
    assert not [p for p in pieces if f'use = "{p}"' not in texts and p not in read]


def test_the_published_schema_is_that_of_the_records() -> None:
    assert (ROOT / "docs/formats/trade.schema.json").read_text() == schema_text(), (
        "run scripts/write_formats.py"
    )


def test_no_line_of_a_document_is_longer_than_the_house_allows() -> None:
    long = [
        f"{path.name}:{n}"
        for path in DATA.rglob("*.toml")
        for n, line in enumerate(path.read_text().splitlines(), start=1)
        if len(line) > 100
    ]
    assert not long


def test_a_document_is_read_into_records(tmp_path: Path) -> None:
    found = brooms(folder_with(tmp_path, BROOMS))
    assert found == (
        Broom(id="hall", bristles=400),
        Broom(id="yard", bristles=90, for_kinds=("leaves",)),
    )


@pytest.mark.parametrize(
    ("was", "becomes", "line", "place", "allowed"),
    [
        ("bristles = 90", 'bristles = "many"', 9, "brooms[1].bristles", "valid integer"),
        ("bristles = 90\n", "", 7, "brooms[1].bristles", "this field is needed"),
        ("bristles = 90", "bristels = 3\nbristles = 90", 9, "brooms[1].bristels", "no such field"),
        ('["leaves"]', "[7]", 10, "brooms[1].for_kinds[0]", "valid string"),
    ],
)
def test_a_slip_is_told_with_file_line_and_field(
    tmp_path: Path, was: str, becomes: str, line: int, place: str, allowed: str
) -> None:
    assert was in BROOMS
    with pytest.raises(InputError) as fault:
        brooms(folder_with(tmp_path, BROOMS.replace(was, becomes)))
    assert fault.value.field == f"brooms.toml, line {line}: {place}"
    assert allowed in str(fault.value.allowed)


def test_what_is_no_toml_is_told_with_its_line(tmp_path: Path) -> None:
    with pytest.raises(InputError, match=r"brooms\.toml.*line 5"):
        brooms(folder_with(tmp_path, BROOMS.replace("400", "four hundred")))


def test_a_shared_piece_stands_in_its_place_with_its_own_fields_beside_it(tmp_path: Path) -> None:
    shared = 'hard = { id = "hard", bristles = 10 }\n'
    text = '[[brooms]]\nuse = "hard"\n[[brooms]]\nuse = "hard"\nid = "harder"\n'
    found = brooms(folder_with(tmp_path, text, shared=shared))
    assert found == (Broom(id="hard", bristles=10), Broom(id="harder", bristles=10))
    with pytest.raises(InputError, match="hard"):
        brooms(folder_with(tmp_path, text.replace('"hard"', '"soft"')))


def test_what_is_kept_is_used_while_nothing_changed_and_never_after(tmp_path: Path) -> None:
    kept = tmp_path / "kept" / "documents.json"
    folder = tmp_path / "data"
    folder.mkdir()
    first = brooms(folder_with(folder, BROOMS), kept)
    assert kept.exists() and Documents(folder, kept).held
    assert brooms(folder, kept) == first
    folder_with(folder, BROOMS.replace("400", "401"))
    assert brooms(folder, kept)[0].bristles == 401
    kept.write_text("{ broken")
    assert brooms(folder, kept)[0].bristles == 401


def test_a_fault_is_told_again_at_the_next_start(tmp_path: Path) -> None:
    kept = tmp_path / "kept" / "documents.json"
    folder = tmp_path / "data"
    folder.mkdir()
    folder_with(folder, BROOMS.replace("bristles = 90", "bristels = 3\nbristles = 90"))
    for _ in range(2):
        with pytest.raises(InputError, match="bristels"):
            brooms(folder, kept)


def test_a_folder_that_can_not_be_written_is_read_all_the_same(tmp_path: Path) -> None:
    blocked = tmp_path / "file"
    blocked.write_text("")
    folder = tmp_path / "data"
    folder.mkdir()
    assert len(brooms(folder_with(folder, BROOMS), blocked / "documents.json")) == 2


def test_the_line_of_a_place_below_a_list_within_a_list() -> None:
    text = (
        "[procedure]\n"
        "[[procedure.steps]]\n"
        'key = "a"\n'
        "[[procedure.steps.records]]\n"
        "n = 1\n"
        "[[procedure.steps]]\n"
        'key = "b"\n'
        "[[procedure.steps.records]]\n"
        "n = 2\n"
        "[procedure.steps.wait]\n"
        "minutes = 3\n"
    )
    assert line_of(text, "procedure.steps[1].records[0].n") == 9
    assert line_of(text, "procedure.steps[1].wait.minutes") == 11
    assert line_of(text, "procedure.steps[0].records[0].n") == 5
    assert line_of(text, "procedure.steps[1].nothing") == 6
