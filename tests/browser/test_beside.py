"""Two people on one form: side by side, and nothing of either is lost."""

import pytest
from playwright.sync_api import Page, expect
from sqlalchemy.orm import Session

from galene.jobs.act import find_job
from tests.browser.conftest import Server, sign_in
from tests.conftest import demo_jobs

COMPLAINT = "Complaint, in the owner's words"
RECENT = "Recent work, earlier cleanings"


@pytest.fixture
def number(db: Session) -> str:
    return demo_jobs(db)["intake"]


def save(page: Page) -> None:
    with page.expect_response(lambda r: r.request.method == "POST"):
        page.get_by_role("button", name="Save", exact=True).click()
    page.wait_for_load_state()


def test_two_on_one_form_choose_field_by_field(
    server: Server, page: Page, db: Session, number: str, faults: list[str]
) -> None:
    path = f"/jobs/{number}/intake"
    sign_in(page, server, "odd", at=path)
    page.get_by_label(COMPLAINT).fill("shakes when cold")
    page.get_by_label(RECENT).fill("plugs, a week ago")
    browser = page.context.browser
    assert browser
    with browser.new_context() as context:
        second = context.new_page()
        sign_in(second, server, "pia", at=path)
        second.get_by_label(COMPLAINT).fill("shakes at the lights")
        second.get_by_label("Engine hours, if it has them").fill("1234")
        save(second)
    save(page)
    faults.clear()  # the browser tells of the 409 itself

    expect(page.get_by_role("heading", name="Side by side")).to_be_visible()
    expect(page.locator("[data-kept]")).to_be_hidden()
    rows = page.locator("tr[data-name]")
    said = [row.inner_text().split("\t") for row in rows.all()]
    assert [[part.strip() for part in row] for row in said] == [
        [COMPLAINT, "shakes when cold", "shakes at the lights"],
        ["Engine hours, if it has them", "nothing", "1234"],
        [RECENT, "plugs, a week ago", "nothing"],
    ]
    save_chosen = page.get_by_role("button", name="Save what is chosen")
    save_chosen.click()
    expect(page.get_by_role("heading", name="Side by side")).to_be_visible()  # nothing chosen yet
    rows.nth(0).get_by_label("shakes at the lights").check()
    rows.nth(1).get_by_label("1234").check()
    rows.nth(2).get_by_label("plugs, a week ago").check()
    save_chosen.click()
    expect(page.get_by_label(RECENT)).to_have_value("plugs, a week ago")

    db.expire_all()
    job = find_job(db, number)
    assert (job.complaint, job.hours) == ("shakes at the lights", 1234)
    assert job.recent_work == "plugs, a week ago"
