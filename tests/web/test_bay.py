"""The bay's routes: entries by JSON and by plain forms, gates with a foreman's reason, handing
over, the worker's file."""

import re
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
from sqlalchemy import select
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from galene.jobs import entries, gates, jobcard
from galene.jobs.act import find_job
from galene.store.models import Person
from tests.conftest import person
from tests.web.conftest import HOST, Browser


def entry(kind: str, name: str = "web-entry-1", /, **data: Any) -> dict[str, Any]:
    return {"id": name, "kind": kind, "at": datetime.now(UTC).isoformat(), "data": data}


def send(web: Browser, number: str, me: int, *sent: dict[str, Any], origin: str = HOST):
    return web.post(
        f"/jobs/{number}/entries",
        json={"me": me, "entries": list(sent)},
        headers={"origin": origin},
    )


@pytest.fixture
def odd_id(db: Session) -> int:
    return person(db, "odd").id


def test_an_answer_is_dated_by_the_clock_that_pages_are_dated_by(
    web: Browser, numbers: dict[str, str], odd_id: int
) -> None:
    """The card tells by it which page was made before its entries: two clocks would let an older
    page take back what was entered."""
    ahead = datetime.now(UTC) + timedelta(hours=3)
    web.app.state.clock = lambda: ahead
    answer = send(web, numbers["work"], odd_id, entry("item", kind="hose", what="Breather"))
    assert datetime.fromisoformat(answer.json()["now"]) == ahead
    assert f'data-now="{ahead.isoformat()}"' in web.get(f"/jobs/{numbers['work']}/work").text


def test_entries_are_answered_one_by_one(
    web: Browser, numbers: dict[str, str], odd_id: int, db: Session
) -> None:
    answer = send(
        web,
        numbers["work"],
        odd_id,
        entry("item", "entry-one", kind="hose", what="Breather"),
        entry("item", "entry-two", kind="sail"),
        entry("close", "entry-three", key="hand:entry-one"),
    )
    assert [r["outcome"] for r in answer.json()["results"]] == [
        "done",
        "refused",
        "done",
    ], "one that is refused holds up nothing"
    assert answer.json()["results"][1]["faults"]["kind"] == "Choose a kind."
    again = send(
        web, numbers["work"], odd_id, entry("item", "entry-one", kind="hose", what="Breather")
    )
    assert [r["outcome"] for r in again.json()["results"]] == ["before"]
    assert [i.what for i in find_job(db, numbers["work"]).items].count("Breather") == 1


def test_nobodys_entries_are_taken_under_another_name(
    web: Browser, numbers: dict[str, str], db: Session
) -> None:
    pia = db.scalars(select(Person.id).where(Person.sign_in == "pia")).one()
    answer = send(web, numbers["work"], pia, entry("item", kind="hose", what="Breather"))
    assert answer.status_code == 409 and answer.json()["other"].startswith("Odd")


@pytest.mark.parametrize(
    "bad",
    [
        {"id": "x", "kind": "item", "at": "2026-11-25T10:00:00+00:00", "data": {}},
        {"id": "web-entry-1", "kind": "item", "at": "2026-11-25T10:00:00", "data": {}},
        {"id": "web-entry-1", "kind": "item", "at": "noon", "data": {}},
        {
            "id": "web-entry-1",
            "kind": "item",
            "at": "2026-11-25T10:00:00+00:00",
            "data": {"what": [1]},
        },
        {
            "id": "web-entry-1",
            "kind": "item",
            "at": "2026-11-25T10:00:00+00:00",
            "data": {},
            "more": 1,
        },
        {"id": "../../etc", "kind": "item", "at": "2026-11-25T10:00:00+00:00", "data": {}},
    ],
)
def test_what_no_card_sends_is_refused(
    web: Browser, numbers: dict[str, str], odd_id: int, bad: dict[str, Any]
) -> None:
    assert send(web, numbers["work"], odd_id, bad).status_code == 422


def test_other_sites_and_strangers_enter_nothing(
    web: Browser, numbers: dict[str, str], odd_id: int, visitor: Browser
) -> None:
    assert (
        send(
            web, numbers["work"], odd_id, entry("item", kind="hose"), origin="http://elsewhere.test"
        ).status_code
        == 403
    )
    assert (
        send(
            web,
            numbers["work"],
            odd_id,
            *[entry("item", f"entry-{i:03d}", kind="hose") for i in range(101)],
        ).status_code
        == 422
    )
    web.cookies.clear()
    assert "/sign-in" in str(send(web, numbers["work"], odd_id, entry("item", kind="hose")).url)


def test_a_lost_database_is_not_taken_for_an_answer(
    web: Browser, numbers: dict[str, str], odd_id: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The card keeps what was not answered: a lost database must never look like a refusal, a
    broken entry never like a lost one."""

    def lost(*_: object, **__: object) -> None:
        raise OperationalError("select", {}, Exception("gone"))

    monkeypatch.setattr(jobcard, "add_item", lost)
    assert (
        send(web, numbers["work"], odd_id, entry("item", kind="hose", what="x")).status_code == 503
    )

    def broken(*_: object) -> None:
        raise RuntimeError("a slip in the code")

    monkeypatch.setitem(entries.KINDS, "item", broken)
    answer = send(
        web,
        numbers["work"],
        odd_id,
        entry("item", "broken-one", kind="hose"),
        entry("count", "counted-one", what="caps", way="in", pieces=2),
    )
    assert [r["outcome"] for r in answer.json()["results"]] == ["refused", "done"]


def test_the_foreman_opens_the_road_gate_with_a_reason(
    as_person: Callable[[str], Browser], numbers: dict[str, str], db: Session
) -> None:
    number = numbers["prove"]
    web = as_person("odd")
    web.submit(
        f"/jobs/{number}/enter/item", {"kind": "cover", "what": "Undertray", "before": "road test"}
    )
    drive = {
        "kilometres": "9",
        "kilometres_unit": "km",
        "symptom:rough_idle": "gone",
        "symptom:stalls_coming_to_stop": "gone",
        "complaint_gone": "gone",
        "notes": "",
        "seen": "0",
    }
    refused = web.submit(f"/jobs/{number}/road-test", drive)
    assert (
        refused.status_code == 409
        and "Undertray" in refused.text
        and "override_reason" not in refused.text
    )
    web = as_person("maren")
    offered = web.submit(f"/jobs/{number}/road-test", drive)
    assert (
        offered.status_code == 409
        and "override_reason" in offered.text
        and 'name="seen"' in offered.text
    )
    done = web.submit(
        f"/jobs/{number}/road-test",
        {**drive, "override_reason": "one lap of the yard, tray beside me"},
    )
    assert done.status_code == 303
    db.expire_all()
    assert find_job(db, number).gates["road test"].held == ("Undertray",)
    assert "one lap of the yard" in web.get(f"/jobs/{number}/report").text


def test_a_job_that_is_handed_over_is_seen_and_read_and_accepted(
    as_person: Callable[[str], Browser], numbers: dict[str, str], db: Session
) -> None:
    number = numbers["work"]
    owner = find_job(db, number).technician.sign_in
    other = "pia" if owner == "odd" else "odd"
    assert as_person(owner).submit(f"/jobs/{number}/pass-on", {"to": owner}).status_code == 422
    web = as_person(owner)
    assert web.submit(f"/jobs/{number}/pass-on", {"to": other}).status_code == 303
    assert "Offered to" in web.get(f"/jobs/{number}/diagnosis").text
    web = as_person(other)
    assert "Read what is open, then it is yours" in web.get("/").text
    keys = [i.key for i in gates.open_items(find_job(db, number))]
    lacking = web.submit(f"/jobs/{number}/accept", {"read": keys[:1]})
    assert lacking.status_code == 422 and "Read each one" in lacking.text
    assert web.submit(f"/jobs/{number}/accept", {"read": keys}).status_code == 303
    db.expire_all()
    assert find_job(db, number).technician.sign_in == other


def test_a_find_by_its_form(web: Browser, numbers: dict[str, str], db: Session) -> None:
    number = numbers["work"]
    where = {"found_where": "maf_sensor", "found_note": "tab off"}
    path = f"/jobs/{number}/found"
    refused = web.submit(path, {"found": "stripped_thread", **where, "found_cost": ""})
    assert (
        refused.status_code == 422
        and "What does the new part cost?" in refused.text
        and "tab off" in refused.text
    )
    wrong = web.submit(
        path,
        {
            "found": "snapped_bolt",
            "found_where": "",
            "found_note": "left one",
            "found_cost": "dear",
        },
    )
    assert wrong.status_code == 422 and "Cost: not a number." in wrong.text
    dropped = web.submit(path, {"found": "dropped", **where})
    assert dropped.status_code == 422 and "Say whether it is out again" in dropped.text
    assert web.submit(path, {"found": "cracked_body", **where}).status_code == 303
    page = web.get(f"/jobs/{number}/work").text
    assert (
        "costs more than was agreed" in page
        and "Take a picture of the crack" in page
        and "Hold the new part" not in page
    )
    assert "New meter beside the old" in page, (
        "a new one goes in: the steps are those of fitting it"
    )
    plan = web.get(f"/jobs/{number}/plan").text
    assert "tab off" in plan and "Record the approval" in plan
    # One version everywhere: the newest, and beside it what was agreed.
    text = " ".join(re.sub("<[^>]+>", " ", plan).split())
    newest = re.search(r"Version 2, mk ([\d.]+)", text)
    before = re.search(r"Agreed so far: version 1, mk ([\d.]+)", text)
    assert newest and before and newest[1] != before[1], text[-3000:]
    assert f"{newest[1]}" in text[: text.index("Approval")], "the head says the same"
    address = re.search(
        r"http://127.0.0.1(/o/[\w-]+)", web.submit(f"/jobs/{number}/owner", {"days": "14"}).text
    )
    assert address
    offered = " ".join(web.get(address[1]).text.split())
    assert f'You agreed to <b class="num">mk {before[1]}' in offered and newest[1] in offered
    assert (
        web.submit(
            f"/jobs/{number}/plan/approve",
            {
                "version": "2",
                "approved_by": "the keeper",
                "approved_how": "phone",
                "agreed_up_to": "1",
            },
        ).status_code
        == 422
    )
    assert (
        web.submit(
            f"/jobs/{number}/plan/approve",
            {
                "version": "2",
                "approved_by": "the keeper",
                "approved_how": "phone",
                "agreed_up_to": "",
            },
        ).status_code
        == 303
    )
    assert "costs more than was agreed" not in web.get(f"/jobs/{number}/work").text


def test_the_worker_is_served_for_the_whole_site_and_never_from_an_old_copy(
    visitor: Browser,
) -> None:
    answer = visitor.get("/sw.js")
    assert (
        answer.status_code == 200
        and answer.headers["cache-control"] == "no-cache"
        and "javascript" in answer.headers["content-type"]
    )


def test_every_field_of_a_card_has_a_name_of_its_own(web: Browser, numbers: dict[str, str]) -> None:
    """Every step stands in the page: two fields of one id would give the label of the one to the
    other."""
    ids = re.findall(r'\sid="([^"]+)"', web.get(f"/jobs/{numbers['work']}/work").text)
    assert len(ids) == len(set(ids)), sorted({i for i in ids if ids.count(i) > 1})
