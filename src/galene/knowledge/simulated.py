"""What causes do to a simulated car, where it is in proportion to their severity."""

from dataclasses import dataclass

from galene.knowledge.documents import read


@dataclass(frozen=True, kw_only=True)
class Change:
    """What a cause does to one figure of the condition, in proportion to its severity.

    Parameters
    ----------
    of : a field of the simulated car's `Condition`, or one of a sensor or actuator, as
        ``crankcase.gain``
    adds : what is added at full severity
    times : by which share it grows at full severity; negative: it shrinks
    """

    of: str
    adds: float = 0.0
    times: float = 0.0


CHANGES = read("causes.toml", dict[str, tuple[Change, ...]], "effects")
"""Cause to what it changes."""
