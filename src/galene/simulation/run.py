"""A case as it is written in a file, its run, and the rows that come of it."""

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

from galene.core.airpath.family import EngineFamily
from galene.core.errors import InputError, require
from galene.core.text_gate import require_text
from galene.simulation.control import ACCESSORY_W, ROUTINES
from galene.simulation.road import KINDS, Road
from galene.simulation.vehicle import Vehicle

LONGEST_S, MOST_ACTIONS = 14_400.0, 500
DECIMALS = {
    "time_s": 2,
    "rpm": 0,
    "air_g_s": 2,
    "lambda_v": 3,
    "voltage_v": 2,
    "dp_pa": 0,
    "secondary_air_g_s": 2,
}
"""Decimals of a column; one for those that are not named."""
HOWS = ("", "right", "wrong_agent", "no_seal")


@dataclass(frozen=True, kw_only=True)
class Action:
    """Something done at a moment, ``at`` seconds from the start."""

    at: float
    do: str
    fields: Mapping[str, Any] = field(default_factory=dict)


@dataclass(frozen=True, kw_only=True)
class Case:
    """A run: which engine, what is wrong, what is done.

    Parameters
    ----------
    seconds : length, up to four hours
    rate_hz : rows a second, 0.1 to 100
    """

    family: str
    faults: Mapping[str, float]
    seconds: float
    rate_hz: float
    seed: int
    ambient_kpa: float
    ambient_c: float
    warm: bool
    script: tuple[Action, ...]


def _number(
    given: Mapping[str, Any],
    name: str,
    low: float,
    high: float,
    *,
    default: float | None = None,
    at: str = "",
) -> float:
    value = given.get(name, default)
    where = f"{at}{name}"
    ok = isinstance(value, int | float) and not isinstance(value, bool) and low <= value <= high
    require(ok, where, value, allowed=f"a number from {low:g} to {high:g}")
    assert value is not None
    return float(value)


def _choice(
    given: Mapping[str, Any],
    name: str,
    choices: tuple[str, ...],
    *,
    at: str,
    default: str | None = None,
) -> str:
    value = given.get(name, default)
    require(
        isinstance(value, str) and value in choices,
        f"{at}{name}",
        value,
        allowed="one of: " + ", ".join(c or "nothing" for c in choices),
    )
    assert isinstance(value, str)
    return value


def _table(given: Any, name: str, known: tuple[str, ...] | None) -> Mapping[str, Any]:
    require(isinstance(given, dict), name, given, allowed="an object")
    for key in given:
        require_text(name, str(key), 80)
        if known is not None:
            require(key in known, f"{name}.{key}", key, allowed="one of: " + ", ".join(known))
    found: Mapping[str, Any] = given
    return found


FIELDS = ("family", "faults", "seconds", "rate_hz", "seed", "ambient", "start", "script")


def read_case(given: Any) -> Case:
    """A case out of JSON.

    Raises
    ------
    InputError
        Names the field, the value and what is allowed.
    """
    case = _table(given, "case", FIELDS)
    family = case.get("family")
    require(isinstance(family, str), "family", family, allowed="the id of an engine family")
    faults = _table(case.get("faults", {}), "faults", None)
    ambient = _table(case.get("ambient", {}), "ambient", ("kpa", "c"))
    start = _table(case.get("start", {}), "start", ("heat",))
    script = case.get("script", [])
    listed = isinstance(script, list) and len(script) <= MOST_ACTIONS
    shown = script if not isinstance(script, list) else f"{len(script)} actions"
    require(listed, "script", shown, allowed=f"a list of at most {MOST_ACTIONS} actions")
    seconds = _number(case, "seconds", 0.1, LONGEST_S)
    actions = []
    for i, one in enumerate(script):
        entry = _table(one, f"script[{i}]", None)
        at = _number(entry, "at", 0, LONGEST_S, at=f"script[{i}].")
        do = _choice(entry, "do", tuple(ACTIONS), at=f"script[{i}].")
        left = {k: v for k, v in entry.items() if k not in ("at", "do")}
        _table(left, f"script[{i}]", TAKES.get(do, ()))
        actions.append(Action(at=at, do=do, fields=left))
    return Case(
        family=str(family),
        faults={k: _number(faults, k, 0, 1, at="faults.") for k in faults},
        seconds=seconds,
        rate_hz=_number(case, "rate_hz", 0.1, 100, default=10.0),
        seed=int(_number(case, "seed", 0, 2**31, default=1)),
        ambient_kpa=_number(ambient, "kpa", 50, 108, default=101.1, at="ambient."),
        ambient_c=_number(ambient, "c", -40, 55, default=19.0, at="ambient."),
        warm=_choice(start, "heat", ("warm", "cold"), at="start.", default="warm") == "warm",
        script=tuple(sorted(actions, key=lambda a: a.at)),
    )


# ---- actions: each reads its fields and does it

Done = Callable[[Vehicle, Mapping[str, Any], str], None]


def _pedal(v: Vehicle, f: Mapping[str, Any], at: str) -> None:
    v.wishes.pedal = _number(f, "value", 0, 100, at=at)


def _hold(v: Vehicle, f: Mapping[str, Any], at: str) -> None:
    v.wishes.hold_rpm = _number(f, "value", 300, 8000, at=at)


def _load(v: Vehicle, f: Mapping[str, Any], at: str) -> None:
    name = _choice(f, "name", tuple(ACCESSORY_W), at=at)
    on = f.get("on", True)
    require(isinstance(on, bool), f"{at}on", on, allowed="true or false")
    (v.wishes.loads.add if on else v.wishes.loads.discard)(name)


def _named(error: InputError, at: str) -> InputError:
    return InputError(f"{at}{error.field}", error.value, error.allowed)


def _command(v: Vehicle, f: Mapping[str, Any], at: str) -> None:
    value = _number(f, "value", 0, 100, at=at)
    try:
        v.command(str(f.get("actuator", "")), value)
    except InputError as fault:
        raise _named(fault, at) from fault


def _release(v: Vehicle, f: Mapping[str, Any], at: str) -> None:
    try:
        v.release(str(f.get("actuator", "")))
    except InputError as fault:
        raise _named(fault, at) from fault


def _routine(v: Vehicle, f: Mapping[str, Any], at: str) -> None:
    own = tuple(r for r, nature in ROUTINES.items() if not nature or nature in v.plant.natures)
    v.control.begin(_choice(f, "id", own, at=at))


def _mend(*, new: bool) -> Done:
    def mend(v: Vehicle, f: Mapping[str, Any], at: str) -> None:
        part = f.get("part")
        own = tuple(p.id for p in v.family.parts)
        require(part in own, f"{at}part", part, allowed="one of: " + ", ".join(own))
        v.mend(str(part), how=_choice(f, "how", HOWS, at=at, default=""), new=new)

    return mend


def _drive(v: Vehicle, f: Mapping[str, Any], at: str) -> None:
    minutes = _number(f, "minutes", 0.1, 240, at=at)
    v.road = Road(v, _choice(f, "kind", KINDS, at=at, default="road"), minutes * 60)


def _battery_on(v: Vehicle, f: Mapping[str, Any], at: str) -> None:
    v.battery = True


ACTIONS: Mapping[str, Done] = {
    "key_on": lambda v, f, at: v.key_on(),
    "start": lambda v, f, at: v.start(),
    "key_off": lambda v, f, at: v.key_off(),
    "pedal": _pedal,
    "hold_rpm": _hold,
    "load": _load,
    "command": _command,
    "release": _release,
    "clear_codes": lambda v, f, at: v.memory.clear(),
    "routine": _routine,
    "battery_off": lambda v, f, at: v.battery_off(),
    "battery_on": _battery_on,
    "clean": _mend(new=False),
    "replace": _mend(new=True),
    "drive": _drive,
}
TAKES: Mapping[str, tuple[str, ...]] = {
    "pedal": ("value",),
    "hold_rpm": ("value",),
    "load": ("name", "on"),
    "command": ("actuator", "value"),
    "release": ("actuator",),
    "routine": ("id",),
    "clean": ("part", "how"),
    "replace": ("part", "how"),
    "drive": ("minutes", "kind"),
}
"""The fields of each action."""


def vehicle_of(case: Case, family: EngineFamily) -> Vehicle:
    """The car of a case, before anything is done.

    Raises
    ------
    InputError
    """
    return Vehicle(
        family,
        case.faults,
        ambient_kpa=case.ambient_kpa,
        ambient_c=case.ambient_c,
        warm=case.warm,
        seed=case.seed,
    )


def check_script(case: Case, family: EngineFamily) -> None:
    """Try every action on a car that stands, so that a case is refused before its first row.

    Raises
    ------
    InputError
    """
    trial = vehicle_of(case, family)
    for i, action in enumerate(case.script):
        ACTIONS[action.do](trial, action.fields, f"script[{i}].")


def rows_of(case: Case, vehicle: Vehicle) -> Iterator[dict[str, float]]:
    """The rows of a run, by column."""
    script = list(case.script)
    every = 100 / case.rate_hz
    steps = round(case.seconds * 100)
    due, done = 0.0, 0
    for step in range(steps + 1):
        while done < len(script) and script[done].at * 100 <= step:
            action = script[done]
            ACTIONS[action.do](vehicle, action.fields, f"script[{done}].")
            done += 1
        if step >= due - 1e-9:
            yield vehicle.row()
            due += every
        vehicle.step()


def csv_of(case: Case, family: EngineFamily) -> Iterator[str]:
    """The run as lines of CSV, its heading first.

    Raises
    ------
    InputError
        Before the first line.
    """
    check_script(case, family)
    vehicle = vehicle_of(case, family)
    heading: list[str] = []
    for row in rows_of(case, vehicle):
        if not heading:
            heading = list(row)
            yield ",".join(heading)
        yield ",".join(f"{row[name]:.{DECIMALS.get(name, 1)}f}" for name in heading)
