"""A new workshop: nothing answers until it is set up at its one-time address."""

from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path

import pytest
from sqlalchemy.orm import Session

from galene.jobs.families import install_shipped
from galene.jobs.workshop import open_set_up
from galene.store.cluster import APPLICATION, Cluster
from galene.store.database import make_engine, migrate
from galene.store.models import Workshop
from galene.web.app import Site, create_app
from tests.conftest import administer
from tests.web.conftest import HOST, Browser

GIVEN = {
    "workshop": "Kelpford Sheds",
    "system": "imperial",
    "currency": "kr",
    "bays": "north bay, south bay",
    "name": "Runa Vik",
    "sign_in": "runa",
    "new_password": "four grey herring nets",
}


@pytest.fixture
def empty(cluster: Cluster, tmp_path: Path) -> Iterator[Browser]:
    """The application on a database without a workshop."""
    administer(cluster, "create database without template template0")
    migrate(cluster.url("without"), APPLICATION)
    engine = make_engine(cluster.application_url("without"), 4)
    with Session(engine) as db:
        install_shipped(db, datetime.now(UTC))
        db.commit()
    app = create_app(engine, Site(home=tmp_path, patience_s=600))
    with Browser(app, base_url=HOST, raise_server_exceptions=False) as client:
        yield client
    engine.dispose()
    administer(cluster, "drop database without with (force)")


def opened(browser: Browser) -> str:
    with browser.app.state.sessions() as db:
        secret = open_set_up(db, datetime.now(UTC))
        db.commit()
    return f"/set-up/{secret}"


def test_from_the_address_to_the_first_job(empty: Browser) -> None:
    first, address = opened(empty), opened(empty)
    for path in ("/", "/sign-in", "/people", "/api/v1/fleet", "/api/v1/calculations"):
        answer = empty.get(path)
        assert answer.status_code == 503 and "not set up yet" in answer.text, path
    assert empty.get("/healthz").status_code == 200
    assert empty.get(first).status_code == 404, "a newer address takes the place of an older one"
    assert empty.get("/set-up/guessed").status_code == 404
    for name, value in (
        ("new_password", "password1234"),
        ("workshop", "x"),
        ("currency", ""),
        ("sign_in", "two words"),
        ("system", "cubits"),
        ("bays", ",".join(map(str, range(40)))),
    ):
        refused = empty.submit(address, {**GIVEN, name: value})
        assert refused.status_code == 422, name
    done = empty.submit(address, GIVEN)
    assert (done.status_code, done.headers["location"]) == (303, "/")
    today = empty.get("/").text
    assert "Kelpford Sheds" in today and "First steps" in today
    assert empty.get(address).status_code == 404, "it counts once"
    with empty.app.state.sessions() as db:
        shop = db.get_one(Workshop, 1)
        assert (shop.system, shop.currency, shop.bays, shop.demo) == (
            "imperial",
            "kr",
            ["north bay", "south bay"],
            False,
        )
    vehicle = {"plate": "KF-12", "model": "Longshore van", "family": "A", "maker": "Brinewell"}
    assert empty.submit("/vehicles/new", vehicle).status_code == 303
    job = empty.submit("/jobs/new", {"plate": "KF-12", "complaint": "it stalls at the lights"})
    assert job.status_code == 303
    page = empty.get(job.headers["location"])
    assert page.status_code == 200 and "it stalls at the lights" in page.text
    assert "First steps" not in empty.get("/").text
