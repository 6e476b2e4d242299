"""The one gate, hosts and origins, uploads, a silent database, a full disk, files by content."""

import io
import json
import socket
import threading
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
from PIL import Image
from prometheus_client import generate_latest
from psycopg.errors import DiskFull
from sqlalchemy import Engine, func, select
from sqlalchemy.exc import OperationalError
from sqlalchemy.exc import TimeoutError as PoolTimeout
from sqlalchemy.orm import Session

from galene.core.errors import InputError
from galene.core.text_gate import MOST_VALUES, read_json
from galene.jobs.signing_in import open_session
from galene.store import pictures
from galene.store.cluster import free_port
from galene.store.models import AuditEntry
from galene.web import server
from galene.web.app import Site, create_app
from galene.web.shared import assets, security
from galene.web.shared.caller import SESSION
from galene.web.shared.limits import Limits
from galene.web.shared.metrics import Standing
from tests.conftest import person
from tests.web.conftest import HOST, Browser
from tests.web.test_bad_input import until

BEFORE_AFTER = "/api/v1/calculations/before-after"


@pytest.mark.parametrize(
    ("body", "words"),
    [
        (b'{"before": "\\u0000"}', "control characters"),
        (b'{"before": "\\ud800"}', "control characters"),
        (b'{"\\ud800": 1}', "control characters"),
        (b'{"before": ' + b"9" * 5000 + b"}", "shorter number"),
        (b'{"before": NaN}', "finite"),
        (b'{"before": 1e999}', "finite"),
        (b"[" * 100_000, "deep"),
        (b'{"before": ' + b"[" * 60 + b"]" * 60 + b"}", "deep"),
        (b'{"before": [' + b"1," * (MOST_VALUES + 9) + b"1]}", "in all"),
        (b'{"before": "\xff"}', "JSON in UTF-8"),
        (b"{", "JSON document"),
    ],
)
def test_no_json_breaks_the_answer(visitor: Browser, body: bytes, words: str) -> None:
    headers = {"content-type": "application/json"}
    answer = visitor.post(BEFORE_AFTER, content=body, headers=headers)
    assert answer.status_code == 422 and words in json.dumps(answer.json())
    with pytest.raises(InputError):
        read_json(body)


@pytest.mark.parametrize("odd", ["%00", "%ed%a0%80%00", "%7f", "%0b"])
@pytest.mark.parametrize("place", ["/vehicles/{}", "/vehicles?plate={}", "/jobs/{}/work"])
def test_no_address_reaches_the_database_with_signs_that_no_text_has(
    web: Browser, place: str, odd: str
) -> None:
    assert web.get(place.format(odd)).status_code in (400, 404)


@pytest.mark.parametrize("text", ["a\x00b", "\x1b[2J", "x" * 600_000])
def test_no_field_does_either(web: Browser, numbers: dict[str, str], text: str) -> None:
    for path in (f"/jobs/{numbers['intake']}/codes", "/vehicles/new", "/account/password"):
        answer = web.submit(path, {"codes": text, "plate": text, "new_password": text})
        assert answer.status_code == 422, path
    assert web.submit("/sign-in", {"name": text, "password": text}).status_code == 422


@pytest.mark.parametrize("figure", ["²", "٣", "1e400", "9" * 5000, "--1", "0x10", "１"])
def test_only_the_figures_of_a_number_are_one(
    web: Browser, numbers: dict[str, str], figure: str
) -> None:
    for path, field in (
        ("/vehicles/QN114/record", "seen"),
        (f"/jobs/{numbers['work']}/enter/count", "pieces"),
        (f"/jobs/{numbers['intake']}/intake", "distance"),
        ("/worksheets/idle-gap", "rpm"),
        (f"/jobs/{numbers['handover']}/owner", "days"),
    ):
        answer = web.submit(path, {field: figure, "what": "caps", "way": "in"})
        assert answer.status_code < 500, (path, answer.status_code)


def test_ids_beyond_every_column_are_of_nothing(web: Browser, numbers: dict[str, str]) -> None:
    for path in ("/shelf/{}", f"/jobs/{numbers['work']}/pictures/{{}}", "/people/{}"):
        for number in (2**31, 2**63, 10**40):
            assert web.get(path.format(number)).status_code in (403, 404, 422), path


def test_every_list_of_every_open_body_has_an_end(visitor: Browser) -> None:
    document = visitor.get("/api/v1/openapi.json").json()
    bodies = [
        body["content"]["application/json"]["schema"]
        for path, item in document["paths"].items()
        for verb in item.values()
        if (body := verb.get("requestBody")) and "galene" not in path
    ]
    known = document["components"]["schemas"]

    def open_ended(schema: Any, seen: frozenset[str] = frozenset()) -> list[str]:
        if isinstance(schema, list):
            return [x for one in schema for x in open_ended(one, seen)]
        if not isinstance(schema, dict):
            return []
        if "$ref" in schema:
            name = schema["$ref"].rpartition("/")[2]
            return [] if name in seen else open_ended(known[name], seen | {name})
        found = []
        if schema.get("type") == "array" and "maxItems" not in schema:
            found.append(json.dumps(schema)[:400])
        found += [x for k, v in schema.items() if k != "example" for x in open_ended(v, seen)]
        return found

    assert len(bodies) > 25
    assert [x for body in bodies for x in open_ended(body)] == []


def test_what_would_compute_for_long_is_refused_or_ended(visitor: Browser) -> None:
    actions = [
        {"id": f"a{n}", "mends": ["x"], "success": 0.5, "minutes": 1, "parts_cost": 1}
        for n in range(2000)
    ]
    given = {"actions": actions, "posterior": {"x": 0.5}, "hourly_rate": 70}
    answer = visitor.post("/api/v1/calculations/repair-sequence", json=given)
    assert answer.status_code == 422 and "at most 60" in answer.text
    sample = {"metric": "idle_rpm", "samples": [1.0] * 30_000}
    conditions = {"before": {}, "after": {}}
    answer = visitor.post(
        BEFORE_AFTER, json={"before": [sample], "after": [], "conditions": conditions}
    )
    assert answer.status_code == 422 and "at most 1000" in answer.text


def test_an_address_of_the_net_has_so_much_a_minute(visitor: Browser) -> None:
    visitor.app.state.api_limits = Limits(3)
    codes = [visitor.post("/api/v1/scopes", json={}).status_code for _ in range(5)]
    assert codes == [422] * 3 + [429] * 2
    assert visitor.post("/api/v1/scopes", json={}).headers["retry-after"]


def test_only_known_hosts_and_own_origins(web: Browser, numbers: dict[str, str]) -> None:
    for host in ("evil.example", "127.0.0.1.evil.example", "", "[::1]x"):
        assert web.get("/", headers={"host": host}).status_code == 421, host
    assert web.get("/healthz", headers={"host": "10.0.0.7:8042"}).status_code == 200
    assert web.get("/", headers={"host": "LOCALHOST:8042"}).status_code == 200
    form = {"once": "token-of-origin", "codes": "P0171"}
    for origin in ("https://127.0.0.1", "http://127.0.0.1:1", "null", "http://evil.example"):
        answer = web.post(f"/jobs/{numbers['intake']}/codes", data=form, headers={"origin": origin})
        assert answer.status_code == 403, origin


def test_under_tls_cookies_and_headers_say_so(engine: Engine, tmp_path: Path) -> None:
    app = create_app(engine, Site(home=tmp_path, patience_s=600))
    with Browser(app, base_url="https://127.0.0.1") as client:
        answer = client.post(
            "/sign-in",
            data={"name": "odd", "password": "slipway-odd"},
            headers={"origin": "https://127.0.0.1"},
            follow_redirects=False,
        )
        assert answer.status_code == 303
        for cookie in answer.headers.get_list("set-cookie"):
            assert cookie.startswith("__Host-") and "Secure" in cookie and "Path=/" in cookie
            assert "Domain" not in cookie and "HttpOnly" in cookie
        page = client.get("/")
        assert page.status_code == 200
        assert page.headers["strict-transport-security"].startswith("max-age=")


def test_nobody_uploads_before_it_is_known_who_it_is(
    visitor: Browser, numbers: dict[str, str], monkeypatch: pytest.MonkeyPatch
) -> None:
    """Not a byte of a file is read for somebody who is not signed in."""
    read: list[int] = []
    inner = security._limited

    def counted(receive: Any, limit: int) -> Any:
        limited = inner(receive, limit)

        async def counting() -> Any:
            message = await limited()
            read.append(len(message.get("body", b"")))
            return message

        return counting

    monkeypatch.setattr(security, "_limited", counted)
    for path in (f"/jobs/{numbers['intake']}/logs", f"/jobs/{numbers['intake']}/pictures"):
        answer = visitor.submit(path, {}, files={"file": ("x.csv", b"1,2\n" * 10_000)})
        assert answer.status_code == 303 and answer.headers["location"].startswith("/sign-in")
    entries = visitor.post(
        f"/jobs/{numbers['work']}/entries",
        json={"me": 1, "entries": []},
        headers={"origin": HOST},
        follow_redirects=False,
    )
    assert entries.status_code == 303 and read == []


def test_a_picture_is_measured_before_it_is_opened(monkeypatch: pytest.MonkeyPatch) -> None:
    out = io.BytesIO()
    Image.new("1", (10_900, 10_900)).save(out, "PNG")
    loaded: list[object] = []
    monkeypatch.setattr(Image.Image, "load", lambda self: loaded.append(self))
    with pytest.raises(InputError, match="40 million pixels"):
        pictures.encode(out.getvalue())
    assert loaded == []


def test_a_measurement_file_is_measured_before_it_is_read() -> None:
    from types import SimpleNamespace

    from galene.exchange.measurement_file import _check_size

    def group(rows: int, channels: int) -> SimpleNamespace:
        return SimpleNamespace(
            channel_group=SimpleNamespace(cycles_nr=rows), channels=[None] * channels
        )

    _check_size(SimpleNamespace(groups=[group(100_000, 100)]))
    for groups in ([group(2_000_000, 2)], [group(900_000, 30)], [group(500_000, 15)] * 4):
        with pytest.raises(InputError, match="at most"):
            _check_size(SimpleNamespace(groups=groups))


def test_a_full_disk_is_named_and_the_form_kept(
    web: Browser, numbers: dict[str, str], monkeypatch: pytest.MonkeyPatch
) -> None:
    from galene.jobs import intake

    def full(*_: object, **__: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(intake, "add_codes", full)
    answer = web.submit(f"/jobs/{numbers['intake']}/codes", {"codes": "P0171 kept"})
    assert answer.status_code == 507
    assert "The disk is full" in answer.text and "P0171 kept" in answer.text
    monkeypatch.setattr("galene.web.admin.health.ROOM_MB", 10**9)
    health = web.get("/healthz")
    assert health.status_code == 503 and "disk is full" in health.text


def test_too_many_at_once_is_no_lost_database(
    web: Browser, numbers: dict[str, str], monkeypatch: pytest.MonkeyPatch
) -> None:
    from galene.jobs import intake

    def exhausted(*_: object, **__: object) -> None:
        raise PoolTimeout

    monkeypatch.setattr(intake, "add_codes", exhausted)
    answer = web.submit(f"/jobs/{numbers['intake']}/codes", {"codes": "P0171 kept"})
    assert answer.status_code == 503 and answer.headers["retry-after"]
    assert "Too many at once" in answer.text and "database" not in answer.text


def test_a_silent_database_is_told_of_and_the_form_kept(
    web: Browser, numbers: dict[str, str]
) -> None:
    """Known to be silent: the answer comes at once, without a question to it."""
    web.app.state.pulse._failed = True
    web.app.state.pulse.stop()
    path = f"/jobs/{numbers['intake']}/codes"
    assert web.get("/").status_code == 503
    answer = web.submit(path, {"codes": "P0171 kept"})
    assert answer.status_code == 503 and "P0171 kept" in answer.text
    assert web.get("/api/v1/fleet").status_code == 503
    assert web.get("/readyz").status_code == 503
    assert web.get(assets.static("app.css")).status_code == 200


def test_files_are_named_by_what_is_in_them(visitor: Browser) -> None:
    page = visitor.get("/sign-in").text
    name = assets.static("app.css")
    assert name in page and "/static/app.css" not in page
    assert "immutable" in visitor.get(name).headers["cache-control"]
    old = visitor.get("/static/v-000000000000/app.css")
    assert old.status_code == 200 and old.headers["cache-control"] == "no-cache"
    card = visitor.get(assets.static("card/card.js"))
    assert card.status_code == 200 and 'from "./queue.js"' in card.text
    assert visitor.get(assets.static("card/queue.js")).status_code == 200
    assert visitor.get(assets.static("card/../../../settings.py")).status_code == 404


def test_a_fault_keeps_the_connection_and_has_a_number(
    web: Browser, numbers: dict[str, str], monkeypatch: pytest.MonkeyPatch
) -> None:
    from galene.jobs import intake

    def broken(*_: object, **__: object) -> None:
        raise ZeroDivisionError("QN-114 is nobody's business")

    monkeypatch.setattr(intake, "add_codes", broken)
    answer = web.submit(f"/jobs/{numbers['intake']}/codes", {"codes": "P0171"})
    assert answer.status_code == 500 and answer.headers["x-request-id"] in answer.text
    assert "ZeroDivision" not in answer.text


def test_no_line_of_the_log_names_anybody(
    web: Browser,
    numbers: dict[str, str],
    capfd: pytest.CaptureFixture[str],
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    from galene.jobs import intake, vehicles

    def broken(*_: object, **__: object) -> None:
        raise ZeroDivisionError("QN-114, the district nurse")

    monkeypatch.setattr(intake, "add_codes", broken)
    monkeypatch.setattr(vehicles, "find", broken)
    web.submit(f"/jobs/{numbers['intake']}/codes", {"codes": "P0171 secret words"})
    web.get("/vehicles/QN114?keeper=nurse")
    web.submit("/sign-in", {"name": "nobody@example", "password": "hunter2 hunter2"})
    said = "".join(capfd.readouterr())
    assert "ZeroDivisionError" in said and "/vehicles/{plate}" in said
    for secret in ("QN", "nurse", "secret words", numbers["intake"], "nobody@", "hunter2"):
        assert secret not in said, secret


@pytest.mark.parametrize("days", [-2, 2])
def test_a_clock_that_moved_breaks_nothing(
    as_person: Callable[[str], Browser], numbers: dict[str, str], db: Session, days: int
) -> None:
    """Back or forward by days: pages answer, entries are taken in their order, nobody is dated into
    a drying that is over."""
    web = as_person("odd")
    moved = datetime.now(UTC) + timedelta(days=days)
    web.app.state.clock = lambda: moved
    web = as_person("odd")
    if days > 0:
        with web.app.state.sessions() as own:
            secret = open_session(own, person(own, "odd"), moved)
            own.commit()
        web.cookies.clear()
        web.cookies.set(SESSION, secret)
    for page in ("/", "/fleet", f"/jobs/{numbers['work']}/work", f"/jobs/{numbers['prove']}/prove"):
        assert web.get(page).status_code == 200, page
    before = db.scalar(select(func.max(AuditEntry.id))) or 0
    entry = {
        "id": "moved-clock-1",
        "kind": "count",
        "at": datetime.now(UTC).isoformat(),
        "data": {"what": "caps", "way": "in", "pieces": 1},
    }
    me = person(db, "odd").id
    sent = web.post(
        f"/jobs/{numbers['work']}/entries",
        json={"me": me, "entries": [entry]},
        headers={"origin": HOST},
    )
    assert sent.json()["results"][0]["outcome"] == "done"
    newest = db.scalars(select(AuditEntry).order_by(AuditEntry.id.desc())).first()
    assert newest is not None and newest.id > before and newest.at == moved


def test_a_connection_that_says_nothing_is_closed(
    engine: Engine, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Silent from the begin, in the middle of a head, and after a request was answered."""
    monkeypatch.setattr(server, "HEAD_S", 0.3)
    port = free_port()
    app = create_app(engine, Site(home=tmp_path, patience_s=600))
    running = server.Server(app, server.Listening(port=port), "critical")
    thread = threading.Thread(target=running.run, daemon=True)
    thread.start()
    until(lambda: running.started)
    whole = b"GET /readyz HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n"
    for said in (b"", b"GET / HT", whole[:-2], whole + b"GET /read"):
        with socket.create_connection(("127.0.0.1", port), timeout=120) as line:
            line.sendall(said)
            heard = b""
            while data := line.recv(65536):
                heard += data
        assert (b"200 OK" in heard) == said.startswith(whole)
    running.should_exit = running.force_exit = True
    thread.join(30)


def test_the_watchers_figures_name_nobody(web: Browser, engine: Engine, tmp_path: Path) -> None:
    web.get("/vehicles/QN114")
    web.submit("/sign-in", {"name": "odd", "password": "wrong"})
    registry = web.app.state.watch.registry
    address = engine.url.set(drivername="postgresql").render_as_string(False)
    registry.register(Standing(address, tmp_path))
    said = generate_latest(registry).decode()
    assert 'route="/vehicles/{plate}",status="200"' in said and "QN114" not in said
    assert "galene_sign_in_failed_total 1.0" in said
    assert "galene_database_up 1.0" in said and "galene_disk_free_bytes" in said


def test_a_full_disk_of_the_database_is_named_too(
    web: Browser, numbers: dict[str, str], monkeypatch: pytest.MonkeyPatch
) -> None:
    from galene.jobs import intake

    def full(*_: object, **__: object) -> None:
        raise OperationalError("insert", {}, DiskFull("could not extend file"))

    monkeypatch.setattr(intake, "add_codes", full)
    answer = web.submit(f"/jobs/{numbers['intake']}/codes", {"codes": "P0171 kept"})
    assert answer.status_code == 507 and "P0171 kept" in answer.text


def test_signing_out_twice_is_harmless(as_person: Callable[[str], Browser]) -> None:
    web = as_person("odd")
    for _ in range(2):
        assert web.submit("/sign-out").status_code == 303
    assert web.get("/", follow_redirects=False).status_code == 303
