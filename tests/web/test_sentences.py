"""No name of a record or a column shows in a sentence."""

import re
from collections.abc import Callable

import pytest
from lxml import html  # type: ignore[import-untyped]
from sqlalchemy import select
from sqlalchemy.orm import Session

from galene.jobs.act import Act
from galene.knowledge.procedures.words import LEAK_FIRST
from galene.store.models import Job
from tests.jobs.hands import begun
from tests.web.conftest import Browser

RAW = re.compile(r"\b[a-z0-9]+(?:[_~/][a-z0-9]+)+\b|\bdegC\b|(?i:idle (?:rpm|map kpa))\b")
FILE = re.compile(r"\S+\.(?:csv|tar|log|jpg|png|pdf)\b")


def words(text: str) -> str:
    (main,) = html.fromstring(text).xpath("//main")
    return FILE.sub("", " ".join(main.text_content().split()))


def test_the_trace_of_every_job_is_told_in_words(web: Browser, db: Session) -> None:
    for number in db.scalars(select(Job.number)):
        told = words(web.get(f"/jobs/{number}/trace").text)
        assert "Who did what" in told
        assert not RAW.findall(told), (number, told)


def test_the_server_tells_its_tables_in_words(as_person: Callable[[str], Browser]) -> None:
    told = words(as_person("maren").get("/running").text)
    assert "step time" in told and not RAW.findall(told)


@pytest.mark.parametrize(
    ("path", "data"),
    [
        ("readings", {"phase": "before", "kind": "idle", "idle_rpm": "soon"}),
        (
            "readings",
            {
                "phase": "before",
                "kind": "idle",
                "idle_rpm": "700",
                "idle_map_kpa": "9999",
                "idle_map_kpa_unit": "furlong",
            },
        ),
        ("intake", {"distance": "far", "complaint": "", "coolant": "perhaps"}),
        ("looks", {"part": "nothing", "grade": "9", "deposit": "gold"}),
        ("road-test", {"km": "-1", "complaint": "maybe"}),
    ],
)
def test_a_refusal_names_what_was_asked(
    web: Browser, numbers: dict[str, str], path: str, data: dict[str, object]
) -> None:
    answer = web.submit(f"/jobs/{numbers['intake']}/{path}", {"seen": "0", **data})
    assert answer.status_code in (409, 422), answer.status_code
    told = html.fromstring(answer.text).xpath("//*[@id='refused']|//main")[0]
    said = " ".join(told.text_content().split())
    assert not RAW.findall(said), said[:400]


def test_a_plan_tells_of_coolant_where_it_is_asked_for_only(
    web: Browser, db: Session, odd: Act
) -> None:
    asked = []
    for family, parts in (("A", ("throttle_body", "maf_sensor")), ("D", ("egr_valve",))):
        job = begun(odd, family, *parts, plate=f"SEN-{family}")
        db.commit()
        asked.append(sum(r.name == "pale" for s in job.steps for r in s.document.records))
        told = words(web.get(f"/jobs/{job.number}/plan").text)
        assert told.count(LEAK_FIRST) == asked[-1]
    assert sum(asked) > 0


def test_an_engine_without_coolant_cabin_and_valve_is_asked_for_none(
    web: Browser, db: Session, odd: Act
) -> None:
    job = begun(odd, "F", "throttle_body", plate="SEN-F")
    db.commit()
    for page in ("evidence", "work", "prove"):
        told = words(web.get(f"/jobs/{job.number}/{page}").text).lower()
        for word in ("coolant", "rear heater", "air conditioning", "pedal", "pintle", "flap"):
            assert word not in told, (page, told[max(0, told.find(word) - 60) :][:120])
    answer = web.submit(
        f"/jobs/{job.number}/found",
        {"found": "coolant_residue", "found_where": "throttle_body", "found_note": "pale"},
    )
    assert answer.status_code == 422 and "Choose what it is" in answer.text
