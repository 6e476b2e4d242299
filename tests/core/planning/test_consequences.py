"""What a bad answer does to the plan, one kind of consequence each."""

import pytest

from tests.core.planning.cards import Card, work


def test_every_record_of_every_part_says_what_a_bad_answer_does() -> None:
    seen = 0
    for family, part in (
        ("A", "maf_sensor"),
        ("A", "throttle_body"),
        ("B", "egr_passage"),
        ("C", "runner_actuator"),
        ("D", "intake_manifold"),
        ("D", "egr_cooler"),
        ("E", "egr_dp_ports"),
        ("F", "crankcase_pressure_sensor"),
    ):
        for step in Card(family, part).steps:
            for record in step["records"]:
                seen += 1
                assert record["consequence"], record["id"]
                for answer, followed in record["consequence"].items():
                    assert followed["text"], (record["id"], answer)
    assert seen > 30


@pytest.mark.parametrize(
    ("family", "part", "record", "answer"),
    [
        # What was ticked away before: each of these is answered badly, and the car may not start.
        ("A", "throttle_body", "throttle_body:check/free", "no"),
        ("D", "egr_cooler", "egr_cooler:pressure/tight", "no"),
        ("B", "egr_valve", "egr_valve:command/follows", "no"),
        ("A", "maf_sensor", "leaks/tight", "no"),
        ("A", "maf_sensor", "maf_sensor:look/whole", "no"),
        ("D", "egr_valve", "egr_valve:look/pale", "yes"),
    ],
)
def test_a_bad_answer_never_passes_as_a_tick(
    family: str, part: str, record: str, answer: str
) -> None:
    before = Card(family, part)
    asked = {r["id"]: r for s in before.steps for r in s["records"]}
    if record not in asked:
        record = next(r for r in asked if r.startswith(record.split("/")[0].split(":")[0]))
        answer = next(iter(asked[record]["consequence"]))
    after = Card(family, part, answers={record: answer})
    kind = asked[record]["consequence"][answer]["kind"]
    if kind == "stop":
        assert after.document["held"]["record"] == record
        assert after.document["held"]["why"]
    else:
        assert kind != "note"
        assert after.ids != before.ids


def test_a_stop_holds_and_nothing_behind_it_starts_the_engine() -> None:
    card = Card("A", "maf_sensor", answers={"leaks/tight": "no"})
    if "held" not in card.document:
        assert card.has("leaks~2"), "mended and looked at once more"
        card = Card("A", "maf_sensor", answers={"leaks/tight": "no", "leaks~2/tight": "no"})
    assert card.document["held"]
    at = card.at(card.document["held"]["record"].rpartition("/")[0])
    for step in card.steps[at + 1 :]:
        assert step["does"].get("engine") != "running"
        assert step["act"] != "start"


def test_a_broken_meter_becomes_a_new_one_with_its_price() -> None:
    before = Card("A", "maf_sensor")
    after = Card("A", "maf_sensor", answers={"maf_sensor:look/whole": "no"})
    assert after.document["parts"][0]["work"] == "replace"
    assert not after.has("maf_sensor:spray"), "what is replaced is not sprayed"
    assert after.document["price"]["parts"] > before.document["price"]["parts"]
    assert any("meter" in s.lower() for s in after.spares)
    assert after.ordered("maf_sensor:look", "maf_sensor:compare", "close:meter_out")
    opened = [s["id"] for s in after.steps if s["id"].startswith("open:")]
    assert opened == [s["id"] for s in before.steps if s["id"].startswith("open:")]


def test_the_same_treatment_once_more_and_then_the_decision() -> None:
    left = {"maf_sensor:check/grade_after": "2"}
    once = Card("A", work("maf_sensor", "clean", 2, kind="dust"), answers=left)
    again = [i for i in once.ids if i.startswith("maf_sensor:spray")]
    assert again == ["maf_sensor:spray", "maf_sensor:spray~2"]
    twice = Card(
        "A",
        work("maf_sensor", "clean", 2, kind="dust"),
        answers={**left, "maf_sensor:check~2/grade_after": "2"},
    )
    assert not twice.has("maf_sensor:spray~3")
    assert twice.document["parts"][0]["work"] == "replace", "a second return means replace"


def test_more_parts_join_while_it_is_open_and_nothing_is_opened_again() -> None:
    before = Card("C", "runner_actuator")
    record = before.record("runner_actuator:flap_felt", "flap")
    answer = next(a for a, c in record["consequence"].items() if c["kind"] == "more")
    after = Card("C", "runner_actuator", answers={record["id"]: answer})
    joined = {p["part"] for p in after.document["parts"]} - {"runner_actuator"}
    assert joined == set(record["consequence"][answer]["parts"])
    opened = [o["id"] for s in after.steps for o in s["opens"]]
    assert len(opened) == len(set(opened))
    assert after.at("runner_actuator:flap_felt") < after.at("open:manifold_off")


def test_a_good_answer_and_none_give_the_same_plan() -> None:
    plain = Card("A", "maf_sensor")
    good = Card("A", "maf_sensor", answers={"maf_sensor:look/whole": "yes"})
    assert plain.ids == good.ids


def test_undoing_the_answer_undoes_what_followed() -> None:
    answers = {"maf_sensor:look/whole": "no"}
    assert Card("A", "maf_sensor", answers=answers).ids != Card("A", "maf_sensor").ids
    answers.clear()
    assert Card("A", "maf_sensor", answers=answers).ids == Card("A", "maf_sensor").ids


@pytest.mark.parametrize("kind", ["foreign_matter", "coolant_residue"])
def test_what_came_from_elsewhere_stops_the_cleaning(kind: str) -> None:
    before = Card("D", "egr_valve")
    record = before.record("egr_valve:look", "grade_before")
    if kind not in record["consequence"]:
        pytest.skip("this deposit has no consequence of its own here")
    after = Card("D", "egr_valve", answers={record["id"]: kind})
    followed = record["consequence"][kind]["kind"]
    assert ("held" in after.document) == (followed == "stop")


def test_still_wet_is_dried_and_looked_at_and_never_sprayed_again() -> None:
    wet = Card("A", "maf_sensor", answers={"maf_sensor:check/moisture": "no"})
    assert wet.ordered("maf_sensor:check", "maf_sensor:dry~2", "maf_sensor:check~2")
    assert not wet.has("maf_sensor:spray~2")
    assert wet.step("maf_sensor:dry~2")["wait"]["minutes"] >= 15


def test_two_bad_answers_on_one_step_repeat_it_once() -> None:
    answers = {"maf_sensor:check/moisture": "no", "maf_sensor:check/grade_after": "3"}
    card = Card("A", "maf_sensor", answers=answers)
    assert card.has("maf_sensor:spray~2") and card.has("maf_sensor:check~2")
    assert not card.has("maf_sensor:check~3") and not card.has("maf_sensor:dry~2")


def test_what_is_cast_in_and_can_not_be_mended_holds_the_job() -> None:
    work_on = work("intake_ports", "repair", None)
    card = Card("D", work_on, answers={"intake_ports:mend/mended": "no"})
    assert "cast in" in card.document["held"]["why"]
