"""What a headline may claim: nothing of tests that never showed it, before a start, or beside a
reading that got worse."""

from dataclasses import replace

import pytest

from galene.core.calculations.before_after import MetricValue
from galene.core.calculations.conditions import Conditions
from galene.core.proof import records
from galene.core.proof.prove import prove
from galene.core.proof.records import (
    CodesTold,
    ProofCase,
    ProvenCause,
    ProvingTest,
    ReadingSide,
)

FLOW = ProvingTest(test="flow", why="", source="", metrics={"learned_throttle_percent": "lower"})
LOOK = ProvingTest(test="look", why="", source="")
CAUSE = ProvenCause(
    id="throttle_deposit", title="Throttle deposit", component="throttle_body", tests=(FLOW, LOOK)
)
ALIKE = Conditions(rpm=740, coolant_c=90, load=[], codes_active=[])
CASE = ProofCase(
    causes=(CAUSE,),
    symptoms={"rough_idle": "gone"},
    symptom_texts={"rough_idle": "Rough idle"},
    test_titles={"flow": "Flow", "look": "Look"},
    codes=CodesTold(before=("P0506",), drive_done=True, monitors_ready=True),
)
PASSED = records.TestProof(test="flow", verdict="passed", text="Flow: open.", showed_before=True)


def opening(value: float) -> ReadingSide:
    samples = [value - 0.1, value, value + 0.1, value, value]
    return ReadingSide(
        metrics=(MetricValue(metric="learned_throttle_percent", samples=samples),),
        conditions=ALIKE,
    )


def test_what_showed_it_shows_it_no_more() -> None:
    found = prove(CASE, (PASSED,))
    assert found.verdict == "proven" and "shows it no more" in found.headline


def test_a_reading_of_its_own_proof_that_got_worse_ends_proven() -> None:
    worse = replace(CASE, before=opening(3.2), after=opening(7.0))
    found = prove(worse, (PASSED,))
    assert found.verdict == "better_to_confirm"
    assert found.missing == ("worse:learned_throttle_percent",)
    assert "why throttle opening at idle got worse" in found.headline


def test_before_the_first_start_nothing_is_claimed() -> None:
    found = prove(replace(CASE, started=False), (PASSED,))
    assert found.verdict == "not_comparable" and "start" in found.missing
    assert "shows it no more" not in found.headline and "has not run" in found.headline


@pytest.mark.parametrize(("showed", "confirmed"), [(None, True), (True, False)])
def test_shows_it_no_more_is_said_of_what_showed_it_and_is_confirmed(
    showed: bool | None, confirmed: bool
) -> None:
    case = replace(CASE, confirmed=confirmed)
    found = prove(case, (replace(PASSED, showed_before=showed),))
    assert "shows it no more" not in found.headline
    assert "finds nothing of “throttle deposit”" in found.headline


def test_a_test_that_passed_is_not_still_to_come() -> None:
    never = replace(PASSED, showed_before=False)
    found = prove(CASE, (never,))
    assert found.verdict != "proven" and "test:flow" not in found.missing
    assert found.missing == ("test:look",)
    both = prove(CASE, (never, replace(never, test="look")))
    assert both.missing == ("shown:throttle_deposit",)
