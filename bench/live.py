"""Twenty vehicles at 20 Hz on one server: from a sample to the page that waits, and what the
server spends on it; then the release of a held output, from the page to the actuator.

Run: .venv/bin/python -m bench.live [--vehicles 20] [--seconds 40] [--workers 1]

The vehicles are senders that batch as a bridge does, without a car: what is measured is the line
and the server. A page draws thirty times a second, which comes on top (its share is printed). The
release is measured with one whole bridge on a simulated car.
"""

import argparse
import asyncio
import json
import os
import subprocess
import sys
import tempfile
import time
from datetime import UTC, datetime
from pathlib import Path
from statistics import median
from typing import Any

import can
import httpx2 as httpx
import psutil
from sqlalchemy import select, text
from sqlalchemy.orm import Session

from bench.load import p95
from bench.place import demo_cluster
from bench.sizes import sized
from galene.bridge.link import AT_ONCE, paired
from galene.bridge.program import Program, buffer_in
from galene.bus.station import station_of
from galene.jobs import intake, live
from galene.jobs.act import Act
from galene.jobs.signing_in import open_session
from galene.knowledge.families import FAMILIES
from galene.simulation.vehicle import Vehicle
from galene.store.cluster import free_port
from galene.store.database import make_engine
from galene.store.models import Person
from galene.web.shared.caller import SESSION

COLUMNS = (
    "rpm",
    "manifold_kpa",
    "air_g_s",
    "throttle_pct",
    "short_trim_pct",
    "long_trim_pct",
    "coolant_c",
    "intake_c",
    "egr_command_pct",
    "egr_position_pct",
    "lambda_v",
    "speed_kmh",
    "voltage_v",
)
RATE_HZ, BATCHED, DRAWS_HZ = 20, 2, 30


class Line:
    """Senders and pages of the run."""

    def __init__(self, address: str, cookies: dict[str, str]) -> None:
        self.address, self.cookies = address, cookies
        self.late: list[float] = []
        self.bare: list[float] = []
        self.batches = 0
        self.statuses: dict[int, int] = {}
        self.over = False

    async def vehicle(self, key: str, who: int) -> None:
        """Two samples in a batch, ten batches a second; what waits goes in one request, as a bridge
        sends it (`galene.bridge.link`). Twenty laptops have processors of their own: here the
        senders share two with the server, so they are as plain as can be."""
        waiting: list[dict[str, Any]] = []
        reads = asyncio.create_task(self.read(waiting, who))
        host, port = self.address.removeprefix("http://").split(":")
        reader, writer = await asyncio.open_connection(host, int(port))
        while not self.over:
            if not waiting:
                await asyncio.sleep(0.005)
                continue
            sent = waiting[:AT_ONCE]
            body = json.dumps({"now_s": time.monotonic(), "batches": sent}).encode()
            head = (
                f"POST /api/bridge/batches HTTP/1.1\r\nhost: {host}:{port}\r\n"
                f"authorization: Bearer {key}\r\ncontent-type: application/json\r\n"
                f"content-length: {len(body)}\r\n\r\n"
            )
            writer.write(head.encode() + body)
            answer = await reader.readuntil(b"\r\n\r\n")
            status = int(answer.split(b" ", 2)[1])
            length = answer.lower().partition(b"content-length: ")[2].partition(b"\r")[0]
            await reader.readexactly(int(length))
            self.statuses[status] = self.statuses.get(status, 0) + 1
            self.batches += len(sent)
            del waiting[: len(sent)]
        writer.close()
        await reads

    async def read(self, waiting: list[dict[str, Any]], who: int) -> None:
        """Samples by the clock, whatever the server does."""
        await asyncio.sleep(who / 200)
        due, seq, rows = time.monotonic(), 0, []
        while not self.over:
            due += 1 / RATE_HZ
            await asyncio.sleep(max(0.0, due - time.monotonic()))
            # A figure that says when it was read: the page tells from it how late it came.
            rows.append((time.monotonic(), [time.monotonic() % 1e6, *range(12)]))
            if len(rows) < BATCHED:
                continue
            seq, now = seq + 1, time.monotonic()
            waiting.append(
                {
                    "seq": seq,
                    "at_s": now,
                    "state": "live",
                    "columns": COLUMNS,
                    "rows": [[round(now - at, 4), *values] for at, values in rows],
                }
            )
            rows = []

    async def look(self) -> None:
        """A bare route, five times a second, over one connection, while the vehicles send."""
        async with httpx.AsyncClient(base_url=self.address) as web:
            while not self.over:
                begun = time.perf_counter()
                await web.get("/healthz")
                self.bare.append(time.perf_counter() - begun)
                await asyncio.sleep(0.2)

    async def page(self, number: str) -> None:
        """One page that waits for a vehicle's figures."""
        async with (
            httpx.AsyncClient(base_url=self.address, cookies=self.cookies, timeout=60) as web,
            web.stream("GET", f"/jobs/{number}/live/events") as stream,
        ):
            async for line in stream.aiter_lines():
                if line.startswith("data: ") and not self.over:
                    now = time.monotonic() % 1e6
                    told = json.loads(line[6:])
                    self.late += [now - row[1] for row in told["rows"]]

    async def run(self, keys: dict[str, str], seconds: float, server: psutil.Process) -> float:
        """All at once; the server's share of one processor meanwhile."""
        pages = [asyncio.create_task(self.page(number)) for number in keys]
        await asyncio.sleep(2)
        vehicles = [asyncio.create_task(self.vehicle(k, i)) for i, k in enumerate(keys.values())]
        looks = asyncio.create_task(self.look())
        await asyncio.sleep(3)
        self.late.clear()
        begun, spent = time.monotonic(), _spent(server)
        await asyncio.sleep(seconds)
        load_share = (_spent(server) - spent) / (time.monotonic() - begun)
        self.over = True
        await asyncio.gather(*vehicles, looks)
        for task in pages:
            task.cancel()
        await asyncio.gather(*pages, return_exceptions=True)
        return load_share


def somebody(db: Session) -> Person:
    """Whoever acts for the measuring."""
    return db.scalars(select(Person).order_by(Person.id).limit(1)).one()


def _spent(server: psutil.Process) -> float:
    each = [server, *server.children(recursive=True)]
    return sum(t.user + t.system for p in each if (t := p.cpu_times()))


def release(address: str, engine: object, folder: Path, number: str) -> list[float]:
    """Milliseconds from the page's word until the simulated actuator is free, some times."""
    with Session(engine, expire_on_commit=False) as db:  # type: ignore[arg-type]
        act = Act(db=db, person=somebody(db), now=datetime.now(UTC))
        job = act.job(number)
        code = live.offer_code(act, number)
        cookie = open_session(db, act.person, datetime.now(UTC))
        db.commit()
    car = Vehicle(FAMILIES[job.family_id], {"egr_passage_plugged": 0.9})
    car.key_on()
    car.start()
    for _ in range(3000):
        car.step()
    station = station_of(car, can.Bus(interface="virtual", channel="release"))
    buffer = buffer_in(folder / "bridge")
    pairing = paired(address, code, "bench")
    buffer.pair(pairing)
    program = Program(pairing, buffer, lambda: can.Bus(interface="virtual", channel="release"))
    program.start()
    took: list[float] = []
    web = httpx.Client(base_url=address, cookies={SESSION: cookie}, headers={"origin": address})
    try:
        time.sleep(3)
        for _ in range(sized(10, 1)):
            with Session(engine, expire_on_commit=False) as db:  # type: ignore[arg-type]
                act = Act(db=db, person=somebody(db), now=datetime.now(UTC))
                live.ask(act, act.job(number), "hold", actuator="egr_valve", value=30.0)
                db.commit()
            while not car.wishes.commands:
                time.sleep(0.001)
            begun = time.perf_counter()
            web.post(f"/jobs/{number}/live/let-go", data={})
            while car.wishes.commands:
                time.sleep(0.001)
            took.append(1000 * (time.perf_counter() - begun))
            time.sleep(0.5)
    finally:
        program.stop()
        station.close()
        buffer.close()
        web.close()
    return took


def main() -> None:
    """Set up, serve, load, print."""
    wanted = argparse.ArgumentParser()
    wanted.add_argument("--vehicles", type=int, default=sized(20, 1))
    wanted.add_argument("--seconds", type=float, default=sized(40, 3))
    wanted.add_argument("--workers", type=int, default=1)
    given = wanted.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        Path(folder).chmod(0o755)
        cluster = demo_cluster(Path(folder) / "db")
        engine = make_engine(cluster.url(), 2)
        keys: dict[str, str] = {}
        with Session(engine, expire_on_commit=False) as db:
            db.execute(text("update workshop set demo = false"))
            act = Act(db=db, person=somebody(db), now=datetime.now(UTC))
            for i in range(given.vehicles + 1):
                vehicle = intake.add_vehicle(
                    act,
                    intake.NewVehicle(
                        plate=f"LV-{700 + i}",
                        maker="Hollinvar",
                        model="Tarnback",
                        year="2012",
                        family="B",
                        keeper="the shed",
                    ),
                )
                number = intake.open_job(act, vehicle, "measured").number
                told = live.pair(db, live.offer_code(act, number), "bench", act.now)
                keys[number] = told.key
                db.flush()
            cookie = open_session(db, act.person, datetime.now(UTC))
            db.commit()
        spare = list(keys)[-1]
        del keys[spare]
        port = free_port()
        server = subprocess.Popen(
            [sys.executable, "-m", "galene.cli", "serve", "--workers", str(given.workers)],
            env={
                **os.environ,
                "GALENE_PORT": str(port),
                "GALENE_HOME": f"{folder}/home",
                "GALENE_DATABASE_URL": cluster.application_url(),
                "GALENE_DATABASE_OWNER_URL": cluster.url(),
            },
            stdout=subprocess.DEVNULL,
        )
        try:
            address = f"http://127.0.0.1:{port}"
            for _ in range(300):
                try:
                    if httpx.get(f"{address}/readyz").status_code == 200:
                        break
                except httpx.HTTPError:
                    pass
                time.sleep(0.2)
            found = Line(address, {SESSION: cookie})
            share = asyncio.run(found.run(keys, given.seconds, psutil.Process(server.pid)))
            late = found.late
            print(
                f"{given.vehicles} vehicles at {RATE_HZ} Hz, {len(late)} samples: to the page"
                f" median {median(late) * 1e3:.0f} ms, 95th {p95(late) * 1e3:.0f} ms,"
                f" longest {max(late) * 1e3:.0f} ms"
            )
            print(f"a page draws every {1000 / DRAWS_HZ:.0f} ms on top of that")
            print(
                f"server: {100 * share:.0f} % of one processor; answers {found.statuses},"
                f" {found.batches} batches"
            )
            print(
                f"a bare route meanwhile: median {median(found.bare) * 1e3:.1f} ms,"
                f" 95th {p95(found.bare) * 1e3:.1f} ms"
            )
            took = release(address, engine, Path(folder), spare)
            print(
                f"release to actuator: median {median(took):.0f} ms, longest {max(took):.0f} ms"
                f" of {len(took)}"
            )
        finally:
            server.terminate()
            server.wait(30)
            engine.dispose()
            cluster.stop()


if __name__ == "__main__":
    main()
