"""At which grade a part is due by what waiting costs: fuel, the risk of standing still, a deeper
cleaning later.

A part is cleaned best when the next week of waiting costs more than a week has cost on average
since it was clean, the cleaning included (the rule of economic life, Barlow and Proschan,
*Mathematical Theory of Reliability*, 1965, 4.2).
"""

import math
from dataclasses import dataclass

from galene.core.errors import require_range

FUEL_SHARE_A_GRADE = 0.01
"""Fuel that a grade of deposit takes more (this project's judgement; own fills say better)."""
STANDS_A_WEEK, TIMES_A_GRADE = 0.001, 3.0
"""Chance a week that a vehicle stands still for a part of grade 2, and how many times that is with
every grade more (this project's judgement)."""
DEEPER_A_GRADE = 0.5
"""Share of a cleaning's price that every grade beyond 2 adds to it (this project's judgement)."""
LEAST_GRADE, MOST_GRADE = 1.0, 4.0
"""A limit below what is seen or beyond what moves is none."""
STEP = 0.05


@dataclass(frozen=True, kw_only=True)
class WaitingCost:
    """What a part costs.

    Parameters
    ----------
    grades_a_week : how fast it grows, above none
    cleaning : price of a cleaning up to grade 2
    fuel_a_week : money for fuel a week, nothing where it is not known
    off_road_a_day : a day that the vehicle stands still
    """

    grades_a_week: float
    cleaning: float
    fuel_a_week: float = 0.0
    off_road_a_day: float = 0.0


def waiting_a_week(cost: WaitingCost, grade: float) -> float:
    """What a week of waiting costs at a grade.

    Examples
    --------
    >>> cost = WaitingCost(grades_a_week=0.02, cleaning=100.0, off_road_a_day=200.0)
    >>> round(waiting_a_week(cost, 2.0), 2), round(waiting_a_week(cost, 3.0), 2)
    (0.2, 1.6)
    """
    stands = STANDS_A_WEEK * math.pow(TIMES_A_GRADE, grade - 2.0) * cost.off_road_a_day
    deeper = DEEPER_A_GRADE * cost.cleaning * cost.grades_a_week if grade > 2.0 else 0.0
    return cost.fuel_a_week * FUEL_SHARE_A_GRADE * grade + stands + deeper


def limit_by_cost(cost: WaitingCost) -> float:
    """The grade at which a part is due.

    Raises
    ------
    InputError
        A growth that is none, money below none.
    """
    require_range("grades_a_week", cost.grades_a_week, 1e-9, high=1e3, unit="")
    for name in ("cleaning", "fuel_a_week", "off_road_a_day"):
        require_range(name, getattr(cost, name), 0, high=1e9, unit="")
    spent, grade = cost.cleaning, 0.0
    weeks_a_step = STEP / cost.grades_a_week
    weeks = 0.0
    while grade < MOST_GRADE - STEP / 2:
        spent += waiting_a_week(cost, grade + STEP / 2) * weeks_a_step
        grade += STEP
        weeks += weeks_a_step
        if grade >= LEAST_GRADE and waiting_a_week(cost, grade) > spent / weeks:
            return round(grade, 2)
    return MOST_GRADE if math.isfinite(spent) else LEAST_GRADE
