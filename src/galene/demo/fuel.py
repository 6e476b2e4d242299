"""Fuel cards of two vehicles: fills as drivers make them, out of a use that is given, with the
scatter of pumps and roads."""

import math
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import timedelta
from random import Random

from galene.core.learning.fuel import Load
from galene.exchange.fills import FillLine, write_fills
from galene.jobs import fuel
from galene.jobs.act import Act
from galene.store.models import Vehicle


@dataclass(frozen=True, kw_only=True)
class FuelLife:
    """How a vehicle runs and what it uses.

    Parameters
    ----------
    from_day, to_day : days ago of the first and the last fill
    from_km, to_km : odometer then
    every_days : between fills
    use : l/100 km before, and from `better_since` (days ago) on
    heavy_more : share that a heavy load takes more
    """

    from_day: int
    to_day: int
    from_km: float
    to_km: float
    every_days: int
    use: tuple[float, float]
    better_since: int
    heavy_more: float
    seed: int


CARDS: dict[str, FuelLife] = {
    # The minibus whose charge pressure sensor was cleaned 520 days ago.
    "QN-266": FuelLife(
        from_day=700,
        to_day=6,
        from_km=79_100,
        to_km=121_000,
        every_days=16,
        use=(9.6, 8.7),
        better_since=520,
        heavy_more=0.14,
        seed=11,
    ),
    # The hauler that uses the same whatever it carries.
    "QN-501": FuelLife(
        from_day=150,
        to_day=2,
        from_km=398_200,
        to_km=411_700,
        every_days=9,
        use=(34.5, 34.5),
        better_since=0,
        heavy_more=0.0,
        seed=12,
    ),
}
SCATTER = 0.03
"""Of a fill's litres, as log."""
IN_PART = 0.08
"""Share of fills that do not fill the tank."""


def fill_book(act: Act, vehicle: Vehicle, life: FuelLife) -> None:
    """Take the fuel card of a vehicle in, as the keeper's file brings it."""
    random = Random(life.seed)
    days = range(life.from_day, life.to_day - 1, -life.every_days)
    fills: list[FillLine] = []
    owed, at = 0.0, life.from_km
    for place, ago in enumerate(days):
        share = (life.from_day - ago) / max(1, life.from_day - life.to_day)
        wanted = life.from_km + share * (life.to_km - life.from_km)
        km = round(wanted + random.uniform(-25, 25)) if place else round(life.from_km)
        load: Load = ("light", "heavy")[place % 2]
        use = life.use[ago < life.better_since] * (1 + (life.heavy_more if load == "heavy" else 0))
        owed += (km - at) / 100 * use * math.exp(random.gauss(0, SCATTER)) if place else use * 6
        full = place == 0 or random.random() > IN_PART
        litres = round(owed if full else owed * random.uniform(0.4, 0.7), 2)
        owed, at = owed - litres, float(km)
        fills.append(
            FillLine(
                line=0,
                day=(act.now - timedelta(days=ago)).date(),
                litres=litres,
                km=float(km),
                hours=None,
                full=full,
                load=load,
            )
        )
    fuel.take_in(act, vehicle, write_fills(fills))


def fuel_cards(act: Act, fleet: Mapping[str, Vehicle]) -> None:
    """Take the fuel cards of the demo's vehicles in."""
    for plate, life in CARDS.items():
        fill_book(act, fleet[plate], life)
