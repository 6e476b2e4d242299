"""A new vehicle through all seven stages in the browser, and the bay's narrow screen."""

import re
from contextlib import suppress
from typing import Literal

import pytest
from axe_playwright_python.sync_playwright import Axe
from playwright.sync_api import Page, TimeoutError, expect
from sqlalchemy.orm import Session

from galene.demo.engine import EngineState, idle_samples
from galene.knowledge.families import FAMILIES
from tests.browser.conftest import Server, sign_in
from tests.conftest import demo_jobs


def sign_in_by_hand(page: Page, server: Server, name: str) -> None:
    page.goto(server.address + "/sign-in")
    page.get_by_label("Name").fill(name)
    page.get_by_label("Password").fill(f"slipway-{name}")
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("heading", name="The shed now")).to_be_visible()
    # The keys work once the page's scripts have run, which its first sight may come before.
    page.wait_for_load_state("load")


def type_idle(page: Page, state: EngineState, rpm: float) -> None:
    """Type five idle readings and their conditions into the idle table."""
    table = page.locator("form#idle")
    for channel, values in idle_samples(FAMILIES["A"], state, 5, rpm=rpm).items():
        for i, value in enumerate(values):
            table.locator(f"input[name={channel}]").nth(i).fill(str(value))
    table.get_by_label("Coolant", exact=True).fill("90")
    table.get_by_label("Intake air", exact=True).fill("20")
    table.get_by_role("button", name="Save these readings").click()


SENT = """(async () => {
    const kept = await import("/static/card/queue.js");
    for (;;) {
        const queue = await new kept.Queue().open();
        if (!queue.entries.length) return;
        await new Promise((later) => setTimeout(later, 100));
    }
})()"""
"""Wait until the server has what was entered."""


def tick_one(page: Page, server: Server) -> None:
    """Tick the step in view, its cautions read and its questions answered well; time is let pass
    where it waits."""
    card = page.locator("#steps > form:not([hidden])")
    step = card.get_attribute("data-step")
    here = page.locator(f'#steps > form:not([hidden])[data-step="{step}"]')
    for _ in range(10):
        # A wait may show itself late on a busy machine. By an hour at a time: a session ends too.
        if card.locator("[data-hold]").is_visible():
            server.later(60)
            page.reload()
        # What a page that settles late on a busy machine has taken back is answered again.
        with suppress(TimeoutError, AssertionError):
            answer_well(page)
            # By the keyboard: what shifts while a page settles moves no key.
            here.get_by_role("button", name="Done, tick").press("Enter", timeout=20_000)
        with suppress(AssertionError):
            expect(here).to_have_count(0, timeout=20_000)
            return
    pytest.fail(f"step {step} can not be ticked: {card.inner_text()}")


def answer_well(page: Page) -> None:
    """Read the cautions of the step in view and answer what it asks."""
    card = page.locator("#steps > form:not([hidden])")
    while count := card.locator("[data-read]").count():
        card.locator("[data-read]").first.click()
        expect(card.locator("[data-read]")).to_have_count(count - 1)
    for question in card.locator("fieldset .choice.max-w-md").all():
        # The bad answer says on itself what it means.
        question.locator("label:not(:has(.small)) input").check()
    for grade in card.locator(
        "input[name$=grade_before][value='2'], input[name$=grade_after][value='0']"
    ).all():
        grade.check()
    for deposit in card.locator("select[name$=_deposit]").all():
        deposit.select_option(
            "varnish" if "before" in (deposit.get_attribute("name") or "") else ""
        )
    for words in card.locator("input[required][name^='record:']:not([type=radio])").all():
        words.fill("behind the clamp")


def tick_everything(page: Page, server: Server) -> None:
    """Tick until the card comes to a step that is done on its own page; time is let pass where
    something dries."""
    expect(page.locator("#steps > form:not([hidden])")).to_have_count(1, timeout=30_000)
    for _ in range(80):
        card = page.locator("#steps > form:not([hidden])")
        if not card.count() or card.get_attribute("data-act") != "tick":
            page.evaluate(SENT)
            return
        tick_one(page, server)
    pytest.fail("the card does not end")


def learn(page: Page, server: Server) -> None:
    """Run the relearn that is due, hold by hold."""
    for condition in page.locator("#relearn input[type=checkbox]").all():
        condition.check()
    page.get_by_role("button", name="Begin the relearn").press("Enter")
    done = page.get_by_role("button", name="Yes, it has learned")
    for _ in range(8):
        expect(page.locator("#relearn .step-now")).to_be_visible()
        if done.count():
            with page.expect_navigation():
                done.press("Enter")
            return
        server.later(30)
        page.reload()
        held = page.get_by_role("button", name="Held undisturbed, go on")
        expect(held.or_(done)).to_be_visible(timeout=60_000)
        if held.count():
            # Each form's answer is waited for: a reload while it is on its way would cut it off.
            with page.expect_navigation():
                held.press("Enter")
    pytest.fail("the relearn does not end")


def do_in_order(page: Page, server: Server) -> None:
    """Everything behind the work as the page of proof orders it."""
    job = page.url.split("#")[0].rpartition("/")[0]
    for _ in range(40):
        page.goto(f"{job}/prove")
        due = page.locator("#in-order [aria-current=step]")
        if not due.count():
            return
        step = due.inner_text()
        if page.locator("#in-order a[href$='/work']").count():
            page.goto(f"{job}/work")
            tick_everything(page, server)
        elif "Clear the codes" in step:
            with page.expect_navigation():
                page.get_by_role("button", name="Codes are cleared").press("Enter")
        elif "First start" in step:
            with page.expect_navigation():
                page.get_by_role("button", name="It is started").press("Enter")
        elif "same readings" in step:
            type_idle(page, EngineState(roughness_rpm=6), 740)
            expect(page.get_by_role("heading", level=1)).to_contain_text(
                "Better, to be confirmed", timeout=30_000
            )
        elif "Road test" in step:
            page.get_by_label("Driven", exact=True).fill("12")
            for symptom in page.locator("#road input[value=gone]").all():
                symptom.check()
            with page.expect_navigation():
                page.get_by_role("button", name="Save the road test").press("Enter")
        elif "pending" in step:
            with page.expect_navigation():
                page.get_by_role("button", name="There are none").press("Enter")
        else:
            learn(page, server)
    pytest.fail("the proof does not end")


def learned_by_the_workshop(page: Page, server: Server, number: str, before: str) -> None:
    """What a signature moves: the band, the vehicle's due date, the fleet, the calendar."""
    page.goto(f"{server.address}/reference/families/A/bands")
    band = page.locator("#idle_airflow_g_s")
    assert band.locator("p.num b").inner_text() not in before, "the band itself has moved"
    band.locator("summary").click()
    expect(band.get_by_role("link", name=f"job {number}")).to_be_visible()
    page.goto(f"{server.address}/vehicles/NV77")
    expect(page.locator("#life")).to_contain_text("Next look")
    page.goto(f"{server.address}/fleet")
    expect(page.get_by_role("row", name=re.compile("NV.?77"))).to_contain_text("Throttle body")
    page.get_by_role("button", name="Open a calendar").click()
    address = page.get_by_label("The address, shown this once").input_value()
    text = page.request.get(address).text()
    assert "BEGIN:VCALENDAR" in text and "NV" in text and "STATUS:CONFIRMED" in text


def test_a_new_vehicle_through_all_seven_stages(
    page: Page, server: Server, faults: list[str]
) -> None:
    page.set_viewport_size({"width": 1280, "height": 800})
    sign_in_by_hand(page, server, "odd")
    # Intake
    page.keyboard.press("v")
    page.get_by_label("Plate, two signs are enough").press_sequentially("NV77")
    page.get_by_role("link", name="New vehicle with the plate").click()
    page.get_by_label("Maker").fill("Brinewell")
    page.get_by_label("Model").fill("Causeway")
    page.get_by_label("Engine family").select_option("A")
    page.get_by_label("The complaint, in the owner's words").fill("Shakes and dies at the lights")
    page.get_by_role("button", name="Open the job").click()
    expect(page.get_by_role("heading", name="Shakes and dies at the lights")).to_be_visible()
    for symptom in ("Rough idle", "Stalls coming to a stop"):
        page.get_by_role("button", name=f"{symptom}: not asked").click()
        expect(page.get_by_role("button", name=f"{symptom}: there")).to_be_visible()
    page.get_by_label("Type codes").fill("p0506c")
    expect(page.locator("#codes-preview")).to_contain_text("Idle speed below target")
    page.get_by_role("button", name="Add these codes").click()
    page.get_by_label("Odometer", exact=True).fill("123400")
    page.get_by_role("button", name="Save, on to the evidence").click()
    # Evidence
    type_idle(page, EngineState(deposit_mm=0.09, roughness_rpm=12), 718)
    expect(page.locator("form#idle")).to_contain_text("Saved")
    looks = page.locator("#looks")
    looks.get_by_text("A film that wipes off").click()
    looks.get_by_label("Kind of deposit").select_option("varnish")
    looks.get_by_role("button", name="Record this look").click()
    expect(looks).to_contain_text("grade 2")
    page.get_by_role("button", name="On to diagnosis").click()
    # Diagnosis
    expect(page.get_by_role("heading", level=1)).to_contain_text("Deposit round the throttle plate")
    page.get_by_role("button", name="On to plan").click()
    # Plan
    expect(page.get_by_role("checkbox", name="Throttle body")).to_be_checked()
    page.get_by_text("More parts that can be reached").click()
    page.get_by_role("checkbox", name="Air filter").check()
    expect(page.locator("#draft")).to_contain_text("Look through, wipe and vacuum")
    page.get_by_role("button", name="Save this plan").click()
    page.get_by_label(re.compile("who agreed")).fill("the keeper, by phone")
    page.get_by_label("How", exact=True).select_option("phone")
    page.get_by_role("button", name="Record the approval").click()
    page.get_by_label("Looked up in").fill("the maker's list")
    page.get_by_label("What came of it").fill("none open")
    page.get_by_role("button", name="Record", exact=True).click()
    page.get_by_role("button", name="On to work").click()
    # Work
    page.get_by_role("button", name="Make the card").click()
    with page.expect_navigation():
        page.get_by_role("button", name="All of it is here").click()
    tick_everything(page, server)
    with page.expect_navigation():
        page.get_by_role("button", name="On to relearn and prove").click()
    do_in_order(page, server)
    page.get_by_role("button", name="On to handover").click()
    # Handover, and the foreman's sign-off
    page.get_by_label("Deposit round the throttle plate").check()
    page.locator("select[name='found:throttle_deposit']").select_option(index=1)
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.locator("#sign")).to_contain_text("A foreman looks at it and signs")
    job = page.url.split("#")[0]
    page.context.clear_cookies()
    sign_in(page, server, "maren", at="/reference/families/A/bands")
    before = page.locator("#idle_airflow_g_s").inner_text()
    page.goto(job)
    page.locator("#sign-password").fill("slipway-maren")
    page.get_by_role("button", name="Sign and finish the job").click()
    expect(page.get_by_text("read-only")).to_be_visible()
    expect(page.get_by_role("heading", level=1)).to_contain_text("Proven")
    learned_by_the_workshop(page, server, job.rpartition("/jobs/")[2].partition("/")[0], before)


def test_colours_go_by_the_device_until_somebody_chooses(page: Page, server: Server) -> None:
    def paper() -> str:
        return page.evaluate("getComputedStyle(document.documentElement).backgroundColor")

    sign_in(page, server, "odd")
    page.emulate_media(color_scheme="light")
    day = paper()
    page.emulate_media(color_scheme="dark")
    assert paper() != day
    for chosen, same in (("day", True), ("night", False), ("device", False)):
        page.locator(".masthead details summary").click()
        page.locator(f"button[name=theme][value={chosen}]").click()
        expect(page.locator(f"html.{chosen}")).to_be_attached()
        assert (paper() == day) == same, chosen


@pytest.mark.parametrize(
    ("width", "height", "layout", "scheme"),
    [(1280, 800, "desk", "light"), (390, 844, "bay", "dark")],
)
def test_no_view_overflows_or_shuts_anybody_out(
    page: Page,
    server: Server,
    db: Session,
    faults: list[str],
    width: int,
    height: int,
    layout: str,
    scheme: Literal["light", "dark"],
) -> None:
    page.set_viewport_size({"width": width, "height": height})
    page.emulate_media(color_scheme=scheme)
    sign_in(page, server, "maren")
    if layout != "desk":
        page.locator(".masthead details summary").click()
        page.locator(f"button[name=layout][value={layout}]").click()
        expect(page.locator(f"html.{layout}")).to_be_attached()
    numbers = demo_jobs(db)
    views = [
        "/",
        "/jobs/new?plate=qn",
        "/vehicles",
        "/vehicles/QN114",
        "/worksheets/idle-gap",
        "/worksheets/trim-split",
        "/reference",
        "/reference/families/A",
        "/reference/families/E",
        "/vehicles/QN088/where?q=meter",
        "/worksheets/bore-restriction",
        "/fleet",
        "/people",
        "/people/2",
        "/account",
        "/running",
        "/vehicles/QN114/record",
        "/keepers",
        "/reference/families/A/bands",
        "/reference/templates",
        "/reference/templates/procedure/throttle_body",
        "/reference/templates/relearn/throttle_manual",
    ]
    views += [
        f"/jobs/{numbers[a]}/{b}"
        for a, b in (
            ("intake", "intake"),
            ("intake", "evidence"),
            ("work", "diagnosis"),
            ("prove", "plan"),
            ("work", "work"),
        )
    ]
    views += [
        f"/jobs/{numbers['work']}/pictures",
        f"/jobs/{numbers['prove']}/prove",
        f"/jobs/{numbers['prove']}/checks/look_throttle?after=true",
        f"/jobs/{numbers['prove']}/handover",
        f"/jobs/{numbers['handover']}/report",
    ]
    # What is marked up is the same in both and judged once; what is drawn is judged in both.
    judged: dict[str, object] = {"resultTypes": ["violations"]}
    if scheme == "dark":
        judged["runOnly"] = ["color-contrast", "target-size"]
    for view in views:
        page.goto(server.address + view)
        assert page.evaluate("document.documentElement.scrollWidth <= innerWidth"), (
            f"{view} is wider than the screen"
        )
        found = Axe().run(page, options=judged).response["violations"]
        serious = [
            f"{v['id']}: {v['nodes'][0]['html'][:120]}" for v in found if v["impact"] != "minor"
        ]
        assert serious == [], view


def test_number_pad_in_the_bay(page: Page, server: Server, db: Session, faults: list[str]) -> None:
    page.set_viewport_size({"width": 390, "height": 844})
    sign_in(page, server, "odd")
    page.locator(".masthead details summary").click()
    page.get_by_role("button", name=re.compile("in the bay")).click()
    number = demo_jobs(db)["intake"]
    page.goto(f"{server.address}/jobs/{number}/evidence")
    field = page.get_by_label("Speed, row 1").first
    field.click()
    pad = page.get_by_role("group", name="Number pad")
    for key in "742":
        pad.get_by_role("button", name=key, exact=True).click()
    expect(field).to_have_value("742")
    pad.get_by_role("button", name="Done").click()
    expect(pad).to_be_hidden()


WAITOVERS = """(left) => new Promise((done) => {
    const one = document.createElement("div");
    const now = Date.now();
    Object.assign(one.dataset, {
        now: new Date(now).toISOString(),
        ends: new Date(now + left * 1000).toISOString(),
        over: "over",
        reload: "1",
    });
    let count = 0;
    one.addEventListener("waitover", () => { count += 1; });
    one.setAttribute("x-data", "countdown");
    document.body.append(one);
    setTimeout(() => done(count), 3000);
})"""
"""How often a wait that ends in so many seconds asks for what comes after it, within three."""


def test_a_wait_asks_once_for_what_comes_after_it_and_not_when_it_was_over(
    page: Page, server: Server
) -> None:
    sign_in(page, server, "odd")
    page.goto(server.address + "/worksheets")
    assert page.evaluate(WAITOVERS, -60) == 0, "a hold that is over must not be asked for again"
    assert page.evaluate(WAITOVERS, 0.6) == 1
