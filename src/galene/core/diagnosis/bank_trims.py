"""What the air meter should read, and what the fuel trims say about it: `expected-airflow`,
`trim-split`."""

from dataclasses import dataclass
from typing import Literal

from galene.core.errors import require, require_range

BANKS_APART_PERCENT = 6.0
"""Trims of two banks this far apart are no scatter (project default: twice what one bank
scatters)."""
BANKS_ALIKE_PERCENT = 3.0
"""Closer than this the banks agree (project default)."""
LEAN_TRIM_PERCENT = 5.0
"""Fuel added from here on is a lean bank (project default)."""


@dataclass(frozen=True, kw_only=True)
class BankTrims:
    """How far bank 1 stands above bank 2 in percent, and the verdict: bank_1_lean, bank_2_lean,
    alike or undecided."""

    difference_percent: float
    verdict: Literal["bank_1_lean", "bank_2_lean", "alike", "undecided"]

    @property
    def one_is_lean(self) -> bool:
        """Whether one bank alone runs lean: then no split of both together tells anything."""
        return self.verdict in ("bank_1_lean", "bank_2_lean")


def bank_trims(pairs: tuple[tuple[float, float], ...]) -> BankTrims:
    """Whether one bank alone runs lean, by the trims of both at the same points.

    Parameters
    ----------
    pairs : total trim of bank 1 and of bank 2 at each point, -60 to 100 %; at least one

    Raises
    ------
    InputError
        No points, or a trim out of range.

    Notes
    -----
    One meter counts the air of both banks, so what is wrong with it moves both alike; a leak, an
    injector or an oxygen sensor belongs to one bank (physics of the shared meter).
    """
    require(len(pairs) >= 1, "pairs", len(pairs), allowed="at least one point")
    for i, pair in enumerate(pairs):
        for bank, trim in enumerate(pair, start=1):
            require_range(f"pairs[{i}].bank_{bank}_percent", trim, -60, high=100, unit="%")
    one, two = (sum(p[b] for p in pairs) / len(pairs) for b in (0, 1))
    apart = one - two
    if abs(apart) >= BANKS_APART_PERCENT and max(one, two) >= LEAN_TRIM_PERCENT:
        return BankTrims(
            difference_percent=apart, verdict="bank_1_lean" if apart > 0 else "bank_2_lean"
        )
    alike = abs(apart) <= BANKS_ALIKE_PERCENT
    return BankTrims(difference_percent=apart, verdict="alike" if alike else "undecided")
