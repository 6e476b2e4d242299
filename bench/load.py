"""A workshop of twenty on 100,000 jobs: measured and printed, nothing is asserted.

Run: .venv/bin/python -m bench.load [--jobs 100000] [--seconds 120] [--ticks 1000]

Twenty technicians tick, and look at the card, at Today and at a vehicle after each tick; 200 pages
hold their streams open; two web processes. Beside it stands a bare route (`/readyz`) of the run.
"""

import argparse
import asyncio
import os
import re
import statistics
import subprocess
import sys
import tempfile
import time
import uuid
from collections import defaultdict
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import httpx2 as httpx
import psutil
from sqlalchemy import create_engine, text

from bench.place import demo_cluster
from bench.sizes import sized
from galene.store.cluster import free_port
from galene.store.database import make_engine

PEOPLE, PAGES, WORKERS = sized(20, 2), sized(200, 4), sized(2, 1)
COPIED = ("observation", "look", "job_code", "trace", "section")
"""Tables whose rows of a job are copied with it: those that pages of many jobs read. Steps, plans
and readings of old jobs are read one job at a time by their index, and are left out."""


def fill(url: str, jobs: int) -> None:
    """Copies of the demo's finished jobs on vehicles of their own, until there are so many."""
    engine = create_engine(url)
    with engine.begin() as connection:
        connection.execute(text("set session_replication_role = replica"))
        models = connection.scalars(text("select id from job where state = 'finished'")).all()
        each = jobs // len(models) + 1

        def columns(table: str, *but: str) -> str:
            found = connection.scalars(
                text(
                    "select column_name from information_schema.columns where table_name = :t"
                    " and table_schema = 'public' and column_name <> all(:but)"
                    " order by ordinal_position"
                ),
                {"t": table, "but": list(but)},
            )
            return ", ".join(f'"{name}"' for name in found)

        kept = columns("vehicle", "id", "plate", "plate_key")
        connection.execute(
            text(
                f"insert into vehicle (id, plate, plate_key, {kept})"
                f" select 100000 + n, 'L-' || n, 'L' || n, {kept} from vehicle,"
                " generate_series(1, :most) n where vehicle.id = 1"
            ),
            {"most": jobs // 8},
        )
        of_job = columns("job", "id", "number", "vehicle_id")
        for turn, model in enumerate(models):
            connection.execute(
                text(
                    f"insert into job (id, number, vehicle_id, {of_job})"
                    f" select 1000000 + :begin + n, 'L' || (:begin + n),"
                    f" 100001 + (:begin + n) % :cars, {of_job} from job,"
                    " generate_series(1, :each) n where job.id = :model"
                ),
                {"begin": turn * each, "each": each, "model": model, "cars": jobs // 8 - 1},
            )
            for table in COPIED:
                kept = columns(table, "job_id", *(["id"] if table != "section" else []))
                connection.execute(
                    text(
                        f"insert into {table} (job_id, {kept})"
                        f" select 1000000 + :begin + n, {kept} from {table},"
                        f" generate_series(1, :each) n where {table}.job_id = :model"
                    ),
                    {"begin": turn * each, "each": each, "model": model},
                )
    with engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
        connection.execute(text("analyze"))
        size = connection.scalar(text("select pg_size_pretty(pg_database_size('galene'))"))
        count = connection.scalar(text("select count(*) from job"))
        print(f"{count} jobs, database {size}")
    engine.dispose()


def p95(times: list[float]) -> float:
    """The 95th percentile."""
    return sorted(times)[max(0, int(len(times) * 0.95) - 1)]


class Load:
    """Twenty people and two hundred pages."""

    def __init__(
        self, address: str, cards: list[str], plates: list[str], *, seconds: float, ticks: int
    ) -> None:
        self.address, self.cards, self.plates = address, cards, plates
        self.seconds, self.ticks = seconds, ticks
        self.times: dict[str, list[float]] = defaultdict(list)
        self.statuses: dict[int, int] = defaultdict(int)
        self.news = 0

    async def asked(self, web: httpx.AsyncClient, name: str, path: str, **more: Any) -> None:
        begun = time.perf_counter()
        verb = "POST" if more else "GET"
        answer = await web.request(verb, path, **more)
        self.times[name].append(time.perf_counter() - begun)
        self.statuses[answer.status_code] += 1

    async def technician(self, who: int, cookies: httpx.Cookies, me: int) -> None:
        ends = time.monotonic() + self.seconds
        pause = 3600 * PEOPLE / self.ticks
        async with self.client(cookies) as web:
            await asyncio.sleep(pause * who / PEOPLE)
            while time.monotonic() < ends:
                begun = time.monotonic()
                card = self.cards[who % len(self.cards)]
                plate = self.plates[who * 37 % len(self.plates)]
                entry = {
                    "id": uuid.uuid4().hex,
                    "kind": "count",
                    "at": datetime.now(UTC).isoformat(),
                    "data": {"what": "caps", "way": "in", "pieces": 1},
                }
                sent = {"me": me, "entries": [entry]}
                await self.asked(web, "tick", f"/jobs/{card}/entries", json=sent)
                await self.asked(web, "card", f"/jobs/{card}/work")
                await self.asked(web, "today", "/")
                await self.asked(web, "vehicle", f"/vehicles/{plate}")
                await self.asked(web, "bare", "/readyz")
                await asyncio.sleep(max(0.0, pause - (time.monotonic() - begun)))

    async def page(self, who: int, cookies: httpx.Cookies) -> None:
        async with self.client(cookies) as web:
            card = self.cards[who % len(self.cards)]
            async with web.stream("GET", f"/jobs/{card}/events") as stream:
                async for line in stream.aiter_lines():
                    self.news += line.startswith("event:")

    def client(self, cookies: httpx.Cookies) -> httpx.AsyncClient:
        return httpx.AsyncClient(
            base_url=self.address,
            headers={"origin": self.address},
            cookies=cookies,
            timeout=60,
        )

    async def run(self) -> None:
        """All at once, for so many seconds."""
        async with self.client(httpx.Cookies()) as web:
            form = {"name": "odd", "password": "slipway-odd"}
            await web.post("/sign-in", data=form)
            page = (await web.get("/account")).text
            me = int(re.search(r'data-me="(\d+)"', page)[1])  # type: ignore[index]
            cookies = web.cookies
            pages = [asyncio.create_task(self.page(n, cookies)) for n in range(PAGES)]
            await asyncio.sleep(3)
            await asyncio.gather(*(self.technician(n, cookies, me) for n in range(PEOPLE)))
            for task in pages:
                task.cancel()
            await asyncio.gather(*pages, return_exceptions=True)


def main() -> None:
    """Fill, serve, load, print."""
    wanted = argparse.ArgumentParser()
    wanted.add_argument("--jobs", type=int, default=sized(100_000, 600))
    wanted.add_argument("--seconds", type=float, default=sized(120, 4))
    wanted.add_argument("--ticks", type=int, default=1000, help="an hour")
    given = wanted.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        Path(folder).chmod(0o755)
        cluster = demo_cluster(Path(folder) / "db")
        engine = make_engine(cluster.url(), 2)
        begun = time.monotonic()
        fill(cluster.url(), given.jobs)
        print(f"filled in {time.monotonic() - begun:.0f} s")
        with engine.begin() as connection:
            connection.execute(text("update workshop set demo = false"))
            cards = list(
                connection.scalars(
                    text(
                        "select number from job where state = 'open' and work_began_at is not null"
                    )
                )
            )
            plates = list(
                connection.scalars(
                    text("select plate_key from vehicle where id > 100000 limit 500")
                )
            )
        engine.dispose()
        port = free_port()
        server = subprocess.Popen(
            [sys.executable, "-m", "galene.cli", "serve", "--workers", str(WORKERS)],
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
            found = Load(
                f"http://127.0.0.1:{port}", cards, plates, seconds=given.seconds, ticks=given.ticks
            )
            for _ in range(200):
                try:
                    if httpx.get(f"{found.address}/readyz").status_code == 200:
                        break
                except httpx.HTTPError:
                    pass
                time.sleep(0.2)
            asyncio.run(found.run())
            memory = [p.memory_info().rss / 1e6 for p in psutil.Process(server.pid).children()]
            for name, times in sorted(found.times.items()):
                print(
                    f"{name:8} {len(times):6} requests   median"
                    f" {statistics.median(times) * 1e3:6.1f} ms   95th {p95(times) * 1e3:6.1f} ms"
                )
            print("statuses", dict(found.statuses), "news", found.news)
            print("MB of each web process", [round(m) for m in memory])
        finally:
            server.terminate()
            server.wait(30)
            cluster.stop()


if __name__ == "__main__":
    main()
