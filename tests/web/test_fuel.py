"""The page of a vehicle's fuel."""

import re
from collections.abc import Callable

from sqlalchemy.orm import Session

from galene.store.repositories import people
from tests.web.conftest import Browser, flat

PATH = "/vehicles/QN266/fuel"


def test_the_page_tells_use_change_and_saving(web: Browser) -> None:
    text = flat(web.get(PATH))
    assert "From full tank to full tank" in text and "less than before" in text
    assert "That saves" in text
    assert "takes no more than a light one" in flat(web.get("/vehicles/QN501/fuel"))
    assert web.get("/vehicles/NOBODY/fuel").status_code == 404
    assert web.get(f"{PATH}.csv").text.startswith("date,litres,km,hours,full,load")


def test_a_fill_is_typed_and_a_wrong_one_given_back(web: Browser) -> None:
    good = {"day": "2026-01-02", "amount": "41,5", "odometer": "1000", "full": "yes", "load": ""}
    assert web.submit("/vehicles/QN331/fuel", good).status_code == 303
    assert "41.5" in web.get("/vehicles/QN331/fuel").text
    for change in (
        {"amount": ""},
        {"amount": "x"},
        {"odometer": ""},
        {"odometer": "900", "day": "2026-01-03"},
        {"load": "cats"},
        {"day": "soon"},
        {"odometer": "1e99", "day": "2026-01-03"},
    ):
        answer = web.submit("/vehicles/QN331/fuel", {**good, "odometer": "1100", **change})
        assert answer.status_code == 422, change
        assert "fault" in answer.text


def test_a_file_is_looked_at_and_taken_in(web: Browser) -> None:
    lines = "date,litres,km\n2026-02-01,40,2000\n2026-02-09,38,2500\n"
    seen = web.submit("/vehicles/QN412/fuel/preview", files={"file": ("f.csv", lines.encode())})
    assert seen.status_code == 200 and "new fills" in seen.text
    assert "From full tank" not in web.get("/vehicles/QN412/fuel").text
    assert web.submit("/vehicles/QN412/fuel/take-in", {"lines": lines}).status_code == 303
    assert "From full tank" in web.get("/vehicles/QN412/fuel").text
    bad = web.submit("/vehicles/QN412/fuel/preview", files={"file": ("f.csv", b"\xff\xfe\x00")})
    assert bad.status_code == 422
    wrong = web.submit("/vehicles/QN412/fuel/take-in", {"lines": "date,litres\n"})
    assert wrong.status_code == 422 and "a column of km or miles or hours" in wrong.text


def test_the_report_claims_what_the_fills_show_and_nothing_else(web: Browser) -> None:
    jobs = web.get("/vehicles/QN266").text
    number = jobs.split('href="/jobs/')[-1].split('"')[0]
    assert "Fuel since" in web.get(f"/jobs/{number}/report").text
    other = web.get("/vehicles/QN118").text.split('href="/jobs/')[-1].split('"')[0]
    assert "Fuel since" not in web.get(f"/jobs/{other}/report").text


def test_in_miles_a_gallon_the_smaller_figure_stands_first(
    as_person: Callable[[str], Browser], db: Session
) -> None:
    people.workshop(db).system = "imperial"
    db.commit()
    text = flat(as_person("odd").get(PATH))
    ends = re.search(r"\(([\d.]+) mpg to ([\d.]+) mpg\)", text)
    assert ends
    assert float(ends[1]) < float(ends[2])
