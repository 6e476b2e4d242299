"""The contract of plans: `galene plan`, one case a line, and the address that takes a case."""

import json
from pathlib import Path
from typing import Any

import pytest
from typer.testing import CliRunner

from galene.cli import cli
from galene.core.errors import InputError
from galene.exchange.plans import plan_of
from tests.core.planning.cards import Card, work

CASE = {
    "family": "D",
    "parts": [{"part": "egr_valve", "work": "clean", "grade": 3, "kind": "soot"}],
    "policy": {"G": "reuse"},
    "air": {"temperature_c": 14, "humidity": 0.68},
    "start": {"heat": "warm"},
}
STEP_KEYS = {
    "id",
    "text",
    "why",
    "part",
    "phase",
    "work",
    "minutes",
    "needs",
    "does",
    "opens",
    "closes",
    "takes_off",
    "refits",
    "sends",
    "receives",
    "wets",
    "wait",
    "waits_for",
    "agent",
    "records",
    "cautions",
    "tools",
    "fasteners",
    "consumes",
}
WORDS = {"battery", "engine", "heat", "coolant", "fuel_line", "codes", "before_set", "place"}


def test_the_document_has_every_word_of_the_contract() -> None:
    plan = plan_of(CASE)
    assert {"steps", "relearns", "proof", "minutes", "parts", "agents", "tools", "price"} <= set(
        plan
    )
    assert set(plan["minutes"]) == {"hands_on", "elapsed"}
    for step in plan["steps"]:
        assert set(step) >= STEP_KEYS
        assert set(step["needs"]) <= WORDS and set(step["does"]) <= WORDS
        for item in step["opens"]:
            assert set(item) >= {"id", "what", "kind", "inside", "on", "while_running"}
        for record in step["records"]:
            assert set(record) >= {"id", "kind", "label", "consequence"}
    ids = [r["id"] for s in plan["steps"] for r in s["records"]]
    assert len(ids) == len(set(ids))
    for relearn in plan["relearns"]:
        assert relearn["after"] in {s["id"] for s in plan["steps"]}
    assert json.loads(json.dumps(plan)) == plan


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"family": "Z"}, "family"),
        ({"parts": []}, "parts"),
        ({"parts": [{"part": "flux_valve"}]}, "component"),
        ({"parts": [{"part": "egr_valve", "work": "polish"}]}, "parts"),
        ({"parts": [{"part": "egr_valve", "grade": 7}]}, "parts"),
        ({"parts": [{"part": "egr_valve", "kind": "glitter"}]}, "parts"),
        ({"parts": [{"part": "egr_valve"}, {"part": "egr_valve"}]}, "part"),
        ({"policy": {"G": "glue"}}, "policy"),
        ({"policy": {"Ö": "new"}}, "policy"),
        ({"air": {"temperature_c": 999}}, "air"),
        ({"start": {"place": {"egr_valve": "off"}}}, "start"),
        ({"answers": {"no such record": "no"}}, "answers"),
        ({"surprise": 1}, "surprise"),
    ],
)
def test_a_case_that_can_not_be_planned_names_the_field(change: dict[str, Any], field: str) -> None:
    with pytest.raises(InputError) as caught:
        plan_of({**CASE, **change})
    assert field in caught.value.field


def test_command_plans_a_file(tmp_path: Path) -> None:
    file = tmp_path / "case.json"
    file.write_text(json.dumps(CASE))
    said = CliRunner().invoke(cli, ["plan", str(file)])
    assert said.exit_code == 0
    assert json.loads(said.stdout) == plan_of(CASE)


def test_command_plans_a_case_a_line_and_says_why_where_it_can_not(tmp_path: Path) -> None:
    file = tmp_path / "cases.jsonl"
    file.write_text("\n".join((json.dumps(CASE), '{"family": "Z"}', "not json", json.dumps(CASE))))
    said = CliRunner().invoke(cli, ["plan", str(file), "--lines"])
    assert said.exit_code == 0
    lines = [json.loads(line) for line in said.stdout.splitlines()]
    assert len(lines) == 4
    assert "steps" in lines[0] and "steps" in lines[3]
    assert lines[1]["error"] and lines[2]["error"]


def test_kinds_of_work_are_procedures_of_their_own() -> None:
    new = Card("A", work("maf_sensor", "replace", None))
    assert not new.has("spray") and new.has("maf_sensor:compare")
    assert any("meter" in s.lower() for s in new.spares)
    leak = Card("A", work("intake_tube", "repair", None))
    assert not any(
        "soap" in s["text"] and s["part"] == "intake_tube" and s["wets"] for s in leak.steps
    )
    assert leak.step("intake_tube:joint")["records"], "the joint is named"
    learned = Card("A", work("throttle_body", "relearn", None))
    assert learned.relearns and not any(s["takes_off"] for s in learned.steps)
    upkeep = Card("D", work("egr_valve", "upkeep", 2))
    assert not any(s["takes_off"] for s in upkeep.steps)
    looked = Card("A", work("throttle_body", "inspect", None))
    assert not any(s["agent"] for s in looked.steps)


def test_relearns_follow_from_what_was_done() -> None:
    assert "throttle_manual" not in Card("A", work("maf_sensor", "clean", 2)).relearns
    additive = Card("C", work("oxygen_sensor_upstream", "upkeep", 1))
    assert "throttle_manual" not in additive.relearns


def test_coolant_by_hand_brings_its_watch_and_its_cold_look() -> None:
    for family, part in (("D", "egr_valve"), ("E", "egr_cooler"), ("D", "intake_manifold")):
        card = Card(family, part)
        assert "coolant_bleed_and_watch" in card.relearns
        assert card.ordered(
            "first_start", "relearn:coolant_bleed_and_watch", "cold_wait", "cold_look"
        )


def test_covers_are_single_items_and_every_way_has_one() -> None:
    card = Card("D", work("intake_manifold", "clean", 4))
    covers = [i for s in card.steps for i in s["opens"] if i["kind"] in ("cover", "tape")]
    inside = [i for i in covers if i["inside"]]
    assert len(inside) > 6 and all(i["count"] == 1 for i in inside)
    for step in card.steps:
        closed = [i for i in inside if i["id"] in step["closes"]]
        apart = [i for i in closed if i["mouth"] not in step["through"]]
        assert len(apart) <= 1 or "uncover" in step["acts"]


def test_words_are_true_on_this_car() -> None:
    for family in "ABCDEF":
        for kind in ("throttle_body", "egr_valve", "map_sensor", "intake_ports"):
            try:
                text = Card(family, kind).text.lower()
            except InputError:
                continue
            if family in "BF":
                for words in ("motor opens", "throttle connector", "gear tooth", "crushed fingers"):
                    assert words not in text, (family, kind)
            if family != "B":
                assert "idle valve" not in text, (family, kind)
            if family in "DE":
                assert "small vacuum hose" not in text, (family, kind)


def test_the_road_run_comes_behind_the_clearing_and_pending_behind_the_run() -> None:
    for family in "ABCDEF":
        card = Card(family, "air_filter")
        assert card.ordered("before_set", "clear", "first_start", "after_set", "road", "pending")
