"""Pictures of a job: upright, without the camera's notes, once, marked by data, and nothing on disk
that nobody names."""

import json
import time
from io import BytesIO
from pathlib import Path

import pytest
from PIL import Image
from sqlalchemy import select
from sqlalchemy.orm import Session

from galene.jobs.pictures import check_pictures, pairs
from galene.store.models import JobPicture
from galene.store.objects import Folder
from galene.store.pictures import PictureStore, encode
from tests.web.conftest import HOST, Browser


def photo(
    width: int = 800, height: int = 600, orientation: int = 1, *, kind: str = "JPEG"
) -> bytes:
    """A picture with a red left half, and a camera's notes in it."""
    image = Image.new("RGB", (width, height), "white")
    image.paste("red", (0, 0, width // 2, height))
    notes = Image.Exif()
    notes[0x0112], notes[0x010F], notes[0x8825] = (
        orientation,
        "Lanternmaker",
        {1: "N", 2: (59.0, 1.0, 2.0)},
    )
    out = BytesIO()
    image.save(out, kind, exif=notes)
    return out.getvalue()


def shoot(web: Browser, number: str, data: bytes, *, name: str = "first-picture", **fields: str):
    return web.post(
        f"/jobs/{number}/pictures",
        data={"once": name, "part": "", "phase": "before", "note": "", **fields},
        files={"file": ("a.jpg", data, "image/jpeg")},
        headers={"origin": HOST, "accept": "application/json"},
        follow_redirects=False,
    )


def test_a_picture_is_kept_upright_small_and_without_the_cameras_notes() -> None:
    made = encode(photo(4000, 3000, orientation=6))
    with Image.open(BytesIO(made.picture)) as image:
        assert (image.width, image.height) == (1200, 1600) == (made.width, made.height)
        assert not image.getexif()
        red, white = image.getpixel((600, 200)), image.getpixel((600, 1400))
        assert red[0] > 200 and red[1] < 60 and white[1] > 200, "the left half is the upper one now"
    with Image.open(BytesIO(made.thumbnail)) as small:
        assert max(small.size) == 320 and not small.getexif()


def test_a_picture_of_many_megabytes_is_taken(
    web: Browser, numbers: dict[str, str], tmp_path: Path
) -> None:
    import random

    noise = Image.frombytes("RGB", (2600, 2000), random.Random(4).randbytes(2600 * 2000 * 3))
    out = BytesIO()
    noise.save(out, "JPEG", quality=97)
    assert len(out.getvalue()) > 6_000_000
    began = time.monotonic()
    assert shoot(web, numbers["work"], out.getvalue()).json() == {"outcome": "done"}
    assert time.monotonic() - began < 60, "it ends"


def test_sent_twice_is_kept_once_and_shown_beside_its_twin(
    web: Browser, numbers: dict[str, str], db: Session
) -> None:
    number = numbers["work"]
    for _ in range(2):
        assert shoot(web, number, photo(), part="maf_sensor", note="film").status_code == 200
    assert (
        shoot(
            web, number, photo(640, 480), name="second-picture", part="maf_sensor", phase="after"
        ).status_code
        == 200
    )
    rows = db.scalars(select(JobPicture).order_by(JobPicture.id)).all()
    assert [(r.part, r.phase, r.note) for r in rows] == [
        ("maf_sensor", "before", "film"),
        ("maf_sensor", "after", ""),
    ]
    assert [len(side) for side in pairs(rows)["maf_sensor"]] == [1, 1]
    page = web.get(f"/jobs/{number}/pictures").text
    assert "data-slider" in page and rows[0].digest in page and rows[1].digest in page
    assert web.get(f"/pictures/{rows[0].thumbnail}.jpg").content[:3] == b"\xff\xd8\xff"
    assert "data-take-picture=" in web.get(f"/jobs/{number}/work").text


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"\x00\x00\x00\x18ftypheic" + b"\x00" * 40, "most compatible"),
        (b"no picture at all", "JPEG, PNG or WebP"),
        (photo()[:400], "whole JPEG"),
        (b"", "nothing"),
    ],
)
def test_what_is_no_picture_is_refused_with_advice(
    web: Browser, numbers: dict[str, str], data: bytes, words: str, db: Session
) -> None:
    answer = shoot(web, numbers["work"], data)
    assert answer.status_code == 422 and words in " ".join(answer.json()["lines"])
    plain = web.post(
        f"/jobs/{numbers['work']}/pictures",
        data={"once": "token-of-a-form", "note": "kept words"},
        files={"file": ("a.jpg", data, "image/jpeg")},
        headers={"origin": HOST},
    )
    assert plain.status_code == 422 and "kept words" in plain.text
    assert db.scalars(select(JobPicture)).all() == []


def test_words_of_a_picture_that_can_not_be(web: Browser, numbers: dict[str, str]) -> None:
    assert "A part of this engine" in shoot(web, numbers["work"], photo(), part="moon").text
    assert "before, after or found" in shoot(web, numbers["work"], photo(), phase="noon").text
    assert shoot(web, numbers["handover"], photo()).status_code == 409, "a finished job takes none"


def test_marks_are_data_and_nobody_overwrites_anothers(
    web: Browser, numbers: dict[str, str], db: Session
) -> None:
    number = numbers["work"]
    shoot(web, number, photo(), part="maf_sensor")
    row = db.scalars(select(JobPicture)).one()
    path = f"/jobs/{number}/pictures/{row.id}"
    marks = [
        {"kind": "arrow", "x1": 0.1, "y1": 0.2, "x2": 0.5, "y2": 0.55},
        {"kind": "words", "x": 0.3, "y": 0.9, "text": "crack <here>"},
    ]
    assert web.submit(path, {"seen": "1", "marks": json.dumps(marks)}).status_code == 303
    db.expire_all()
    assert row.marks == marks and row.revision == 2
    page = web.get(path).text
    assert "crack &lt;here&gt;" in page and "mark-line" in page
    assert web.submit(path, {"seen": "1", "marks": "[]"}).status_code == 409, "an old page"
    for bad in (
        "{",
        "{}",
        '[{"kind": "circle"}]',
        '[{"kind": "arrow", "x1": 2, "y1": 0, "x2": 0, "y2": 0}]',
        '[{"kind": "words", "x": 0, "y": 0, "text": ""}]',
        "[1]",
        '[{"kind": "arrow", "x1": true, "y1": 0, "x2": 0, "y2": 0}]',
        json.dumps(marks * 30),
    ):
        assert web.submit(path, {"seen": "2", "marks": bad}).status_code == 422, bad
    assert web.get(f"/jobs/{numbers['prove']}/pictures/{row.id}").status_code == 404, (
        "another job's"
    )


def test_pictures_that_nobody_names_and_records_without_their_picture_are_found(
    web: Browser, numbers: dict[str, str], db: Session, tmp_path: Path
) -> None:
    store = PictureStore(Folder(tmp_path / "pictures"))
    shoot(web, numbers["work"], photo())
    assert check_pictures(db, store) == ([], [])
    orphan = store.keep(photo(300, 300))
    row = db.scalars(select(JobPicture)).one()
    store.forget(row.thumbnail)
    assert check_pictures(db, store) == ([orphan], [row.thumbnail])
