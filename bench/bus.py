"""How long a request to a simulated car takes on a virtual bus, and how many figures a second.

Usage: .venv/bin/python -m bench.bus
"""

from statistics import median, quantiles
from time import perf_counter

import can

from bench.sizes import sized
from galene.bus.station import station_of
from galene.bus.tester import Conversation
from galene.knowledge.families import FAMILIES
from galene.simulation.vehicle import Vehicle

COUNT = sized(200, 20)
WANTED = ("rpm", "manifold_kpa", "air_g_s", "throttle_pct", "lambda_v", "coolant_c")


def main() -> None:
    """Measure and print."""
    vehicle = Vehicle(FAMILIES["A"], {})
    vehicle.start()
    for _ in range(1500):
        vehicle.step()
    near, far = (can.Bus(interface="virtual", channel="bench") for _ in range(2))
    station, tester = station_of(vehicle, near), Conversation(far)
    tester.read(WANTED)
    took = []
    begin = perf_counter()
    for _ in range(COUNT):
        start = perf_counter()
        tester.read(WANTED)
        took.append(1000 * (perf_counter() - start))
    seconds = perf_counter() - begin
    print(f"six figures: median {median(took):.1f} ms, p95 {quantiles(took, n=20)[-1]:.1f} ms,")
    print(f"{COUNT / seconds:.0f} times a second")
    tester.close()
    station.close()
    near.shutdown()
    far.shutdown()


if __name__ == "__main__":
    main()
