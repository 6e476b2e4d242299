"""The owner's page in a browser of its own, and a job that goes out and comes in by a browser."""

from pathlib import Path

from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Browser, Page, expect
from sqlalchemy import select
from sqlalchemy.orm import Session

from galene.store.models import Job
from tests.browser.conftest import Server, sign_in
from tests.jobs.test_bundles import edited, rezipped


def planned(db: Session) -> str:
    """The demo's job that waits for a yes."""
    return (
        db.scalars(select(Job).where(Job.stage == "plan", Job.state == "open"))
        .unique()
        .one()
        .number
    )


def test_an_owner_agrees_on_the_page_and_the_workshop_sees_it(
    page: Page, browser: Browser, server: Server, db: Session, faults: list[str]
) -> None:
    number = planned(db)
    sign_in(page, server, "odd", at=f"/jobs/{number}/owner")
    page.get_by_role("button", name="Open it").click()
    address = page.locator("#address a").get_attribute("href")
    assert address
    outside = browser.new_context(viewport={"width": 390, "height": 844}).new_page()
    outside.set_default_navigation_timeout(120_000)
    outside.goto(address)
    found = [v for v in Axe().run(outside).response["violations"] if v["impact"] != "minor"]
    assert found == [], [(v["id"], v["nodes"][0]["target"]) for v in found]
    wide = outside.evaluate("document.documentElement.scrollWidth")
    assert wide <= 390
    outside.get_by_label("Your name").fill("Runa Vell")
    outside.get_by_role("button", name="Agree to").click()
    expect(outside.get_by_role("heading", name="Agreed, and on its way")).to_be_visible()
    expect(outside.get_by_role("button", name="Agree to")).to_have_count(0)
    outside.context.close()
    page.goto(f"{server.address}/jobs/{number}/plan#approve")
    expect(page.locator("#approve")).to_contain_text("Runa Vell, on the owner's page")
    page.goto(f"{server.address}/jobs/{number}/trace")
    expect(page.get_by_role("cell", name="Runa Vell").first).to_be_visible()


def test_a_job_goes_out_and_comes_in(
    page: Page, server: Server, db: Session, faults: list[str], tmp_path: Path
) -> None:
    sign_in(page, server, "maren", at="/vehicles/QN090")
    with page.expect_download() as coming:
        page.get_by_role("link", name="All its jobs as one file").click()
    file = tmp_path / "jobs.zip"
    file.write_bytes(
        rezipped(
            coming.value.path().read_bytes(), edited("job.complaint", "another visit"), honest=True
        )
    )
    page.goto(f"{server.address}/bundles")
    page.locator("#file").set_input_files(file)
    page.get_by_role("button", name="Look at it").click()
    expect(page.locator("#coming")).to_contain_text("whose number another job has here")
    page.get_by_label("Give those a new number").check()
    page.get_by_role("button", name="Take them in").click()
    expect(page.get_by_role("status").filter(has_text="came in from")).to_be_visible()
    page.goto(f"{server.address}/vehicles/QN090")
    expect(page.get_by_text("another visit").first).to_be_visible()
