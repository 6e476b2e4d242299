"""How many statements a page asks: a page that begins to ask for each row is seen here."""

from collections.abc import Iterator

import pytest
from sqlalchemy import Engine, event
from sqlalchemy.orm import Session

from galene.jobs import shelf
from galene.jobs.act import Act
from tests.conftest import demo_jobs
from tests.jobs.hands import begun
from tests.web.conftest import Browser

MOST = {
    "/": 14,
    "/vehicles": 5,
    "/vehicles/QN114": 16,
    "/fleet": 6,
    "/worksheets/idle-gap": 1,
    "/shelf": 3,
    "/shelf/matrix": 2,
    "/shelf/3": 5,
    "/reference": 3,
    "/reference/families/E": 6,
    "/reference/families/A/bands": 4,
    "intake": 11,
    "evidence": 14,
    "diagnosis": 9,
    "plan": 14,
    "work": 13,
    "prove": 15,
    "handover": 17,
    "report": 16,
    "trace": 6,
}
"""Statements of each page on the demo's data, session and workshop among them."""
STAGE_OF = {
    "evidence": "work",
    "diagnosis": "work",
    "plan": "work",
    "report": "handover",
    "trace": "work",
}


@pytest.fixture
def asked(engine: Engine) -> Iterator[list[str]]:
    """Statements that were sent since it was last cleared."""
    sent: list[str] = []

    def note(*given: object) -> None:
        sent.append(str(given[2]))

    event.listen(engine, "before_cursor_execute", note)
    yield sent
    event.remove(engine, "before_cursor_execute", note)


@pytest.mark.parametrize("page", MOST)
def test_a_page_asks_no_more_than_it_did(
    web: Browser, db: Session, asked: list[str], page: str
) -> None:
    numbers = demo_jobs(db)
    address = page
    if not page.startswith("/"):
        address = f"/jobs/{numbers[STAGE_OF.get(page, page)]}/{page}"
    # Once to fill what a process remembers, such as the families of its workshop.
    web.get(address)
    asked.clear()
    assert web.get(address).status_code == 200
    assert len(asked) <= MOST[page], "\n".join(s.split("FROM")[-1][:90] for s in asked)


@pytest.mark.parametrize(
    "address", ["/", "/vehicles", "/shelf", "/shelf?component=maf_sensor", "/reference"]
)
def test_a_list_asks_as_much_for_many_as_for_few(
    web: Browser, db: Session, odd: Act, asked: list[str], address: str
) -> None:
    def count() -> int:
        asked.clear()
        assert web.get(address).status_code == 200
        return len(asked)

    def one_more(k: int) -> None:
        begun(odd, "A", "throttle_body", plate=f"MANY-{k}")
        form = shelf.ProductForm(
            name=f"Cleaner {k}",
            class_id="throttle_cleaner",
            properties={},
            pictograms=[],
            statements="",
            size_ml=400,
            price=8.0,
            place="bench",
            least_ml=0,
            note="",
        )
        product = shelf.save_product(odd, None, form, seen=0)
        shelf.deliver(odd, product.id, 2, number=f"L{k}", expires_on=None)
        db.commit()

    one_more(0)
    count()  # fills what a process remembers
    few = count()
    for k in range(1, 5):
        one_more(k)
    assert count() == few
