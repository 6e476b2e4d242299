"""Bundles: every demo job goes to another workshop and comes back the same; what is hostile changes
nothing."""

import hashlib
import io
import json
import zipfile
from collections.abc import Callable, Iterator
from datetime import UTC, datetime
from pathlib import Path
from random import Random
from typing import Any

import pytest
from PIL import Image
from sqlalchemy import func, select, text
from sqlalchemy.orm import Session

from galene.exchange.bundles import MANIFEST, BundledJob, json_bytes, written
from galene.jobs import bundles, bundles_out, bundles_seen, families, pictures
from galene.jobs.act import Act, find_job
from galene.jobs.errors import Invalid, Missing
from galene.jobs.people import add_person
from galene.store.cluster import Cluster
from galene.store.database import make_engine, migrate
from galene.store.job_schema import schema_text
from galene.store.models import AuditEntry, Base, Job, Person, Workshop
from galene.store.objects import Folder
from galene.store.pictures import PictureStore
from galene.store.vault import Vault, new_key
from tests.conftest import COUNT, administer
from tests.often import often

HOME = "The shed"
ROOT = Path(__file__).resolve().parents[2]


@pytest.fixture
def store(tmp_path: Path) -> PictureStore:
    return PictureStore(Folder(tmp_path / "pictures"))


@pytest.fixture
def there(tmp_path: Path) -> PictureStore:
    return PictureStore(Folder(tmp_path / "there"))


@pytest.fixture
def elsewhere(cluster: Cluster) -> Iterator[Act]:
    """The foreman of another workshop that has no job yet."""
    name = f"elsewhere_{next(COUNT)}"
    administer(cluster, f"create database {name} template template0")
    migrate(cluster.url(name))
    engine = make_engine(cluster.url(name), 2)
    now = datetime.now(UTC)
    with Session(engine, expire_on_commit=False) as db:
        db.add(Workshop(id=1, name="Another workshop", bays=[], policy={}))
        foreman = add_person(db, "una", "Una Berg", role="foreman", password="una-una-una")
        families.install_shipped(db, now)
        db.commit()
        yield Act(db=db, person=foreman, now=now)
    engine.dispose()
    administer(cluster, f"drop database {name} with (force)")


def pictured(act: Act, number: str, store: PictureStore, count: int = 2) -> None:
    """Pictures with marks on a job."""
    job = find_job(act.db, number)
    part = job.plans[0].document.parts[0].part if job.plans else ""
    for n in range(count):
        out = io.BytesIO()
        Image.effect_noise((1500, 1100), 40 + n).convert("RGB").save(out, "JPEG")
        kept = store.keep_with_thumbnail(out.getvalue())
        row = pictures.add_picture(act, number, part, phase="before", note=f"no {n}", kept=kept)
        act.db.flush()
        marks = [{"kind": "words", "x": 0.5, "y": 0.25, "text": "crust"}]
        pictures.mark_picture(act, number, row.id, marks=marks, seen=row.revision)


def packed(act: Act, store: PictureStore, numbers: list[str]) -> bytes:
    found = bundles_out.exported(act.db, numbers, store)
    return b"".join(written(HOME, found))


def counts(db: Session) -> dict[str, int]:
    """Rows of every table."""
    return {
        table.name: db.scalar(select(func.count()).select_from(table)) or 0
        for table in Base.metadata.sorted_tables
    }


def test_every_demo_job_goes_and_comes_back_the_same(
    odd: Act, elsewhere: Act, store: PictureStore, there: PictureStore
) -> None:
    numbers = bundles_out.chosen(odd.db)
    with_card = next(n for n in numbers if find_job(odd.db, n).state == "open")
    pictured(odd, with_card, store)
    before = {n: bundles_out.bundled(odd.db, n, store) for n in numbers}
    data = packed(odd, store, numbers)
    looked = bundles.coming(elsewhere, bundles_seen.read(data), there)
    assert looked.count("new") == len(numbers) >= 20
    assert elsewhere.db.scalar(select(func.count()).select_from(Job)) == 0
    bundles.take_in(elsewhere, data, there)
    for number, one in before.items():
        back = bundles_out.bundled(elsewhere.db, number, there)
        assert json_bytes(back.document) == json_bytes(one.document), number
        assert back.logs == one.logs and back.pictures == one.pictures
    kept = counts(elsewhere.db)
    again = bundles.take_in(elsewhere, data, there)
    assert again.count("here") == len(numbers)
    assert counts(elsewhere.db) == kept
    guests = elsewhere.db.scalars(select(Person).where(Person.role == "guest")).all()
    assert {g.name for g in guests} >= {"Odd Hessel", "Maren Tolk"}
    traced = elsewhere.db.scalars(
        select(AuditEntry).where(AuditEntry.action == "job_taken_in")
    ).all()
    assert len(traced) == len(numbers)


def test_a_number_that_is_taken_is_named_and_renumbered_when_asked(
    odd: Act, store: PictureStore
) -> None:
    number = bundles_out.chosen(odd.db)[0]
    one = bundles_out.bundled(odd.db, number, store)
    assert bundles.coming(odd, bundles_seen.read(_written(one)), store).count("here") == 1
    changed = dict(one.document)
    changed["job"] = {**changed["job"], "complaint": "another one"}
    data = b"".join(written(HOME, [BundledJob(number=number, document=changed)]))
    assert bundles.coming(odd, bundles_seen.read(data), store).count("taken") == 1
    with pytest.raises(Invalid, match="has the number"):
        bundles.take_in(odd, data, store)
    came = bundles.take_in(odd, data, store, renumber=True)
    new = came.jobs[0].here
    assert new != number and find_job(odd.db, new).complaint == "another one"
    assert bundles.take_in(odd, data, store, renumber=True).jobs[0].here == new
    assert bundles.take_in(odd, data, store, renumber=True).count("here") == 1


def _written(*jobs: BundledJob) -> bytes:
    return b"".join(written(HOME, jobs))


def test_what_is_asked_for_is_there(odd: Act) -> None:
    assert bundles_out.chosen(odd.db, plate="QN-114") == sorted(
        bundles_out.chosen(odd.db, plate="qn 114")
    )
    with pytest.raises(Missing):
        bundles_out.chosen(odd.db, numbers=["99-9999"])
    with pytest.raises(Missing):
        bundles_out.chosen(odd.db, plate="NOBODY")


# --- hostile ones ---------------------------------------------------------------------------------


def rezipped(data: bytes, change: Callable[[dict[str, bytes]], None], *, honest: bool) -> bytes:
    """The bundle with changed files; with an honest manifest the hashes follow."""
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        files = {i.filename: archive.read(i) for i in archive.infolist()}
    change(files)
    if honest:
        manifest = json.loads(files[MANIFEST])
        manifest["files"] = [
            {"name": n, "bytes": len(d), "sha256": hashlib.sha256(d).hexdigest()}
            for n, d in files.items()
            if n != MANIFEST
        ]
        files[MANIFEST] = json_bytes(manifest)
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, content in files.items():
            archive.writestr(name, content)
    return out.getvalue()


def job_file(files: dict[str, bytes]) -> str:
    return next(n for n in files if n.endswith("job.json"))


def edited(path: str, value: Any) -> Callable[[dict[str, bytes]], None]:
    """Set a value in job.json, by a path with dots."""

    def change(files: dict[str, bytes]) -> None:
        document = json.loads(files[job_file(files)])
        place = document
        *above, last = path.split(".")
        for step in above:
            place = place[int(step)] if isinstance(place, list) else place[step]
        place[int(last) if isinstance(place, list) else last] = value
        files[job_file(files)] = json.dumps(document).encode()

    return change


def added(name: str, content: bytes = b"x") -> Callable[[dict[str, bytes]], None]:
    return lambda files: files.__setitem__(name, content)


def manifest(**change: Any) -> Callable[[dict[str, bytes]], None]:
    def edit(files: dict[str, bytes]) -> None:
        files[MANIFEST] = json_bytes({**json.loads(files[MANIFEST]), **change})

    return edit


HOSTILE: dict[str, tuple[Callable[[dict[str, bytes]], None], bool, str]] = {
    "path up": (added("../../evil.sh"), True, "../../evil.sh"),
    "absolute path": (added("/etc/passwd"), True, "/etc/passwd"),
    "another file": (added("jobs/26-0001/run.py"), True, "run.py"),
    "not listed": (added(f"jobs/26-0001/pictures/{'0' * 64}.jpg"), False, "not in the manifest"),
    "picture that is none": (
        added(f"jobs/26-0001/pictures/{'0' * 64}.jpg"),
        True,
        "another content",
    ),
    "wrong hash": (edited("job.complaint", "other"), False, "another content"),
    "no manifest": (lambda f: f.pop(MANIFEST), False, "manifest.json: missing"),
    "another version": (manifest(version=2), False, "version"),
    "another format": (manifest(format="other"), False, "another format"),
    "files no list": (manifest(files={}), False, "files"),
    "job version": (edited("version", 9), True, "format"),
    "no JSON": (lambda f: f.__setitem__(job_file(f), b"{"), True, "job.json"),
    "NaN": (lambda f: f.__setitem__(job_file(f), b'{"a": NaN}'), True, "NaN"),
    "deep": (lambda f: f.__setitem__(job_file(f), b"[" * 90_000), True, "job.json"),
    "field too many": (edited("job.sold", True), True, "job.sold"),
    "list too many": (edited("gifts", []), True, "gifts"),
    "number as text": (edited("job.distance_km", "far"), True, "job.distance_km"),
    "huge number": (edited("job.distance_km", 10**400), True, "job"),
    "NUL": (edited("job.complaint", "a\x00b"), True, "job.complaint"),
    "surrogate": (edited("job.complaint", "\ud800"), True, "surrogates"),
    "long text": (edited("job.complaint", "x" * 30_000), True, "job.complaint"),
    "unknown stage": (edited("job.stage", "heaven"), True, "job.stage"),
    "unknown state": (edited("job.state", "sold"), True, "job.state"),
    "no moment": (edited("job.opened_at", "yesterday"), True, "job.opened_at"),
    "other number": (edited("job.number", "26-7777"), True, "job.number"),
    "nobody": (edited("job.technician_id", 99), True, "job.technician_id"),
    "people": (edited("people", "all"), True, "people"),
    "grade": (edited("looks.0.grade", 9), True, "looks.grade"),
    "part": (edited("looks.0.part", "wing"), True, "looks.part"),
    "evidence": (edited("evidence.0.evidence", "ghost"), True, "evidence"),
    "plan": (edited("plans.0.document", {"a": 1}), True, "plans[0].document"),
    "step": (edited("steps.0.document.minutes", "long"), True, "steps[0].document"),
    "plate": (edited("vehicle.plate", "X" * 30), True, "vehicle.plate"),
    "family digest": (edited("family.digest", "0" * 64), True, "family.digest"),
    "family": (edited("family.document.parts", []), True, "family"),
    "lost picture": (
        edited("pictures.0.digest", "1" * 64),
        True,
        "a picture that is in the bundle",
    ),
}


@pytest.fixture
def carried(odd: Act, store: PictureStore) -> bytes:
    """A bundle of one finished job with a picture."""
    number = next(
        n
        for n in bundles_out.chosen(odd.db)
        if (job := find_job(odd.db, n)).state == "finished" and job.steps and job.looks
    )
    job = find_job(odd.db, number)
    job.state = "open"
    pictured(odd, number, store, 1)
    job.state = "finished"
    odd.db.flush()
    return packed(odd, store, [number])


def test_a_hostile_bundle_is_refused_by_name_and_changes_nothing(
    carried: bytes, elsewhere: Act, there: PictureStore
) -> None:
    before = counts(elsewhere.db)
    for name, (change, honest, words) in HOSTILE.items():
        data = rezipped(carried, change, honest=honest)
        for attempt in (bundles.take_in, _looked):
            trial = elsewhere.db.begin_nested()
            with pytest.raises(Invalid) as caught:
                attempt(elsewhere, data, there)
            trial.rollback()
            assert words in caught.value.fields["file"], (name, caught.value.fields)
    assert counts(elsewhere.db) == before
    assert list(there.names()) == []
    # As it was it still comes in.
    assert bundles.take_in(elsewhere, carried, there).count("new") == 1


def _looked(act: Act, data: bytes, store: PictureStore) -> object:
    return bundles.coming(act, bundles_seen.read(data), store)


def test_a_bomb_is_not_unpacked(carried: bytes) -> None:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("jobs/26-0001/job.json", b" " * (30 * 1024 * 1024))
        archive.writestr(MANIFEST, b"{}")
    for data in (out.getvalue(), carried[:-40], b"PK\x05\x06", b"", b"no zip at all"):
        with pytest.raises(Invalid):
            bundles_seen.read(data)


def test_a_lying_size_is_no_way_in(carried: bytes) -> None:
    """The header says few bytes, the stream gives many."""
    data = bytearray(carried)
    at = data.rindex(b"PK\x01\x02")
    data[at + 24 : at + 28] = (5).to_bytes(4, "little")
    with pytest.raises(Invalid):
        bundles_seen.read(bytes(data))


def leaves(document: Any, path: str = "") -> Iterator[str]:
    if isinstance(document, dict | list) and document:
        items = document.items() if isinstance(document, dict) else enumerate(document)
        for key, value in items:
            yield from leaves(value, f"{path}.{key}" if path else str(key))
    else:
        yield path


STRANGE: tuple[Any, ...] = (None, True, -1, 10**6, 1e308, "", "no such word", [], {}, "2026-01-01")


def test_whatever_is_changed_comes_in_whole_or_not_at_all(
    carried: bytes, elsewhere: Act, there: PictureStore
) -> None:
    with zipfile.ZipFile(io.BytesIO(carried)) as archive:
        name = next(n for n in archive.namelist() if n.endswith("job.json"))
        document = json.loads(archive.read(name))
    document.pop("trace")
    places = [p for p in leaves(document) if not p.startswith("family.")]
    random, before, came = Random(14), counts(elsewhere.db), 0
    times = often(24, 200)
    for _ in range(times):
        change = edited(random.choice(places), random.choice(STRANGE))
        trial = elsewhere.db.begin_nested()
        try:
            bundles.take_in(elsewhere, rezipped(carried, change, honest=True), there)
            came += 1
        except Invalid as fault:
            assert fault.fields["file"]
        finally:
            trial.rollback()
        assert counts(elsewhere.db) == before
    assert came < times
    assert elsewhere.db.scalar(text("select 1")) == 1


def test_guests_sign_in_nowhere_and_our_own_stay_ours(
    odd: Act, elsewhere: Act, store: PictureStore, there: PictureStore
) -> None:
    from galene.jobs.people import everybody
    from galene.jobs.signing_in import Caller, Wrong, sign_in

    number = bundles_out.chosen(odd.db)[0]
    bundles.take_in(elsewhere, packed(odd, store, [number]), there)
    assert [p.name for p in everybody(elsewhere.db)] == ["Una Berg"]
    guest = elsewhere.db.scalars(select(Person).where(Person.role == "guest")).first()
    assert guest is not None
    for password in ("", guest.sign_in, "slipway-odd"):
        found = sign_in(
            elsewhere.db,
            Caller(),
            guest.sign_in,
            password=password,
            vault=Vault(new_key()),
            now=elsewhere.now,
        )
        assert found == Wrong()


def test_the_published_schema_is_current_and_names_every_field(
    odd: Act, store: PictureStore
) -> None:
    published = (ROOT / "docs/formats/job.schema.json").read_text()
    assert published == schema_text(), "run scripts/write_formats.py"
    described = json.loads(published)["properties"]
    for number in bundles_out.chosen(odd.db):
        document = bundles_out.bundled(odd.db, number, store).document
        assert document.keys() == described.keys()
        for name, rows in document.items():
            known = described[name].get("items", {}).get("properties", {})
            if isinstance(rows, list) and name != "people":
                assert all(row.keys() == known.keys() for row in rows), name
