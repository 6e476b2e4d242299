"""Signing in, and when a session ends."""

import asyncio
import re
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime, timedelta

import pyotp
import pytest
from httpx2 import Response
from sqlalchemy import Engine, select
from sqlalchemy.orm import Session

from galene.core.workshop.tries import BY_NAME
from galene.jobs.passwords import digest
from galene.jobs.signing_in import Caller, Outcome, Wrong, open_session, sign_in, sign_out
from galene.store.models import AuditEntry, Person, WebSession, Workshop
from galene.store.vault import Vault, new_key
from galene.web.shared.caller import DEVICE, SESSION
from galene.web.shared.news import News
from tests.conftest import person
from tests.web.conftest import Browser

NEW = "seven wet oars drying"


def enter(browser: Browser, name: str, password: str, **more: str) -> Response:
    return browser.submit("/sign-in", {"name": name, "password": password, **more})


def put_forward(browser: Browser, **by: float) -> datetime:
    """The server's clock, put forward."""
    moment = datetime.now(UTC) + timedelta(**by)
    browser.app.state.clock = lambda: moment
    return moment


def shown(answer: Response, name: str) -> str:
    found = re.search(rf'name="{name}" value="([^"]+)"', answer.text)
    assert found, answer.text
    return found[1]


def test_only_the_right_password_gets_in(visitor: Browser) -> None:
    assert enter(visitor, " ODD ", "slipway-odd").status_code == 303
    visitor.cookies.clear()
    answers = [enter(visitor, *pair) for pair in (("odd", "wrong"), ("nobody", "wrong"))]
    assert [a.status_code for a in answers] == [422, 422]
    texts = [a.text.replace('value="odd"', "").replace('value="nobody"', "") for a in answers]
    assert texts[0] == texts[1], "nothing tells whether there is such a name"


@pytest.mark.parametrize("name", ["odd", "nobody"])
def test_wrong_tries_are_slowed_and_never_for_good(visitor: Browser, name: str) -> None:
    put_forward(visitor, seconds=0)  # a slow machine lets no second pass
    codes = [enter(visitor, name, f"wrong {n}").status_code for n in range(8)]
    assert codes[:5] == [422] * 5 and codes[5:] == [429] * 3
    held = enter(visitor, name, "slipway-odd")
    assert held.status_code == 429 and int(held.headers["retry-after"]) > 0
    put_forward(visitor, minutes=16)
    expected = 303 if name == "odd" else 422
    assert enter(visitor, name, "slipway-odd").status_code == expected


def test_many_tries_at_once_are_not_all_the_first(engine: Engine) -> None:
    vault, now = Vault(new_key()), datetime.now(UTC)

    def guess(k: int) -> Outcome:
        with Session(engine) as db:
            caller = Caller(address="192.0.2.7")
            found = sign_in(db, caller, "odd", password=f"wrong {k}", vault=vault, now=now)
            db.commit()
            return found

    with ThreadPoolExecutor(10) as pool:
        found = list(pool.map(guess, range(10)))
    assert [type(one) for one in found].count(Wrong) == BY_NAME.free


def test_strangers_can_not_keep_somebody_out_of_a_browser_that_is_known(visitor: Browser) -> None:
    assert enter(visitor, "odd", "slipway-odd").status_code == 303
    known = visitor.cookies[DEVICE]
    visitor.cookies.clear()
    put_forward(visitor, seconds=0)
    assert [enter(visitor, "odd", f"wrong {n}").status_code for n in range(7)][-1] == 429
    visitor.cookies.set(DEVICE, known)
    assert enter(visitor, "odd", "slipway-odd").status_code == 303


def test_a_new_sign_in_ends_the_session_that_the_browser_had(visitor: Browser, db: Session) -> None:
    enter(visitor, "odd", "slipway-odd")
    first = visitor.cookies[SESSION]
    enter(visitor, "odd", "slipway-odd")
    assert visitor.cookies[SESSION] != first
    assert db.get(WebSession, digest(first)) is None
    visitor.cookies.clear()
    visitor.cookies.set(SESSION, first)
    assert visitor.get("/", follow_redirects=False).status_code == 303


def test_a_session_ends_when_nobody_uses_it_and_after_its_hours(
    as_person: Callable[[str], Browser], db: Session
) -> None:
    db.get_one(Workshop, 1).idle_minutes = 240
    db.commit()
    web = as_person("odd")
    for hours in (3.5, 7, 10.5, 13.5):
        put_forward(web, hours=hours)
        assert web.get("/").status_code == 200, "it is used"
    put_forward(web, hours=14.1)
    assert web.get("/", follow_redirects=False).status_code == 303
    web = as_person("pia")
    put_forward(web, hours=4.1)
    assert web.get("/", follow_redirects=False).status_code == 303


def test_a_new_person_comes_by_a_code_and_chooses_a_password(
    as_person: Callable[[str], Browser], db: Session
) -> None:
    web = as_person("maren")
    made = web.submit("/people", {"sign_in": "tove", "name": "Tove Lind", "role": "technician"})
    found = re.search(r'class="num text-2xl my-2">([A-Z0-9-]{14})<', made.text)
    assert found, "the code is shown once"
    assert "Tove Lind" in web.get("/people").text and found[1] not in web.get("/people").text
    web.cookies.clear()
    put_forward(web, seconds=0)  # a slow machine lets no second pass
    # Who waits on a code is guessed at as slowly as anybody, and the wait is told to the second.
    assert [enter(web, "tove", f"wrong {n}").status_code for n in range(7)][-2:] == [429] * 2
    assert int(enter(web, "tove", found[1]).headers["retry-after"]) == 1
    put_forward(web, seconds=2)
    step = enter(web, "tove", found[1].lower().replace("-", " "))
    ticket = shown(step, "ticket")
    for weak in ("short", "password1234", "tove lind tove"):
        again = web.submit("/sign-in/first-password", {"ticket": ticket, "new_password": weak})
        assert again.status_code == 422, weak
    done = web.submit("/sign-in/first-password", {"ticket": ticket, "new_password": NEW})
    assert done.status_code == 303 and web.get("/").status_code == 200
    web.cookies.clear()
    assert enter(web, "tove", found[1]).status_code == 422, "the code is used up"
    assert (
        web.submit("/sign-in/first-password", {"ticket": ticket, "new_password": NEW}).status_code
        == 422
    )
    assert enter(web, "tove", NEW).status_code == 303
    assert db.scalars(select(AuditEntry).where(AuditEntry.action == "person_added")).one()


def test_a_closed_account_is_out_at_once_and_keeps_its_traces(
    as_person: Callable[[str], Browser], db: Session
) -> None:
    odd = person(db, "odd")
    web = as_person("odd")
    secret = web.cookies[SESSION]
    foreman = as_person("maren")
    wrong = foreman.submit(f"/people/{odd.id}/close", {"password_again": "not it"})
    assert wrong.status_code == 422
    closed = foreman.submit(f"/people/{odd.id}/close", {"password_again": "slipway-maren"})
    assert closed.status_code == 303
    foreman.cookies.set(SESSION, secret)
    assert foreman.get("/", follow_redirects=False).status_code == 303
    assert enter(foreman, "odd", "slipway-odd").status_code == 422
    assert db.scalars(select(AuditEntry).where(AuditEntry.person_id == odd.id)).first()
    last = as_person("maren")
    maren = person(db, "maren")
    held = last.submit(f"/people/{maren.id}/close", {"password_again": "slipway-maren"})
    assert held.status_code == 409 and "last foreman" in held.text


def test_a_second_factor_is_asked_for_and_each_figure_counts_once(
    as_person: Callable[[str], Browser],
) -> None:
    web = as_person("maren")
    begun = web.submit("/account/second-factor", {"password_again": "slipway-maren"})
    sealed = shown(begun, "sealed")
    clock = pyotp.TOTP(web.app.state.vault.open(sealed))
    now = put_forward(web, minutes=1)
    bad = web.submit("/account/second-factor/confirm", {"sealed": sealed, "figures": "000000"})
    assert bad.status_code == 422
    figures = clock.at(now)
    done = web.submit("/account/second-factor/confirm", {"sealed": sealed, "figures": figures})
    codes = re.findall(r"<li>([A-Z0-9]{4}-[A-Z0-9]{4}-[A-Z0-9]{4})</li>", done.text)
    assert len(codes) == 10
    web.cookies.clear()
    ticket = shown(enter(web, "maren", "slipway-maren"), "ticket")

    def second(typed: str) -> int:
        sent = {"ticket": ticket, "figures": typed}
        return web.submit("/sign-in/second-factor", sent).status_code

    assert web.get("/", follow_redirects=False).status_code == 303, "the password alone is nothing"
    assert second(figures) == 422, "they were taken"
    # The right password in between gives a guesser of figures no new tries.
    tries = [(second("000000"), enter(web, "maren", "slipway-maren").status_code) for _ in range(5)]
    assert tries[-1] == (429, 429)
    later = put_forward(web, minutes=2)
    assert second(clock.at(later)) == 303
    assert (second(codes[0]), second(codes[0])) == (303, 422)


def test_foremen_need_a_second_factor_where_the_workshop_says_so(
    as_person: Callable[[str], Browser],
) -> None:
    web = as_person("maren")
    policy = {
        "session_hours": "14",
        "idle_minutes": "240",
        "shared_idle_minutes": "10",
        "second_factor": "yes",
        "password_again": "slipway-maren",
    }
    assert web.submit("/people/policy", policy).status_code == 303
    held = web.get("/", follow_redirects=False)
    assert held.headers["location"] == "/account#second-factor"
    assert "Set it up here first" in web.get("/account").text
    assert as_person("odd").get("/").status_code == 200


def test_people_change_on_a_shared_tablet_by_pin(
    as_person: Callable[[str], Browser], engine: Engine
) -> None:
    web = as_person("maren")
    for bad in ("12", "1234", "7777", "abcd"):
        sent = {"pin": bad, "password_again": "slipway-maren"}
        assert web.submit("/account/pin", sent).status_code == 422, bad
    assert (
        web.submit("/account/pin", {"pin": "2580", "password_again": "slipway-maren"}).status_code
        == 303
    )
    with Session(engine) as db:
        maren = person(db, "maren").id
    unknown = web.submit("/sign-in/pin", {"person": str(maren), "pin": "2580"})
    assert unknown.status_code == 422, "a PIN counts on a shared tablet only"
    assert web.submit("/people/tablets", {"device": "Bay tablet"}).status_code == 303
    web.submit("/sign-out")
    assert "Bay tablet" in web.get("/sign-in").text
    put_forward(web, seconds=0)
    codes = [
        web.submit("/sign-in/pin", {"person": str(maren), "pin": "9999"}).status_code
        for _ in range(5)
    ]
    assert codes == [422, 422, 422, 429, 429]
    put_forward(web, minutes=20)
    entered = web.submit("/sign-in/pin", {"person": str(maren), "pin": "2580"})
    assert entered.status_code == 303 and web.get("/people").status_code == 403
    put_forward(web, minutes=31)
    assert web.get("/", follow_redirects=False).status_code == 303, "ten minutes without a word"


def test_what_was_typed_when_the_session_ended_is_kept_through_signing_in(
    as_person: Callable[[str], Browser], numbers: dict[str, str], db: Session
) -> None:
    web = as_person("odd")
    path = f"/jobs/{numbers['intake']}/codes"
    web.cookies.clear()
    held = web.submit(path, {"codes": "P0171 typed for a while"})
    assert held.status_code == 401 and "kept and nothing of it is saved" in held.text
    kept = shown(held, "kept")
    assert enter(web, "odd", "wrong", kept=kept).text.count(kept) == 1, "through a wrong try too"
    back = enter(web, "odd", "slipway-odd", kept=kept)
    assert back.status_code == 200 and "P0171 typed for a while" in back.text
    assert f'action="{path}"' in back.text
    sent = dict(re.findall(r'type="hidden" name="(\w+)" value="([^"]*)"', back.text))
    answer = web.post(
        path, data=sent, headers={"origin": "http://127.0.0.1"}, follow_redirects=False
    )
    assert answer.status_code == 303
    assert "P0171" in web.get(f"/jobs/{numbers['intake']}/intake").text


def test_a_part_of_a_page_stays_and_says_where_to_sign_in(
    visitor: Browser, numbers: dict[str, str]
) -> None:
    answer = visitor.post(
        f"/jobs/{numbers['intake']}/tap",
        data={"once": "token-1234"},
        headers={"origin": "http://127.0.0.1", "hx-request": "true"},
    )
    assert answer.status_code == 401 and answer.headers["hx-retarget"] == "#notice"
    assert "stays on this page" in answer.text and "/sign-in" in answer.text


def test_a_form_of_somebody_else_is_not_taken_for_sent(
    as_person: Callable[[str], Browser], numbers: dict[str, str]
) -> None:
    """A page left open on a shared tablet: the next person's write is theirs, not lost."""
    path = f"/jobs/{numbers['intake']}/codes"
    sent = {"once": "one-and-the-same", "codes": "P0171"}
    as_person("odd").submit(path, sent)
    answer = as_person("pia").submit(path, {**sent, "codes": "P0299"})
    assert answer.status_code == 303
    assert "P0299" in as_person("odd").get(f"/jobs/{numbers['intake']}/intake").text


def test_a_stream_of_news_ends_with_its_session(engine: Engine, numbers: dict[str, str]) -> None:
    with Session(engine) as db:
        secret = open_session(db, person(db, "odd"), datetime.now(UTC))
        db.commit()

    async def heard() -> list[str]:
        news, lines = News(engine), list[str]()
        stream = news.of(1, digest(secret), lambda: True)
        lines.append(await anext(stream))
        lines.append(await anext(stream))  # it listens now, and looks anew
        with Session(engine) as db:
            sign_out(db, secret)
            db.commit()
        async for line in stream:
            lines.append(line)
        news.stop()
        return lines

    # In a thread of its own: a browser's test in this worker may have a loop in this one.
    with ThreadPoolExecutor(1) as beside:
        lines = beside.submit(lambda: asyncio.run(asyncio.wait_for(heard(), 120))).result()
    assert "retry" in lines[0]


def test_only_a_person_of_the_own_changes_their_own_sessions(
    as_person: Callable[[str], Browser], engine: Engine
) -> None:
    with Session(engine) as db:
        pia = db.scalars(select(Person).where(Person.sign_in == "pia")).one()
        open_session(db, pia, datetime.now(UTC))
        db.commit()
        key = db.scalars(select(WebSession.id).where(WebSession.person_id == pia.id)).one()
    odd = as_person("odd")
    odd.submit(f"/account/sessions/{key[:16]}/end")
    with Session(engine) as db:
        assert db.get(WebSession, key) is not None
    as_person("pia").submit(f"/account/sessions/{key[:16]}/end")
    with Session(engine) as db:
        assert db.get(WebSession, key) is None
