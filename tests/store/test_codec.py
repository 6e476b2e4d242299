"""Older documents are read into the present records, newer ones come back as they were."""

from typing import Any

import pytest
from pydantic import TypeAdapter
from sqlalchemy.dialects import postgresql

from galene.core.jobcard.job_records import (
    ConfirmedCause,
    Handover,
    KeptBore,
    OpenedGate,
    Passing,
    RelearnKept,
    RoadTest,
    SetConditions,
)
from galene.core.logs.series import ColumnMapping, ColumnPlace, Segment
from galene.core.planning.document import PlanDocument, StepAnswers
from galene.core.planning.records import Step
from galene.exchange.plans import plan_of
from galene.store.codec import (
    Recorded,
    answers_upgraded,
    handover_upgraded,
    plan_upgraded,
    step_upgraded,
)

OLD_STEP: dict[str, Any] = {
    "key": "maf_sensor:spray",
    "text": "Ten short bursts",
    "why": "Film dissolves",
    "phase": "clean",
    "part": "maf_sensor",
    "minutes": 4,
    "tools": ["lamp"],
    "cautions": ["eyes"],
    "opens": [{"key": "maf_sensor:plug", "what": "Plug", "kind": "connector"}],
    "closes": ["other"],
    "wait_name": "Air meter drying",
    "wait_minutes": 12,
    "wait_reason": "Power on a wet element ruins it",
    "after_waits": ["Before it"],
    "agent": "maf_cleaner",
    "agent_ml": 40,
    "records": [{"id": "whole", "kind": "yes_no", "label": "Whole", "bad": "It goes."}],
}


def test_a_step_of_the_first_form_is_read() -> None:
    step = TypeAdapter(Step).validate_python(step_upgraded(OLD_STEP))
    assert step.id == "maf_sensor:spray" and step.minutes == 4
    assert step.wait and (step.wait.id, step.wait.minutes) == ("Air meter drying", 12)
    assert step.waits_for == ("Before it",)
    assert step.agent and (step.agent.class_id, step.agent.ml) == ("maf_cleaner", 40)
    assert [i.id for i in step.opens] == ["maf_sensor:plug"]
    record = step.records[0]
    assert record.consequences[0].answer == "no" and record.consequences[0].text == "It goes."


@pytest.mark.parametrize(
    ("key", "field", "value"),
    [
        ("open:engine_cover", "opening", "engine_cover"),
        ("close:engine_cover", "closing", "engine_cover"),
        ("found:1:draw", "find", "before"),
        ("added:3", "own", True),
    ],
)
def test_what_an_old_key_said_stands_in_a_field(key: str, field: str, value: object) -> None:
    document = {"key": key, "text": "x", "phase": "open", "minutes": 1}
    step = TypeAdapter(Step).validate_python(step_upgraded(document))
    assert getattr(step, field) == value


def test_what_turns_the_fasteners_of_a_kept_step_is_read_from_their_texts() -> None:
    texts = ["2 × screws, T20, 2.5 N m", "1 × clamp, pliers; behind the box", "3 × bolts, T20"]
    for kept in ({**OLD_STEP, "fasteners": texts}, {"id": "x:y", "text": "", "minutes": 1}):
        document = {"phase": "open", "name": "open", "fasteners": texts, **kept}
        step = TypeAdapter(Step).validate_python(step_upgraded(document))
        assert step.drivers == ("T20", "pliers")
    said = {**document, "drivers": ["T25"]}
    assert TypeAdapter(Step).validate_python(step_upgraded(said)).drivers == ("T25",)


def test_answers_of_the_first_form_are_read() -> None:
    old = {"grade_before": "3", "grade_before_deposit": "soot", "pressure": 2.5}
    found = TypeAdapter(StepAnswers).validate_python(answers_upgraded(old))
    given = {g.record: g for g in found.given}
    assert (given["grade_before"].answer, given["grade_before"].deposit) == ("3", "soot")
    assert given["pressure"].figure == 2.5
    left = TypeAdapter(StepAnswers).validate_python(answers_upgraded({"left_out": "no time"}))
    assert left.left_out == "no time" and left.given == ()
    assert answers_upgraded({}) == {}


def test_a_plan_of_the_first_form_keeps_its_price() -> None:
    old = {
        "parts": [{"part": "maf_sensor", "label": "Air meter", "text": "t", "why": "w"}],
        "spares": [{"id": "ring", "name": "Ring", "number": "1", "price": 2.0, "part": "x"}],
        "agents": [{"id": "maf_cleaner", "title": "Cleaner", "ml": 40, "price": 3.0}],
        "hands_minutes": 30,
        "elapsed_minutes": 45,
        "labour": 36.0,
        "proof_labour": 12.0,
        "price": 60.0,
    }
    plan = TypeAdapter(PlanDocument).validate_python(plan_upgraded(old))
    assert plan.price == pytest.approx(60.0)
    assert [w.part for w in plan.works] == ["maf_sensor"] and plan.parts[0].work == "clean"
    assert plan.bill.spares[0].number == "1"


def test_the_present_form_comes_back_as_it_was() -> None:
    assert plan_of({"family": "A", "parts": [{"part": "maf_sensor"}]})["steps"]
    column = Recorded(Step, step_upgraded)
    step = TypeAdapter(Step).validate_python(step_upgraded(OLD_STEP))
    kept = column.process_bind_param(step, None)
    assert kept and "key" not in kept
    assert column.process_result_value(kept, None) == step
    assert column.process_result_value(None, None) is None


@pytest.mark.parametrize(
    ("kind", "kept", "wanted"),
    [
        (RoadTest, {}, RoadTest()),
        (Handover, {}, Handover()),
        (
            Handover,
            {"cause": "maf_dust", "ranking": [["maf_dust", 0.8]], "visit": None, "fed": True},
            Handover(
                causes=(ConfirmedCause(id="maf_dust", found="confirmed at handover"),),
                ranking=(("maf_dust", 0.8),),
                fed=True,
            ),
        ),
        (RelearnKept, {"last": "throttle_manual", "restarts_last": 2}, RelearnKept()),
        (Passing, {}, Passing()),
        (
            dict[str, OpenedGate],
            {"start": {"reason": "test run with the spare meter"}},
            {"start": OpenedGate(reason="test run with the spare meter")},
        ),
        (
            tuple[KeptBore, ...],
            [{"name": "1", "bore_mm": 34, "thickness_mm": [1, 2], "open_area_percent": 80}],
            (KeptBore(name="1", bore_mm=34.0, thickness_mm=(1.0, 2.0), open_area_percent=80.0),),
        ),
        (
            SetConditions,
            {"coolant_c": 90, "intake_c": None, "load": ["fan"], "protective_mode": False},
            SetConditions(coolant_c=90.0, load=("fan",)),
        ),
        (SetConditions, {}, SetConditions()),
        (
            ColumnMapping,
            {"time": None, "channels": {"rpm": {"column": 1, "unit": "rpm"}}},
            ColumnMapping(channels={"rpm": ColumnPlace(column=1, unit="rpm")}),
        ),
        (
            tuple[Segment, ...],
            [{"kind": "idle", "start_s": 1, "end_s": 9, "why": "even", "by_hand": True}],
            (Segment(kind="idle", start_s=1.0, end_s=9.0, why="even", by_hand=True),),
        ),
    ],
)
def test_documents_of_before_the_records_are_read(kind: Any, kept: Any, wanted: Any) -> None:
    upgrade = handover_upgraded if kind is Handover else None
    column: Recorded[Any] = Recorded(kind, upgrade)
    assert column.process_result_value(kept, postgresql.dialect()) == wanted
    again = column.process_bind_param(wanted, postgresql.dialect())
    assert column.process_result_value(again, postgresql.dialect()) == wanted


def test_a_step_from_before_marks_is_told_by_its_id() -> None:
    kept = {
        "id": "open:map_sensor_out~2",
        "text": "Straight out",
        "phase": "open",
        "minutes": 2,
        "part": "map_sensor",
        "opening": "map_sensor_out",
        "opens": [
            {"id": "map_sensor_out~2:Screw", "what": "Screw", "kind": "fastener set"},
            {
                "id": "map_sensor_out~2:port map_sensor",
                "what": "Tape",
                "kind": "tape",
                "inside": True,
                "on": "intake_manifold",
            },
        ],
    }
    step = TypeAdapter(Step).validate_python(step_upgraded(kept))
    assert (step.name, step.turn) == ("open", 2)
    assert [i.operation for i in step.opens] == ["map_sensor_out", "map_sensor_out"]
    assert step.opens[1].mouth == "intake_manifold/map_sensor"
    treated = {"id": "maf_sensor:spray", "text": "Bursts", "phase": "clean", "minutes": 3}
    again = TypeAdapter(Step).validate_python(step_upgraded(treated))
    assert again.name == "spray" and "spray" in again.acts
