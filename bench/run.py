"""Measure and print; nothing here is asserted. Run: .venv/bin/python -m bench.run

Server time of every main view on the demo data and again with generated jobs, beside a bare route
that asks the same queries, in one run; the step tick with the database's durable settings on,
throughput of the job card, a long log, start-up, memory.
"""

import io
import json
import multiprocessing
import os
import random
import re
import shutil
import signal
import statistics
import subprocess
import sys
import tempfile
import threading
import time
import uuid
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor, ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from itertools import pairwise
from pathlib import Path
from typing import Any
from urllib.request import urlopen

import httpx2 as httpx
import numpy as np
import psutil
import uvicorn
from fastapi import FastAPI
from fastapi.responses import HTMLResponse
from jinja2 import Template
from PIL import Image
from sqlalchemy import Engine, event, insert, select, text
from sqlalchemy.orm import Session

from bench.place import demo_cluster
from bench.sizes import SMALL, sized
from galene.core.airpath.access import scope
from galene.core.airpath.family import EngineFamily, Part, Pipe
from galene.core.chemistry.judge import judge
from galene.core.chemistry.rules import RULES
from galene.core.planning.document import StepAnswers
from galene.exchange.bundles import written
from galene.jobs import jobcard
from galene.jobs.act import Act
from galene.jobs.bundles_out import chosen, exported
from galene.jobs.pictures import add_picture
from galene.knowledge.agents import AGENTS, subject_of
from galene.knowledge.components import COMPONENTS
from galene.knowledge.families import FAMILIES
from galene.store.cluster import free_port
from galene.store.database import make_engine
from galene.store.models import Inspection, Job, JobCode, ObservationRow, Person, StepRow, Vehicle
from galene.web.app import Site, create_app, tune_gc
from galene.web.shared.airpath_layout import lay_out
from tests.jobs.hands import begun, good

ROOT = Path(__file__).resolve().parent.parent
SIGN_IN = {"name": "odd", "password": "slipway-odd", "back": "/"}
FOREMAN = {"name": "maren", "password": "slipway-maren", "back": "/"}
ROUNDS = sized(60, 1)


def p95(times: list[float]) -> float:
    """The 95th percentile."""
    return sorted(times)[int(len(times) * 0.95) - 1]


def spread(times: list[float]) -> str:
    """Median and 95th percentile in milliseconds."""
    return f"median {statistics.median(times) * 1e3:6.1f} ms   95th {p95(times) * 1e3:6.1f} ms"


class Stopwatch:
    """Server time of each request: from its arrival in the application to the last byte handed
    over."""

    def __init__(self, app: FastAPI) -> None:
        self.app, self.seconds = app, 0.0
        self.every: list[tuple[str, float]] = []

    async def __call__(self, scope: Any, receive: Any, send: Any) -> None:
        begin = time.perf_counter()
        await self.app(scope, receive, send)
        self.seconds = time.perf_counter() - begin
        self.every.append((scope.get("path", ""), self.seconds))


WATCH: list[Stopwatch] = []


def last() -> float:
    """Server seconds of the newest request."""
    return WATCH[0].seconds


@contextmanager
def serving(app: FastAPI) -> Iterator[str]:
    """The application on a port of its own, in a thread."""
    WATCH[:] = [Stopwatch(app)]
    port = free_port()
    server = uvicorn.Server(
        uvicorn.Config(WATCH[0], host="127.0.0.1", port=port, log_level="error", access_log=False)
    )
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    while not server.started:
        time.sleep(0.02)
    yield f"http://127.0.0.1:{port}"
    app.state.news.stop()
    server.should_exit = True
    thread.join(10)


def signed_in(address: str) -> httpx.Client:
    """A client with a session."""
    client = httpx.Client(base_url=address, headers={"origin": address}, timeout=30)
    client.post("/sign-in", data=SIGN_IN)
    return client


def timed(call: Callable[[], httpx.Response], rounds: int = ROUNDS) -> list[float]:
    """Server seconds of each round, after some to warm up."""
    for _ in range(sized(3, 0)):
        call().raise_for_status()
    found = []
    for _ in range(rounds):
        call().raise_for_status()
        found.append(last())
    return found


class Bare:
    """A route that asks the database what a page has asked it, and makes nothing of it.

    The statements of one visit are kept with their parameters and asked again as they were, so that
    what stands between the two is the page's own work.
    """

    def __init__(self, app: FastAPI, engine: Engine) -> None:
        self.engine, self.asked = engine, list[tuple[str, Any]]()
        self.listens = False
        line = Template("<p>{{ rows }}</p>")
        event.listen(engine, "before_cursor_execute", self._keep)

        @app.get("/bare")
        def bare() -> HTMLResponse:
            rows = 0
            with engine.connect() as connection:
                for statement, parameters in self.asked:
                    rows += len(connection.exec_driver_sql(statement, parameters).all())
            return HTMLResponse(line.render(rows=rows))

    def _keep(self, _c: Any, _k: Any, statement: str, parameters: Any, *_: Any) -> None:
        if self.listens and statement.lstrip().upper().startswith("SELECT"):
            self.asked.append((statement, parameters))

    def of(self, call: Callable[[], httpx.Response]) -> None:
        """Keep what a page asks."""
        call()
        self.asked.clear()
        self.listens = True
        call()
        self.listens = False


def pages(client: httpx.Client, numbers: dict[str, str], bare: Bare, *, every: int = 1) -> None:
    """Every main view, or one of so many, one request at a time over loopback, each beside the bare
    route with the same queries."""
    views = {
        "today": "/",
        "vehicles": "/vehicles",
        "vehicle": "/vehicles/QN114",
        "fleet": "/fleet",
        "bands": "/reference/families/A/bands",
        "reference": "/reference",
        "fuel": "/vehicles/QN266/fuel",
        "minutes": "/reference/minutes",
        "parts": "/shelf/parts",
        "jobs as files": "/bundles",
        "E: owner's links": f"/jobs/{numbers['family E']}/owner",
        "E: bundle": f"/jobs/{numbers['family E']}/bundle.zip",
        "shelf": "/shelf",
        "matrix": "/shelf/matrix?family=E",
        "product": "/shelf/3",
        "idle gap": "/worksheets/idle-gap",
        "bore gauge": f"/jobs/{numbers['family C']}/bores/intake_ports",
        "family E": "/reference/families/E",
        "where is it": "/vehicles/QN501/where?q=pressure",
        "E: diagnosis": f"/jobs/{numbers['family E']}/diagnosis",
        "C: plan": f"/jobs/{numbers['family C']}/plan",
        "B: log": f"/jobs/{numbers['family B at work']}/logs/1",
        "B: log's strip": f"/jobs/{numbers['family B at work']}/logs/1/strip/rpm",
    }
    places = (
        ("intake", "intake"),
        ("intake", "evidence"),
        ("work", "diagnosis"),
        ("prove", "plan"),
        ("work", "work"),
        ("prove", "prove"),
        ("handover", "handover"),
    )
    views |= {f"job: {b}": f"/jobs/{numbers[a]}/{b}" for a, b in places}
    for name, path in list(views.items())[::every]:

        def visit(path: str = path) -> httpx.Response:
            return client.get(path)

        bare.of(visit)
        own, empty = timed(visit), timed(lambda: client.get("/bare"))
        share = p95(own) / p95(empty)
        print(
            f"  {name:<16} {spread(own)}   bare {spread(empty)}   {len(bare.asked)} queries,"
            f" {share:.1f} times the bare"
        )


def interactions(client: httpx.Client, numbers: dict[str, str]) -> None:
    """Taps and live worksheets."""
    sheet = {
        "bore_mm": "52",
        "closed_angle_deg": "6",
        "idle_air_g_s": "2.6",
        "intake_kpa": "100",
        "intake_c": "20",
        "manifold_kpa": "33",
        "discharge_coefficient": "0.82",
        "deposit_mm": "0.05",
        "deposit_tolerance_mm": "0.01",
    }
    print(
        f"  {'worksheet':<16}"
        f" {spread(timed(lambda: client.post('/worksheets/idle-gap', data=sheet)))}"
    )
    states = ["unknown", "present"]

    def tap() -> httpx.Response:
        states.reverse()
        return client.post(
            f"/jobs/{numbers['intake']}/tap",
            data={"evidence": "hard_start", "was": states[1], "state": states[0]},
            headers={"hx-request": "true"},
        )

    print(f"  {'symptom tap':<16} {spread(timed(tap))}")


def entry(kind: str, number: int, **data: object) -> dict[str, object]:
    """An entry as a card sends it."""
    return {
        "id": f"bench-{uuid.uuid4()}",
        "kind": kind,
        "at": datetime.now(UTC).isoformat(),
        "data": data,
        "number": number,
    }


def send(client: httpx.Client, job: str, me: int, *, entries: list[dict[str, object]]) -> list[str]:
    """What became of entries."""
    sent = [{k: v for k, v in e.items() if k != "number"} for e in entries]
    answer = client.post(f"/jobs/{job}/entries", json={"me": me, "entries": sent})
    answer.raise_for_status()
    return [r["outcome"] for r in answer.json()["results"]]


def answered(row: StepRow) -> dict[str, object]:
    """What a card sends with the tick of a step: good answers, and a reason where it waits."""
    given = {f"record:{name}": answer for name, answer in good(row.document).items()}
    return {"step": row.id, "early_reason": "bench", **given}


def ticks(
    client: httpx.Client, engine: Engine, numbers: dict[str, str], *, rounds: int = sized(40, 2)
) -> None:
    """Tick and undo the same step: both are durable when they are answered."""
    with Session(engine) as db:
        job = db.scalars(select(Job).where(Job.number == numbers["work"])).unique().one()
        row = next(s for s in job.steps if s.done_at is None)
        me = db.scalars(select(Person.id).where(Person.sign_in == SIGN_IN["name"])).one()
        data, cautions = answered(row), list(row.document.cautions)
    for k, caution in enumerate(cautions):
        send(client, numbers["work"], me, entries=[entry("caution", k, caution=caution)])
    found = []
    for i in range(rounds):
        assert send(client, numbers["work"], me, entries=[entry("tick", i, **data)]) == ["done"]
        found.append(last())
        assert send(
            client, numbers["work"], me, entries=[entry("untick", i, step=data["step"])]
        ) == ["done"]
    with engine.connect() as connection:
        durable = {
            name: connection.execute(text(f"show {name}")).scalar()
            for name in ("fsync", "synchronous_commit")
        }
    print(
        f"  {'step tick':<16} {spread(found)}  "
        f" ({', '.join(f'{k} {v}' for k, v in durable.items())})"
    )


def twenty_cards(
    address: str, client: httpx.Client, engine: Engine, *, rounds: int = sized(12, 1)
) -> None:
    """Twenty cards that tick at once, a client each: from the sending to the durable answer, as the
    card sees it."""
    with Session(engine) as db:
        person = db.scalars(select(Person).where(Person.sign_in == SIGN_IN["name"])).one()
        me = person.id
        cards: list[tuple[str, list[dict[str, object]]]] = []
        for k in range(sized(20, 2)):
            act = Act(db=db, person=person, now=datetime.now(UTC))
            job = begun(act, "A", "throttle_body", "intake_tube", plate=f"BN-{k:03d}")
            for caution in {c for s in job.steps for c in s.document.cautions}:
                jobcard.acknowledge(act, job.number, caution)
            cards.append((job.number, [answered(s) for s in job.steps[:rounds]]))
        db.commit()

    # The cards are in a process of their own, so that they do not wait for the server's
    # interpreter.
    with ProcessPoolExecutor(1, multiprocessing.get_context("spawn")) as pool:
        WATCH[0].every.clear()
        found = pool.submit(tick_cards, address, dict(client.cookies), me, cards=cards).result()
    server = [s for path, s in WATCH[0].every if path.endswith("/entries")]
    print(
        f"  {'twenty cards':<16} {spread(server)}   (two ticks a second each; as the card sees it:"
        f" {spread(found).strip()})"
    )


def tick_cards(
    address: str,
    cookies: dict[str, str],
    me: int,
    *,
    cards: list[tuple[str, list[dict[str, object]]]],
) -> list[float]:
    """Seconds of every tick of cards that tick side by side."""

    def tick_one(card: tuple[str, list[dict[str, object]]]) -> list[float]:
        own, times = (
            httpx.Client(
                base_url=address, cookies=cookies, headers={"origin": address}, timeout=30
            ),
            [],
        )
        time.sleep(random.random() / 2)
        for i, data in enumerate(card[1]):
            begin = time.perf_counter()
            assert send(own, card[0], me, entries=[entry("tick", i, **data)]) == ["done"]
            times.append(time.perf_counter() - begin)
            # A hand needs a while from one step to the next.
            time.sleep(0.5)
        return times

    with ThreadPoolExecutor(20) as pool:
        return [t for times in pool.map(tick_one, cards) for t in times]


MOST = sized(500, 20)


def replay(client: httpx.Client, engine: Engine, numbers: dict[str, str]) -> None:
    """A day's queue of 500 entries in batches of 50, and how long a change takes to a second page
    that listens."""
    with Session(engine) as db:
        me = db.scalars(select(Person.id).where(Person.sign_in == SIGN_IN["name"])).one()
    queue = [
        entry("count", i, what="caps", way="in" if i % 2 == 0 else "out", pieces=1)
        for i in range(MOST)
    ]
    begin = time.perf_counter()
    outcomes = [
        o
        for i in range(0, MOST, 50)
        for o in send(client, numbers["work"], me, entries=queue[i : i + 50])
    ]
    print(
        f"  {f'{MOST} entries':<16} {time.perf_counter() - begin:6.2f} s, {outcomes.count('done')}"
        f" taken, none twice: {outcomes.count('before')}"
    )
    heard: list[float] = []

    def listen() -> None:
        with client.stream("GET", f"/jobs/{numbers['work']}/events") as stream:
            for row in stream.iter_lines():
                if row == "event: changed":
                    heard.append(time.perf_counter())

    thread = threading.Thread(target=listen, daemon=True)
    thread.start()
    time.sleep(1.5)
    heard.clear()
    begin = time.perf_counter()
    send(client, numbers["work"], me, entries=[entry("count", 0, what="tape", way="in", pieces=1)])
    time.sleep(2)
    print(
        f"  {'news to another':<16} {(heard[0] - begin) * 1e3:6.1f} ms from the sending"
        if heard
        else "  no news came"
    )


SIZES = tuple(int(n) for n in os.environ.get("BENCH_JOBS", "8" if SMALL else "5000").split(","))
"""Generated jobs in the database, one size after another; `BENCH_JOBS=5000,100000` for more."""


def generate(engine: Engine, count: int, *, first: int = 0) -> None:
    """Finished jobs of invented vehicles, with codes and observations, some still open."""
    now = datetime.now(UTC)
    with Session(engine) as db:
        pattern = db.scalars(select(Job).where(Job.state == "finished")).unique().first()
        assert pattern is not None
        row = {
            c.key: getattr(pattern, c.key)
            for c in Job.__table__.columns
            if c.key not in ("id", "number", "vehicle_id")
        }
        steps = [s.document for s in pattern.steps]
        vehicles = [
            {
                "plate": f"GX-{i:05d}",
                "plate_key": f"GX{i:05d}",
                "maker": "Brinewell",
                "model": "Bench",
                "family_id": "A",
                "keeper": "",
                "hazards": [],
            }
            for i in range(first // 4, (first + count) // 4)
        ]
        ids = list(db.scalars(insert(Vehicle).returning(Vehicle.id), vehicles))
        jobs = [
            {
                **row,
                "number": f"10-{first + i:06d}",
                "vehicle_id": ids[i % len(ids)],
                "opened_at": now - timedelta(days=i % 900),
                "distance_km": 20_000.0 + 15_000.0 * (i // len(ids)),
                **({"state": "open", "stage": "evidence"} if i % 100 == 0 else {}),
            }
            for i in range(count)
        ]
        made = list(db.scalars(insert(Job).returning(Job.id), jobs))
        db.execute(
            insert(JobCode),
            [
                {
                    "job_id": j,
                    "phase": "before",
                    "code": "P0506",
                    "status": "stored",
                    "read_at": now,
                }
                for j in made
            ],
        )
        looks = [
            {
                "job_id": j,
                "phase": phase,
                "part": "throttle_body",
                "deposit": "soot",
                "grade": grade,
                "at": now,
                "person_id": row["technician_id"],
            }
            for i, j in enumerate(made)
            for phase, grade in (("before", 1 + i % 3), ("after", 0))
        ]
        db.execute(insert(Inspection), looks)
        seen = {
            "evidence": "rough_idle",
            "state": "present",
            "confidence": 1.0,
            "source": "tap",
            "at": now,
            "person_id": row["technician_id"],
        }
        db.execute(insert(ObservationRow), [{"job_id": j, **seen} for j in made])
        db.execute(
            insert(StepRow),
            [
                {
                    "job_id": j,
                    "position": k,
                    "document": d,
                    "records": StepAnswers(),
                    "done_at": now,
                }
                for j in made
                for k, d in enumerate(steps[:12])
            ],
        )
        db.commit()
        db.execute(text("analyze"))
        db.commit()


def bundles_in(address: str, app: FastAPI, engine: Engine, *, number: str) -> None:
    """A job with twelve pictures, then all jobs, looked at and taken in by a workshop that has none
    of these numbers."""
    store = app.state.pictures
    with Session(engine, expire_on_commit=False) as db:
        person = db.scalars(select(Person).where(Person.sign_in == FOREMAN["name"])).one()
        act = Act(db=db, person=person, now=datetime.now(UTC))
        rng = np.random.default_rng(1)
        for k in range(sized(12, 1)):
            out = io.BytesIO()
            noise = rng.integers(0, 255, (600, 800, 3), dtype=np.uint8)
            Image.fromarray(noise).save(out, "JPEG")
            phase = "before" if k % 2 else "after"
            kept = store.keep_with_thumbnail(out.getvalue())
            add_picture(act, number, "throttle_body", phase=phase, note="", kept=kept)
        db.commit()
        every = [n for n in chosen(db) if not n.startswith("10-")][: sized(10_000, 2)]
        which = {"twelve pictures": [number], f"{len(every)} jobs": every}
        files = {
            name: b"".join(written("here", exported(db, these, store, None)))
            for name, these in which.items()
        }
        db.execute(text("update job set number = '00-' || id"))
        db.commit()
    client = httpx.Client(base_url=address, headers={"origin": address}, timeout=600)
    client.post("/sign-in", data=FOREMAN)
    for name, data in files.items():
        sent = {"file": ("jobs.zip", data, "application/zip")}
        page = client.post("/bundles/look", data={"once": uuid.uuid4().hex}, files=sent)
        looked = last()
        staged = re.search(r'name="staged" value="([0-9a-f]+)"', page.text)
        assert page.status_code == 200 and staged, page.text[:500]
        given = {"once": uuid.uuid4().hex, "staged": staged[1]}
        client.post("/bundles", data=given).raise_for_status()
        print(
            f"  {name:<16} {len(data) / 2**20:.1f} MB: looked at in {looked:.2f} s, taken in in"
            f" {last():.2f} s"
        )


def throughput(
    address: str, client: httpx.Client, path: str, *, seconds: float = float(sized(5, 1))
) -> float:
    """Requests a second with four clients side by side."""
    end = time.perf_counter() + seconds

    def hammer(_: int) -> int:
        own = httpx.Client(base_url=address, cookies=client.cookies)
        done = 0
        while time.perf_counter() < end:
            own.get(path).raise_for_status()
            done += 1
        return done

    with ThreadPoolExecutor(4) as pool:
        return sum(pool.map(hammer, range(4))) / seconds


def grown(family: EngineFamily, parts: int, operations: int) -> EngineFamily:
    """A family like this one with more of everything: chains of parts and of operations that wait
    for each other."""
    more = [
        Part(id=f"extra_{i}", component="egr_pipe", label=f"Extra pipe {i}")
        for i in range(parts - len(family.parts))
    ]
    ends = (
        [
            Pipe("exhaust_manifold", more[0].id, "recirculation"),
            Pipe(more[-1].id, "intake_manifold", "recirculation"),
        ]
        if more
        else []
    )
    pipes = [*(Pipe(a.id, b.id, "recirculation") for a, b in pairwise(more)), *ends]
    steps = [
        replace(
            family.operations[i % len(family.operations)],
            id=f"more_{i}",
            after=(f"more_{i - 3}",) if i >= 3 else (),
            reaches=(more[i % len(more)].id,),
        )
        for i in range(operations - len(family.operations))
    ]
    return replace(
        family,
        parts=(*family.parts, *more),
        pipes=(*family.pipes, *pipes),
        operations=(*family.operations, *steps),
    )


def in_the_core() -> None:
    """Drawing, scope and assessment without a page round them."""

    def best(call: Callable[[], object]) -> str:
        times = []
        for _ in range(sized(20, 1)):
            begin = time.perf_counter()
            call()
            times.append(time.perf_counter() - begin)
        return f"{min(times) * 1e3:6.2f} ms"

    largest = max(FAMILIES.values(), key=lambda f: len(f.parts))
    big = grown(largest, 40, 60)
    reach = [p.id for p in big.parts if any(p.id in o.reaches for o in big.operations)]
    print(
        f"  drawing, family {largest.id}, {len(largest.parts)} parts        "
        f" {best(lambda: lay_out(largest))}"
    )
    print(f"  drawing, 40 parts                    {best(lambda: lay_out(big))}")
    throttle = subject_of("throttle_body")
    one = best(
        lambda: [
            judge(
                RULES,
                AGENTS["throttle_cleaner"].agent,
                "on_cloth",
                subject=throttle,
                features=["electronic"],
                state=["battery_off", "engine_cold"],
            )
            for _ in range(100)
        ]
    )
    print(f"  a hundred judgements                 {one}")

    def matrix() -> None:
        for component in COMPONENTS:
            for kind in AGENTS.values():
                for way in kind.agent.ways:
                    judge(
                        RULES,
                        kind.agent,
                        way,
                        subject=subject_of(component),
                        features=[],
                        state=[],
                    )

    print(f"  matrix, every part, agent and way    {best(matrix)}")
    print(
        f"  scope, family {largest.id}, all parts         "
        f" {best(lambda: scope(largest, reach[:8]))}"
    )
    print(
        f"  scope, 60 operations, {len(reach)} parts       {best(lambda: scope(big, reach[::2]))}"
    )


LONG_LOG = """
import sys, time
from galene.core.logs.series import TimeSeries
from galene.core.logs.thinning import downsample_minmax
from galene.core.logs.series import find_idle, find_trim_points, run_forward
from galene.exchange.logs import read_log
data = sys.stdin.buffer.read()
begin = time.perf_counter()
read = read_log(data)
whole = time.perf_counter() - begin
forward = run_forward(read.columns[0].values)
channels = {n: read.columns[i].values[forward.rows] for i, n in ((1, "rpm"), (2, "maf_g_s"))}
trace = TimeSeries(forward.time_s, channels)
find_idle(trace, 1000), find_trim_points(trace)
found = time.perf_counter() - begin - whole
downsample_minmax(trace.time_s, trace.channels["rpm"], 0, end_s=1e9, points=700)
strip = time.perf_counter() - begin - whole - found
status = open("/proc/self/status").read().splitlines()
peak = next(int(line.split()[1]) // 1024 for line in status if line.startswith("VmHWM"))
rows, columns = len(read.columns[0].values), len(read.columns)
print(f"  {len(data) / 2**20:.0f} MB, {rows} rows, {columns} columns: read {whole:.2f} s,"
      f" stretches {found * 1e3:.0f} ms, a strip {strip * 1e3:.0f} ms, memory at most {peak} MB")
"""


ROWS = sized(200_000, 2_000)


def long_log() -> None:
    """Rows of ten columns read in a process of its own, its libraries loaded within the
    time."""
    rng = np.random.default_rng(1)
    columns = [
        np.arange(ROWS) / 10,
        700 + rng.normal(0, 9, ROWS),
        4 + rng.normal(0, 0.1, ROWS),
        *(rng.normal(50, 9, ROWS) for _ in range(7)),
    ]
    out = io.StringIO()
    np.savetxt(
        out,
        np.column_stack(columns),
        fmt="%.3f",
        delimiter=";",
        header="time (s);rpm;maf (g/s);" + ";".join(f"c{i}" for i in range(7)),
        comments="",
    )
    subprocess.run(
        [sys.executable, "-c", LONG_LOG],
        input=out.getvalue().replace(".", ",").encode(),
        check=True,
    )


def startup(folder: Path) -> None:
    """Seconds from the command to a healthy answer, first with an empty data folder, then again;
    memory after use."""
    port = free_port()
    environment = {**os.environ, "GALENE_PORT": str(port), "GALENE_HOME": str(folder)}
    for name in ("first, demo loaded", "again"):
        begin = time.perf_counter()
        process = subprocess.Popen(
            [str(ROOT / "galene"), "demo"], env=environment, stdout=subprocess.DEVNULL
        )
        while True:
            try:
                with urlopen(f"http://127.0.0.1:{port}/healthz", timeout=1) as answer:
                    if json.load(answer)["status"] == "ok":
                        break
            except OSError:
                time.sleep(0.02)
        print(f"  start-up, {name}: {time.perf_counter() - begin:.2f} s")
        client = signed_in(f"http://127.0.0.1:{port}")
        for path in ("/", "/vehicles", "/worksheets/idle-gap", "/reference"):
            client.get(path).raise_for_status()
        time.sleep(3.5)
        print(
            "  memory of the server:"
            f" {psutil.Process(process.pid).memory_info().rss / 2**20:.0f} MB"
        )
        process.send_signal(signal.SIGINT)
        process.wait(20)


def main() -> None:
    folder = Path(tempfile.mkdtemp(prefix="galene-bench-"))
    folder.chmod(0o755)
    cluster = demo_cluster(folder / "bench")
    try:
        engine = make_engine(cluster.url())
        with Session(engine, expire_on_commit=False) as db:
            numbers = {
                j.stage: j.number
                for j in db.scalars(
                    select(Job).where(Job.family_id == "A").order_by(Job.opened_at)
                ).unique()
            }
            numbers["family B at work"] = db.scalars(
                select(Job.number).where(Job.family_id == "B", Job.stage == "work")
            ).one()
            numbers |= {
                f"family {j.family_id}": j.number
                for j in db.scalars(select(Job).where(Job.state == "open")).unique()
            }
        app = create_app(engine, Site(patience_s=600))
        tune_gc()  # as the server does
        bare = Bare(app, engine)
        with serving(app) as address:
            client = signed_in(address)
            print("Pages, demo data")
            pages(client, numbers, bare)
            print("Interactions")
            interactions(client, numbers)
            ticks(client, engine, numbers)
            twenty_cards(address, client, engine)
            replay(client, engine, numbers)
            there = 0
            for count in SIZES:
                generate(engine, count - there, first=there)
                there = count
                print(f"Pages, with {count:,} generated jobs")
                pages(client, numbers, bare, every=sized(1, 8))
            ticks(client, engine, numbers)
            card = f"/jobs/{numbers['work']}/work"
            bare.of(lambda: client.get(card))
            whole, empty = throughput(address, client, card), throughput(address, client, "/bare")
            print(
                f"Throughput, four clients: card {whole:.0f}/s, bare route with the same"
                f" {len(bare.asked)} queries {empty:.0f}/s, share {whole / empty:.2f}"
            )
            print("Bundles, at the server")
            bundles_in(address, app, engine, number=numbers["work"])
        engine.dispose()
    finally:
        cluster.stop()
        shutil.rmtree(folder)
    print("In the core, best of 20, one thread")
    in_the_core()
    print("A long log")
    long_log()
    if not SMALL:  # a start has tests of its own
        print("Start-up after set-up")
        with tempfile.TemporaryDirectory() as fresh:
            Path(fresh).chmod(0o755)
            startup(Path(fresh))


if __name__ == "__main__":
    main()
