"""The air path at the top of a page: what it says follows from what is stored."""

import itertools
import re
from collections import Counter
from collections.abc import Callable
from pathlib import Path

import pytest
from fastapi import FastAPI
from fastapi.testclient import TestClient
from sqlalchemy import select
from sqlalchemy.orm import Session

from galene.core import calculations
from galene.core.airpath.family import EngineFamily
from galene.core.calculations.catalogue import every as every_calculation
from galene.knowledge.components import COMPONENTS
from galene.knowledge.families import FAMILIES
from galene.knowledge.verdict_words import VERDICT_WORDS
from galene.knowledge.worksheets import GROUPS
from galene.store.models import Job
from galene.web import styleguide
from galene.web.shared.airpath import CROP, Mark, picture_of
from galene.web.shared.templating import TEMPLATES
from tests.web.conftest import Browser


def all_jobs(db: Session) -> list[Job]:
    return list(db.scalars(select(Job).order_by(Job.number)).unique())


STAGES = ("evidence", "diagnosis", "plan", "work", "prove")


def mark_of(**told: object) -> Mark:
    part = FAMILIES["A"].part("throttle_body")
    return Mark(part=part, **told)


def test_deposit_grows_with_its_grade_and_by_the_bore_where_one_was_measured() -> None:
    grown = [mark_of(grade=g).growth for g in (None, 0, 1, 2, 3, 4)]
    assert grown[0] == grown[1] == 0 and grown[1:] == sorted(set(grown[1:]))
    assert mark_of(grade=1, open_percent=25.0).growth == 6.0, "half of the radius is shut"
    assert mark_of(grade=4, open_percent=100.0).growth == 0.0
    assert mark_of(open_percent=70.0).strained and not mark_of(grade=2).strained


def test_each_kind_of_part_is_drawn_as_itself() -> None:
    section = TEMPLATES.get_template("_sections.html").module.section  # type: ignore[attr-defined]
    kinds = [c.id for c in COMPONENTS.values() if not c.sensor]
    clean = {k: section({"part": {"component": k}}, 0, "t") for k in kinds}
    fouled = {k: section({"part": {"component": k}}, 5.5, "t") for k in kinds}
    own = Counter(clean.values())
    assert sum(n == 1 for n in own.values()) >= len(kinds) - 6, "pipes may look alike"
    missing = {k for k in kinds if "growth" not in fouled[k]}
    assert missing <= {"runner_actuator"}, "deposit is seen where it grows"
    assert not any("growth" in drawn for drawn in clean.values())


@pytest.mark.parametrize("family", FAMILIES.values(), ids=FAMILIES)
def test_a_step_shows_the_section_in_which_its_part_is(family: EngineFamily) -> None:
    picture = picture_of(family)
    for node in picture.layout.nodes:
        x, y, w, h = map(float, picture.crop(node.id).split())
        assert (w, h) == CROP
        assert x <= node.box.x <= x + w and y <= node.box.y <= y + h
    assert picture.crop("no such part") == ""


def test_lenses_and_badges_say_what_is_stored(
    as_person: Callable[[str], Browser], db: Session
) -> None:
    web = as_person("maren")
    for job in all_jobs(db):
        for stage in STAGES:
            text = web.get(f"/jobs/{job.number}/{stage}").text
            if "data-instrument" not in text:
                continue
            opened = {i.part for i in job.items if i.closed_at is None and i.part}
            drawing = text[text.index("data-row=") :].split("</svg>")[0]
            assert drawing.count("badge-open") == len(opened), (job.number, stage)
            if stage != "plan" and job.plans:
                works = {w.part for w in job.plans[0].document.works}
                assert drawing.count("badge-plan") == len(works), (job.number, stage)
            assert ("badge-may" in drawing) == ('value="may"' in text)


def test_a_parts_panel_is_a_fragment_and_a_page(
    as_person: Callable[[str], Browser], db: Session
) -> None:
    web = as_person("odd")
    job = next(j for j in all_jobs(db) if j.family_id == "E" and j.state == "open")
    at = f"/jobs/{job.number}/parts/"
    panel = web.get(at + "egr_cooler", headers={"hx-request": "true"}).text
    assert "<html" not in panel and "data-close-panel" in panel and "To reach it" in panel
    page = web.get(at + "egr_cooler").text
    assert "<html" in page and "data-close-panel" not in page
    assert web.get(at + "no_such_part").status_code == 404
    assert web.get(at + "%00").status_code in (400, 404, 422)


def test_ids_are_the_pages_own(as_person: Callable[[str], Browser], db: Session) -> None:
    web = as_person("maren")
    places = ["/", "/worksheets", "/shelf", "/vehicles", "/reference", "/account", "/people"]
    for job in all_jobs(db):
        places += [f"/jobs/{job.number}/{s}" for s in ("intake", *STAGES, "handover")]
    for place in places:
        text = web.get(place).text
        ids = Counter(re.findall(r'\sid="([^"]+)"', text))
        twice = [name for name, n in ids.items() if n > 1]
        assert not twice, (place, twice)


def test_letters_are_commands_only_for_who_wants_them(as_person: Callable[[str], Browser]) -> None:
    web = as_person("odd")
    assert 'data-keys="on"' in web.get("/").text
    web.submit("/view", {"keys": "off", "back": "/"})
    assert 'data-keys="off"' in web.get("/").text
    assert 'data-keys="on"' in as_person("maren").get("/").text
    web = as_person("odd")
    assert 'data-keys="off"' in web.get("/").text, "on every browser of this person"
    web.submit("/view", {"keys": "on", "back": "/"})
    assert 'data-keys="on"' in web.get("/").text


def test_a_tap_without_scripts_is_kept_and_leads_back(
    as_person: Callable[[str], Browser], db: Session
) -> None:
    web = as_person("odd")
    job = next(j for j in all_jobs(db) if j.stage == "intake" and j.state == "open")
    text = web.get(f"/jobs/{job.number}/intake").text
    found = re.search(r'name="evidence" value="([a-z_]+)"', text)
    assert found
    answer = web.submit(
        f"/jobs/{job.number}/tap",
        {"evidence": found[1], "was": "unknown", "state": "present"},
    )
    assert answer.status_code == 303
    assert answer.headers["location"] == f"/jobs/{job.number}/intake#symptoms"
    after = web.get(f"/jobs/{job.number}/intake").text
    assert f'id="tap-{found[1]}" data-state="present"' in after


def test_every_worksheet_stands_in_one_group() -> None:
    named = [name for group in GROUPS for name in group.sheets]
    assert sorted(named) == sorted(every_calculation())
    assert all(kind in COMPONENTS for group in GROUPS for kind in group.sheets.values())


def test_the_styleguide_is_there_in_development_only(visitor: Browser) -> None:
    assert visitor.get("/styleguide", follow_redirects=False).status_code != 200
    development = FastAPI()
    development.include_router(styleguide.router)
    with TestClient(development) as client:
        for theme, layout in itertools.product(("day", "night"), ("desk", "bay")):
            page = client.get("/styleguide", params={"theme": theme, "layout": layout})
            assert page.status_code == 200 and f'class="{theme} {layout}"' in page.text
        assert client.get("/styleguide", params={"theme": "dusk"}).status_code == 422


def test_a_verdicts_words_are_of_one_calculation() -> None:
    """The words of a verdict are kept by its id alone: what means two things has none."""
    sources = {p.stem: p.read_text() for p in Path(calculations.__path__[0]).glob("*.py")}
    shared = {"agree", "not_enough", "found"}
    for verdict in sorted(set(VERDICT_WORDS) - shared):
        found = [name for name, source in sources.items() if f'"{verdict}"' in source]
        assert len(found) == 1, (verdict, found)
