"""Many vehicles at once: looked at before they come in, whole or not at all."""

import pytest
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from galene.store.models import Vehicle
from tests.web.conftest import Browser, flat

HEADING = "Plate;Make;Model;Year;Engine family;Depot\n"
GOOD = HEADING + "ZA 10;Brinewell;Causeway;2019;A;North depot\nQN-114;x;y;;A;z\n"
AT = "/vehicles/take-in"


def count(db: Session) -> int:
    db.expire_all()
    return db.scalar(select(func.count()).select_from(Vehicle)) or 0


def look(web: Browser, text: str | bytes) -> tuple[int, str]:
    data = text if isinstance(text, bytes) else text.encode()
    answer = web.submit(f"{AT}/preview", {}, files={"file": ("v.csv", data)})
    return int(answer.status_code), flat(answer)


def test_a_file_is_looked_at_and_comes_in_once(web: Browser, db: Session) -> None:
    before = count(db)
    status, page = look(web, GOOD)
    assert status == 200 and "<b>1</b> new, 1 here already" in page and "Take in 1" in page
    assert count(db) == before, "looked at only"
    assert web.submit(AT, {"lines": GOOD}).status_code == 303
    assert count(db) == before + 1
    assert web.submit(AT, {"lines": GOOD + "\n"}).status_code == 303
    assert count(db) == before + 1, "the same file again"
    new = db.scalars(select(Vehicle).where(Vehicle.plate_key == "ZA10")).one()
    assert (new.keeper, new.year, new.maker) == ("North depot", 2019, "Brinewell")
    known = db.scalars(select(Vehicle).where(Vehicle.plate_key == "QN114")).one()
    assert known.model == "Causeway 12-seat", "what is here stays as it is"
    again = web.get("/vehicles.csv").text
    assert look(web, again)[1].count("✓ new") == 0 and again.count("\n") == count(db) + 1


@pytest.mark.parametrize(
    ("lines", "words"),
    [
        ("", "a heading"),
        ("Model;Family\nx;A\n", "a column of plate"),
        ("Plate;Plate;Model;Family\n", "one column of plate"),
        ("Plate,Model,Family\nZA 11," + "x" * 200 + ",A\n", "120 signs"),
        ('Plate,Model,Family\n"ZA 11,x,A\n', "a line of a CSV file"),
        ("Plate,Model,Family\n" + "ZA 11,x,A\n" * 5001, "up to 5000"),
        (b"Plate,Model,Family\n\xff\xfe,x,A\n", "no text"),
        ("Plate,Model,Family\nZA\x0011,x,A\n", "no text has"),
    ],
)
def test_a_file_that_is_none_is_refused(web: Browser, lines: str | bytes, words: str) -> None:
    status, page = look(web, lines)
    assert status == 422 and words in page


def test_a_wrong_line_keeps_all_of_them_out(web: Browser, db: Session) -> None:
    wrong = HEADING + "ZA 12;a;b;2019;A;\nZA 13;a;b;1492;A;\nZA12;a;b;;A;\nZA 14;a;b;;Q;\n"
    before = count(db)
    status, page = look(web, wrong)
    assert (
        status == 200
        and "3 that can not come in" in page
        and "Look again" in page
        and "Take in 1" not in page
    )
    for words in ("Line 3", "A year from", "Stands on line 2", "Choose the engine family"):
        assert words in page
    assert web.submit(AT, {"lines": wrong}).status_code == 422
    assert count(db) == before


def test_a_thousand_come_in(web: Browser, db: Session) -> None:
    rows = "".join(
        f"TH-{i:04d};Brinewell;Causeway;2018;{'ABCDEF'[i % 6]};Depot {i % 7}\n" for i in range(1000)
    )
    before = count(db)
    assert "<b>1000</b> new" in look(web, HEADING + rows)[1]
    assert web.submit(AT, {"lines": HEADING + rows}).status_code == 303
    assert count(db) == before + 1000
