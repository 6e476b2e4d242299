"""POST /api/v1/plans as somebody outside calls it."""

from galene.exchange.plans import plan_of
from tests.web.conftest import Browser

CASE = {"family": "D", "parts": [{"part": "egr_valve", "grade": 3, "kind": "soot"}]}
HERE = {"origin": "http://127.0.0.1"}


def test_it_answers_as_the_command_line_does(web: Browser) -> None:
    answer = web.post("/api/v1/plans", json=CASE, headers=HERE)
    assert answer.status_code == 200
    assert answer.json() == plan_of(CASE)


def test_a_case_that_can_not_be_planned_is_told(web: Browser) -> None:
    for bad in ({"family": "Z", "parts": [{"part": "egr_valve"}]}, {"family": "D", "parts": []}):
        answer = web.post("/api/v1/plans", json=bad, headers=HERE)
        assert answer.status_code == 422
    unknown = {**CASE, "parts": [{"part": "flux_valve"}]}
    told = web.post("/api/v1/plans", json=unknown, headers=HERE).json()
    assert told["field"] and told["allowed"] and "flux_valve" in told["error"]


def test_its_body_is_described(web: Browser) -> None:
    described = web.get("/api/v1/openapi.json")
    body = described.json()["paths"]["/api/v1/plans"]["post"]["requestBody"]
    assert "PlanFile" in str(body)
