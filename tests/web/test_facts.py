"""What is held true, by part, with its source: complete, and on a page."""

import pytest

from galene.core.chemistry.rules import RULES
from galene.knowledge.components import COMPONENTS
from galene.knowledge.families import FAMILIES
from galene.knowledge.sources import KIND_WORDS, RULE_SOURCES, facts_of
from tests.web.conftest import Browser


def test_every_rule_has_a_source_and_no_source_is_of_a_rule_that_is_gone() -> None:
    assert set(RULE_SOURCES) == {rule.__name__ for rule in RULES}  # type: ignore[attr-defined]


@pytest.mark.parametrize("component", sorted(COMPONENTS))
def test_every_fact_of_a_part_says_where_it_is_from(component: str) -> None:
    found = facts_of(component, FAMILIES)
    assert found["Chemistry"] and found["Figures"]
    for facts in found.values():
        for fact in facts:
            assert fact.subject and fact.text and fact.source.kind in KIND_WORDS
            assert fact.source.text or fact.source.kind == "practice", fact


def test_the_page_shows_defaults_as_such(web: Browser) -> None:
    page = web.get("/reference/facts?part=egr_passage")
    assert page.status_code == 200
    for words in (
        "Recirculation passage plugged",
        "default",
        "orifice equation",
        "Drying at 20 °C",
    ):
        assert words in page.text, words
    assert "/reference/facts" in web.get("/reference").text
    assert web.get("/reference/facts?part=carburettor").status_code == 404
