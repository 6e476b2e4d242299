"""Simulated seconds a second, by family: a warm start, an idle, a held speed, a drive.

Usage: .venv/bin/python -m bench.simulation
"""

from time import perf_counter

from bench.sizes import sized
from galene.knowledge.families import FAMILIES
from galene.simulation.road import Road
from galene.simulation.vehicle import Vehicle

SECONDS, RUNS = sized(60, 36), sized(3, 1)


def measure(family: str) -> float:
    """The best of some runs."""
    best = 0.0
    for _ in range(RUNS):
        vehicle = Vehicle(FAMILIES[family], {})
        vehicle.start()
        begin = perf_counter()
        for step in range(SECONDS * 100):
            if step == 2000:
                vehicle.wishes.hold_rpm = 1.6 * vehicle.plant.idle_rpm
            if step == 3000:
                vehicle.road = Road(vehicle, "road", 30.0)
            if step % 10 == 0:
                vehicle.row()
            vehicle.step()
        best = max(best, SECONDS / (perf_counter() - begin))
    return best


if __name__ == "__main__":
    for name, family in FAMILIES.items():
        print(f"{name} {len(family.parts)} parts: {measure(name):.0f} times real time")
