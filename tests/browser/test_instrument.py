"""The air path at the top of a page, in the browser: lenses, a panel, the thin strip, flow."""

import pytest
from playwright.sync_api import Browser, Page, expect
from sqlalchemy import select
from sqlalchemy.orm import Session

from galene.store.models import Job
from tests.browser.conftest import Server, sign_in


def heavy(db: Session) -> str:
    """The demo's heavy diesel at its diagnosis."""
    found = db.scalars(select(Job).where(Job.family_id == "E", Job.state == "open")).unique()
    return next(j.number for j in found)


def test_lenses_by_keyboard_and_kept_for_the_next_page(
    page: Page, server: Server, faults: list[str], db: Session
) -> None:
    sign_in(page, server, "odd")
    page.goto(f"{server.address}/jobs/{heavy(db)}/diagnosis")
    chance = page.locator(".instrument .badge-may").first
    code = page.locator(".instrument .badge-code").first
    expect(chance).to_be_visible()
    expect(code).to_be_hidden()
    page.locator('[data-lens][value="may"]').focus()
    page.keyboard.press("ArrowLeft")
    expect(chance).to_be_hidden()
    expect(code).to_be_visible()
    page.reload()
    expect(page.locator('[data-lens][value="known"]')).to_be_checked()
    expect(code).to_be_visible()
    assert not faults


def test_a_parts_panel_opens_by_key_and_gives_the_focus_back(
    page: Page, server: Server, faults: list[str], db: Session
) -> None:
    sign_in(page, server, "odd")
    page.goto(f"{server.address}/jobs/{heavy(db)}/diagnosis")
    part = page.locator('.instrument svg .part[data-part="egr_cooler"]')
    part.focus()
    page.keyboard.press("Enter")
    panel = page.locator("[data-part-panel]")
    expect(panel).to_be_visible()
    expect(panel).to_contain_text("To reach it")
    page.keyboard.press("Escape")
    expect(panel).to_be_hidden()
    expect(part).to_be_focused()
    assert not faults


def test_it_stays_while_the_page_moves(
    page: Page, server: Server, faults: list[str], db: Session
) -> None:
    page.set_viewport_size({"width": 1280, "height": 800})
    sign_in(page, server, "odd")
    page.goto(f"{server.address}/jobs/{heavy(db)}/evidence")
    expect(page.locator(".thin-strip")).to_have_count(0)
    page.evaluate("window.scrollTo(0, document.body.scrollHeight)")
    expect(page.locator(".thin-strip")).to_be_visible()
    page.evaluate("window.scrollTo(0, 0)")
    expect(page.locator(".thin-strip")).to_be_hidden()
    assert not faults


def test_the_flow_stands_still_for_who_wants_it(
    browser: Browser, server: Server, db: Session
) -> None:
    named = "() => getComputedStyle(document.querySelector('.air .runs')).animationName"
    for motion, switched, moves in (
        ("no-preference", False, "drift"),
        ("no-preference", True, "none"),
        ("reduce", False, "none"),
    ):
        context = browser.new_context(reduced_motion=motion)
        page = context.new_page()
        sign_in(page, server, "odd")
        page.goto(f"{server.address}/jobs/{heavy(db)}/diagnosis")
        if switched:
            page.locator("[data-flow]").uncheck(force=True)
        assert page.evaluate(named) == moves
        context.close()


def test_the_bays_frame_is_low_and_what_matters_is_in_sight(
    page: Page, server: Server, faults: list[str], db: Session
) -> None:
    page.set_viewport_size({"width": 390, "height": 844})
    sign_in(page, server, "odd")
    page.goto(f"{server.address}/jobs/{heavy(db)}/diagnosis")
    main = page.locator("main").bounding_box()
    assert main and main["y"] < 96
    act = page.locator(".act").bounding_box()
    assert act and act["y"] + act["height"] < 844
    likeliest = page.evaluate(
        "() => { const all = document.querySelector('[data-instrument]'), view ="
        " all.querySelector('.instrument-view').getBoundingClientRect(), part ="
        " all.querySelector(`.part[data-part='${all.dataset.first}']`).getBoundingClientRect();"
        " return part.left >= view.left - 20 && part.right <= view.right + 20; }"
    )
    assert likeliest, "the likeliest part is in sight without a swipe"
    assert not faults


@pytest.mark.parametrize("width", [1280, 390])
def test_letters_of_twice_the_size_push_nothing_off_the_page(
    page: Page, server: Server, faults: list[str], db: Session, width: int
) -> None:
    page.set_viewport_size({"width": width, "height": 844})
    sign_in(page, server, "odd")
    number = heavy(db)
    places = ["/", "/worksheets", "/shelf", "/vehicles"]
    places += [f"/jobs/{number}/{s}" for s in ("intake", "evidence", "diagnosis", "plan", "work")]
    for place in places:
        page.goto(server.address + place)
        page.evaluate("document.documentElement.style.fontSize = '32px'")
        assert page.evaluate("document.documentElement.scrollWidth") <= width, place
    assert not faults
