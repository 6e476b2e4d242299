"""Engine families in the browser: a family entered from nothing, the gauge dragged and by keyboard,
labels as they are drawn."""

import itertools
import re

import pytest
from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Page, expect
from sqlalchemy import select
from sqlalchemy.orm import Session

from galene.knowledge.families import FAMILIES
from galene.store.models import Job
from tests.browser.conftest import Server, sign_in


def test_a_family_is_entered_published_and_used(
    page: Page, server: Server, faults: list[str]
) -> None:
    page.set_viewport_size({"width": 1280, "height": 800})
    sign_in(page, server, "maren")
    page.goto(server.address + "/reference")
    page.get_by_text("Enter an engine family of your own").click()
    page.locator("#family-id").fill("kelp")
    page.locator("#family-name").fill("Kelp 1.2")
    page.get_by_role("button", name="Begin", exact=True).click()
    expect(page.locator("#faults")).to_contain_text("no part yet")
    for part, behind in (
        ("Air filter", ""),
        ("Throttle body", "Air filter"),
        ("Intake ports", "Throttle body"),
        ("⬡ Oxygen sensor", "Intake ports"),
    ):
        page.get_by_label("Behind, or sitting on").select_option(label=behind or "nothing yet")
        page.locator(".palette").get_by_role("button", name=part, exact=True).click()
        expect(
            page.get_by_role("heading", level=2, name=part.removeprefix("⬡ "), exact=True)
        ).to_be_visible()
    expect(page.get_by_role("heading", name="Nothing is wrong with it")).to_be_visible()
    page.get_by_label("Where it sits, in words").fill("Behind the catalyst's shield")
    page.get_by_role("button", name="Keep this part").click()
    page.get_by_role("link", name="One more operation").click()
    page.get_by_label("What is done, off").fill("Take off the throttle")
    page.get_by_label("What is done, on again").fill("Refit the throttle")
    page.get_by_label("At the part").select_option(label="Throttle body")
    page.get_by_label("Minutes off").fill("7,5")
    page.get_by_label("Minutes on").fill("8")
    page.get_by_role("group", name="Lays open").get_by_label("Throttle body").check()
    back = page.get_by_role("group", name="What must go back")
    back.get_by_label("What", exact=True).first.fill("Throttle connector")
    page.get_by_role("button", name="Keep this operation").click()
    expect(page.get_by_role("heading", level=2, name="Take off the throttle")).to_be_visible()
    serious = [
        v["id"]
        for v in Axe().run(page).response["violations"]
        if v["impact"] in ("serious", "critical")
    ]
    assert serious == []
    page.set_viewport_size({"width": 390, "height": 844})
    for place in (
        "?part=throttle_body",
        "?operation=take_off_the_throttle",
        "?section=bands",
        "?section=spares",
        "?section=facts",
    ):
        page.goto(server.address + "/reference/families/KELP/edit" + place)
        assert page.evaluate("document.documentElement.scrollWidth <= innerWidth"), (
            f"{place} is wider than the screen"
        )
    page.set_viewport_size({"width": 1280, "height": 800})
    page.get_by_label("What changed").fill("first version")
    page.get_by_role("button", name="Put in force").click()
    expect(page.get_by_role("heading", level=1, name="Kelp 1.2")).to_be_visible()
    page.goto(server.address + "/jobs/new?plate=KP1&add=1")
    page.get_by_label("Engine family").select_option(value="KELP")


def _open_area(page: Page) -> float:
    found = re.search(r"([\d.]+) % of the bore", page.locator("#verdict").inner_text())
    assert found
    return float(found[1])


def test_the_gauge_follows_the_finger_and_the_keys(
    page: Page, server: Server, db: Session, faults: list[str]
) -> None:
    page.set_viewport_size({"width": 1280, "height": 800})
    sign_in(page, server, "odd")
    number = db.scalars(
        select(Job.number).where(Job.family_id == "D", Job.state == "open").order_by(Job.number)
    ).first()
    page.goto(f"{server.address}/jobs/{number}/bores/egr_passage?phase=after")
    handle, field = (
        page.get_by_role("slider", name=re.compile(r"3 o’clock$")).first,
        page.get_by_label(re.compile(r", 3 o’clock$")).last,
    )
    expect(page.locator("#verdict")).to_contain_text("100.0 %")
    box = handle.bounding_box()
    assert box
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x - 45, y + 3, steps=5)
    page.mouse.up()
    expect(page.locator("#verdict")).not_to_contain_text("100.0 % of the bore")
    dragged, area = float(field.input_value()), _open_area(page)
    assert 3 < dragged < 10
    for _ in range(3):
        page.keyboard.press("Shift+ArrowUp")
    assert float(field.input_value()) == pytest.approx(dragged + 3 * 28 / 50, abs=0.02)
    page.wait_for_function(
        "before => parseFloat(document.querySelector('#verdict').innerText.match(/([\\d.]+) %"
        " of/)[1]) < before",
        arg=area,
    )
    page.keyboard.press("Home")
    expect(field).to_have_value("0")
    expect(page.locator("#verdict")).to_contain_text("100.0 %")
    page.get_by_label("Points").select_option("12")
    expect(page.get_by_role("slider")).to_have_count(12)
    field = page.get_by_label(re.compile(r", 6 o’clock$")).last
    field.fill("2")
    expect(page.get_by_role("slider", name=re.compile(r"6 o’clock$"))).to_have_attribute(
        "aria-valuenow", "2.00"
    )
    page.get_by_label("Kind of deposit").select_option(label="Soot, dry")
    page.get_by_role("button", name="Keep this measurement").click()
    expect(page.get_by_text("open in the worst bore")).to_be_visible()


@pytest.mark.parametrize("width", [1280, 390])
def test_no_two_texts_of_a_drawing_touch_as_they_are_drawn(
    page: Page, server: Server, faults: list[str], width: int
) -> None:
    drawing = ".instrument-view svg.air"
    page.set_viewport_size({"width": width, "height": 844})
    sign_in(page, server, "odd")
    for family in FAMILIES:
        page.goto(f"{server.address}/reference/families/{family}")
        boxes = page.locator(f"{drawing} >> nth=0").evaluate(
            "svg => [...svg.querySelectorAll('text')].map(t => { const b = t.getBBox(); return"
            " [t.textContent, b.x, b.y, b.width, b.height, +t.getAttribute('font-size')]; })"
        )
        assert len(boxes) >= len(FAMILIES[family].parts)
        scale = page.locator(f"{drawing} >> nth=0").evaluate(
            "svg => svg.getBoundingClientRect().width / svg.viewBox.baseVal.width"
        )
        assert min(b[5] for b in boxes) * scale >= 11, "legible"
        for one, two in itertools.combinations(boxes, 2):
            # A line's box reaches above and below its letters: a quarter of it is air.
            apart = (
                abs((one[1] + one[3] / 2) - (two[1] + two[3] / 2)) >= (one[3] + two[3]) / 2
                or abs((one[2] + one[4] / 2) - (two[2] + two[4] / 2))
                >= 0.75 * (one[4] + two[4]) / 2
            )
            assert apart, f"{family}: {one[0]!r} touches {two[0]!r}"
