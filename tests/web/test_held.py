"""The held job of the demo on its pages: said everywhere, started nowhere, lifted by the
foreman."""

from collections.abc import Callable

import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session

from galene.store.models import AuditEntry, Job
from tests.web.conftest import Browser


@pytest.fixture
def held(db: Session) -> Job:
    jobs = db.scalars(select(Job).where(Job.state == "open")).unique()
    return next(j for j in jobs if j.card.held)


def test_it_is_said_on_today_on_the_card_and_on_the_way_on(web: Browser, held: Job) -> None:
    why = held.card.held.why if held.card.held else ""
    assert why in web.get("/").text
    card = web.get(f"/jobs/{held.number}/work").text
    assert "This job is held" in card and why in card
    assert "Lift the stop" not in card, "a technician is not asked to"


def test_no_page_starts_the_engine(web: Browser, held: Job, db: Session) -> None:
    for path, form in (
        ("start", {}),
        ("start", {"override_reason": "the owner is in a hurry today"}),
        ("clear", {}),
        ("pending", {"none": "yes", "seen": "0"}),
        ("road-test", {"kilometres": "3", "complaint_gone": "gone", "seen": "0"}),
    ):
        assert web.submit(f"/jobs/{held.number}/{path}", form).status_code in (409, 422), path
    # A relearn that is not due is not begun; the page only shows what is.
    web.submit(f"/jobs/{held.number}/relearn/begin", {"template": "egr_valve_zero"})
    db.expire_all()
    actions = set(db.scalars(select(AuditEntry.action).where(AuditEntry.job_id == held.id)))
    assert not any("relearn" in action for action in actions)
    assert held.engine_started_at is None and held.codes_cleared_at is None


def test_a_foreman_lifts_it_and_the_card_goes_on(
    as_person: Callable[[str], Browser], held: Job, db: Session
) -> None:
    path = f"/jobs/{held.number}/resolve"
    reason = {"resolve_reason": "cooler pressed and tight, the crust is old"}
    assert as_person("odd").submit(path, reason).status_code == 403
    maren = as_person("maren")
    assert maren.submit(path, {"resolve_reason": "ok"}).status_code == 422
    assert "Lift the stop" in maren.get(f"/jobs/{held.number}/work").text
    assert maren.submit(path, reason).status_code == 303
    db.expire_all()
    assert held.card.held is None
    odd = as_person("odd")
    text = odd.get(f"/jobs/{held.number}/work").text
    assert "This job is held" not in text and 'data-entry="tick"' in text
    report = odd.get(f"/jobs/{held.number}/report").text
    assert "cooler pressed and tight" in report


def test_bad_answers_say_on_the_card_what_they_do(web: Browser, numbers: dict[str, str]) -> None:
    text = web.get(f"/jobs/{numbers['work']}/work").text
    assert 'data-entry="tick"' in text and "small faded" in text


def test_a_part_joins_and_a_bad_choice_is_named(
    web: Browser, numbers: dict[str, str], db: Session
) -> None:
    path = f"/jobs/{numbers['work']}/join"
    assert web.submit(path, {"join": "flux", "join_work": "clean"}).status_code == 422
    assert web.submit(path, {"join": "air_filter", "join_work": "polish"}).status_code == 422
    assert web.submit(path, {"join": "air_filter", "join_work": "clean"}).status_code == 303
    db.expire_all()
    job = db.scalars(select(Job).where(Job.number == numbers["work"])).unique().one()
    assert "air_filter" in {w.part for w in job.card.joined}
