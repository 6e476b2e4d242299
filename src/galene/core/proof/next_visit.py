"""When to look again, and why. The growth model with its uncertainty needs a vehicle's history and
comes on top of it."""

from dataclasses import dataclass

USUAL_KM = {"short_trips": 30_000.0, "long_idle_or_pto": 25_000.0, "dusty_use": 20_000.0}
NORMAL_KM = 60_000.0
HARD_LIMITS_KM = (5_000.0, 100_000.0)


@dataclass(frozen=True)
class Visit:
    """Distance at which to look again, and the reason in words."""

    at_km: float
    interval_km: float
    reason: str


def next_visit(
    distance_km: float,
    duty: tuple[str, ...],
    grade_found: int | None,
    *,
    km_since_cleaning: float | None,
    fed: bool,
) -> Visit:
    """Distance of the next look.

    Parameters
    ----------
    distance_km : odometer now, km
    duty : duty words of the vocabulary
    grade_found : worst deposit grade found this time, 0 to 4
    km_since_cleaning : distance since the last cleaning here, None where there was none
    fed : whether what feeds the deposit was found and left

    Notes
    -----
    With an earlier cleaning the vehicle's own rate decides: the distance in which it grew to grade
    2, linear from 0. Without one, this project's usual distance for the hardest duty. Halved while
    the feed is not mended.
    """
    if km_since_cleaning and grade_found:
        interval = km_since_cleaning * 2 / grade_found
        reason = (
            f"it grew to grade {grade_found} in {km_since_cleaning:,.0f} km, so grade 2 is reached"
            f" in about {interval:,.0f} km"
        )
    else:
        hardest = min((d for d in duty if d in USUAL_KM), key=lambda d: USUAL_KM[d], default=None)
        interval = USUAL_KM[hardest] if hardest else NORMAL_KM
        words = {
            "short_trips": "short trips",
            "long_idle_or_pto": "long idling",
            "dusty_use": "dusty use",
        }
        reason = (
            f"usual distance for {words[hardest] if hardest else 'mixed use'}, as this vehicle has"
            " no history of its own yet"
        )
    if fed:
        interval /= 2
        reason += "; halved, because what feeds the deposit is not mended"
    low, high = HARD_LIMITS_KM
    interval = min(high, max(low, interval))
    rounded = round((distance_km + interval) / 500) * 500
    return Visit(rounded, interval, reason.replace(",", " "))
