"""Liquid into a running engine and media onto valves: `ingestion-limit`, `blast-positions`."""

import math
from dataclasses import dataclass
from itertools import combinations
from typing import Any, ClassVar

from galene.core.errors import need, within

STRICT: dict[str, Any] = {"extra": "forbid"}
WARN_SHARE, REFUSE_SHARE = 0.10, 0.30
"""Share of one cylinder's clearance volume that a burst may fill before it is warned of, before it
is refused."""


LEAST_PAUSE_S, PAUSE_PER_BURST = 10.0, 3.0
"""Pause on a diesel, in which its idle comes back: seconds at least, and in bursts (project
default)."""


def clearance_ml(displacement_l: float, cylinders: int, compression_ratio: float) -> float:
    """One cylinder's clearance volume V / (n (cr - 1)) in ml: what liquid must never come near, as
    it does not compress."""
    return displacement_l * 1000 / (cylinders * (compression_ratio - 1))


@dataclass(frozen=True, kw_only=True)
class IngestionInput:
    """Air and can flow in g/s; `trim_authority` is the share of fuel that the mixture control can
    take back."""

    airflow_g_s: float
    can_rate_g_s: float
    burst_s: float
    displacement_l: float
    cylinders: int
    compression_ratio: float
    stoichiometric_ratio: float = 14.2
    trim_authority: float = 0.25
    density_g_ml: float = 0.74
    can_g: float | None = None
    fuel: str = "petrol"
    water_based: bool = False
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True, kw_only=True)
class IngestionResult:
    """How fast, with which pauses, and how near one burst comes to a hydraulic lock."""

    sustained_g_s: float
    pause_s: float
    minutes_for_can: float | None
    burst_ml: float
    clearance_ml: float
    clearance_share: float
    verdict: str
    sentence: str


def ingestion_limit(given: IngestionInput) -> IngestionResult:
    """Bursts and pauses so that the mixture control keeps up and no cylinder fills.

    Raises
    ------
    InputError
        Figures outside of what engines and cans have.

    Notes
    -----
    Liquid that the control can take back on average = authority * air / stoichiometric ratio; the
    pause makes the average hold. A diesel has no such control: there the limit is the share of a
    clearance, and pauses in which the idle comes back, at least ten seconds and three times the
    burst (project default). One cylinder's clearance volume is V / (n (cr - 1)); all of a burst may
    end in one cylinder.
    """
    within("airflow_g_s", given.airflow_g_s, 0.2, high=1000, unit="g/s")
    within("can_rate_g_s", given.can_rate_g_s, 0.01, high=100, unit="g/s")
    within("burst_s", given.burst_s, 0.1, high=60, unit="s")
    within("displacement_l", given.displacement_l, 0.02, high=80, unit="litres")
    within("cylinders", given.cylinders, 1, high=24)
    within("compression_ratio", given.compression_ratio, 4, high=30)
    within("stoichiometric_ratio", given.stoichiometric_ratio, 5, high=20)
    within("trim_authority", given.trim_authority, 0.01, high=0.6)
    within("density_g_ml", given.density_g_ml, 0.4, high=1.8, unit="g/ml")
    if given.can_g is not None:
        within("can_g", given.can_g, 1, high=20_000, unit="g")
    need(given.fuel in ("petrol", "diesel"), "fuel", given.fuel, allowed="petrol or diesel")
    need(
        given.fuel == "petrol" or given.water_based,
        "fuel",
        given.fuel,
        allowed=(
            "petrol: a diesel has no mixture control that takes anything back, and runs away on"
            " what burns; only a water-based agent is fed to it"
        ),
    )
    if given.fuel == "diesel":
        rest = max(LEAST_PAUSE_S, PAUSE_PER_BURST * given.burst_s)
        sustained = given.can_rate_g_s * given.burst_s / (given.burst_s + rest)
    else:
        sustained = given.trim_authority * given.airflow_g_s / given.stoichiometric_ratio
    pause = max(0.0, given.burst_s * (given.can_rate_g_s / sustained - 1))
    burst_ml = given.can_rate_g_s * given.burst_s / given.density_g_ml
    clearance = clearance_ml(given.displacement_l, given.cylinders, given.compression_ratio)
    share = burst_ml / clearance
    minutes = None if given.can_g is None else given.can_g / sustained / 60
    if share > REFUSE_SHARE:
        verdict, sentence = (
            "refuse",
            (
                f"One burst is {share:.0%} of a cylinder's clearance volume: it can lock and bend a"
                " rod. Shorter bursts."
            ),
        )
    elif share > WARN_SHARE:
        verdict, sentence = (
            "warn",
            (
                f"One burst is {share:.0%} of a cylinder's clearance volume: keep it shorter,"
                f" {pause:.0f} s between bursts."
            ),
        )
    else:
        verdict, sentence = "ok", f"Bursts of {given.burst_s:g} s, {pause:.0f} s between them."
    return IngestionResult(
        sustained_g_s=sustained,
        pause_s=pause,
        minutes_for_can=minutes,
        burst_ml=burst_ml,
        clearance_ml=clearance,
        clearance_share=share,
        verdict=verdict,
        sentence=sentence,
    )


HELD_RPM = 2000.0
"""Speed that a helper holds while an agent is drawn in (usual on labels of intake aerosols)."""
CAN_RATE_G_S = 2.0
"""What a can with its tube gives a second (project default; weighed before and after ten seconds it
is known)."""


def held_airflow(
    idle_low_g_s: float,
    idle_high_g_s: float,
    rpm_low: float,
    *,
    rpm_high: float,
    held_rpm: float = HELD_RPM,
) -> tuple[float, float]:
    """Air in g/s at a held speed without load, from the idle's bands: least and most.

    Notes
    -----
    Without load the manifold stands near its idle pressure, so that the air goes with the speed.
    Both bands are carried whole: the least air at the highest idle, the most at the lowest.
    """
    within("rpm_low", rpm_low, 200, high=5000, unit="rpm")
    within("rpm_high", rpm_high, rpm_low, high=5000, unit="rpm")
    return idle_low_g_s * held_rpm / rpm_high, idle_high_g_s * held_rpm / rpm_low


@dataclass(frozen=True, kw_only=True)
class RunningBursts:
    """A plan of bursts: seconds of one and between two, minutes in all, share of one cylinder's
    clearance in a burst."""

    burst_s: float
    pause_s: float
    minutes: float
    share: float
    held_rpm: float
    can_rate_g_s: float


def running_bursts(
    airflow_g_s: float,
    displacement_l: float,
    cylinders: int,
    *,
    compression_ratio: float,
    amount_ml: float,
    water_based: bool,
    longest_s: float = 3.0,
    fuel: str = "petrol",
) -> RunningBursts:
    """The longest bursts, in half seconds up to `longest_s`, that `ingestion_limit` neither warns
    of nor refuses.

    Raises
    ------
    InputError
        Figures outside of what engines and cans have.
    """
    density = 1.0 if water_based else 0.74
    for halves in range(round(longest_s * 2), 0, -1):
        burst = halves / 2
        given = IngestionInput(
            airflow_g_s=airflow_g_s,
            can_rate_g_s=CAN_RATE_G_S,
            burst_s=burst,
            displacement_l=displacement_l,
            cylinders=cylinders,
            compression_ratio=compression_ratio,
            density_g_ml=density,
            can_g=amount_ml * density,
            fuel=fuel,
            water_based=water_based,
        )
        found = ingestion_limit(given)
        if found.verdict == "ok" or halves == 1:
            break
    return RunningBursts(
        burst_s=burst,
        pause_s=found.pause_s,
        minutes=found.minutes_for_can or 0.0,
        share=found.clearance_share,
        held_rpm=HELD_RPM,
        can_rate_g_s=CAN_RATE_G_S,
    )


@dataclass(frozen=True, kw_only=True)
class VacuumGoes:
    """A dose through a vacuum line: ml in one go, how many, seconds of a go and between two,
    minutes in all."""

    go_ml: float
    goes: int
    go_s: float
    pause_s: float
    minutes: float


def vacuum_goes(
    *, airflow_g_s: float, amount_ml: float, go_s: float = 30.0, pause_s: float = 30.0
) -> VacuumGoes:
    """A dose in goes through a vacuum line, each no more than the mixture control takes back.

    Parameters
    ----------
    airflow_g_s : air at the held speed, 0.2 to 1000 g/s
    amount_ml : the whole dose, 1 to 5000 ml
    go_s, pause_s : seconds of a go and between two, 5 to 300 s

    Raises
    ------
    InputError
        A figure outside of its range.

    Notes
    -----
    What the control takes back on average is authority * air / stoichiometric ratio, as in
    `ingestion_limit`; a go may bring that of its own time and of the pause behind it. Half a minute
    in, half a minute out is the usual practice of such products (project default; the label
    decides).
    """
    within("airflow_g_s", airflow_g_s, 0.2, high=1000, unit="g/s")
    within("amount_ml", amount_ml, 1, high=5000, unit="ml")
    within("go_s", go_s, 5, high=300, unit="s")
    within("pause_s", pause_s, 5, high=300, unit="s")
    solvent = IngestionInput  # its defaults: solvent of 0.74 g/ml, a quarter of the fuel taken back
    sustained = solvent.trim_authority * airflow_g_s / solvent.stoichiometric_ratio
    most = sustained * (go_s + pause_s) / solvent.density_g_ml
    goes = math.ceil(amount_ml / most)
    minutes = (goes * (go_s + pause_s) - pause_s) / 60
    return VacuumGoes(
        go_ml=amount_ml / goes, goes=goes, go_s=go_s, pause_s=pause_s, minutes=minutes
    )


@dataclass(frozen=True, kw_only=True)
class BlastInput:
    """Firing order by cylinder number; intake opens before and closes after its dead centres,
    degrees of crank."""

    firing_order: list[int]
    intake_opens_btdc_deg: float
    intake_closes_abdc_deg: float
    margin_deg: float = 10.0
    start_deg: float = 0.0
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True)
class BlastPosition:
    """A crank position (degrees past the first cylinder's firing dead centre) and the cylinders to
    blast there."""

    crank_deg: float
    cylinders: tuple[int, ...]


@dataclass(frozen=True, kw_only=True)
class BlastResult:
    """Positions in the order of turning, and how far the crank is turned forward in all."""

    positions: tuple[BlastPosition, ...]
    rotation_deg: float
    verdict: str
    sentence: str


def blast_positions(given: BlastInput) -> BlastResult:
    """Fewest crank positions at which every cylinder's intake valve is shut once, then least
    forward turning.

    Raises
    ------
    InputError
        A firing order that is none, valves that are never shut.

    Notes
    -----
    Cycle angle 0 is a cylinder's firing dead centre; its intake is shut outside (360 - IVO -
    margin, 540 + IVC + margin). Only where a valve just shuts can a position be moved no further
    back, so those points and the start are tried.
    """
    order = given.firing_order
    need(1 <= len(order) <= 16, "firing_order", len(order), allowed="1 to 16 cylinders")
    need(
        sorted(order) == list(range(1, len(order) + 1)),
        "firing_order",
        order,
        allowed=f"each cylinder from 1 to {len(order)} once",
    )
    within("intake_opens_btdc_deg", given.intake_opens_btdc_deg, -60, high=120, unit="degrees")
    within("intake_closes_abdc_deg", given.intake_closes_abdc_deg, -60, high=160, unit="degrees")
    within("margin_deg", given.margin_deg, 0, high=60, unit="degrees")
    within("start_deg", given.start_deg, 0, high=720, unit="degrees")
    opens, shuts = (
        360 - given.intake_opens_btdc_deg - given.margin_deg,
        540 + given.intake_closes_abdc_deg + given.margin_deg,
    )
    need(
        shuts - opens < 720,
        "margin_deg",
        given.margin_deg,
        allowed="a margin that leaves the valve shut for a part of the cycle",
    )
    fires = {cylinder: 720.0 * i / len(order) for i, cylinder in enumerate(order)}

    def shut(cylinder: int, crank: float) -> bool:
        angle = (crank - fires[cylinder]) % 720
        return angle <= opens + 1e-9 or angle >= shuts - 1e-9

    def turned(crank: float) -> float:
        return (crank - given.start_deg) % 720

    places = sorted({given.start_deg % 720, *((fires[c] + shuts) % 720 for c in order)}, key=turned)
    for count in range(1, len(order) + 1):
        fitting = [
            s for s in combinations(places, count) if all(any(shut(c, p) for p in s) for c in order)
        ]
        if fitting:
            best = min(fitting, key=lambda s: max(turned(p) for p in s))
            left, positions = set(order), []
            for crank in sorted(best, key=turned):
                here = tuple(c for c in sorted(left) if shut(c, crank))
                left -= set(here)
                positions.append(BlastPosition(crank, here))
            rotation = max(turned(p) for p in best)
            words = "; ".join(
                f"{p.crank_deg:.0f}°: cylinder {', '.join(map(str, p.cylinders))}"
                for p in positions
            )
            return BlastResult(
                positions=tuple(positions),
                rotation_deg=rotation,
                verdict="found",
                sentence=f"{len(positions)} positions, {rotation:.0f}° forward in all. {words}.",
            )
    raise AssertionError("each cylinder is shut at the point where it shuts")
