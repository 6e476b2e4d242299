"""A log in the browser: strips, stretches and plateaus moved by hand."""

from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Page, expect
from sqlalchemy import select
from sqlalchemy.orm import Session

from galene.demo.engine import EngineState
from galene.demo.logger import recorded
from galene.knowledge.families import FAMILIES
from galene.store.models import Job
from tests.browser.conftest import Server, sign_in


def test_a_log_in_the_browser(page: Page, server: Server, db: Session, faults: list[str]) -> None:
    """Brought in, drawn as strips, a stretch moved by dragging, the plateau of a check dragged; at
    both widths."""
    number = db.scalars(select(Job.number).where(Job.family_id == "B", Job.stage == "work")).one()
    page.set_viewport_size({"width": 1280, "height": 800})
    sign_in(page, server, "odd")
    page.goto(f"{server.address}/jobs/{number}/logs")
    text = recorded(FAMILIES["B"], EngineState(roughness_rpm=8), 77, idle_rpm=690, passage_mm2=20.0)
    page.set_input_files(
        "#file", files=[{"name": "second.csv", "mimeType": "text/csv", "buffer": text.encode()}]
    )
    page.get_by_role("button", name="Read it").click()
    expect(page.locator(".strip-chart[data-ready]")).to_have_count(5)
    page.get_by_role("button", name="Coolant").click()
    expect(page.locator(".strip-chart[data-ready]:not([hidden])")).to_have_count(6)
    page.get_by_role("button", name="Move by dragging: Trim point 3").click()
    plot = page.locator("[data-strip=rpm] .u-over")
    box = plot.bounding_box()
    assert box
    before = page.locator("[name='start.3']").input_value()
    page.mouse.move(box["x"] + box["width"] * 0.55, box["y"] + 20)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] * 0.62, box["y"] + 24, steps=4)
    page.mouse.up()
    expect(page.locator("[name='start.3']")).not_to_have_value(before)
    page.get_by_role("button", name="Keep the stretches as set").click()
    expect(page.get_by_text("set by hand")).to_be_visible()
    assert abs(float(page.locator("[name='start.3']").input_value()) - 0.55 * 184.8) < 2
    serious = [
        v["id"]
        for v in Axe().run(page).response["violations"]
        if v["impact"] in ("serious", "critical")
    ]
    assert serious == []
    page.get_by_role("link", name="Recirculation flow test").click()
    page.locator("#exhaust_kpa").fill("103")
    page.locator("#exhaust_c").fill("190")
    expect(page.locator("#outcome")).to_contain_text("of the clean passage")
    grip = page.locator("[data-grip=closed_from_s]")
    grip.scroll_into_view_if_needed()
    edge = grip.bounding_box()
    assert edge
    page.mouse.move(edge["x"] + edge["width"] / 2, edge["y"] + 30)
    page.mouse.down()
    page.mouse.move(edge["x"] + edge["width"] / 2 + 30, edge["y"] + 30, steps=3)
    page.mouse.up()
    expect(page.locator("#closed_from_s")).not_to_have_value("")
    expect(page.locator("#outcome")).to_contain_text(
        "Shut " + page.locator("#closed_from_s").input_value()
    )
    # What is on its way is waited for: a page that is left would cut it off.
    page.wait_for_function("!document.querySelector('.htmx-request')")
    page.set_viewport_size({"width": 390, "height": 844})
    page.goto(f"{server.address}/jobs/{number}/logs/1")
    expect(page.locator(".strip-chart[data-ready]")).to_have_count(5)
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
    assert faults == []
