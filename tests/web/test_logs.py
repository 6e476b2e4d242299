"""Logs on a job: taken in, named, remembered, corrected, turned into readings and into the rows of
a check."""

import re

import pytest
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from galene.core.logs.series import ColumnPlace
from galene.demo.engine import EngineState
from galene.demo.logger import recorded
from galene.jobs import intake
from galene.jobs.act import Act
from galene.knowledge.families import FAMILIES
from galene.store.models import AuditEntry, Job, LogFile, LogMapping, ReadingSet
from tests.web.conftest import HOST, Browser, flat

LOG = recorded(
    FAMILIES["B"], EngineState(roughness_rpm=8, leak_g_s=0.5), 9, idle_rpm=690, passage_mm2=20.0
).replace("Engine RPM", "Revs", 1)
ODD = "Clock;N eng [1/min];Plenum (mbar);CLT\n" + "".join(
    f"12:00:{s:02d};{700 + s % 7};{330 + s % 5};90\n" for s in range(40)
)


@pytest.fixture
def v6(odd: Act) -> str:
    """A job of a V6 whose evidence is to be taken."""
    vehicle = intake.add_vehicle(
        odd,
        intake.NewVehicle(
            plate="TS-901",
            maker="Hollinvar",
            model="Testbed",
            year="2010",
            family="B",
            keeper="the shed",
        ),
    )
    number = intake.open_job(odd, vehicle, "drinks more than it did").number
    odd.db.commit()
    return number


def bring(
    web: Browser,
    number: str,
    text: str | bytes,
    *,
    name: str = "run.csv",
    once: str = "token-of-a-log",
):
    data = text.encode() if isinstance(text, str) else text
    return web.post(
        f"/jobs/{number}/logs",
        data={"once": once},
        files={"file": (name, data)},
        headers={"origin": HOST},
        follow_redirects=False,
    )


def named(web: Browser, number: str, where: str, **changed: str):
    """Send the mapping form as the page proposes it, with changes."""
    page = web.get(where).text
    form = page[page.index(f'action="{where}/mapping"') :]
    form = form[: form.index("</form>")]
    time = re.search(r'name="time" value="(\d+)" checked', form)
    chosen = {
        "time": time[1] if time else "",
        "time_unit": "s",
        "seen": re.search(r'name="seen" value="(\d+)"', form)[1],
    }
    for name, options in re.findall(
        r'<select name="((?:channel|unit)\.\d+)".*?>(.*?)</select>', form, re.S
    ):
        found = re.search(r'value="([^"]*)"[^>]*\bselected', options)
        chosen[name] = found[1] if found else ""
    return web.submit(f"{where}/mapping", {**chosen, **changed})


def test_a_log_becomes_the_before_set(web: Browser, db: Session, v6: str) -> None:
    where = bring(web, v6, LOG).headers["location"]
    page = web.get(where).text
    assert "So it is: find the stretches" in page and 'id="strips"' not in page, (
        "nothing is drawn before the columns are confirmed"
    )
    assert named(web, v6, where).status_code == 303
    page = web.get(where).text
    assert (
        page.count('data-pick="') == 6
        and "Trim point 3" in page
        and "Take as the before set" in page
    )
    seen = web.seen(where, 'value="trim"')
    assert (
        web.submit(f"{where}/readings", {"phase": "before", "kind": "trim", "seen": seen})
        .headers["location"]
        .endswith("evidence#trim")
    )
    assert (
        web.submit(
            f"{where}/readings",
            {"phase": "before", "kind": "idle", "seen": web.seen(where, 'value="idle"')},
        ).status_code
        == 303
    )
    sets = {
        s.kind: s
        for s in db.scalars(
            select(ReadingSet).join(Job).where(Job.number == v6, ReadingSet.phase == "before")
        )
    }
    assert (
        sets["idle"].source == sets["trim"].source == "log"
        and 85 < (sets["idle"].conditions.coolant_c or 0) < 93
    )
    times = [r.at_s for r in sets["idle"].readings if r.channel == "idle_rpm"]
    assert (
        len(times) == 8 and times == sorted(times) and all(t is not None and t < 56 for t in times)
    )
    assert "Air leaks in behind the meter" in web.get(f"/jobs/{v6}/evidence").text, (
        "the trims of the log were split into leak and meter"
    )


def test_the_same_file_twice_is_one_log_and_its_layout_is_remembered(
    web: Browser, db: Session, v6: str
) -> None:
    first = bring(web, v6, ODD).headers["location"]
    assert bring(web, v6, ODD, once="another-token").headers["location"] == first
    assert (
        db.scalar(select(func.count()).select_from(LogFile).join(Job).where(Job.number == v6)) == 1
    )
    answer = named(web, v6, first, **{"channel.2": "map_kpa"})
    assert answer.status_code == 303
    log = db.scalars(select(LogFile).order_by(LogFile.id.desc()).limit(1)).one()
    assert log.mapping.channels["map_kpa"] == ColumnPlace(column=2, unit="mbar"), (
        "the file's own unit is taken where none was chosen"
    )
    other = db.scalars(select(Job.number).where(Job.family_id == "C", Job.state == "open")).one()
    again = bring(web, other, ODD + "12:00:41;700;330;90\n", once="third-token").headers["location"]
    page = web.get(again).text
    assert 'id="strips"' in page and "Manifold pressure" in page, (
        "headings that were named before need no naming"
    )
    strip = web.get(f"{again}/strip/map_kpa").json()
    assert strip["values"][0] == pytest.approx(33.0) and strip["time"][0] == 0


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("t,a\n0,1\n1,2\n2,x\n" + "".join(f"{k},1\n" for k in range(3, 9)), "line 4, column 2 (a)"),
        ("t,a\n0,1\n1,2,9\n2,3\n", "line 3"),
        ("", "Wanted: a log with rows in it"),
        (b"\x89PNG\r\n\x1a\n\x00\x00", "a CSV log, or a measurement file in MDF 4"),
        (b"MDF     4.10    tests   " + bytes(200), "a whole MDF 4 file"),
    ],
)
def test_a_malformed_file_changes_nothing(
    web: Browser, db: Session, v6: str, text: str | bytes, words: str
) -> None:
    answer = bring(web, v6, text)
    assert answer.status_code == 422 and words in answer.text.replace("&#39;", "'")
    assert (
        db.scalar(select(func.count()).select_from(LogFile).join(Job).where(Job.number == v6)) == 0
    )
    assert bring(web, v6, ODD).status_code == 303, "the form's token is free again"


def test_a_mapping_that_can_not_be_says_where(web: Browser, v6: str) -> None:
    where = bring(web, v6, ODD).headers["location"]
    for changed, words in (
        ({"channel.2": "rpm"}, "named twice"),
        (
            {"channel.2": "barometer_kpa", "unit.2": "mbar"},
            "Half-way it stands at 332 mbar; air outside goes from 50 to 110 kPa",
        ),
        ({"channel.2": "boost_kpa"}, "This engine has no such channel"),
        ({"channel.3": "coolant_c", "unit.3": "psi"}, "A unit of degC, degF"),
        ({"time": "3"}, "Another column than the time"),
        ({"time": "3", "channel.3": ""}, "does not run forward"),
        ({"time": ""}, "Say which column is the time"),
    ):
        answer = named(web, v6, where, **changed)
        assert answer.status_code == 422 and words in answer.text, (changed, words)
    assert "So it is: find the stretches" in web.get(where).text, "still not named"


def test_stretches_are_moved_by_hand_and_nobody_is_overwritten(
    web: Browser, db: Session, v6: str
) -> None:
    where = bring(web, v6, LOG).headers["location"]
    named(web, v6, where)
    ends = {
        "start.0": "10",
        "end.0": "40,5",
        "seen": web.seen(where, f'action="{where}/stretches"'),
    }
    assert web.submit(f"{where}/stretches", ends).status_code == 303
    log = db.scalars(select(LogFile).order_by(LogFile.id.desc()).limit(1)).one()
    assert (
        log.segments[0].start_s,
        log.segments[0].end_s,
        log.segments[0].by_hand,
    ) == (10, 40.5, True) and not log.segments[1].by_hand
    assert "set by hand" in web.get(where).text
    stale = web.submit(f"{where}/stretches", {**ends, "end.0": "41"})
    assert stale.status_code == 409 and "this log" in stale.text
    seen = web.seen(where, f'action="{where}/stretches"')
    for wrong in (
        {"start.0": "50", "end.0": "40"},
        {"start.0": "-1"},
        {"end.0": "9999"},
        {"start.0": "soon"},
    ):
        assert web.submit(f"{where}/stretches", {**ends, **wrong, "seen": seen}).status_code == 422
    assert (
        db.scalar(
            select(func.count())
            .select_from(AuditEntry)
            .where(AuditEntry.action == "log_stretches_set")
        )
        == 1
    )


def test_a_check_opens_with_the_rows_of_a_log_and_is_kept(
    web: Browser, db: Session, v6: str
) -> None:
    where = bring(web, v6, LOG).headers["location"]
    named(web, v6, where)
    log_id = where.rsplit("/", 1)[1]
    path = f"/jobs/{v6}/checks/egr_flow_test"
    assert f"{path}?log={log_id}" in web.get(path).text
    page = web.get(f"{path}?log={log_id}").text
    csv = re.search(r'<textarea id="csv"[^>]*>(.*?)</textarea>', page, re.S)
    assert csv and csv[1].count("\n") > 50
    figures = {
        "csv": csv[1],
        "ambient_kpa": "101.1",
        "intake_c": "31",
        "exhaust_kpa": "103",
        "exhaust_c": "190",
        "displacement_l": "2.9",
        "volumetric_efficiency": "0.72",
        "reference_area_mm2": "32",
        "throttle_held": "yes",
    }
    live = web.submit(f"{path}/live", figures).text
    assert "Restricted" in live and "data-grip=" in live and "Shut 1" in live
    moved = flat(web.submit(f"{path}/live", {**figures, "open_from_s": "158", "open_to_s": "160"}))
    assert "Open 158.0 to 160.0 s" in moved
    assert web.submit(path, figures).status_code == 303 and "Restricted" in web.get(path).text
    assert web.submit(f"{path}/live", {**figures, "csv": "1,2\n3,4"}).text.count("allowed is") == 1
    assert (
        "a figure, or a trace in its place"
        in web.submit(f"{path}/live", {**figures, "csv": ""}).text
    )


def test_volts_of_a_meter_pass_through_the_sensors_line(web: Browser) -> None:
    base = {
        "displacement_l": "1.6",
        "rpm": "740",
        "map_kpa": "1,2",
        "map_kpa_unit": "V",
        "intake_c": "38",
        "volumetric_efficiency": "0.75",
        "strokes": "4",
    }
    line = {"line_v1": "0.5", "line_kpa1": "20", "line_v2": "4.5", "line_kpa2": "120"}
    by_volts = web.submit("/worksheets/expected-airflow", {**base, **line}).text
    by_pressure = web.submit(
        "/worksheets/expected-airflow", {**base, "map_kpa": "37.5", "map_kpa_unit": "kPa"}
    ).text
    assert by_volts == by_pressure and "g/s" in by_volts
    assert "line_v1" in web.submit("/worksheets/expected-airflow", base).text, (
        "without a line no pressure"
    )
    assert (
        "rail"
        in web.submit("/worksheets/expected-airflow", {**base, **line, "map_kpa": "4.9"}).text
    )


def test_a_log_can_be_taken_away_and_its_readings_stay(web: Browser, db: Session, v6: str) -> None:
    where = bring(web, v6, LOG).headers["location"]
    named(web, v6, where)
    assert web.get(f"{where}/rows.csv").text.splitlines()[0].startswith("time_s,")
    assert (
        web.submit(
            f"{where}/readings",
            {"phase": "before", "kind": "idle", "seen": web.seen(where, 'value="idle"')},
        ).status_code
        == 303
    )
    assert web.submit(f"{where}/away").status_code == 303 and web.get(where).status_code == 404
    assert (
        db.scalar(
            select(func.count())
            .select_from(ReadingSet)
            .where(ReadingSet.source == "log")
            .join(Job)
            .where(Job.number == v6)
        )
        == 1
    )
    assert db.scalar(select(func.count()).select_from(LogMapping)) == 2, (
        "what the columns stood for is still known"
    )
    assert web.get(f"/jobs/{v6}/logs/999999").status_code == 404


def test_a_log_is_limited_and_belongs_to_its_job(
    web: Browser, v6: str, numbers: dict[str, str]
) -> None:
    assert (
        web.post(
            f"/jobs/{v6}/logs",
            content=b"x",
            headers={"origin": HOST, "content-length": str(65 * 1024 * 1024)},
        ).status_code
        == 413
    )
    where = bring(web, v6, ODD).headers["location"]
    assert web.get(where.replace(v6, next(iter(numbers.values())))).status_code == 404
    assert web.get(f"{where}/strip/rpm").status_code == 404, (
        "no strips before the columns are named"
    )
