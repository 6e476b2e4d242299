"""Sentences of plan and report that must be true of this car."""

import pytest
from sqlalchemy import select

from galene.core.planning.policy_keys import DRYING
from galene.jobs import report
from galene.jobs.act import Act
from galene.store.models import Job
from tests.jobs.hands import begun, finish_card


def test_a_cable_throttle_has_no_motor_and_no_school_of_motors(odd: Act) -> None:
    job = begun(odd, "B", "throttle_body", plate="TW-001")
    sheet = job.plans[0].document.parts[0]
    said = f"{sheet.text} {sheet.why}".lower()
    for words in ("motor", "gear", "without power", "connector"):
        assert words not in said
    assert not {s.letter for s in sheet.schools} & {"D", "H", "I"}


def test_an_electronic_throttle_names_its_schools_once_in_the_report(odd: Act) -> None:
    job = begun(odd, "A", "throttle_body", "map_sensor", plate="TW-002")
    finish_card(odd, job)
    told = report.told_of(odd.db.scalars(select(Job).where(Job.id == job.id)).unique().one())
    letters = [s.split()[0] for s in told.schools]
    assert len(letters) == len(set(letters)) and "D" in letters
    assert all(not s.rstrip().endswith(";") for s in told.schools)


@pytest.mark.parametrize(
    ("family", "parts", "named", "silent"),
    [
        ("A", ("map_sensor",), DRYING, ""),
        ("C", ("intake_ports",), "M", ""),
        ("D", ("egr_passage", "egr_valve"), "N", "K"),
    ],
)
def test_a_school_is_in_the_report_when_it_decided_what_was_done(
    odd: Act, family: str, parts: tuple[str, ...], named: str, silent: str
) -> None:
    """A passage whose grade asks for another way than its school's is no work of that school."""
    job = begun(odd, family, *parts, plate="TW-003")
    planned = {s.letter for p in job.plans[0].document.parts for s in p.schools}
    assert planned >= {*named, *silent}
    finish_card(odd, job, grade=3)
    told = report.told_of(odd.db.scalars(select(Job).where(Job.id == job.id)).unique().one())
    letters = {s.split()[0] for s in told.schools}
    assert named in letters and (not silent or silent not in letters)
