"""Runs of the simulated car, and means over their rows."""

from collections.abc import Callable, Mapping, Sequence
from statistics import mean

from galene.knowledge.families import FAMILIES
from galene.simulation.vehicle import Vehicle

Deed = Callable[[Vehicle], object]
Rows = list[dict[str, float]]
STARTED: Sequence[tuple[float, Deed]] = (
    (3.0, lambda v: v.key_on()),
    (4.0, lambda v: v.start()),
)


def hold(rpm: float) -> Deed:
    """The foot holds a speed."""
    return lambda v: setattr(v.wishes, "hold_rpm", rpm)


def command(actuator: str, percent: float) -> Deed:
    """The tester holds an actuator."""
    return lambda v: v.command(actuator, percent)


def run(
    family: str,
    faults: Mapping[str, float] | None = None,
    deeds: Sequence[tuple[float, Deed]] = STARTED,
    *,
    seconds: float = 60.0,
    every: int = 10,
    seed: int = 1,
    warm: bool = True,
) -> tuple[Vehicle, Rows]:
    """A car and its rows, one each `every` hundredths of a second."""
    vehicle = Vehicle(FAMILIES[family], faults or {}, seed=seed, warm=warm)
    left, rows = list(deeds), []
    for step in range(round(seconds * 100)):
        while left and left[0][0] * 100 <= step:
            left.pop(0)[1](vehicle)
        if step % every == 0:
            rows.append(vehicle.row())
        vehicle.step()
    return vehicle, rows


def over(rows: Rows, column: str, begin: float, end: float) -> float:
    """Mean of a column between two moments."""
    return mean(r[column] for r in rows if begin <= r["time_s"] < end)
