"""The head of the report draws what was found and what was left, by what was seen."""

from sqlalchemy.orm import Session

from galene.knowledge.families import FAMILIES
from galene.store.models import Inspection
from galene.web.handover.insides import insides_of
from tests.conftest import newest_job
from tests.web.conftest import Browser


def look(grade: int, open_percent: float | None = None) -> Inspection:
    return Inspection(deposit="soot", grade=grade, open_area_percent=open_percent)


def test_the_most_changed_stand_first_and_what_was_not_seen_twice_is_left_out() -> None:
    family = FAMILIES["A"]
    tube, throttle, meter, filter_ = (
        next(p.id for p in family.parts if p.component == kind)
        for kind in ("intake_tube", "throttle_body", "maf_sensor", "air_filter")
    )
    shown = insides_of(
        family,
        {
            tube: {"before": look(2), "after": look(1)},
            throttle: {"before": look(1), "work": look(4), "after": look(0)},
            meter: {"before": look(3)},
            filter_: {"before": look(0), "after": look(0)},
            "elsewhere": {"before": look(4), "after": look(0)},
        },
    )
    assert [(i.found.part.id, i.found.grade, i.left.grade) for i in shown] == [
        (throttle, 4, 0),  # as it lay open, not as the lamp showed it
        (tube, 2, 1),
    ]


def test_a_measured_bore_goes_before_the_grade() -> None:
    family = FAMILIES["A"]
    part = family.parts[0].id
    (shown,) = insides_of(family, {part: {"work": look(4, 60.0), "after": look(1, 100.0)}})
    assert shown.found.growth > shown.left.growth == 0


def test_the_report_says_in_words_what_it_draws(web: Browser, db: Session) -> None:
    page = web.get(f"/jobs/{newest_job(db, 'QN-331')}/report").text
    head = page.partition("inside-pair")[2].partition("</figure>")[0]
    assert "<style" not in page, "on a screen the policy allows none"
    assert "Throttle body" in head and "found grade 2" in head and "left grade 1" in head
