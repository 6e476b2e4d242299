"""The checks of a tick, by the table of cases that the browser is held to as well."""

import json
from pathlib import Path
from typing import Any

import pytest

from galene.core.jobcard.checks import (
    AskedRecord,
    StepChecks,
    TickFault,
    TickGiven,
    TickState,
    tick_fault,
)

CASES = json.loads((Path(__file__).parents[2] / "cases" / "card_ticks.json").read_text())


@pytest.mark.parametrize("case", CASES, ids=[c["about"] for c in CASES])
def test_a_tick_is_checked_as_the_table_says(case: dict[str, Any]) -> None:
    asked = case["checks"]
    checks = StepChecks(
        step=asked["step"],
        position=asked["position"],
        free_of=tuple(asked.get("free_of", ())),
        cautions=tuple(asked.get("cautions", ())),
        waits_for=tuple(asked.get("waits_for", ())),
        records=tuple(AskedRecord(**r) for r in asked.get("records", ())),
    )
    state = TickState(
        left={int(step): position for step, position in case["left"].items()},
        read=frozenset(case.get("read", ())),
        running=frozenset(case.get("running", ())),
    )
    given = TickGiven(answers=case.get("answers", {}), early_reason=case.get("early_reason", ""))
    wanted = case["fault"] and TickFault(
        why=case["fault"]["why"], about=tuple(case["fault"]["about"])
    )
    assert tick_fault(checks, state, given) == wanted
