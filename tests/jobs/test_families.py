"""Engine families of the workshop: versions, drafts, files, bulletins, and what a running job
keeps."""

import json
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from sqlalchemy import select
from sqlalchemy.orm import Session

from galene.core.airpath.family import Band, EngineFamily, Operation, Part, Pipe
from galene.core.errors import InputError
from galene.exchange.families import (
    document_of,
    family_of_document,
    from_file,
    schema_text,
    to_file,
)
from galene.jobs import evidence, families, family_edits, intake
from galene.jobs.act import Act, family_of, find_job
from galene.jobs.errors import Invalid, Missing, Refused, Stale
from galene.knowledge import reading_channels
from galene.knowledge.families import FAMILIES
from galene.store.models import AuditEntry, Job, Vehicle
from galene.store.objects import Folder
from galene.store.pictures import PictureStore
from tests.conftest import demo_jobs
from tests.core.test_airpath_drawing import valid_families
from tests.often import walks

ROOT = Path(__file__).resolve().parent.parent.parent


@pytest.mark.parametrize("family", FAMILIES.values(), ids=FAMILIES)
def test_a_family_goes_out_and_comes_back_exactly(family: EngineFamily) -> None:
    text = json.dumps(to_file(family, {"a" * 64: b"\xff\xd8\xff picture"}), ensure_ascii=False)
    back, pictures = from_file(text.encode())
    assert back == family and pictures == {"a" * 64: b"\xff\xd8\xff picture"}
    assert document_of(back) == document_of(family)


@settings(
    max_examples=walks(),
    deadline=None,
    suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large],
)
@given(family=valid_families())
def test_any_family_goes_out_and_comes_back_exactly(family: EngineFamily) -> None:
    assert family_of_document(json.loads(json.dumps(document_of(family)))) == family


def _file(**change: object) -> bytes:
    return json.dumps({**to_file(FAMILIES["A"], {}), **change}).encode()


def _broken(place: list[str | int], value: object) -> bytes:
    document = document_of(FAMILIES["A"])
    at = document
    for step in place[:-1]:
        at = at[step]
    at[place[-1]] = value
    return _file(family=document)


@pytest.mark.parametrize(
    ("text", "place", "words"),
    [
        (b"{", "file", "line 1, column 2"),
        (b"\xff\xfe", "file", "byte 0"),
        (b"[]", "format", "galene-engine-family"),
        (_file(format_version=9), "format_version", "9"),
        (_file(extra=1), "extra", "no such field"),
        (_broken(["parts", 2, "label"], 7), "parts[2].label", "string"),
        (_broken(["parts", 2, "colour"], "red"), "parts[2].colour", "no such field"),
        (_broken(["operations", 1, "minutes_off"], "five"), "operations[1].minutes_off", "number"),
        (_broken(["bands", "idle_rpm", "low"], None), "bands.idle_rpm.low", "number"),
        (_file(pictures={"x": "not base64!"}), "pictures.x", "base64"),
    ],
)
def test_a_bad_file_names_the_place_and_what_is_wrong(text: bytes, place: str, words: str) -> None:
    with pytest.raises(InputError) as fault:
        from_file(text)
    assert fault.value.field == place and words in str(fault.value)


@pytest.mark.parametrize(("rows", "field"), [("taps", "on"), ("fasteners", "torque_nm")])
def test_a_file_says_where_a_sensor_sits_and_how_tight_a_bolt_is(rows: str, field: str) -> None:
    document = document_of(FAMILIES["A"])
    del document[rows][1][field]
    with pytest.raises(InputError, match="this field is needed") as fault:
        from_file(_file(family=document))
    assert fault.value.field == f"{rows}[1].{field}"


def test_the_published_schema_is_the_one_in_use() -> None:
    assert (ROOT / "docs/formats/engine-family.schema.json").read_text() == schema_text(), (
        "run scripts/write_formats.py"
    )


def test_a_running_job_keeps_the_version_it_began_with(odd: Act, db: Session) -> None:
    number = demo_jobs(db)["work"]
    draft = families.begin_draft(odd, "A")
    draft = families.edit_draft(
        odd,
        "A",
        draft.id,
        what="idle band",
        change=family_edits.save_bands({"idle_rpm": Band(690, 770, "after this winter")}),
    )
    with pytest.raises(Invalid, match="what changed"):
        families.publish(odd, "A", draft.id, note=" ")
    version = families.publish(odd, "A", draft.id, note="a lower idle")
    db.commit()
    db.expire_all()
    assert version.version == 2 and families.draft_of(db, "A") is None
    assert family_of(find_job(db, number)).bands["idle_rpm"].low == 700
    vehicle = db.scalars(select(Vehicle).where(Vehicle.plate_key == "QN331")).one()
    assert family_of(intake.open_job(odd, vehicle, "again")).bands["idle_rpm"].low == 690
    assert [v.version for v in families.versions_of(db, "A")] == [2, 1]
    assert {
        t.action for t in db.scalars(select(AuditEntry).where(AuditEntry.job_id.is_(None)))
    } >= {
        "family_draft",
        "family_published",
    }


def test_two_people_never_overwrite_each_others_draft(odd: Act, pia: Act) -> None:
    draft = families.begin_draft(odd, "B")
    families.edit_draft(
        odd, "B", draft.id, what="one", change=lambda f: replace(f, notes=("odd was here",))
    )
    with pytest.raises(Stale) as fault:
        families.edit_draft(
            pia, "B", draft.id, what="two", change=lambda f: replace(f, notes=("pia was here",))
        )
    assert fault.value.who == "Odd Hessel"


def test_undo_takes_back_the_last_change_only(odd: Act) -> None:
    draft = families.begin_draft(odd, "B")
    one = families.edit_draft(
        odd, "B", draft.id, what="one", change=lambda f: replace(f, notes=("one",))
    )
    two = families.edit_draft(
        odd, "B", one.id, what="two", change=lambda f: replace(f, notes=("two",))
    )
    back = families.undo_draft(odd, "B", two.id)
    assert families.family_in_draft(back).notes == ("one",) and back.id == one.id
    first = families.undo_draft(odd, "B", back.id)
    with pytest.raises(Refused, match="Nothing to undo"):
        families.undo_draft(odd, "B", first.id)


def test_a_family_grows_from_nothing_to_one_that_a_job_can_use(odd: Act, db: Session) -> None:
    draft = families.new_family(odd, " k1 ", "Kelp 1.2")
    with pytest.raises(Refused, match="publish"):
        families.publish(odd, "K1", draft.id, note="too early")
    with pytest.raises(Invalid, match="engine family"):
        intake.add_vehicle(
            odd,
            intake.NewVehicle(plate="KP-1", maker="Kelp", model="One", year="2020", family="K1"),
        )
    for component, after in (
        ("air_filter", ""),
        ("throttle_body", "air_filter"),
        ("intake_ports", "throttle_body"),
        ("intake_tube", "air_filter"),
        ("map_sensor", "throttle_body"),
    ):
        draft = families.edit_draft(
            odd, "K1", draft.id, what=component, change=family_edits.add_part(component, after)
        )
    family = families.family_in_draft(draft)
    assert {(p.source, p.target) for p in family.pipes} == {
        ("air_filter", "intake_tube"),
        ("intake_tube", "throttle_body"),
        ("throttle_body", "intake_ports"),
    }
    opening = Operation(
        id="tube_off",
        text="Take the tube off",
        text_back="Refit the tube",
        part="intake_tube",
        minutes_off=3,
        minutes_on=4,
        reaches=("intake_tube", "throttle_body"),
    )
    draft = families.edit_draft(
        odd, "K1", draft.id, what="opening", change=family_edits.save_operation(opening)
    )
    families.publish(odd, "K1", draft.id, note="first version")
    vehicle = intake.add_vehicle(
        odd, intake.NewVehicle(plate="KP-1", maker="Kelp", model="One", year="2020", family="K1")
    )
    assert family_of(intake.open_job(odd, vehicle, "shakes")).id == "K1"


def test_taking_a_part_out_joins_its_neighbours_and_forgets_it_everywhere() -> None:
    left = family_edits.remove_part("intake_tube")(FAMILIES["A"])
    assert Pipe("air_filter", "throttle_body") in left.pipes
    assert not any("intake_tube" in (p.source, p.target) for p in left.pipes)
    assert all("intake_tube" not in o.reaches for o in left.operations) and all(
        f.part != "intake_tube" for f in left.fasteners
    )


def test_a_copy_is_its_own_family(odd: Act) -> None:
    draft = families.new_family(odd, "A2", "Skerry 16P, second series", like="A")
    assert (
        replace(families.family_in_draft(draft), id="A", name=FAMILIES["A"].name) == FAMILIES["A"]
    )
    with pytest.raises(Invalid, match="taken"):
        families.new_family(odd, "A", "again")
    with pytest.raises(Invalid, match="short name"):
        families.new_family(odd, "not good", "x")
    families.drop_draft(odd, "A2", draft.id)
    with pytest.raises(Missing):
        families.current_version(odd.db, "A2")


def test_a_file_is_taken_in_as_a_draft_and_waits_for_an_open_one(odd: Act) -> None:
    changed = replace(FAMILIES["C"], notes=("from next door",))
    draft = families.take_in(odd, changed)
    assert families.family_in_draft(draft) == changed
    assert families.undo_draft(odd, "C", draft.id).what == "draft begun", (
        "undo leads back to the version in force"
    )
    with pytest.raises(Refused, match="edits"):
        families.take_in(odd, changed)
    with pytest.raises(Refused) as fault:
        families.take_in(
            odd,
            replace(
                FAMILIES["D"],
                parts=(*FAMILIES["D"].parts, Part(id="x", component="egr_pipe", label="x")),
            ),
        )
    assert any("not joined" in r for r in fault.value.reasons)


def test_bulletins_stand_by_family_and_by_vehicle(odd: Act, db: Session) -> None:
    bus = db.scalars(select(Vehicle).where(Vehicle.plate_key == "QN266")).one()
    families.add_bulletin(
        odd,
        "recall",
        "Cooler",
        source="hotline",
        outcome="done in May",
        family_id=None,
        vehicle=bus,
    )
    families.add_bulletin(
        odd, "bulletin", "Flap software", source="list", outcome="not for this one", family_id="D"
    )
    titles = [b.title for b in families.bulletins_for(db, "D", bus)]
    assert {"Cooler", "Flap software"} <= set(titles) and "Cooler" not in [
        b.title for b in families.bulletins_for(db, "D")
    ]
    with pytest.raises(Invalid) as fault:
        families.add_bulletin(odd, "rumour", "", source="", outcome="x", family_id="D")
    assert set(fault.value.fields) == {"kind", "title", "source"}
    with pytest.raises(Missing):
        families.add_bulletin(odd, "recall", "x", source="x", outcome="x", family_id="Q")


def test_measured_bores_decide_the_grade_and_prove_the_gain(odd: Act, db: Session) -> None:
    number = db.scalars(select(Job).where(Job.family_id == "C")).unique().one().number
    look = next(k for k in find_job(db, number).looks if k.part == "intake_ports")
    assert look.grade == 4 and look.open_area_percent and len(look.bores) == 4
    assert min(b.open_area_percent for b in look.bores) == look.open_area_percent
    clean = [evidence.MeasuredBore(f"cylinder {n}", 34.0, (0.1,) * 8) for n in range(1, 5)]
    evidence.save_bores(
        odd, number, "after", part_id="intake_ports", bores=clean, deposit="", note="", seen=0
    )
    after = next(
        k for k in find_job(db, number).looks if k.part == "intake_ports" and k.phase == "after"
    )
    assert after.grade == 1 and after.open_area_percent and after.open_area_percent > 98
    with pytest.raises(Stale):
        evidence.save_bores(
            odd, number, "after", part_id="intake_ports", bores=clean, deposit="", note="", seen=0
        )
    with pytest.raises(Invalid) as fault:
        evidence.save_bores(
            odd,
            number,
            "after",
            part_id="intake_ports",
            bores=[evidence.MeasuredBore("one", 34.0, (0, 17, 0, 0))],
            deposit="",
            note="",
            seen=1,
        )
    assert set(fault.value.fields) == {"thickness.0.1"}


def test_an_eye_that_sees_another_grade_drops_the_measurement(odd: Act, db: Session) -> None:
    number = db.scalars(select(Job).where(Job.family_id == "C")).unique().one().number
    evidence.save_inspection(
        odd,
        number,
        "before",
        part_id="intake_ports",
        deposit="hard_carbon",
        grade=4,
        note="same grade",
    )
    assert next(k for k in find_job(db, number).looks if k.part == "intake_ports").bores
    evidence.save_inspection(
        odd, number, "before", part_id="intake_ports", deposit="hard_carbon", grade=2
    )
    assert next(k for k in find_job(db, number).looks if k.part == "intake_ports").bores == ()


def test_an_engine_shows_only_the_channels_that_it_has() -> None:
    shown = {
        i: {c.id for c in reading_channels.channels_of(f, "idle")} for i, f in FAMILIES.items()
    }
    assert (
        "learned_throttle_percent" in shown["C"]
        and "learned_throttle_percent" not in shown["B"] | shown["D"]
    )
    assert "trim_idle_percent" in shown["B"] and "trim_idle_percent" not in shown["D"] | shown["F"]
    assert shown["F"] == {"idle_rpm"}


def test_pictures_are_kept_once_upright_and_without_notes(tmp_path: Path) -> None:
    from io import BytesIO

    from PIL import Image

    camera = BytesIO()
    image = Image.new("RGB", (3000, 2000), "navy")
    notes = image.getexif()
    notes[274], notes[271] = 6, "camera maker"
    image.save(camera, "JPEG", exif=notes)
    store = PictureStore(Folder(tmp_path))
    name = store.keep(camera.getvalue())
    assert store.keep(camera.getvalue()) == name and len(list(tmp_path.rglob("*.jpg"))) == 1
    with Image.open(BytesIO(store.read(name) or b"")) as kept:
        assert kept.size == (1067, 1600) and not kept.getexif()
    for bad in (b"", b"GIF89a", b"\0\0\0\x18ftypheic" + b"\0" * 40, camera.getvalue()[:900]):
        with pytest.raises(InputError, match="picture"):
            store.keep(bad)
    with pytest.raises(InputError):
        store.read("../../etc/passwd")


def test_a_full_disk_leaves_no_half_picture(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    import os
    from io import BytesIO

    from PIL import Image

    picture = BytesIO()
    Image.new("RGB", (40, 30), "teal").save(picture, "PNG")
    store, sync = PictureStore(Folder(tmp_path)), os.fsync

    def full(handle: int) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(OSError, match="No space"):
        store.keep(picture.getvalue())
    assert [p for p in tmp_path.rglob("*") if p.is_file()] == []
    monkeypatch.setattr(os, "fsync", sync)
    assert store.read(store.keep(picture.getvalue()))
