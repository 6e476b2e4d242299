"""The card in the bay: two people at once, a server that goes away, one touch a step, keys
alone."""

import re
import threading
import time
from collections.abc import Callable, Iterator
from datetime import UTC, datetime
from pathlib import Path

import httpx2 as httpx
import pytest
from PIL import Image
from playwright.sync_api import Browser, Page, Route, expect
from sqlalchemy import select
from sqlalchemy.orm import Session

from galene.jobs import jobcard
from galene.jobs.act import Act, find_job
from galene.store.models import AuditEntry, JobPicture, StepRow
from tests.browser.conftest import Server, sign_in
from tests.conftest import demo_jobs, person
from tests.jobs.hands import begun

CARD = "#steps > form:not([hidden])"


@pytest.fixture
def number(db: Session) -> str:
    """A card of a new job with nothing ticked."""
    job = begun(
        Act(db=db, person=person(db, "odd"), now=datetime.now(UTC)),
        "A",
        "maf_sensor",
        "throttle_body",
        plate="BY-100",
    )
    db.commit()
    return job.number


def ticked(db: Session, number: str) -> list[str]:
    """Steps that are done on the server, in the order of the card."""
    db.expire_all()
    return [s.document.id for s in find_job(db, number).steps if s.done_at]


@pytest.fixture
def bare(browser: Browser) -> Iterator[Page]:
    """A page without a worker between it and the network, so that a test can cut its line."""
    context = browser.new_context(service_workers="block")
    yield context.new_page()
    context.close()


def wait_for(true: Callable[[], object], seconds: float = 60.0) -> None:
    end = time.monotonic() + seconds
    while not true():
        assert time.monotonic() < end, "it did not happen in time"
        time.sleep(0.05)


def tick(page: Page) -> None:
    """Read what must be read, answer what is asked, tick; the next step is there, with the server
    or without it."""
    card = page.locator(CARD)
    step = card.get_attribute("data-step")
    while card.locator("[data-read]").count():
        count = card.locator("[data-read]").count()
        card.locator("[data-read]").first.click()
        expect(card.locator("[data-read]")).to_have_count(count - 1)
    for name in sorted(
        {r.get_attribute("name") or "" for r in card.locator("input[type=radio]").all()}
    ):
        value = "1" if "grade" in name else "no" if "pale" in name else "yes"
        card.locator(f'input[name="{name}"][value="{value}"]').check()
    if card.locator("[data-hold]").is_visible():
        card.locator("[name=early_reason]").fill("ready, looked at it")
    card.get_by_role("button", name="Done, tick").click()
    expect(page.locator(f'{CARD}[data-step="{step}"]')).to_have_count(0)


def lose(page: Page) -> None:
    """Cut the connection of this page, as a tunnel does."""

    def cut(route: Route) -> None:
        route.abort("internetdisconnected")

    page.route("**/*", cut)


def test_each_sees_the_others_tick(
    page: Page, browser: Browser, server: Server, number: str, faults: list[str]
) -> None:
    sign_in(page, server, "odd")
    page.goto(f"{server.address}/jobs/{number}/work")
    # A newer card is merged round the steps, which therefore stand in the card itself.
    expect(page.locator("#card > #steps")).to_have_count(1)
    second = browser.new_context().new_page()
    sign_in(second, server, "pia")
    second.goto(f"{server.address}/jobs/{number}/work")
    text = second.locator(CARD).get_attribute("data-text") or ""
    second.wait_for_timeout(300)
    tick(page)
    # Without a reload and without a press: the news itself brings it.
    expect(second.locator("[data-count]")).to_have_text(re.compile("step 2 of"), timeout=60_000)
    expect(second.locator("#notice")).to_contain_text(text)
    expect(second.locator("#notice")).to_contain_text("Odd")
    # An item that one adds by two touches stands on the other's strip.
    second.locator("#strip details").first.locator("summary").click()
    second.locator("#strip").get_by_role("button", name="rag inside").click()
    expect(page.locator("#strip")).to_contain_text("Rag inside")
    second.context.close()


def test_work_goes_on_while_the_connection_is_cut_and_is_sent_once_and_in_order(
    bare: Page, server: Server, number: str, db: Session
) -> None:
    page = bare
    sign_in(page, server, "odd")
    page.goto(f"{server.address}/jobs/{number}/work")
    before = ticked(db, number)
    lose(page)
    for _ in range(4):
        tick(page)
    expect(page.locator("#line")).to_contain_text("The server can not be reached")
    expect(page.locator("#line")).to_contain_text("not yet on the server")
    expect(page.locator("[data-count]")).to_have_text(re.compile("step 5 of"))
    assert ticked(db, number) == before, "nothing is there yet"
    page.unroute("**/*")
    wait_for(lambda: len(ticked(db, number)) == len(before) + 4)
    expect(page.locator("#line")).to_be_hidden()
    keys = [
        t.detail["step"]
        for t in db.scalars(
            select(AuditEntry).where(AuditEntry.action == "step_done").order_by(AuditEntry.id)
        )
        if t.job_id == find_job(db, number).id
    ]
    assert keys == ticked(db, number), "in order, each once"


def test_the_server_is_killed_and_started_in_mid_flow_and_the_page_is_loaded_anew_meanwhile(
    page: Page, server: Server, number: str, db: Session
) -> None:
    sign_in(page, server, "odd")
    page.goto(f"{server.address}/jobs/{number}/work")
    page.evaluate("navigator.serviceWorker.ready.then(() => true)")
    page.reload()
    tick(page)
    server.kill()
    for _ in range(2):
        tick(page)
    # The strip's own timer, started without the server.
    page.locator("#strip details").nth(1).locator("summary").click()
    form = page.locator("form[data-entry=wait]")
    form.locator("[name=wait_name]").fill("Penetrating oil")
    form.locator("[name=wait_minutes]").fill("20")
    form.locator("[name=wait_reason]").fill("seized screw")
    form.get_by_role("button", name="Start it").click()
    expect(page.locator("#line")).to_contain_text("4 not yet on the server", timeout=60_000)
    page.reload()
    expect(page.locator("[data-count]")).to_have_text(re.compile("step 4 of"))
    expect(page.locator("#line")).to_contain_text("not yet on the server", timeout=60_000)
    server.start()
    wait_for(lambda: len(ticked(db, number)) == 3)
    expect(page.locator("#strip")).to_contain_text("Penetrating oil", timeout=60_000)
    waits = {w.name: w for w in find_job(db, number).waits}
    assert (
        waits["Penetrating oil"].ends_at - waits["Penetrating oil"].started_at
    ).total_seconds() == 1200


def test_a_conflict_is_shown_to_the_person_and_not_resolved_behind_their_back(
    bare: Page, server: Server, number: str, db: Session
) -> None:
    page = bare
    sign_in(page, server, "odd")
    page.goto(f"{server.address}/jobs/{number}/work")
    lose(page)
    tick(page)
    pia = Act(db=db, person=person(db, "pia"), now=datetime.now(UTC))
    row = db.scalars(
        select(StepRow).where(StepRow.job_id == find_job(db, number).id).order_by(StepRow.position)
    ).first()
    assert row
    jobcard.acknowledge(pia, number, "fire")
    jobcard.tick(pia, number, row.id, records={})
    db.commit()
    page.unroute("**/*")
    expect(page.locator("#line")).to_contain_text("had ticked it already", timeout=60_000)
    expect(page.locator("#line")).to_contain_text("Pia")
    page.get_by_role("button", name="Seen").click()
    expect(page.locator("#line")).to_be_hidden()


def test_one_touch_a_step_and_keys_alone(
    page: Page, server: Server, number: str, db: Session, faults: list[str]
) -> None:
    sign_in(page, server, "odd")
    page.goto(f"{server.address}/jobs/{number}/work")
    tick(page)
    # Steps without records: one press each.
    for _ in range(3):
        card = page.locator(CARD)
        if (
            card.locator("input[type=radio]").count()
            or card.locator("[data-read]").count()
            or card.locator("[data-hold]").is_visible()
        ):
            tick(page)
            continue
        step = card.get_attribute("data-step")
        page.keyboard.press("t")
        expect(page.locator(f'{CARD}[data-step="{step}"]')).to_have_count(0)
    done = 4
    wait_for(lambda: len(ticked(db, number)) == done)
    here = page.locator(CARD).get_attribute("data-step")
    page.keyboard.press("j")
    expect(page.locator(f'{CARD}[data-step="{here}"]')).to_have_count(0)
    expect(page.locator("#upcoming")).to_contain_text("Jumped over, still to do")
    page.keyboard.press("k")
    expect(page.locator(f'{CARD}[data-step="{here}"]')).to_be_visible()
    # What is under way may put the button anew in the middle of the press.
    page.wait_for_function("!document.querySelector('.htmx-request')")
    page.keyboard.press("u")
    wait_for(lambda: len(ticked(db, number)) == done - 1)


def test_a_replay_that_is_cut_by_a_kill_loses_nothing_and_takes_nothing_twice(
    server: Server, number: str, db: Session
) -> None:
    """Five hundred entries in batches; the server dies in the middle of one, and all that was not
    answered is sent again."""
    moment = datetime.now(UTC).isoformat()
    queue = [
        {
            "id": f"replayed-{i:04d}",
            "kind": "count",
            "at": moment,
            "data": {"what": "caps", "way": "in" if i % 2 == 0 else "out", "pieces": 1},
        }
        for i in range(500)
    ]
    me = person(db, "odd").id
    unanswered = list(queue)
    killer = threading.Timer(0.3, server.kill)
    killed = 0
    with httpx.Client(
        base_url=server.address, headers={"origin": server.address}, timeout=20
    ) as client:
        client.post("/sign-in", data={"name": "odd", "password": "slipway-odd"})
        killer.start()
        while unanswered:
            try:
                answer = client.post(
                    f"/jobs/{number}/entries", json={"me": me, "entries": unanswered[:50]}
                )
                answer.raise_for_status()
            except httpx.HTTPError:
                killer.join()
                killed += 1
                assert killed < 4
                server.start()
                continue
            outcomes = {r["outcome"] for r in answer.json()["results"]}
            assert outcomes <= {"done", "before"}, outcomes
            unanswered = unanswered[50:]
    assert killed, "the server was killed while it was taking them"
    assert find_job(db, number).counted == {"caps": [250, 250]}


def test_a_picture_that_is_taken_without_the_server_is_kept_and_sent_once(
    bare: Page, server: Server, db: Session, tmp_path: Path
) -> None:
    page, number = bare, demo_jobs(db)["work"]
    shot = tmp_path / "meter.jpg"
    Image.new("RGB", (640, 480), "grey").save(shot)
    sign_in(page, server, "odd")
    page.goto(f"{server.address}/jobs/{number}/work")
    lose(page)
    page.locator(f"{CARD} [data-take-picture]").set_input_files(shot)
    expect(page.locator(f"{CARD} [data-uploaded]")).to_have_text("…")
    assert db.scalars(select(JobPicture)).all() == []
    page.unroute("**/*")
    wait_for(lambda: db.scalars(select(JobPicture)).all())
    expect(page.locator(f"{CARD} [data-uploaded]")).to_have_text("✓")
    page.reload()
    page.wait_for_timeout(500)
    db.expire_all()
    assert [(p.part, p.phase) for p in db.scalars(select(JobPicture))] == [("maf_sensor", "after")]
