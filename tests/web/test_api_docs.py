"""The open API describes itself: real bodies, answered examples, a page that shows them."""

from typing import Any

import pytest

from galene.core.calculations.catalogue import every as every_calculation
from tests.web.conftest import HOST, Browser


@pytest.fixture
def described(web: Browser) -> dict[str, Any]:
    found: dict[str, Any] = web.get("/api/v1/openapi.json").json()
    return found


def bodies(described: dict[str, Any]) -> dict[str, Any]:
    posts = {p: m["post"] for p, m in described["paths"].items() if "post" in m}
    return {p: m["requestBody"]["content"]["application/json"] for p, m in posts.items()}


def test_every_example_is_answered(web: Browser, described: dict[str, Any]) -> None:
    found = bodies(described)
    names = {p.rpartition("/")[2] for p in found}
    assert names == {*every_calculation(), "assessments", "scopes", "judgements", "plans", "proofs"}
    for path, body in found.items():
        answer = web.post(path, json=body["example"], headers={"origin": HOST})
        assert answer.status_code == 200, (path, answer.text[:300])


def test_schemas_hold_ranges_and_words(described: dict[str, Any]) -> None:
    gap = bodies(described)["/api/v1/calculations/idle-gap"]["schema"]
    bore = gap["properties"]["bore_mm"]
    assert (bore["minimum"], bore["maximum"], bore["title"]) == (15, 150, "Throttle bore")
    assert "bore_mm" in gap["required"] and "deposit_mm" not in gap["required"]
    found = {k: v for k, v in bodies(described).items() if not k.endswith("/plans")}
    assert "$ref" not in str(found), "a body is read by itself"


def test_the_page_shows_every_route_to_anybody(visitor: Browser) -> None:
    page = visitor.get("/api/docs")
    assert page.status_code == 200
    for one in every_calculation().values():
        assert f"/api/v1/calculations/{one.name}" in page.text and one.title in page.text
    assert "15 to 150" in page.text and "&#34;verdict&#34;" in page.text
