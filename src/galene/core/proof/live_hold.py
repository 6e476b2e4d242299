"""A hold of a relearn judged by what the car itself says: pure, over samples in order of time.

A hold counts only while the car is in the wanted state and is heard of; a gap pauses it and never
passes it. A guard that is broken for longer than its time begins the hold anew.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

Wanted = Literal["running", "key_on", "silent"]
"""State of the car that a hold asks for: the engine runs, it stands with the ignition on, nobody in
the car answers."""
GAP_S = 1.5
"""Longest pause between two samples that still counts as heard of."""
TURNS_RPM, STANDS_RPM = 300.0, 50.0
"""Speed from which an engine runs, and up to which it stands."""


@dataclass(frozen=True, kw_only=True)
class GuardLimit:
    """A guard that can be read: a column must lie between two ends; outside for `lasts_s` it is
    broken."""

    guard: str
    column: str
    quantity: str
    lasts_s: float
    low: float | None = None
    high: float | None = None

    def holds(self, value: float) -> bool:
        """Whether a value keeps it."""
        return (self.low is None or value >= self.low) and (self.high is None or value <= self.high)


@dataclass(frozen=True, kw_only=True)
class Sample:
    """One moment: seconds, whether figures came or the car was silent, and the figures."""

    at_s: float
    heard: bool
    figures: Mapping[str, float]


@dataclass(frozen=True, kw_only=True)
class Broken:
    """A guard that was broken, when, and by which value."""

    guard: str
    at_s: float
    value: float


@dataclass(frozen=True, kw_only=True)
class HoldJudged:
    """What samples say of a hold.

    Parameters
    ----------
    held_s : seconds that count since the last break
    broken : breaks in order
    fits : whether the newest sample is in the wanted state
    values : newest figure by column
    """

    held_s: float
    broken: tuple[Broken, ...]
    fits: bool
    values: Mapping[str, float]


def judge_hold(
    samples: Sequence[Sample],
    limits: Sequence[GuardLimit],
    wanted: Wanted,
    *,
    held_s: float = 0.0,
    counts_from_s: float = float("-inf"),
) -> HoldJudged:
    """Go on with a hold over further samples.

    Parameters
    ----------
    samples : in order of time; those up to `counts_from_s` were judged before and only say what
        went just before
    limits : guards that can be read on this car
    wanted : state of the car that counts
    held_s : seconds that counted so far
    counts_from_s : the moment up to which was judged

    Returns
    -------
    HoldJudged

    Examples
    --------
    >>> line = [Sample(at_s=t, heard=True, figures={"rpm": 0.0}) for t in (0.0, 0.5, 1.0)]
    >>> judge_hold(line, [], "key_on").held_s
    1.0
    """
    values: dict[str, float] = {}
    since: dict[str, float] = {}
    out: set[str] = set()
    broken: list[Broken] = []
    last: float | None = None
    fitted = False
    for sample in samples:
        if sample.heard:
            values.update(sample.figures)
        fits = _fits(sample, values, wanted)
        fresh = sample.at_s > counts_from_s
        if last is not None and sample.at_s - last > GAP_S:
            since.clear()
        elif last is not None and fresh and fits and fitted and not out:
            held_s += sample.at_s - max(last, counts_from_s)
        for limit in limits:
            value = sample.figures.get(limit.column)
            if not sample.heard or value is None:
                continue
            if limit.holds(value):
                since.pop(limit.guard, None)
                out.discard(limit.guard)
                continue
            began = since.setdefault(limit.guard, sample.at_s)
            if sample.at_s - began >= limit.lasts_s and limit.guard not in out:
                # One break, however long it lasts; nothing counts before it is over.
                out.add(limit.guard)
                if fresh:
                    broken.append(Broken(guard=limit.guard, at_s=sample.at_s, value=value))
                    held_s = 0.0
        last, fitted = sample.at_s, fits
    return HoldJudged(held_s=held_s, broken=tuple(broken), fits=fitted, values=values)


def _fits(sample: Sample, values: Mapping[str, float], wanted: Wanted) -> bool:
    if wanted == "silent":
        return not sample.heard
    speed = values.get("rpm")
    if not sample.heard or speed is None:
        return False
    return speed >= TURNS_RPM if wanted == "running" else speed <= STANDS_RPM
