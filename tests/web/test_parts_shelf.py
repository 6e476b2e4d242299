"""The page of parts on the shelf."""

import re
from collections.abc import Callable

import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session

from galene.store.models import Job, SpareStock
from tests.web.conftest import Browser

PATH = "/shelf/parts"


@pytest.fixture
def web(as_person: Callable[[str], Browser]) -> Browser:
    """The foreman, whose this is to change."""
    return as_person("maren")


def test_what_is_short_stands_first_and_says_so(web: Browser) -> None:
    text = web.get(PATH).text
    assert "Cooler O-rings" in text and "on back order, no day named" in text
    assert text.index("Cooler O-rings") < text.index("Manifold pressure sensor O-ring")
    assert "/shelf/parts" in web.get("/shelf").text


def test_a_part_is_counted_anew_and_put_there(web: Browser, db: Session) -> None:
    row = db.scalars(select(SpareStock).where(SpareStock.number == "TV-2277")).one()
    path = f"{PATH}/{row.id}"
    given = {"pieces": "4", "seen": str(row.revision)}
    assert web.submit(f"{path}/count", given).status_code == 303
    db.expire_all()
    assert row.pieces == 4
    late = web.submit(f"{path}/count", {**given, "pieces": "7"})
    assert late.status_code == 409
    new = {"new": "1", "number": "QQ-1", "name": "Bung", "pieces": "2", "least": "1", "place": ""}
    assert web.submit(PATH, new).status_code == 303
    assert "QQ-1" in web.get(PATH).text


def test_bad_counts_are_named_and_given_back(web: Browser) -> None:
    for pieces in ("", "many", "2.5", "-1", "99999"):
        new = {"new": "1", "number": "QQ-2", "name": "Bung", "pieces": pieces, "least": "1"}
        answer = web.submit(PATH, new)
        assert answer.status_code == 422, pieces
        assert re.search("pieces|not a number", answer.text)
        assert "QQ-2" in answer.text


def test_a_parts_page_says_how_many_are_worth_keeping(web: Browser, db: Session) -> None:
    row = db.scalars(select(SpareStock).where(SpareStock.number == "TV-2277")).one()
    path = f"{PATH}/{row.id}"
    assert "Worth keeping" in web.get(path).text and "back order" in web.get(path).text
    came = {"came": "4", "seen": str(row.revision)}
    assert web.submit(f"{path}/arrived", came).status_code == 303
    db.expire_all()
    assert (row.pieces, row.on_order) == (4, 0)
    kept = {"id": str(row.id), "number": row.number, "name": row.name, "pieces": "4", "least": "2"}
    bad = web.submit(PATH, {**kept, "lead_days": "soon", "seen": str(row.revision)})
    assert bad.status_code == 422 and "Days until it comes: not a number" in bad.text
    assert (
        web.submit(PATH, {**kept, "lead_days": "9", "seen": str(row.revision)}).status_code == 303
    )
    assert "keeping" in web.get(path).text
    assert web.get(f"{PATH}/999999").status_code == 404


def test_what_is_short_is_said_on_the_plan_and_on_its_draft(web: Browser, db: Session) -> None:
    """The draft is a block by itself: it comes with nothing of the page about it."""
    for number in db.scalars(select(Job.number).where(Job.family_id == "D", Job.state == "open")):
        draft = web.get(f"/jobs/{number}/plan/draft?parts=egr_cooler&work:egr_cooler=clean")
        assert draft.status_code == 200, draft.text[:400]
        assert "on back order, no day named" in draft.text
        assert web.get(f"/jobs/{number}/plan").status_code == 200
