"""What is held true, by part, with its source: complete, and on a page."""

from datetime import UTC, datetime

import pytest
from sqlalchemy.orm import Session

from galene.core.chemistry.rules import RULES
from galene.core.jobcard.job_records import SetConditions
from galene.jobs import evidence, intake
from galene.jobs.act import Act, find_job
from galene.knowledge.components import COMPONENTS
from galene.knowledge.families import FAMILIES
from galene.knowledge.sources import KIND_WORDS, RULE_SOURCES, facts_of
from tests.conftest import person
from tests.web.conftest import Browser


def test_every_rule_has_a_source_and_no_source_is_of_a_rule_that_is_gone() -> None:
    assert set(RULE_SOURCES) == {rule.__name__ for rule in RULES}


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


def test_trims_that_rise_are_evidence_and_the_page_says_so(web: Browser, db: Session) -> None:
    act = Act(db=db, person=person(db, "odd"), now=datetime.now(UTC))
    vehicle = intake.add_vehicle(
        act,
        intake.NewVehicle(
            plate="FA-170",
            maker="Brinewell",
            model="Testbed",
            year="2019",
            family="A",
            keeper="the shed",
        ),
    )
    number = intake.open_job(act, vehicle, "lean").number
    rising: dict[str, list[float | None]] = {
        "rpm": [740, 1500, 2500, 2500],
        "airflow_g_s": [2.6, 6.0, 11.0, 20.0],
        "trim_percent": [2.0, 8.0, 10.5, 12.0],
        "map_kpa": [32.6, 34.5, 38.0, 62.0],
    }
    evidence.save_readings(
        act,
        number,
        "before",
        kind="trim",
        values=rising,
        conditions=SetConditions(coolant_c=90.0, intake_c=20.0),
        seen=0,
    )
    db.commit()
    seen = {o.evidence: o.state for o in find_job(db, number).observations}
    assert (seen["trim_rises_with_airflow"], seen["trim_leak_shape"]) == ("present", "absent")
    page = web.get(f"/jobs/{number}/evidence")
    assert page.status_code == 200 and "Lean that grows with airflow" in page.text


def test_trims_of_two_banks_tell_the_lean_one_and_the_page_says_so(
    web: Browser, db: Session
) -> None:
    act = Act(db=db, person=person(db, "odd"), now=datetime.now(UTC))
    vehicle = intake.add_vehicle(
        act,
        intake.NewVehicle(
            plate="FA-171",
            maker="Brinewell",
            model="Testbed",
            year="2019",
            family="B",
            keeper="the shed",
        ),
    )
    number = intake.open_job(act, vehicle, "lean").number
    trims: dict[str, list[float | None]] = {
        "rpm": [690, 1500, 2500],
        "airflow_g_s": [4.2, 9.0, 16.0],
        "trim_percent": [15.0, 12.0, 11.0],
        "trim_bank_2_percent": [1.0, 2.0, 1.5],
        "map_kpa": [33.0, 35.0, 40.0],
    }
    evidence.save_readings(
        act,
        number,
        "before",
        kind="trim",
        values=trims,
        conditions=SetConditions(coolant_c=90.0, intake_c=20.0),
        seen=0,
    )
    db.commit()
    seen = {o.evidence: o.state for o in find_job(db, number).observations}
    assert seen["lean_one_bank"] == "present"
    assert not {"trim_meter_shape", "trim_leak_shape"} & {
        e for e, v in seen.items() if v == "present"
    }
    page = web.get(f"/jobs/{number}/evidence").text
    assert "Bank 1 alone runs lean" in page and "+11.2 %" in page
    assert "Bank 1 trim" in page and "Bank 2 trim" in page
    assert "The meter is off" not in page, "the meter that both share makes no one bank lean"


def test_an_engine_of_one_bank_is_not_asked_for_a_second(web: Browser, db: Session) -> None:
    act = Act(db=db, person=person(db, "odd"), now=datetime.now(UTC))
    vehicle = intake.add_vehicle(
        act,
        intake.NewVehicle(
            plate="FA-172",
            maker="Brinewell",
            model="Testbed",
            year="2019",
            family="A",
            keeper="the shed",
        ),
    )
    number = intake.open_job(act, vehicle, "lean").number
    db.commit()
    assert "Bank 2" not in web.get(f"/jobs/{number}/evidence").text


def test_the_matrix_judges_by_the_engine_that_is_chosen(web: Browser) -> None:
    asked = (
        "/shelf/matrix/cell?agent=intake_valve_aerosol&component=intake_ports"
        "&state=engine_warm_running&state=ventilated"
    )
    anybody, diesel, petrol = (web.get(f"{asked}&family={f}").text for f in ("", "D", "C"))
    assert "The engine is not named" in anybody and "runs away" in anybody
    assert "runs away" in diesel and "The engine is not named" not in diesel
    assert "runs away" not in petrol and "bursts and pauses" in petrol
