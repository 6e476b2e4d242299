"""Every route asks for the right that the matrix names: as nobody, as each role, and by PIN."""

import re
from collections.abc import Iterator
from typing import Any

import pytest
from fastapi import FastAPI
from fastapi.routing import APIRoute
from sqlalchemy import Engine, select
from sqlalchemy.orm import Session

from galene.jobs.rights import FOREMAN, HELD, TECHNICIAN, Right, holds
from galene.store.models import Vehicle, WebSession
from galene.web import app as application
from galene.web.rights import ROUTES
from galene.web.shared.gate import GatedRoute
from tests.web.conftest import Browser

LONG = {
    "GET /jobs/{number}/events",
    "GET /jobs/{number}/live/events",
    "GET /api/bridge/events",
    "GET /bundles/all.zip",
}
"""Answers that have no end, or take a minute: only who may not have them asks for them here."""
PEOPLE = {TECHNICIAN: "odd", FOREMAN: "maren"}


def routes() -> Iterator[APIRoute]:
    for module in application.MODULES:
        for router in filter(None, (getattr(module, n, None) for n in ("router", "public"))):
            yield from (r for r in router.routes if isinstance(r, APIRoute))


def filled(path: str, places: dict[str, str]) -> str:
    return re.sub(r"\{(\w+)\}", lambda m: places.get(m[1], "1"), path)


@pytest.fixture
def places(db: Session, numbers: dict[str, str]) -> dict[str, str]:
    """What stands in the places of addresses."""
    plate = db.scalars(select(Vehicle.plate_key)).first() or ""
    return {
        "number": numbers["work"],
        "plate": plate,
        "family_id": "A",
        "part": "throttle_body",
        "name": "before-after",
        "check_id": "idle_gap",
        "kind": "steps",
        "person_id": "2",
    }


def asked(browser: Browser, line: str, places: dict[str, str]) -> int:
    method, path = line.split(" ")
    answer = browser.request(
        method,
        filled(path, places),
        headers={"origin": "http://127.0.0.1"},
        follow_redirects=False,
    )
    return answer.status_code


def test_every_route_is_listed_and_reads_through_the_gate(visitor: Browser) -> None:
    there = {f"{method} {r.path}" for r in routes() for method in r.methods}
    extra = {"GET /sw.js"}
    assert there | extra == set(ROUTES) | {"GET /sw.js"}
    assert all(isinstance(r, GatedRoute) for r in routes())
    app: Any = visitor.app
    assert isinstance(app, FastAPI)


def test_nobody_gets_anything_but_what_is_open(visitor: Browser, places: dict[str, str]) -> None:
    for line, right in ROUTES.items():
        if right is not Right.OPEN:
            assert asked(visitor, line, places) in (303, 401), line


@pytest.mark.parametrize("role", PEOPLE)
def test_each_role_gets_what_it_holds(
    role: str, as_person: Any, places: dict[str, str], caplog: pytest.LogCaptureFixture
) -> None:
    browser = as_person(PEOPLE[role])
    for line, right in ROUTES.items():
        if right is Right.OPEN or (line in LONG and right in HELD[role]):
            continue
        status = asked(browser, line, places)
        assert (status == 403) == (right not in HELD[role]), (line, status)
        assert status < 500, (line, status)


def test_a_foreman_by_pin_has_a_technicians_rights(
    as_person: Any, places: dict[str, str], engine: Engine
) -> None:
    browser = as_person("maren")
    with Session(engine) as db:
        for session in db.scalars(select(WebSession)):
            session.by_pin = True
        db.commit()
    for line, right in ROUTES.items():
        if right not in HELD[TECHNICIAN]:
            assert asked(browser, line, places) == 403, line


def test_guests_and_unknown_roles_hold_nothing() -> None:
    for right in Right:
        assert holds("guest", right) == (right is Right.OPEN)
        assert holds(FOREMAN, right) and holds("", right) == (right is Right.OPEN)
