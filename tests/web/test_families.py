"""Engine families on the screen: editor, files, pictures, bulletins, where is it, bore gauge."""

import io
import json
import re
from collections.abc import Callable
from html.parser import HTMLParser
from typing import Any
from urllib.parse import quote

import pytest
from PIL import Image
from sqlalchemy import select
from sqlalchemy.orm import Session

from galene.core.units import convert
from galene.exchange.families import to_file
from galene.knowledge.families import FAMILIES
from galene.store.models import FamilyDraft, Inspection, Job
from tests.web.conftest import HOST, Browser

EDIT = "/reference/families/B/edit"


@pytest.fixture
def web(as_person: Callable[[str], Browser]) -> Browser:
    """The foreman, whose this is to change."""
    return as_person("maren")


@pytest.fixture
def editing(web: Browser) -> Browser:
    """Odd with a draft of family B open."""
    assert web.submit(f"{EDIT}/begin").headers["location"] == EDIT
    return web


def seen(web: Browser, at: str = EDIT) -> str:
    found = re.search(r'name="seen" value="(\d+)"', web.get(at).text)
    assert found
    return found[1]


def upload(web: Browser, path: str, name: str, *, data: bytes, **fields: str):
    return web.post(
        path,
        data={"once": f"upload-{abs(hash((path, data))):x}", **fields},
        files={"file": (name, data)},
        headers={"origin": HOST},
        follow_redirects=False,
    )


def newest(db: Session, family_id: str = "B") -> dict[str, Any]:
    db.expire_all()
    return (
        db.scalars(
            select(FamilyDraft)
            .where(FamilyDraft.family_id == family_id)
            .order_by(FamilyDraft.id.desc())
        )
        .first()
        .document
    )


class FormReader(HTMLParser):
    """What a form with a certain action would send as it stands."""

    def __init__(self, action: str) -> None:
        super().__init__()
        self.action, self.inside, self.fields = action, False, {}
        self.select, self.option, self.text = "", None, ""

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        given = dict(attrs)
        if tag == "form":
            self.inside = given.get("action") == self.action
        if not self.inside:
            return
        name = given.get("name") or ""
        if (
            tag == "input"
            and name
            and (given.get("type") not in ("checkbox", "radio") or "checked" in given)
        ):
            self.fields.setdefault(name, []).append(given.get("value") or "")
        elif tag == "select":
            self.select, self.option = name, None
        elif tag == "option" and self.select and (self.option is None or "selected" in given):
            self.option, self.text = given.get("value"), ""
            self.reading = self.option is None
        elif tag == "textarea":
            self.area, self.text = name, ""

    def handle_data(self, data: str) -> None:
        self.text += data

    def handle_endtag(self, tag: str) -> None:
        if not self.inside:
            return
        if tag == "option" and self.select and self.option is None:
            self.option = self.text.strip()
        elif tag == "select" and self.select:
            self.fields.setdefault(self.select, []).append(self.option or "")
            self.select = ""
        elif tag == "textarea":
            self.fields.setdefault(self.area, []).append(self.text)
        elif tag == "form":
            self.inside = False


def fields_of(page: str, action: str) -> dict[str, list[str]]:
    reader = FormReader(action)
    reader.feed(page)
    return reader.fields


def test_every_form_of_the_editor_keeps_what_it_shows(editing: Browser, db: Session) -> None:
    before = newest(db)
    forms = [(f"part={p.id}", "part") for p in FAMILIES["B"].parts] + [
        (f"operation={o.id}", "operation") for o in FAMILIES["B"].operations
    ]
    for query, action in [
        *forms,
        *((f"section={s}", s) for s in ("facts", "bands", "spares", "bus")),
    ]:
        data = fields_of(editing.get(f"{EDIT}?{query}").text, f"{EDIT}/{action}")
        answer = editing.post(
            f"{EDIT}/{action}", data=data, headers={"origin": HOST}, follow_redirects=False
        )
        assert answer.status_code == 303, (
            query,
            re.findall(r'class="fault"[^>]*>([^<]*)', answer.text),
        )
        kept = newest(db)
        for table in ("pipes", "taps", "fasteners"):
            assert sorted(map(str, kept.pop(table))) == sorted(map(str, before[table])), query
        assert kept == {
            k: v for k, v in before.items() if k not in ("pipes", "taps", "fasteners")
        }, query


def test_a_part_goes_from_the_palette_into_the_path_and_out_again(
    editing: Browser, db: Session
) -> None:
    answer = editing.submit(
        f"{EDIT}/add", {"seen": seen(editing), "component": "iat_sensor", "after": "intake_tube"}
    )
    assert answer.headers["location"] == f"{EDIT}?part=iat_sensor_2#edit"
    assert {"sensor": "iat_sensor_2", "on": "intake_tube"} in newest(db)["taps"]
    page = editing.get(f"{EDIT}?part=iat_sensor_2").text
    assert "Intake air temperature sensor 2" in page and "Nothing is wrong with it" in page
    editing.submit(f"{EDIT}/remove-part", {"seen": seen(editing), "part": "egr_valve"})
    page = editing.get(EDIT).text
    assert "&#39;egr_valve&#39; is no part of this family" in page and "Put in force" not in page
    assert "Somebody was faster" in editing.submit(f"{EDIT}/undo", {"seen": "1"}).text
    editing.submit(f"{EDIT}/undo", {"seen": seen(editing)})
    editing.submit(f"{EDIT}/publish", {"seen": seen(editing), "note": "one more temperature"})
    assert (
        "iat_sensor_2" in editing.get("/reference/families/B").text
        and 'version=1"' in editing.get("/reference/families/B").text
    )
    assert "iat_sensor_2" not in editing.get("/reference/families/B?version=1").text


@pytest.mark.parametrize(
    ("action", "query", "change", "words"),
    [
        ("facts", "section=facts", {"cylinders": "many"}, "a whole number from 1 to 24"),
        ("facts", "section=facts", {"displacement_l": "big"}, "Engine size"),
        ("part", "part=egr_valve", {"torque": "tight"}, "Torque"),
        ("part", "part=egr_valve", {"target": "nowhere"}, "a part of this family"),
        (
            "operation",
            "operation=egr_valve_off",
            {"minutes_off": ""},
            "Minutes off: enter a figure",
        ),
        ("bands", "section=bands", {"high.idle_rpm": ""}, "both ends, or neither"),
        ("spares", "section=spares", {"price": "dear"}, "the price is not a number"),
        ("bus", "section=bus", {"identifier": "20G1"}, "up to four hexadecimal figures"),
        ("bus", "section=bus", {"scale": "half"}, "the scale is not a number"),
        ("bus", "section=bus", {"size": "two"}, "1 to 4 bytes"),
    ],
)
def test_bad_figures_stay_out_of_the_draft(
    editing: Browser, db: Session, action: str, query: str, change: dict[str, str], words: str
) -> None:
    before = newest(db)
    data = {
        **fields_of(editing.get(f"{EDIT}?{query}").text, f"{EDIT}/{action}"),
        **{k: [v] for k, v in change.items()},
    }
    answer = editing.post(
        f"{EDIT}/{action}", data=data, headers={"origin": HOST}, follow_redirects=False
    )
    assert answer.status_code == 422 and words in answer.text, answer.text[-3000:]
    assert newest(db) == before


def test_operations_that_wait_for_each_other_are_named(editing: Browser) -> None:
    data = fields_of(editing.get(f"{EDIT}?operation=engine_cover").text, f"{EDIT}/operation")
    editing.post(
        f"{EDIT}/operation", data={**data, "after": ["plenum_off"]}, headers={"origin": HOST}
    )
    page = editing.get(EDIT).text
    assert (
        "operations wait for each other" in page
        and "engine_cover" in page[page.index("operations wait") :][:200]
    )
    refused = editing.submit(f"{EDIT}/publish", {"seen": seen(editing), "note": "a loop"})
    assert refused.status_code == 409 and "wait for each other" in refused.text


def test_a_picture_is_kept_shown_and_sent_along_with_the_family(
    editing: Browser, db: Session
) -> None:
    png = io.BytesIO()
    Image.new("RGB", (64, 48), "teal").save(png, "PNG")
    bad = upload(
        editing,
        f"{EDIT}/picture",
        "x.png",
        data=b"no picture",
        part="egr_valve",
        seen=seen(editing),
    )
    assert bad.status_code == 422 and "JPEG, PNG or WebP" in bad.text
    assert (
        upload(
            editing,
            f"{EDIT}/picture",
            "x.png",
            data=png.getvalue(),
            part="egr_valve",
            seen=seen(editing),
        ).status_code
        == 303
    )
    name = next(p["picture"] for p in newest(db)["parts"] if p["id"] == "egr_valve")
    assert editing.get(f"/pictures/{name}.jpg").headers["content-type"] == "image/jpeg"
    assert (
        editing.get("/pictures/" + "0" * 64 + ".jpg").status_code == 404
        and editing.get("/pictures/x.jpg").status_code == 422
    )
    editing.submit(f"{EDIT}/publish", {"seen": seen(editing), "note": "a picture"})
    file = editing.get("/reference/families/B/file")
    assert "attachment" in file.headers["content-disposition"] and set(
        json.loads(file.content)["pictures"]
    ) == {name}
    taken = upload(editing, "/reference/families/take-in", "b.json", data=file.content)
    assert taken.headers["location"] == EDIT


@pytest.mark.parametrize(
    ("data", "words"),
    [
        (b"{", "line 1, column 2"),
        (b"", "engine family"),
        (
            json.dumps(
                {
                    **to_file(FAMILIES["A"], {}),
                    "family": {**to_file(FAMILIES["A"], {})["family"], "pipes": []},
                }
            ).encode(),
            "not joined",
        ),
    ],
)
def test_a_bad_file_changes_nothing_and_says_why(
    web: Browser, db: Session, data: bytes, words: str
) -> None:
    answer = upload(web, "/reference/families/take-in", "bad.json", data=data)
    assert answer.status_code == 422 and words in answer.text
    assert db.scalars(select(FamilyDraft)).all() == []


def test_large_files_are_refused_before_they_are_read(web: Browser) -> None:
    answer = upload(web, "/reference/families/take-in", "big.json", data=b"x" * (17 * 1024 * 1024))
    assert answer.status_code == 413 and "16 MB" in answer.text


@pytest.mark.parametrize(
    ("typed", "words"),
    [
        (
            "meter",
            (
                "Behind the box&#39;s outlet",
                "T20 driver",
                "Not to be mixed up with",
                "Secondary meter",
            ),
        ),
        ("p0401", ("Exhaust recirculation: flow too low", "Rear of the plenum", "Undo two knobs")),
        ("P0299", ("Charge pressure too low", "This engine has no")),
        ("P0700", ("points at no part",)),
        ("zzz", ("No part of this engine answers",)),
        ("<script>", ("No part of this engine answers", "&lt;script&gt;")),
    ],
)
def test_where_is_it(web: Browser, typed: str, words: tuple[str, ...]) -> None:
    page = web.get(f"/vehicles/QN088/where?q={quote(typed)}").text
    for word in words:
        assert word in page, word
    assert "<script>" not in page.replace('<script src="/static', "")


def test_a_bulletin_is_recorded_for_a_vehicle_and_seen_at_its_intake(
    web: Browser, db: Session
) -> None:
    missing = web.submit("/vehicles/QN114/bulletins", {"kind": "recall", "title": "Seat belt"})
    assert (
        missing.status_code == 422
        and "Say where you looked" in missing.text
        and 'value="Seat belt"' in missing.text
    )
    web.submit(
        "/vehicles/QN114/bulletins",
        {"kind": "recall", "title": "Throttle harness", "source": "hotline", "outcome": "booked"},
    )
    number = db.scalars(
        select(Job.number).where(Job.stage == "intake", Job.family_id == "A")
    ).first()
    assert "Throttle harness" in web.get(f"/jobs/{number}/intake").text
    assert "Throttle harness" not in web.get("/vehicles/QN207").text


def test_the_gauge_measures_in_inches_and_points_can_be_changed(web: Browser, db: Session) -> None:
    number = db.scalars(
        select(Job.number).where(Job.family_id == "D", Job.state == "open").order_by(Job.number)
    ).first()
    path = f"/jobs/{number}/bores/egr_passage"
    bore = {
        "bore_name": "passage",
        "bore.0": "1.1",
        "length_unit": "in",
        "phase": "after",
        "seen": "0",
        "deposit": "soot",
    }
    live = web.submit(f"{path}/live", {**bore, "thickness.0": ["0.1", "0.1", "0.1", "0.1"]})
    assert f"{100 * (1 - 0.2 / 1.1) ** 2:.1f} %" in live.text
    more = web.submit(
        path, {**bore, "thickness.0": ["0.1", "0", "0.1", "0"], "points": "8", "resample": "1"}
    ).text
    assert [
        float(v) for v in re.findall(r'name="thickness.0" value="([^"]*)"', more)
    ] == pytest.approx([0.1, 0.05, 0, 0.05] * 2)
    bad = web.submit(path, {**bore, "thickness.0": ["0.1", "0.6", "x", "0"]})
    assert (
        bad.status_code == 422
        and "passage, 6 o&#39;clock" in bad.text
        and "below the radius" in bad.text
    )
    assert web.submit(path, {**bore, "thickness.0": ["0.1", "0", "0.1", "0"]}).status_code == 303
    kept = db.scalars(
        select(Inspection)
        .join(Job, Job.id == Inspection.job_id)
        .where(Job.number == number, Inspection.part == "egr_passage", Inspection.phase == "after")
    ).one()
    from galene.core.units import QUANTITIES

    assert kept.bores[0].bore_mm == pytest.approx(
        convert(QUANTITIES["length"], 1.1, "in", target="mm")
    )
    assert web.submit("/jobs/26-9999/bores/egr_passage", bore).status_code == 404
    assert web.get(f"/jobs/{number}/bores/gearbox").status_code == 422


def test_a_stale_gauge_is_told_who_was_faster(
    as_person: Callable[[str], Browser], db: Session
) -> None:
    number = db.scalars(
        select(Job.number).where(Job.family_id == "D", Job.state == "open").order_by(Job.number)
    ).first()
    path = f"/jobs/{number}/bores/egr_cooler"
    bore = {
        "bore_name": "inlet",
        "bore.0": "38",
        "length_unit": "mm",
        "phase": "before",
        "seen": "0",
        "deposit": "soot",
    }
    first = as_person("pia").submit(
        path, {**bore, "thickness.0": ["4", "3", "2", "3"], "note": "from Pia"}
    )
    assert first.status_code == 303
    late = as_person("odd").submit(
        path, {**bore, "thickness.0": ["9", "9", "9", "9"], "note": "from Odd"}
    )
    assert (
        late.status_code == 409
        and "Pia Skarn" in late.text
        and "from Odd" in late.text
        and "this measurement" in late.text
    )
    db.expire_all()
    look = db.scalars(
        select(Inspection)
        .join(Job, Job.id == Inspection.job_id)
        .where(Job.number == number, Inspection.part == "egr_cooler", Inspection.phase == "before")
    ).one()
    assert look.note == "from Pia" and look.bores[0].thickness_mm == (4, 3, 2, 3)


def test_the_api_knows_the_workshops_own_families(web: Browser, db: Session) -> None:
    web.submit("/reference/families", {"id": "D7", "name": "Like D", "like": "D"})
    at = "/reference/families/D7/edit"
    web.submit(f"{at}/publish", {"seen": seen(web, at), "note": "first"})
    answer = web.post(
        "/api/v1/scopes",
        json={"family": "D7", "components": ["egr_valve"]},
        headers={"origin": HOST},
    )
    assert answer.status_code == 200 and answer.json()["hands_on_minutes"] > 0
    assert (
        web.post(
            "/api/v1/scopes",
            json={"family": "Q9", "components": ["egr_valve"]},
            headers={"origin": HOST},
        ).status_code
        == 422
    )
    assert (
        web.post(
            "/api/v1/assessments",
            json={"engine": {"family": "D7"}, "codes": ["P0401"]},
            headers={"origin": HOST},
        ).status_code
        == 200
    )
