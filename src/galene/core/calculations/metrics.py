"""What is compared before and after work, and how much of a change is more than chance."""

import math
from dataclasses import dataclass


@dataclass(frozen=True, kw_only=True)
class Metric:
    """What is measured before and after.

    `better` is lower, higher or toward; `target` is the value to be near for toward. `meaningful`
    is the smallest change that a technician should call one, in the kept unit, or `share` of the
    value before where that is more: what counts on a small engine is noise on a large one.
    `ground` says where that size comes from.
    """

    id: str
    label: str
    quantity: str
    better: str
    meaningful: float
    ground: str
    share: float = 0.0
    target: float | None = None
    low: float = 0.0
    high: float = 1e6

    def counts_from(self, before: float) -> float:
        """Smallest change that counts, from a value before, both in the kept unit."""
        return max(self.meaningful, self.share * abs(before))

    def daily_from(self, before: float) -> float:
        """Standard deviation of a sound engine's mean from one day to the next, kept unit: what
        counts is, by its ground, what two days differ by at most in nineteen cases of twenty."""
        return self.counts_from(before) / (NINETEEN_OF_TWENTY * math.sqrt(2.0))


NINETEEN_OF_TWENTY = 1.96
"""Standard deviations within which a normal error lies in 95 %."""


METRICS: dict[str, Metric] = {
    m.id: m
    for m in (
        Metric(
            id="idle_rpm",
            label="Idle speed",
            quantity="speed",
            better="toward",
            meaningful=25,
            ground="idle control holds 25 rpm on a healthy engine",
            target=None,
            low=200,
            high=3000,
        ),
        Metric(
            id="idle_rpm_spread",
            label="Idle speed spread",
            quantity="speed",
            better="lower",
            meaningful=5,
            share=0.5,
            ground="a healthy idle's own spread wanders by 5 rpm, a rough one's by half",
            target=None,
            low=0,
            high=2000,
        ),
        Metric(
            id="idle_map_kpa",
            label="Manifold pressure at idle",
            quantity="pressure",
            better="lower",
            meaningful=1.0,
            ground="one step of a common sensor and display",
            target=None,
            low=10,
            high=110,
        ),
        Metric(
            id="idle_airflow_g_s",
            label="Air at idle",
            quantity="airflow",
            better="lower",
            meaningful=0.15,
            ground="about 5 % of a small engine's idle air",
            share=0.05,
            target=None,
            low=0.1,
            high=60,
        ),
        Metric(
            id="learned_throttle_percent",
            label="Throttle opening at idle",
            quantity="share",
            better="lower",
            meaningful=0.5,
            ground="two steps of a common display",
            target=None,
            low=0,
            high=60,
        ),
        Metric(
            id="trim_idle_percent",
            label="Total fuel trim at idle",
            quantity="share",
            better="toward",
            meaningful=2.0,
            ground="trims wander by 2 % on a healthy engine",
            target=0.0,
            low=-60,
            high=100,
        ),
        Metric(
            id="trim_cruise_percent",
            label="Total fuel trim at steady revs",
            quantity="share",
            better="toward",
            meaningful=2.0,
            ground="trims wander by 2 % on a healthy engine",
            target=0.0,
            low=-60,
            high=100,
        ),
        Metric(
            id="meter_ratio_percent",
            label="Meter against expected air",
            quantity="share",
            better="toward",
            meaningful=4.0,
            ground="repeatability of speed-density with one engine",
            target=100.0,
            low=1,
            high=400,
        ),
        Metric(
            id="open_area_percent",
            label="Open bore area",
            quantity="share",
            better="higher",
            meaningful=3.0,
            ground="bore gauge read to 0.2 mm on 50 mm",
            target=None,
            low=0,
            high=100,
        ),
        Metric(
            id="egr_area_mm2",
            label="Open recirculation passage",
            quantity="area",
            better="higher",
            meaningful=1.0,
            ground="a fifth of a small orifice",
            share=0.2,
            target=None,
            low=0,
            high=5000,
        ),
        Metric(
            id="full_load_airflow_g_s",
            label="Air at full load",
            quantity="airflow",
            better="higher",
            meaningful=2.0,
            ground="3 % of a small engine's full-load air",
            share=0.03,
            target=None,
            low=1,
            high=3000,
        ),
        Metric(
            id="boost_kpa",
            label="Charge pressure",
            quantity="pressure",
            better="higher",
            meaningful=4.0,
            ground="repeatability of one road pull",
            share=0.02,
            target=None,
            low=50,
            high=600,
        ),
        Metric(
            id="fuel_l_100km",
            label="Fuel economy",
            quantity="economy",
            better="lower",
            meaningful=0.3,
            ground="two tank fills on the same route",
            share=0.03,
            target=None,
            low=0.5,
            high=200,
        ),
    )
}
"""Every metric with its own meaningful size. Sizes are this project's defaults for small
engines."""
