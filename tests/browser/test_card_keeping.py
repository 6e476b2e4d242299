"""What the card keeps and sends: its modules one by one, and the page in the hand of a person."""

import json
import re
from collections.abc import Iterator
from datetime import UTC, datetime
from typing import Any

import pytest
from PIL import Image
from playwright.sync_api import Browser, Page, Route, expect
from sqlalchemy import select
from sqlalchemy.orm import Session

from galene.jobs import jobcard, work
from galene.jobs.act import Act, find_job
from galene.store.models import AuditEntry, JobPicture
from tests.browser.conftest import Server, sign_in
from tests.browser.test_bay import CARD, bare, number, tick, ticked, wait_for
from tests.conftest import person

__all__ = ["bare", "number"]
LONG = 60_000


@pytest.fixture
def card(bare: Page, server: Server, number: str) -> Iterator[Page]:
    """The card of a new job, first step in view."""
    sign_in(bare, server, "odd", at=f"/jobs/{number}/work")
    expect(bare.locator(CARD)).to_be_visible()
    yield bare


def ask(page: Page, code: str) -> Any:
    """Run a piece of a module of the card in the page."""
    return page.evaluate(f"(async () => {{ {code} }})()")


SENDING = "const m = await import('/static/card/sending.js');"


def test_a_page_that_is_older_than_a_tick_does_not_bring_its_step_back(card: Page) -> None:
    found = ask(
        card,
        """const m = await import('/static/card/taken.js');
        const first = m.withTaken([], '1', '2026-05-04T08:00:02Z');
        const list = m.withTaken(first, '2', '2026-05-04T08:00:05Z');
        const steps = (l) => l.map((one) => one.step);
        return [
          steps(m.afterPage(list, new Set(['1', '2']), '2026-05-04T08:00:01Z')),
          steps(m.afterPage(list, new Set(['1', '2']), '2026-05-04T08:00:03Z')),
          steps(m.afterPage(list, new Set(['3']), '2026-05-04T08:00:09Z')),
          steps(m.withoutTaken(list, '2')),
          m.withTaken(list, '1', '2026-05-04T08:00:09Z').length,
        ];""",
    )
    assert found == [["1", "2"], ["2"], ["1", "2"], ["1"], 2]


def test_the_last_tick_is_undone_while_it_is_on_its_way(
    card: Page, number: str, db: Session
) -> None:
    """The server has the tick, its answer is late: Undo means this tick and not the one before
    it."""
    done = 0
    while (
        done == 0
        or card.locator(CARD).locator("[data-read], input[type=radio], [data-pad]").count()
    ):
        tick(card)
        done += 1
        wait_for(lambda count=done: len(ticked(db, number)) == count)
    expect(card.locator("[data-count]")).to_have_text(re.compile(f"step {done + 1} of"))
    before = ticked(db, number)
    held: list[Route] = []
    # A step that has nothing to read or to answer: its tick is the one entry on its way.
    card.route("**/entries", lambda route: held.append(route))
    step = card.locator(CARD).get_attribute("data-step")
    card.locator(CARD).get_by_role("button", name="Done, tick").click()
    expect(card.locator("#line")).to_contain_text("Sending")
    card.keyboard.press("u")
    expect(card.locator("#line")).to_contain_text("Sending")
    while not held:
        card.wait_for_timeout(50)
    card.unroute("**/entries")  # what was held goes on
    wait_for(
        lambda: (
            db.rollback()
            or db.scalars(select(AuditEntry.job_id).where(AuditEntry.action == "step_undone")).all()
        )
    )
    assert ticked(db, number) == before
    expect(card.locator("#line")).to_be_hidden()
    expect(card.locator(f'{CARD}[data-step="{step}"]')).to_be_visible()


def test_a_page_made_before_the_last_entries_were_taken_is_not_taken_over(
    card: Page, number: str, db: Session
) -> None:
    """News was asked for before a tick and comes after it: step, undo and count stay those after
    the tick."""
    old = card.request.get(card.url, headers={"x-galene-part": "card"}).text()
    step = card.locator(CARD).get_attribute("data-step")
    tick(card)
    wait_for(lambda: len(ticked(db, number)) == 1)
    undo = card.locator("form[data-entry=untick] [name=step]").first
    expect(undo).to_have_value(str(step))
    # The old page comes once more, as the answer to news.
    served: list[str] = []

    def late(route: Route) -> None:
        served.append(route.request.url)
        route.fulfill(body=old, content_type="text/html")

    card.route("**/work", late)
    jobcard.acknowledge(Act(db=db, person=person(db, "pia"), now=datetime.now(UTC)), number, "road")
    db.commit()
    while not served:
        card.wait_for_timeout(50)
    card.wait_for_timeout(300)
    expect(card.locator("[data-count]")).to_have_text(re.compile("step 2 of"))
    expect(card.locator(f'#steps > form[data-step="{step}"]')).to_have_count(0)
    expect(undo).to_have_value(str(step))


def test_verdict_of_every_answer(card: Page) -> None:
    answers = [200, 204, 400, 401, 403, 404, 408, 409, 413, 422, 425, 429, 500, 503]
    found = ask(card, f"{SENDING} return {json.dumps(answers)}.map((s) => m.verdict(s));")
    assert dict(zip(answers, found, strict=True)) == {
        200: "taken",
        204: "taken",
        400: "split",
        401: "sign-in",
        403: "refused",
        404: "refused",
        408: "later",
        409: "other",
        413: "split",
        422: "split",
        425: "later",
        429: "later",
        500: "later",
        503: "later",
    }
    assert ask(card, f"{SENDING} return m.verdict(200, true);") == "sign-in"


def test_batches_are_split_down_to_the_bad_one(card: Page) -> None:
    assert ask(card, f"{SENDING} return [50, 25, 3, 2, 1].map(m.halved);") == [25, 13, 2, 1, 0]


def test_pauses_grow_and_heed_what_the_server_asks(card: Page) -> None:
    pauses = ask(card, f"{SENDING} return [0, 1, 2, 9].map((n) => m.pause(n));")
    assert pauses == [1000, 2000, 4000, 30000]
    heeded = ask(card, f"{SENDING} return ['7', '', 'soon', '9999'].map((a) => m.pause(0, a));")
    assert heeded == [7000, 1000, 1000, 120000]


def test_a_batch_is_of_one_job_and_one_person_in_order(card: Page) -> None:
    entries = [
        {"id": "a", "me": 2, "job": "1"},
        {"id": "b", "me": 3, "job": "1"},
        {"id": "c", "me": 2, "job": "9"},
        {"id": "d", "me": 2, "job": "1"},
    ]
    code = f"{SENDING} return m.batchOf({json.dumps(entries)}, 2, 50).map((e) => e.id);"
    assert ask(card, code) == ["a", "d"]


def test_the_queue_outlives_the_page_and_keeps_what_was_refused(card: Page) -> None:
    queue = "const m = await import('/static/card/queue.js'); const q = await new m.Queue().open();"
    entry = json.dumps(
        {"id": "kept-1", "me": -1, "job": "x", "kind": "count", "data": {"pieces": 1}}
    )
    assert ask(card, f"{queue} return q.add({entry});") is True
    card.reload()
    assert ask(card, f"{queue} return q.entries.map((e) => e.id);") == ["kept-1"]
    code = f"{queue} await q.refuse(q.entries[0], 'too late'); await q.remove(['kept-1']);"
    assert ask(card, f"{code} return [q.entries.length, q.refused[0].data.pieces];") == [0, 1]
    again = f"{queue} await q.again('kept-1'); return [q.refused.length, q.entries[0].data.pieces];"
    assert ask(card, again) == [0, 1]


def test_two_tabs_have_one_queue(card: Page, server: Server, number: str, db: Session) -> None:
    """Entered in both without the server, nothing of either is overwritten."""
    second = card.context.new_page()
    second.goto(f"{server.address}/jobs/{number}/work")
    expect(second.locator(CARD)).to_be_visible()
    before = len(ticked(db, number))

    def cut(route: Route) -> None:
        route.abort("internetdisconnected")

    card.context.route("**/entries", cut)
    tick(card)
    expect(second.locator("[data-count]")).to_contain_text("step 2 of", timeout=LONG)
    tick(second)
    card.context.unroute("**/entries")
    wait_for(lambda: len(ticked(db, number)) == before + 2)
    second.close()


def test_a_bad_entry_does_not_take_the_others_with_it(card: Page, number: str, db: Session) -> None:
    """Refused as a whole, a batch is split; the bad one is shown with what it held."""
    card.route("**/entries", lambda route: route.abort("internetdisconnected"))
    before = len(ticked(db, number))
    tick(card)
    queue = "const m = await import('/static/card/queue.js'); const q = await new m.Queue().open();"
    bad = {
        "job": number,
        "who": "Odd",
        "kind": "count",
        "at": "no moment at all",
        "words": "a bad one",
    }
    me = int(card.locator("#line").get_attribute("data-me") or 0)
    entry = json.dumps({**bad, "id": "bad-entry-1", "me": me, "data": {"pieces": "three"}})
    ask(card, f"{queue} return q.add({entry});")
    tick(card)
    card.unroute("**/entries")
    wait_for(lambda: len(ticked(db, number)) == before + 2)
    line = card.locator("#line")
    expect(line).to_contain_text("a bad one", timeout=LONG)
    expect(line).to_contain_text("pieces: three")
    line.get_by_role("button", name="Drop it").click()
    expect(line).to_be_hidden()


@pytest.mark.parametrize("status", [408, 429, 503])
def test_a_busy_server_is_asked_again(card: Page, number: str, db: Session, status: int) -> None:
    before, asked = len(ticked(db, number)), []

    def busy(route: Route) -> None:
        asked.append(1)
        if len(asked) == 1:
            route.fulfill(status=status, headers={"retry-after": "1"}, body="busy")
        else:
            route.continue_()

    card.route("**/entries", busy)
    tick(card)
    # The first sending meets the busy server, however late it comes; a later one does not.
    while not asked:
        card.wait_for_timeout(50)
    card.unroute("**/entries")
    wait_for(lambda: len(ticked(db, number)) == before + 1)


def test_a_picture_that_is_refused_stays_until_a_person_decides(
    card: Page, db: Session, tmp_path: Any
) -> None:
    shot = tmp_path / "meter.jpg"
    Image.new("RGB", (320, 240), "grey").save(shot)
    card.route(
        "**/pictures",
        lambda route: route.fulfill(status=413, json={"lines": ["The disk is full."]}),
    )
    while not card.locator(f"{CARD} [data-take-picture]").count():
        tick(card)
    card.locator(f"{CARD} [data-take-picture]").set_input_files(shot)
    line = card.locator("#line")
    expect(line).to_contain_text("The disk is full.", timeout=LONG)
    card.unroute("**/pictures")
    card.reload()
    expect(line).to_contain_text("meter.jpg", timeout=LONG)
    line.get_by_role("button", name="Send again").click()
    wait_for(lambda: (db.expire_all(), db.query(JobPicture).count())[1] == 1)
    expect(line).to_be_hidden(timeout=LONG)


def test_a_browser_that_keeps_nothing_sends_at_once(
    browser: Browser, server: Server, number: str, db: Session
) -> None:
    context = browser.new_context(service_workers="block")
    context.add_init_script("IDBFactory.prototype.open = () => { throw new Error('no room'); }")
    page = context.new_page()
    sign_in(page, server, "odd")
    page.goto(f"{server.address}/jobs/{number}/work")
    before = len(ticked(db, number))
    tick(page)
    wait_for(lambda: len(ticked(db, number)) == before + 1)
    page.route("**/entries", lambda route: route.abort("internetdisconnected"))
    step = page.locator(CARD)
    while step.locator("[data-read]").count():
        step.locator("[data-read]").first.click()
        break
    else:
        step.get_by_role("button", name="Done, tick").click()
    expect(page.locator(f"{CARD} [data-fault]")).to_contain_text("Not kept", timeout=LONG)
    context.close()


def another_ticks(db: Session, number: str) -> None:
    """Pia does the step that is due, on the server."""
    db.expire_all()
    from datetime import UTC, datetime

    from tests.jobs.hands import pass_

    act = Act(db=db, person=person(db, "pia"), now=datetime.now(UTC))
    job = find_job(db, number)
    row = work.current_step(job)
    assert row is not None
    pass_(act, job, row)
    db.commit()


def test_typing_is_left_alone_when_somebody_else_ticks(
    card: Page, number: str, db: Session
) -> None:
    card.locator("summary", has_text="Change the card").click()
    field = card.locator("#step_text")
    field.press_sequentially("look at the 2")
    field.press("ArrowLeft")
    text = card.locator(CARD).get_attribute("data-text") or ""
    another_ticks(db, number)
    expect(card.locator("#notice")).to_contain_text(text, timeout=LONG)
    expect(field).to_be_focused()
    expect(field).to_have_value("look at the 2")
    caret = field.evaluate("(f) => f.selectionStart")
    assert caret == len("look at the ")
    step = card.locator(CARD).get_attribute("data-step")
    card.keyboard.type("k")
    expect(field).to_have_value("look at the k2")
    assert card.locator(CARD).get_attribute("data-step") == step, "no command came of it"


def test_a_held_key_ticks_one_step(card: Page, number: str, db: Session) -> None:
    step = card.locator(CARD)
    while step.locator("input[type=radio],[data-read]").count():
        tick(card)
    before = len(ticked(db, number))
    at = step.get_attribute("data-step")
    card.keyboard.down("t")
    for _ in range(6):
        card.keyboard.down("t")  # what a held key sends: repeats
    card.keyboard.up("t")
    expect(card.locator(f'{CARD}[data-step="{at}"]')).to_have_count(0, timeout=LONG)
    wait_for(lambda: len(ticked(db, number)) == before + 1)
    card.wait_for_timeout(300)
    assert len(ticked(db, number)) == before + 1


def test_the_key_works_from_a_radio_and_the_new_step_has_the_focus(
    card: Page, number: str, db: Session
) -> None:
    step = card.locator(CARD)
    while not step.locator(".choice.max-w-md input[type=radio]").count():
        tick(card)
    while step.locator("[data-read]").count():
        count = step.locator("[data-read]").count()
        step.locator("[data-read]").first.click()
        expect(step.locator("[data-read]")).to_have_count(count - 1)
    for grade in step.locator("input[type=radio][value='1']").all():
        grade.check()
    for question in step.locator(".choice.max-w-md").all():
        question.locator("label:not(:has(.small)) input").check()
    at = step.get_attribute("data-step")
    step.locator("input[type=radio]:checked").last.focus()
    card.keyboard.press("t")
    expect(card.locator(f'{CARD}[data-step="{at}"]')).to_have_count(0, timeout=LONG)
    expect(card.locator(f"{CARD} h1")).to_be_focused(timeout=LONG)


def test_a_slow_sending_is_told(card: Page, number: str, db: Session) -> None:
    held: list[Route] = []
    card.route("**/entries", lambda route: held.append(route))
    before = len(ticked(db, number))
    step = card.locator(CARD)
    if step.locator("[data-read]").count():
        step.locator("[data-read]").first.click()
    else:
        step.get_by_role("button", name="Done, tick").click()
    expect(card.locator("#line")).to_contain_text("Sending", timeout=LONG)
    for route in held:
        route.continue_()
    card.unroute("**/entries")
    expect(card.locator("#line")).to_be_hidden(timeout=LONG)
    assert len(ticked(db, number)) >= before


def test_a_page_out_of_the_browsers_store_says_that_it_is_offline(
    page: Page, server: Server, number: str
) -> None:
    sign_in(page, server, "odd")
    page.goto(f"{server.address}/jobs/{number}/work")
    page.evaluate("navigator.serviceWorker.ready.then(() => true)")
    page.reload()
    expect(page.locator(CARD)).to_be_visible()
    server.kill()
    page.reload()
    expect(page.locator("#line")).to_contain_text("can not be reached", timeout=LONG)
    server.start()
    expect(page.locator("#line")).to_be_hidden(timeout=LONG)


def test_number_pad_answers_click_and_keyboard(page: Page, server: Server, number: str) -> None:
    page.set_viewport_size({"width": 390, "height": 844})
    sign_in(page, server, "odd")
    page.locator(".masthead details summary").click()
    page.get_by_role("button", name="in the bay").click()
    page.goto(f"{server.address}/jobs/{number}/work")
    page.locator("summary", has_text="Change the card").click()
    field = page.locator("#step_minutes")
    field.focus()
    pad = page.get_by_role("group", name="Number pad")
    pad.get_by_role("button", name="7", exact=True).dispatch_event("click")
    expect(field).to_have_value("7")
    pad.get_by_role("button", name="5", exact=True).focus()
    page.keyboard.press("Enter")
    expect(field).to_have_value("75")
    pad.get_by_role("button", name="Done").click()
    expect(pad).to_be_hidden()


def test_a_find_asks_for_what_its_kind_needs(card: Page) -> None:
    card.get_by_text("Found on the way").click()
    retrieved, minutes = card.locator("#found_retrieved"), card.locator("#found_minutes")
    for kind, out, takes in (
        ("torn_boot", False, False),
        ("dropped", True, False),
        ("own_words", False, True),
    ):
        card.locator(f".finds [value={kind}]").check()
        expect(retrieved).to_be_visible(visible=out)
        expect(minutes).to_be_visible(visible=takes)
