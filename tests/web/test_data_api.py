"""The workshop's own data as JSON, for whoever is signed in."""

from typing import Any

import pytest
from sqlalchemy.orm import Session

from tests.conftest import demo_jobs
from tests.web.conftest import Browser

PATHS = (
    "/fleet",
    "/families/A/bands",
    "/vehicles/QN-118/growth",
    "/vehicles/QN-266/fuel",
    "/minutes",
    "/parts",
    "/jobs",
    "/jobs?plate=QN-114",
)


@pytest.mark.parametrize("path", PATHS)
def test_nobody_unsigned_reads_it(visitor: Browser, path: str) -> None:
    answer = visitor.get(f"/api/v1{path}")
    assert answer.status_code == 401 and answer.json() == {"error": "Sign in first"}


@pytest.mark.parametrize("path", PATHS)
def test_it_answers_what_its_description_says(web: Browser, path: str) -> None:
    answer = web.get(f"/api/v1{path}")
    assert answer.status_code == 200 and answer.json()
    described = web.get("/api/v1/openapi.json").json()
    route = path.partition("?")[0].replace("/A/", "/{family_id}/")
    for plate in ("QN-118", "QN-266"):
        route = route.replace(plate, "{plate}")
    schema = described["paths"][f"/api/v1{route}"]["get"]["responses"]["200"]
    assert "$ref" in str(schema)


def test_it_says_what_the_pages_say(web: Browser, db: Session) -> None:
    def got(path: str) -> Any:
        return web.get(f"/api/v1{path}").json()

    assert got("/fleet")[0]["standing"] == "overdue"
    bands = {b["metric"]: b for b in got("/families/A/bands")}
    idle = bands["idle_rpm"]
    assert idle["counted"] > 3 and idle["low"] != idle["entry_low"]
    assert got("/vehicles/QN-118/growth")[0]["part"] == "throttle_body"
    change = next(j for j in got("/vehicles/QN-266/fuel")["jobs"] if j["saves"])
    assert change["change"]["verdict"] == "improved"
    rings = next(p for p in got("/parts") if p["number"] == "TV-2277")
    assert (rings["pieces"], rings["on_order"], rings["expected_on"]) == (0, 4, None)
    number = demo_jobs(db)["handover"]
    whole = got(f"/jobs/{number}")
    assert whole["format"] == "galene-job" and whole["job"]["number"] == number


@pytest.mark.parametrize(
    "path", ["/families/ZZ/bands", "/vehicles/NOBODY/growth", "/vehicles/x/fuel", "/jobs/99-1"]
)
def test_what_is_not_there_is_said_as_json(web: Browser, path: str) -> None:
    answer = web.get(f"/api/v1{path}")
    assert answer.status_code == 404 and "error" in answer.json()
