"""What the demo takes of a processor at rest, and with one page open on a live car: everything that
it started together, by the processes' own counts. Run: .venv/bin/python -m bench.rest
"""

import os
import re
import signal
import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path

import httpx2 as httpx
import psutil

from bench.place import copied
from bench.sizes import sized
from galene.exchange.live import LOOK_S
from galene.store.cluster import free_port

SIGN_IN = {"name": "odd", "password": "slipway-odd", "back": "/"}
LIVE_PLATE = "QN088"
SETTLES_S, MEASURED_S = sized(round(LOOK_S) + 20, 1), sized(40, 1)


def used(server: psutil.Process) -> float:
    """Processor seconds of the demo so far, of all its processes."""
    total = 0.0
    for process in (server, *server.children(recursive=True)):
        try:
            total += sum(process.cpu_times()[:4])
        except psutil.NoSuchProcess:
            continue
    return total


def share(server: psutil.Process) -> float:
    """Percent of one processor over a while."""
    before, begun = used(server), time.monotonic()
    time.sleep(MEASURED_S)
    return 100 * (used(server) - before) / (time.monotonic() - begun)


def watched(address: str, over: threading.Event, shown: list[int]) -> None:
    """One page on the live car: its stream, and what its script asks every three seconds."""
    with httpx.Client(base_url=address, headers={"origin": address}, timeout=30) as web:
        web.post("/sign-in", data=SIGN_IN)
        found = re.search(r"/jobs/(\d\d-\d{4})", web.get(f"/vehicles/{LIVE_PLATE}").text)
        assert found, "the demo's live car has a job"
        job = found[0]
        web.get(f"{job}/evidence").raise_for_status()
        asked = time.monotonic()
        with web.stream("GET", f"{job}/live/events") as stream:
            for line in stream.iter_lines():
                if over.is_set():
                    return
                shown[0] += line.startswith("data:")
                if time.monotonic() - asked > 3:
                    asked = time.monotonic()
                    web.get(f"{job}/live/stands")


def main() -> None:
    """Start the demo, let it settle, measure, open a page, measure again."""
    with tempfile.TemporaryDirectory() as folder:
        Path(folder).chmod(0o755)
        copied(Path(folder) / "demo")
        port = free_port()
        address = f"http://127.0.0.1:{port}"
        process = subprocess.Popen(
            [sys.executable, "-m", "galene.cli", "demo"],
            env={**os.environ, "GALENE_PORT": str(port), "GALENE_HOME": folder},
            stdout=subprocess.DEVNULL,
        )
        over, shown = threading.Event(), [0]
        try:
            server = psutil.Process(process.pid)
            while True:
                try:
                    if httpx.get(f"{address}/healthz", timeout=2).status_code == 200:
                        break
                except httpx.HTTPError:
                    time.sleep(0.2)
            time.sleep(SETTLES_S)
            print(f"nobody looks: {share(server):.1f} % of one processor")
            page = threading.Thread(target=watched, args=(address, over, shown), daemon=True)
            page.start()
            time.sleep(sized(5, 2))
            before = shown[0]
            taken = share(server)
            print(
                f"one page on a live car: {taken:.1f} %,"
                f" {(shown[0] - before) / MEASURED_S:.0f} pieces a second"
            )
            over.set()
            page.join(10)
            print(f"memory of the server: {server.memory_info().rss / 2**20:.0f} MB")
        finally:
            over.set()
            process.send_signal(signal.SIGTERM)
            process.wait(60)


if __name__ == "__main__":
    main()
