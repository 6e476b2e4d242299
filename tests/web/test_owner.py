"""The owner's page from outside: no account, one job, nothing else."""

import re
from io import BytesIO

import pytest
from PIL import Image
from sqlalchemy import select
from sqlalchemy.orm import Session

from galene.store.models import Job
from galene.web.shared.limits import MOST_GUESSES
from tests.conftest import demo_jobs
from tests.web.conftest import Browser, flat

OWN = {"origin": "http://127.0.0.1"}


def opened(web: Browser, number: str) -> str:
    """The path of a fresh address of a job."""
    page = web.submit(f"/jobs/{number}/owner", {"days": "14"})
    found = re.search(r"http://127.0.0.1(/o/[\w-]+)", page.text)
    assert found, page.text
    return found[1]


def signed_off(web: Browser) -> Browser:
    web.cookies.clear()
    return web


@pytest.fixture
def numbers(db: Session) -> dict[str, str]:
    """Jobs by their stage; a family A job that is finished."""
    found = {j.stage: j.number for j in db.scalars(select(Job).where(Job.state == "open")).unique()}
    return {**found, "finished": demo_jobs(db)["handover"]}


def test_the_offer_is_read_agreed_to_and_answered_once(
    web: Browser, numbers: dict[str, str]
) -> None:
    number = numbers["plan"]
    path = opened(web, number)
    cookies = dict(web.cookies)
    outside = signed_off(web)
    page = outside.get(path)
    text = flat(page)
    assert page.status_code == 200 and "What we would do, for" in text
    assert page.headers["x-robots-tag"] == "noindex, nofollow"
    assert page.headers["referrer-policy"] == "same-origin"
    assert page.headers["cache-control"] == "no-store"
    version = re.search(r'name="version" value="(\d+)"', text)
    assert version
    given = {"once": "once-for-all", "version": version[1], "kind": "ask", "name": "Ada Rook"}
    empty = outside.post(f"{path}/answer", data=given, headers=OWN, follow_redirects=False)
    assert empty.status_code == 422 and "What would you like to know?" in empty.text
    asked = {**given, "words": "Will it last?"}
    for _ in range(2):
        answer = outside.post(f"{path}/answer", data=asked, headers=OWN, follow_redirects=False)
        assert answer.status_code == 303
    assert outside.get(path).text.count("Will it last?") == 1
    web.cookies.update(cookies)
    assert "Will it last?" in web.get("/").text
    inside = web.get(f"/jobs/{number}/owner").text
    word = re.search(r"/owner/words/(\d+)", inside)
    assert word
    web.submit(f"/jobs/{number}/owner/words/{word[1]}", {"reply": "A year or two."})
    assert "A year or two." in signed_off(web).get(path).text


def test_a_wrong_address_tells_nothing_and_shuts_out_no_right_one(
    web: Browser, numbers: dict[str, str]
) -> None:
    path = opened(web, numbers["plan"])
    outside = signed_off(web)
    seen = {outside.get(f"/o/{'x' * 32}{n}").status_code for n in range(MOST_GUESSES + 1)}
    assert seen == {404} and outside.get(path).status_code == 200


def test_an_address_of_the_net_is_not_served_without_end(
    web: Browser, numbers: dict[str, str]
) -> None:
    path = opened(web, numbers["plan"])
    outside = signed_off(web)
    codes = [outside.get(path).status_code for _ in range(61)]
    assert set(codes[:-1]) == {200} and codes[-1] == 429
    assert 1 <= int(outside.get(path).headers["retry-after"]) <= 60


def test_only_pictures_of_this_job_are_shown(web: Browser, numbers: dict[str, str]) -> None:
    out = BytesIO()
    Image.new("RGB", (400, 300), (90, 70, 60)).save(out, "JPEG")
    number, other = numbers["plan"], numbers["evidence"]
    for job, part in ((number, ""), (other, "")):
        out.seek(0)
        file = {"file": ("a.jpg", out.getvalue() + job.encode(), "image/jpeg")}
        sent = web.submit(f"/jobs/{job}/pictures", {"part": part, "phase": "before"}, files=file)
        assert sent.status_code == 303
    path = opened(web, number)
    page = signed_off(web).get(path).text
    name = re.search(rf"{path}/pictures/([0-9a-f]{{64}})\.jpg", page)
    assert name
    assert web.get(name[0]).headers["content-type"] == "image/jpeg"
    assert web.get(f"{path}/pictures/{'0' * 64}.jpg").status_code == 404
    assert web.get(f"{path}/pictures/../../x.jpg").status_code in (400, 404)


def test_the_signed_report_is_there_as_page_and_pdf(web: Browser, numbers: dict[str, str]) -> None:
    path = opened(web, numbers["finished"])
    outside = signed_off(web)
    assert "It was" in outside.get(path).text
    made = outside.get(f"{path}/report.pdf")
    assert made.content.startswith(b"%PDF")
    assert outside.get(f"{path}/report.pdf?paper=napkin").status_code == 404


def test_a_closed_address_answers_no_more(web: Browser, numbers: dict[str, str]) -> None:
    path = opened(web, numbers["plan"])
    page = web.get(f"/jobs/{numbers['plan']}/owner").text
    close = re.search(r'action="(/jobs/[^"]+/owner/\d+/close)"', page)
    assert close
    assert web.submit(close[1]).status_code == 303
    assert signed_off(web).get(path).status_code == 404
