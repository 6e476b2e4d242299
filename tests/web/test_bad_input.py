"""Hostile, broken and unlucky requests: a clear message, nothing lost, nothing half-written, no
trace shown."""

import re
import time
from collections.abc import Callable
from pathlib import Path

import pytest
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from galene.jobs.act import find_job
from galene.store.cluster import Cluster
from galene.store.database import make_engine, migrate
from galene.store.models import AuditEntry, Job, WriteOnce
from galene.web.app import Site, create_app
from galene.web.shared.security import MAX_BODY
from tests.conftest import demo_jobs
from tests.web.conftest import HOST, Browser


def until(holds: Callable[[], bool]) -> None:
    """Wait for something that comes by itself."""
    for _ in range(1200):
        if holds():
            return
        time.sleep(0.05)
    raise AssertionError("it did not come")


HTML = '<script>alert("x")</script><img src=x onerror=alert(1)>'


def test_headers_on_every_answer(web: Browser) -> None:
    for path in ("/", "/static/app.css", "/nowhere", "/healthz", "/api/v1/calculations"):
        headers = web.get(path).headers
        assert "default-src 'none'" in headers["content-security-policy"], path
        assert "unsafe" not in headers["content-security-policy"]
        assert headers["x-content-type-options"] == "nosniff"


@pytest.mark.parametrize(
    "headers",
    [
        {"origin": "https://elsewhere.example"},
        {"origin": "null"},
        {"sec-fetch-site": "cross-site"},
        {},
        {"origin": "http://127.0.0.1.example"},
    ],
)
def test_no_other_site_writes_with_our_cookie(
    web: Browser, numbers: dict[str, str], headers: dict[str, str]
) -> None:
    answer = web.post(
        f"/jobs/{numbers['intake']}/tap",
        data={"evidence": "high_idle", "was": "unknown", "state": "present"},
        headers=headers,
    )
    assert answer.status_code == 403 and "another site" in answer.text


def test_a_huge_body_is_refused_before_it_is_read(web: Browser, numbers: dict[str, str]) -> None:
    path = f"/jobs/{numbers['intake']}/codes"
    told = web.post(
        path,
        content=b"x" * (MAX_BODY + 1),
        headers={"origin": HOST, "content-type": "application/x-www-form-urlencoded"},
    )
    assert told.status_code == 413 and "Nothing was saved" in told.text

    def endless():
        for _ in range(60):
            yield b"codes=" + b"x" * 100_000

    untold = web.post(
        path,
        content=endless(),
        headers={"origin": HOST, "content-type": "application/x-www-form-urlencoded"},
    )
    assert untold.status_code == 413


def test_html_in_every_text_field_stays_text(
    web: Browser, db: Session, numbers: dict[str, str]
) -> None:
    number = numbers["intake"]
    seen = web.seen(f"/jobs/{number}/intake", 'id="saved"')
    saved = {
        "complaint": HTML,
        "recent_work": HTML,
        "bulletins_source": HTML,
        "bulletins_outcome": HTML,
        "distance": "114800",
        "seen": seen,
    }
    assert web.submit(f"/jobs/{number}/intake", saved).status_code == 303
    sent = [
        web.submit(
            f"/jobs/{number}/looks",
            {"part": "throttle_body", "grade": "2", "deposit": "soot", "note": HTML},
        ),
        web.submit(
            f"/jobs/{numbers['work']}/enter/item",
            {"what": HTML, "kind": "connector", "before": "start"},
        ),
        web.submit(f"/jobs/{number}/before-missing", {"before_missing": HTML, "seen": "0"}),
    ]
    assert [answer.status_code for answer in sent] == [303, 303, 303]
    assert HTML in {i.what for i in find_job(db, numbers["work"]).items}
    new = web.submit(
        "/jobs/new",
        {
            "new": "1",
            "plate": "HT-1",
            "maker": HTML[:100],
            "model": HTML[:100],
            "keeper": HTML[:100],
            "family": "A",
            "complaint": HTML,
        },
    )
    assert new.status_code == 303
    assert find_job(db, number).complaint == HTML
    for page in (
        "/",
        "/vehicles",
        "/vehicles/HT1",
        *(
            f"/jobs/{number}/{s}"
            for s in ("intake", "evidence", "plan", "trace", "handover", "report")
        ),
        f"/jobs/{numbers['work']}/work",
    ):
        text = web.get(page).text
        assert "<script>alert" not in text and "<img src=x" not in text, page
    preview = web.submit(f"/jobs/{number}/codes/preview", {"codes": "P12" + HTML})
    assert "<script>" not in preview.text


@pytest.mark.parametrize(
    ("path", "fields", "message"),
    [
        ("readings", {"phase": "before", "kind": "idle", "seen": "0"}, "at least one row"),
        ("readings", {"phase": "before", "kind": "idle", "idle_rpm": "fast", "seen": "0"}, "Speed"),
        (
            "readings",
            {"phase": "before", "kind": "idle", "idle_rpm": "99999", "seen": "0"},
            "an engine shows",
        ),
        (
            "readings",
            {"phase": "before", "kind": "trim", "rows": "a;b\n1;x", "seen": "0"},
            "line 1",
        ),
        ("key-on", {"map_sensor": "pressure", "seen": "0"}, "Manifold pressure"),
        ("key-on", {"seen": "0"}, "at least one sensor"),
        ("key-on", {"map_sensor": "101", "barometer_kpa": "5", "seen": "0"}, "50 to 110"),
        ("looks", {"part": "flux", "grade": "2", "deposit": "soot"}, "part of this engine"),
        ("looks", {"part": "throttle_body", "grade": "", "deposit": "soot"}, "grade from 0 to 4"),
        ("looks", {"part": "throttle_body", "grade": "3", "deposit": ""}, "what kind"),
        ("codes", {"codes": "P9999"}, "P9999"),
        ("codes", {"codes": ""}, "No code found"),
        ("plan", {"seen": "0"}, "at least one part"),
        ("intake", {"complaint": "", "seen": "3"}, "Write the complaint"),
        ("intake", {"complaint": "x", "distance": "far", "seen": "3"}, "Odometer"),
        ("checks/leak_smoke", {"result:leak_found": "unknown"}, "what the check showed"),
    ],
)
def test_a_field_that_can_not_be_is_named_and_what_was_typed_stays(
    web: Browser, numbers: dict[str, str], path: str, fields: dict[str, str], message: str
) -> None:
    answer = web.submit(f"/jobs/{numbers['intake']}/{path}", fields)
    assert answer.status_code == 422, answer.text[:400]
    assert message in answer.text and "fault" in answer.text
    assert "Traceback" not in answer.text
    for value in ("fast", "P9999", "pressure", "far"):
        if value in fields.values():
            assert f'value="{value}"' in answer.text or f">{value}</textarea>" in answer.text


def test_dates_out_of_reach(web: Browser) -> None:
    for due in ("2020-01-01T10:00", "2999-01-01T10:00", "soon"):
        answer = web.submit("/jobs/new", {"plate": "QN-207", "complaint": "x", "due": due})
        assert answer.status_code == 422 and "fault-due" in answer.text


def test_a_form_sent_twice_opens_one_job(web: Browser, db: Session) -> None:
    before = db.scalar(select(func.count()).select_from(Job))
    form = {"once": "double-click-token", "plate": "QN-207", "complaint": "twice"}
    first, second = (
        web.post("/jobs/new", data=form, headers={"origin": HOST}, follow_redirects=False)
        for _ in range(2)
    )
    assert first.headers["location"] == second.headers["location"]
    assert db.scalar(select(func.count()).select_from(Job)) == (before or 0) + 1


def test_a_stale_tab_is_told_who_was_faster_and_keeps_its_words(
    as_person: Callable[[str], Browser], db: Session, numbers: dict[str, str]
) -> None:
    path = f"/jobs/{numbers['intake']}/intake"
    web = as_person("pia")
    seen = web.seen(path, 'id="saved"')
    base = {"complaint": "shakes", "distance": "114800", "seen": seen}
    assert web.submit(path, {**base, "recent_work": "from Pia"}).status_code == 303
    late = as_person("odd").submit(path, {**base, "recent_work": "from Odd, an hour of typing"})
    assert late.status_code == 409
    assert "Pia Skarn" in late.text and "from Odd, an hour of typing" in late.text
    assert find_job(db, numbers["intake"]).recent_work == "from Pia"


@pytest.mark.parametrize(
    "path",
    [
        "/jobs/99-0001/work",
        "/vehicles/NOPE",
        "/worksheets/horoscope",
        "/reference/families/Q",
        "/nowhere",
        "/static/nothing.css",
    ],
)
def test_what_is_not_there_is_said(web: Browser, path: str) -> None:
    answer = web.get(path)
    assert answer.status_code == 404 and "Traceback" not in answer.text


def test_odd_bytes_do_not_break_a_page(web: Browser, numbers: dict[str, str]) -> None:
    for query in ("%00", "%ff%fe", "'%20or%201=1--", "%25%27", "\u202e", "a" * 5000):
        assert web.get(f"/vehicles?plate={query}").status_code in (200, 400, 414, 422), query
    number = numbers["intake"]
    answer = web.submit(f"/jobs/{number}/codes", {"codes": "P0171\x00"})
    assert answer.status_code == 422
    assert (
        web.submit(
            f"/jobs/{number}/tap", {"evidence": "x" * 3000, "was": "unknown", "state": "present"}
        ).status_code
        == 404
    )
    assert web.submit(f"/jobs/{number}/advance", {"stage": "nonsense"}).status_code == 404
    assert (
        web.submit(
            f"/jobs/{number}/readings", {"phase": "sideways", "kind": "idle", "idle_rpm": "740"}
        ).status_code
        == 409
    )
    assert web.submit("/view", {"theme": "neon", "layout": "desk"}).status_code == 422
    assert (
        web.post(
            f"/jobs/{number}/codes", data={"codes": "P0171"}, headers={"origin": HOST}
        ).status_code
        == 422
    ), "no token, no write"


def test_the_database_may_stop_in_mid_request(tmp_path_factory: pytest.TempPathFactory) -> None:
    """Stopped under a signed-in person: the write answers 503 with the words kept, and goes through
    after the restart."""
    from datetime import UTC, datetime

    from galene.demo.world import load

    folder = tmp_path_factory.mktemp("stopping")
    for parent in (folder, *folder.parents):
        if parent == Path("/tmp"):  # noqa: S108
            break
        parent.chmod(0o755)
    cluster = Cluster(folder, durable=False)
    cluster.start()
    try:
        migrate(cluster.url())
        engine = make_engine(cluster.url(), 2)
        with Session(engine, expire_on_commit=False) as db:
            load(db, datetime.now(UTC))
            db.commit()
            number = next(j.number for j in db.scalars(select(Job)).unique() if j.stage == "intake")
        app = create_app(engine, Site(home=folder, patience_s=600))
        with Browser(app, base_url=HOST, raise_server_exceptions=False) as web:
            web.submit("/sign-in", {"name": "odd", "password": "slipway-odd"})
            assert web.get("/healthz").json() == {"status": "ok"}
            form = {"once": "through-the-outage", "codes": "P0101 typed during the outage"}
            cluster.stop()
            lost = web.post(
                f"/jobs/{number}/codes", data=form, headers={"origin": HOST}, follow_redirects=False
            )
            assert lost.status_code == 503 and "Traceback" not in lost.text
            assert "does not answer" in lost.text
            until(lambda: web.get("/healthz").status_code == 503)
            port = cluster.port
            cluster.start()
            assert cluster.port == port
            until(lambda: web.get("/healthz").status_code == 200)
            again = web.post(
                f"/jobs/{number}/codes", data=form, headers={"origin": HOST}, follow_redirects=False
            )
            assert again.status_code == 303
        with Session(engine) as db:
            assert [c.code for c in find_job(db, number).codes if c.code == "P0101"] == ["P0101"]
        engine.dispose()
    finally:
        cluster.stop()


def test_a_fault_in_mid_write_leaves_nothing_half(
    web: Browser, db: Session, numbers: dict[str, str], monkeypatch: pytest.MonkeyPatch
) -> None:
    from galene.jobs import plan

    web.submit(
        f"/jobs/{numbers['intake']}/before-missing", {"before_missing": "towed in", "seen": "0"}
    )
    before = db.scalar(select(func.count()).select_from(AuditEntry))
    tokens = db.scalar(select(func.count()).select_from(WriteOnce))

    def break_down(*_: object) -> None:
        raise RuntimeError("secret of the engine room")

    monkeypatch.setattr(plan, "planned", break_down)
    answer = web.submit(f"/jobs/{numbers['intake']}/plan", {"parts": "throttle_body", "seen": "0"})
    assert answer.status_code == 500
    assert (
        "secret" not in answer.text
        and "Traceback" not in answer.text
        and "Nothing was saved" in answer.text
    )
    assert db.scalar(select(func.count()).select_from(AuditEntry)) == before
    assert db.scalar(select(func.count()).select_from(WriteOnce)) == tokens


def test_the_api_needs_no_cookie_and_names_what_is_wrong(visitor: Browser) -> None:
    good = visitor.post("/api/v1/calculations/isa-pressure", json={"altitude_m": 640})
    assert good.json()["pressure_kpa"] == pytest.approx(93.869, rel=1e-4)
    feet = visitor.post("/api/v1/calculations/isa-pressure", json={"altitude_m": "2100 ft"})
    assert feet.json()["pressure_kpa"] == pytest.approx(93.87, rel=1e-3)
    for body, field in (
        ({"altitude_m": 99999}, "altitude_m"),
        ({}, "altitude_m"),
        ({"altitude_m": "high"}, "altitude_m"),
        ({"altitude_m": 1, "x": 2}, "x"),
        ([], "(input)"),
    ):
        answer = visitor.post("/api/v1/calculations/isa-pressure", json=body)
        assert (
            answer.status_code == 422
            and answer.json()["field"] == field
            and answer.json()["allowed"]
        )
    assert visitor.post("/api/v1/calculations/horoscope", json={}).status_code == 404
    assert (
        visitor.post(
            "/api/v1/calculations/isa-pressure",
            content=b"{not json",
            headers={"content-type": "application/json"},
        ).status_code
        == 422
    )
    ranking = visitor.post(
        "/api/v1/assessments",
        json={"engine": {"family": "A"}, "evidence": {"rough_idle": "present"}},
    )
    assert ranking.status_code == 200 and {
        "causes",
        "root_causes",
        "next_checks",
        "repair_order",
        "refer_on",
    } <= set(ranking.json())
    assert (
        visitor.post(
            "/api/v1/assessments",
            json={"engine": {"family": "A"}, "evidence": {"wobble": "present"}},
        ).status_code
        == 422
    )
    assert (
        visitor.post("/api/v1/scopes", json={"family": "A", "components": ["maf_sensor"]}).json()[
            "hands_on_minutes"
        ]
        == 6
    )
    assert (
        visitor.post(
            "/api/v1/scopes", json={"family": "A", "components": ["egr_valve"]}
        ).status_code
        == 422
    )


def test_problem_pages_give_every_field_back(web: Browser, numbers: dict[str, str]) -> None:
    answer = web.submit(f"/jobs/{numbers['intake']}/advance", {"stage": "evidence"})
    assert answer.status_code == 409
    assert re.search(r"idle readings of the before set", answer.text)


@pytest.mark.parametrize(
    "address",
    [
        "/fleet?keeper=%00",
        "/vehicles?plate=%00",
        "/vehicles/%00",
        "/reference/families/%00/bands",
        "/calendar/%00.ics",
        "/jobs/%00/prove",
    ],
)
def test_an_address_with_a_nul_is_refused(web: Browser, address: str) -> None:
    answer = web.get(address)
    assert answer.status_code == 400 and "no text has" in answer.text


@pytest.mark.parametrize(
    "path",
    [
        "/shelf/99999999999",
        "/shelf/parts/99999999999",
        "/jobs/{job}/pictures/99999999999999999999",
        "/jobs/{job}/logs/99999999999",
    ],
)
def test_a_number_that_no_row_can_have_is_not_found(web: Browser, db: Session, path: str) -> None:
    assert web.get(path.format(job=demo_jobs(db)["work"])).status_code == 404


@pytest.mark.parametrize(
    "path",
    [
        "/vehicles/QN266/fuel/99999999999999999999/remove",
        "/jobs/{job}/owner/99999999999/close",
        "/jobs/{job}/owner/words/99999999999",
    ],
)
def test_nothing_is_changed_at_a_number_that_no_row_can_have(
    web: Browser, db: Session, path: str
) -> None:
    answer = web.submit(path.format(job=demo_jobs(db)["work"]), {"reply": "yes, gladly"})
    assert answer.status_code == 404


def test_a_frame_is_kept_shown_and_a_wrong_figure_given_back(web: Browser, db: Session) -> None:
    number = demo_jobs(db)["intake"]
    page = f"/jobs/{number}/intake"
    good = {"code": "P0171", "frame_coolant_c": "88", "frame_rpm": "700"}
    assert web.submit(f"/jobs/{number}/codes/frame", good).status_code == 303
    assert "700 rpm" in web.get(page).text
    for change in ({"frame_rpm": "fast"}, {"frame_rpm": "90000"}, {"frame_coolant_c": "900"}):
        answer = web.submit(f"/jobs/{number}/codes/frame", {**good, **change})
        assert answer.status_code == 422 and "fault" in answer.text, change
    assert web.submit(f"/jobs/{number}/codes/frame", {**good, "code": "X"}).status_code == 404
    assert "freeze frame" in web.get(f"/jobs/{number}/diagnosis").text
