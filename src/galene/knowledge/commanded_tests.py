"""Tests in which the program drives an actuator while a hand holds the control: what must hold
before, what is asked of who stands there, and how the window is cut afterwards.

Limits are this project's judgement: a recirculation valve open at idle brings most engines near to
a stall within seconds, and nothing is learned from holding it longer than the manifold needs to
settle (some tenths of a second: a filling of two to three litres at 0.1 l a cycle; Heywood, 7.6.2).
"""

from collections.abc import Mapping
from dataclasses import dataclass

from galene.core.airpath.family import EngineFamily


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
    value: float | None
    least_s: float
    longest_s: float
    before_s: float
    after_s: float
    lamps: tuple[Lamp, ...]
    asks: tuple[tuple[str, str], ...]
    holds: str
    meanwhile: str


STANDS = Lamp(
    id="stands", text="The car stands", column="speed_kmh", quantity="road_speed", low=0, high=0.5
)
WARM = Lamp(
    id="warm", text="Coolant warm", column="coolant_c", quantity="temperature", low=70, high=112
)
IDLES = Lamp(id="idles", text="It idles", column="rpm", quantity="speed", low=400, high=1300)
ENGINE_OFF = Lamp(
    id="engine_off", text="Engine off, ignition on", column="rpm", quantity="speed", low=0, high=1
)
ENOUGH_VOLTS = Lamp(
    id="volts", text="Battery", column="voltage_v", quantity="voltage", low=11.8, high=16
)
TESTS: Mapping[str, CommandedTest] = {
    t.check: t
    for t in (
        CommandedTest(
            check="egr_flow_test",
            output="egr_valve",
            value=100,
            least_s=2.0,
            longest_s=15.0,
            before_s=12.0,
            after_s=4.0,
            lamps=(STANDS, WARM, IDLES, ENOUGH_VOLTS),
            asks=(
                ("brake", "Brake on, gear in neutral"),
                ("key", "Somebody sits at the key: it may stall"),
                ("air", "Extraction is on the exhaust"),
                ("codes", "The codes are noted"),
            ),
            holds="Hold to open the valve",
            meanwhile=(
                "A clean passage makes it stumble or stall within seconds; a plugged one hardly"
                " moves it."
            ),
        ),
        CommandedTest(
            check="runner_sweep_commanded",
            output="runner_actuator",
            value=None,
            least_s=6.0,
            longest_s=8.0,
            before_s=1.0,
            after_s=1.5,
            lamps=(STANDS, ENGINE_OFF, ENOUGH_VOLTS),
            asks=(
                ("fingers", "Hands and tools are off the linkage, somebody looks at it"),
                ("codes", "The codes are noted"),
            ),
            holds="Hold to sweep the flaps",
            meanwhile="The linkage runs to its far stop and back. Let go if it strains.",
        ),
    )
}
"""Commanded tests by the check that they run."""


def test_of(family: EngineFamily, check: str) -> CommandedTest | None:
    """The commanded test of a check, where the car's document names the output for it."""
    test = TESTS.get(check)
    if test is None or not any(e.kind == "output" and e.name == test.output for e in family.bus):
        return None
    return test
