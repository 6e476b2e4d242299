"""When what is still to come of a proof is looked at."""

from collections.abc import Sequence

DAYS: dict[str, int] = {
    "start": 3,
    "drive": 3,
    "symptoms": 7,
    "monitors": 7,
    "code": 7,
    "open": 7,
    "symptom": 14,
    "test": 14,
    "cause": 14,
    "shown": 14,
    "worse": 14,
}
"""Days after the signature in which each kind of thing that is missing can be told: a drive and its
codes within days, monitors within a week of the owner's own driving, a symptom or a level only
after a fortnight (this project's judgement)."""


def recheck_in_days(missing: Sequence[str]) -> int | None:
    """Days until all that is missing can be told, None where nothing is.

    Examples
    --------
    >>> recheck_in_days(("monitors", "symptom:rough_idle")), recheck_in_days(())
    (14, None)
    """
    return max((DAYS[m.partition(":")[0]] for m in missing), default=None)
