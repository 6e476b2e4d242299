"""Tests in which the program drives an actuator while a hand holds the control."""

from collections.abc import Mapping
from dataclasses import dataclass

from galene.core.airpath.family import EngineFamily
from galene.knowledge.documents import table


@dataclass(frozen=True, kw_only=True)
class Lamp:
    """A condition that the program reads itself: the signal's mean over the last second lies from
    `low` to `high`, kept units."""

    id: str
    text: str
    column: str
    quantity: str
    low: float
    high: float


@dataclass(frozen=True, kw_only=True)
class CommandedTest:
    """A check that is run by holding an output.

    Parameters
    ----------
    check : the check that reads its window
    output : the output by the name of the family's document
    value : percent at which it is held; None: swept to the end and back in `longest_s`
    least_s, longest_s : how long it must be held to tell something, and how long it may be
    before_s, after_s : what of the time before and after belongs to the window
    asks : what who stands at the car must have seen to, by id
    """

    check: str
    output: str
    least_s: float
    longest_s: float
    before_s: float
    after_s: float
    lamps: tuple[Lamp, ...]
    asks: tuple[tuple[str, str], ...]
    holds: str
    meanwhile: str
    value: float | None = None


TESTS: Mapping[str, CommandedTest] = table("commanded.toml", CommandedTest, "tests", by="check")
"""Commanded tests by the check that they run."""


def test_of(family: EngineFamily, check: str) -> CommandedTest | None:
    """The commanded test of a check, where the car's document names the output for it."""
    test = TESTS.get(check)
    if test is None or not any(e.kind == "output" and e.name == test.output for e in family.bus):
        return None
    return test
