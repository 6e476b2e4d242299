"""Whether the fuel that a cleaning saves pays for it: `payback`."""

from dataclasses import dataclass, field
from typing import Any, ClassVar

from galene.core.calculations.declaring import Calculation, asked, check_ranges
from galene.core.calculations.strict import STRICT
from galene.core.errors import require


@dataclass(frozen=True, kw_only=True)
class PaybackInput:
    """What the work cost, what was used before and after with its interval, how far it is driven
    and what fuel costs."""

    cost: float = field(metadata=asked(label="The work cost", low=0, high=1e6, start="310"))
    before_l_100km: float = field(
        metadata=asked(label="Before, l/100 km", low=0.5, high=300, start="8.4")
    )
    after_l_100km: float = field(
        metadata=asked(label="After, l/100 km", low=0.5, high=300, start="7.7")
    )
    saved_low_l_100km: float | None = field(
        default=None, metadata=asked(label="Saved at least", low=-300, high=300, start="0.3")
    )
    saved_high_l_100km: float | None = field(
        default=None, metadata=asked(label="Saved at most", low=-300, high=300, start="1.1")
    )
    km_per_month: float = field(
        metadata=asked(label="Driven a month, km", low=1, high=50_000, start="2600", unit="km")
    )
    price_per_litre: float = field(
        metadata=asked(label="A litre costs", low=0.01, high=100, start="1.7")
    )
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True, kw_only=True)
class PaybackResult:
    """Saved a month with its interval, and the months until the work is paid (None: never, or not
    shown)."""

    saved_per_month: float
    saved_low: float | None
    saved_high: float | None
    months: float | None
    months_low: float | None
    months_high: float | None
    verdict: str
    sentence: str


def payback(given: PaybackInput) -> PaybackResult:
    """How soon the fuel that is saved pays for the work.

    Raises
    ------
    InputError
        A figure out of its range, an interval upside down or without the change inside.

    Notes
    -----
    Money is what is saved per distance times the distance. Without an interval, or with one that
    holds zero, no saving is claimed.
    """
    check_ranges(given)
    saved = given.before_l_100km - given.after_l_100km
    low, high = given.saved_low_l_100km, given.saved_high_l_100km
    require(
        (low is None) == (high is None),
        "saved_high_l_100km",
        high,
        allowed="both ends of the interval, or neither",
    )
    if low is not None and high is not None:
        require(
            low <= saved + 1e-9 and saved <= high + 1e-9,
            "saved_low_l_100km",
            low,
            allowed=f"an interval about the change, which is {saved:.3g}",
        )
    money = given.km_per_month / 100 * given.price_per_litre

    def months(litres: float | None) -> float | None:
        return given.cost / (litres * money) if litres is not None and litres > 0 else None

    shown = low is not None and low > 0
    if low is None or high is None or (not shown and high > 0):
        verdict, sentence = (
            "not_shown",
            "The saving may be nothing: the fills do not show that fuel is saved, none is claimed.",
        )
    elif not shown:
        verdict, sentence = "never", "It uses more than before: the fuel pays for nothing."
    else:
        soon, late = months(high), months(low)
        verdict = "pays"
        sentence = (
            f"{saved * money:.0f} saved a month ({low * money:.0f} to {high * money:.0f}): paid in"
            f" {months(saved) or 0.0:.1f} months ({soon or 0.0:.1f} to {late or 0.0:.1f})."
        )
    return PaybackResult(
        saved_per_month=saved * money,
        saved_low=None if low is None else low * money,
        saved_high=None if high is None else high * money,
        months=months(saved) if shown else None,
        months_low=months(high) if shown else None,
        months_high=months(low) if shown else None,
        verdict=verdict,
        sentence=sentence,
    )


CALCULATION = Calculation(
    name="payback",
    title="Payback",
    question="Does the fuel that is saved pay for the work?",
    takes=PaybackInput,
    run=payback,
    place=24,
)
