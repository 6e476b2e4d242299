"""The fleet's page, its calendars, and a vehicle's line."""

import re

from icalendar import Calendar

from tests.web.conftest import Browser, flat


def test_the_page_shows_what_is_overdue_first(web: Browser) -> None:
    page = flat(web.get("/fleet").text and web.get("/fleet"))
    assert "1 overdue" in page and page.index("QN-118") < page.index("QN-F5")
    assert "here now" in page
    only = flat(web.get("/fleet?keeper=Beach%20patrol"))
    assert "QN-F5" in only and "QN-118" not in only
    assert web.get("/fleet?keeper=" + "x" * 3000).status_code == 200


def test_a_calendar_from_opening_to_closing(web: Browser, visitor: Browser) -> None:
    refused = web.submit("/fleet/calendars", {"keeper": "Nobody"})
    assert refused.status_code == 422 and "owner of the list" in refused.text
    answer = web.submit("/fleet/calendars", {"keeper": "Quillness school run"})
    found = re.search(r'value="http://127.0.0.1(/calendar/[^"]+\.ics)"', answer.text)
    assert answer.status_code == 200 and found
    assert found[1] not in web.get("/fleet").text, "shown once"
    web.cookies.clear()
    told = web.get(found[1])
    assert told.status_code == 200 and told.headers["content-type"].startswith("text/calendar")
    assert told.headers["x-robots-tag"] == "noindex"
    plates = [str(e["summary"]) for e in Calendar.from_ical(told.content).walk("VEVENT")]
    assert any("QN-118" in p for p in plates) and not any("QN-F5" in p for p in plates)
    assert web.get("/calendar/none.ics").status_code == 404
    assert web.get("/fleet", follow_redirects=False).status_code in (302, 303)


def test_a_closed_calendar_answers_no_more(web: Browser) -> None:
    answer = web.submit("/fleet/calendars", {"keeper": ""})
    found = re.search(r"/calendar/[^\"]+\.ics", answer.text)
    assert found
    feed = re.search(r"/fleet/calendars/(\d+)/close", web.get("/fleet").text)
    assert feed
    assert web.submit(f"/fleet/calendars/{feed[1]}/close").status_code == 303
    assert web.get(found[0]).status_code == 404
    assert web.submit("/fleet/calendars/999999/close").status_code == 404


def test_a_vehicles_line_shows_what_is_to_come(web: Browser) -> None:
    page = flat(web.get("/vehicles/QN118"))
    assert "overdue since" in page and "Throttle body: grade 2 at about" in page
    assert "slower since what feeds it was mended" in flat(web.get("/vehicles/QN121"))
    assert " h" in page or "km" in page
    assert (
        "1\u202f300\u202fh" in web.get("/vehicles/QNF5").text
        or "h</b>" in web.get("/vehicles/QNF5").text
    )
