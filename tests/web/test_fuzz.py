"""Whatever is sent: an answer below 500. Bounded: a few values for each field of each form, and a
few bodies for each route of the JSON API, made by hypothesis from its own description."""

import random
import re
from collections.abc import Callable
from html import unescape

import pytest
import schemathesis
from httpx2 import InvalidURL
from hypothesis import HealthCheck, Phase, given, settings
from sqlalchemy import select
from sqlalchemy.orm import Session

from galene.store.models import Vehicle
from galene.web.shared.limits import Limits
from tests.often import often
from tests.web.conftest import HOST, Browser

ODD = (
    "",
    "²",
    "\x00",
    "9" * 400,
    "-1",
    "1e308",
    "NaN",
    "../../etc/passwd",
    "'; drop table job; --",
    "<script>alert(1)</script>",
    "\u202e\u0301",
    "🛠" * 200,
    "x" * 20_000,
    "2026-13-45T99:99",
    "{{ 7 * 7 }}",
)
PLACES = (
    "/",
    "/account",
    "/people",
    "/people/2",
    "/vehicles/new",
    "/vehicles/take-in",
    "/vehicles/{plate}",
    "/vehicles/{plate}/record",
    "/vehicles/{plate}/fuel",
    "/keepers",
    "/fleet",
    "/shelf",
    "/shelf/1",
    "/shelf/parts",
    "/shelf/parts/1",
    "/reference",
    "/reference/families/A",
    "/reference/families/A/bands",
    "/reference/families/A/edit",
    "/reference/templates/act/blow_out",
    "/bundles",
    "/running",
    "/worksheets/idle-gap",
    "/worksheets/bore-restriction",
    "/jobs/new",
    *(
        f"/jobs/{{{stage}}}/{page}"
        for stage in ("intake", "work", "prove", "handover")
        for page in ("intake", "evidence", "plan", "work", "prove", "handover", "owner", "logs")
    ),
)
FORM = re.compile(r'<form method="post"( action="([^"]*)")?(.*?)</form>', re.DOTALL)
FIELD = re.compile(r'name="([^"]+)"(?:[^>]*?value="([^"]*)")?')
ENDS = ("/sign-out", "/running/backup", "/people/tablets", "/view")
"""Forms that end the session, take long, or change the browser itself."""


def forms(browser: Browser, page: str) -> list[tuple[str, dict[str, str]]]:
    answer = browser.get(page)
    found = []
    for _, action, inside in FORM.findall(answer.text):
        fields = {n: unescape(v) for n, v in FIELD.findall(inside) if n != "second_factor"}
        if not (action or page).endswith(ENDS):
            found.append((unescape(action) or page, fields))
    return found


@pytest.mark.parametrize("part", range(4))
def test_no_form_breaks(
    part: int, as_person: Callable[[str], Browser], numbers: dict[str, str], db: Session
) -> None:
    """Each form of each page as the foreman sees it, with each field odd in turn."""
    browser, chance = as_person("maren"), random.Random(part)
    places = {**numbers, "plate": db.scalars(select(Vehicle.plate_key)).first() or ""}
    sent, told = set[str](), 0
    for page in PLACES[part::4]:
        for action, fields in forms(browser, page.format(**places)):
            if action in sent:
                continue
            sent.add(action)
            for name in [n for n in fields if n != "once"][: often(4, 7)]:
                data = {
                    **fields,
                    "once": f"fuzz-{chance.random()}",
                    name: chance.choice(ODD),
                    "password_again": "slipway-maren",
                }
                answer = browser.post(
                    action, data=data, headers={"origin": HOST}, follow_redirects=False
                )
                assert answer.status_code < 500, (action, name, data[name][:40])
                told += 1
    assert told > often(8, 20) and len(sent) >= 4


@pytest.mark.filterwarnings("ignore")
def test_the_json_api_holds_to_its_description(as_person: Callable[[str], Browser]) -> None:
    browser = as_person("odd")
    browser.app.state.api_limits = Limits(10**6, 10**6)
    described = schemathesis.openapi.from_dict(browser.get("/api/v1/openapi.json").json())
    asked = 0
    for found in described.get_all_operations():
        operation = found.ok()
        asked += 1

        @settings(
            max_examples=often(3, 20),
            deadline=None,
            database=None,
            derandomize=True,
            phases=[Phase.generate],
            suppress_health_check=list(HealthCheck),
        )
        def holds(case: schemathesis.Case) -> None:
            sent = case.as_transport_kwargs(base_url=HOST)
            sent = {k: v for k, v in sent.items() if k not in ("cookies", "timeout")}
            try:
                answer = browser.request(**sent, follow_redirects=False)
            except (UnicodeEncodeError, InvalidURL):
                return  # no client can put such a header or address on the line
            assert answer.status_code < 500, sent

        given(case=operation.as_strategy())(holds)()
    assert asked > 30
