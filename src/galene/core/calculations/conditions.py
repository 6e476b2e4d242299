"""The conditions under which a set of readings was taken, and whether two sets can be compared."""

from dataclasses import dataclass
from typing import Any, ClassVar

from galene.core.calculations.strict import STRICT
from galene.core.errors import require_range

RPM_SHARE, COOLANT_GAP_C, WARM_C, INTAKE_NOTE_C = 0.05, 10.0, 70.0, 15.0


@dataclass(frozen=True, kw_only=True)
class Conditions:
    """How the engine stood when the set was taken. `warm`: said by hand of one that is cooled by
    air, which has no coolant to read; `load`: switched loads that were on; `mode`: the drive mode
    that was set; `gear`: the gear or the range that was engaged."""

    rpm: float | None = None
    coolant_c: float | None = None
    warm: bool | None = None
    intake_c: float | None = None
    load: list[str] | str | None = None
    codes_active: list[str] | bool | None = None
    protective_mode: bool | None = None
    altitude_m: float | None = None
    mode: str | None = None
    gear: str | None = None
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


@dataclass(frozen=True)
class BothConditions:
    """Conditions of the two sets."""

    before: Conditions
    after: Conditions
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT


PROTECTIVE_CODES = frozenset(
    ["P0638", "P2135", "P2176"]
    + [f"P{n}" for n in range(2100, 2120)]
    + [f"P0{n}" for n in (*range(120, 125), *range(220, 225))]
)
"""Throttle control and throttle position codes: with one active the control unit commonly limits
the throttle."""


def loads_of(load: list[str] | str | None) -> frozenset[str] | None:
    if load is None:
        return None
    names = load.replace(",", " ").split() if isinstance(load, str) else load
    return frozenset(
        n.strip().casefold()
        for n in names
        if n.strip() and n.strip().casefold() not in {"none", "off"}
    )


def protective_reason(conditions: Conditions) -> str | None:
    if conditions.protective_mode:
        return "the control unit was in a protective mode"
    if conditions.codes_active is True:
        return "codes were active and a protective mode is not ruled out"
    if isinstance(conditions.codes_active, list):
        active = [c.strip().upper()[:5] for c in conditions.codes_active]
        hit = [c for c in active if c in PROTECTIVE_CODES]
        if hit:
            return f"{', '.join(hit)} was active, which puts the throttle in a protective mode"
    return None


def in_range(name: str, side: Conditions) -> None:
    """Raise `InputError` where a condition can not be."""
    for field_name, value, low, high, unit in (
        ("rpm", side.rpm, 0, 20000, "1/min"),
        ("coolant_c", side.coolant_c, -40, 140, "degC"),
        ("intake_c", side.intake_c, -40, 150, "degC"),
        ("altitude_m", side.altitude_m, -500, 6000, "m"),
    ):
        if value is not None:
            require_range(f"conditions.{name}.{field_name}", value, low, high=high, unit=unit)


def heat_differs(before: Conditions, after: Conditions) -> list[str]:
    """Why the heat of two sets spoils their comparison: by the coolant, or by the hand's word for
    an engine that has none."""
    if before.warm is not None and after.warm is not None:
        said = (("before", before.warm), ("after", after.warm))
        return [f"{name}: the engine was not warm" for name, warm in said if not warm]
    if before.coolant_c is None or after.coolant_c is None:
        return ["coolant temperature was not recorded for both sets"]
    coolants = (("before", before.coolant_c), ("after", after.coolant_c))
    reasons = [
        f"{name}: coolant at {coolant:.0f} °C, it must be above {WARM_C:.0f}"
        for name, coolant in coolants
        if coolant <= WARM_C
    ]
    if abs(after.coolant_c - before.coolant_c) > COOLANT_GAP_C:
        stood = " and ".join(f"{coolant:.0f}" for _, coolant in coolants)
        reasons.append(f"coolant differs by more than 10 °C: {stood} °C")
    return reasons


ALTITUDE_GAP_M = 300.0
"""Height between two sets from which the air outside differs by more than the weather moves it
(3.5 kPa, ISO 2533)."""


def unlike(before: Conditions, after: Conditions) -> list[str]:
    """What differs of two sets that must be alike whatever was at fault: heat, switched loads,
    height, mode, gear, and a control unit in no protective mode.

    Raises
    ------
    InputError
        A condition that can not be.
    """
    reasons: list[str] = []
    for name, side in (("before", before), ("after", after)):
        in_range(name, side)
        protective = protective_reason(side)
        if protective:
            reasons.append(f"{name}: {protective}")
    reasons += heat_differs(before, after)
    loads = loads_of(before.load), loads_of(after.load)
    if loads[0] is None or loads[1] is None:
        reasons.append("the load switches were not recorded for both sets")
    elif loads[0] != loads[1]:
        reasons.append(f"different loads were on: {', '.join(sorted(loads[0] ^ loads[1]))}")
    if (
        before.altitude_m is not None
        and after.altitude_m is not None
        and abs(after.altitude_m - before.altitude_m) > ALTITUDE_GAP_M
    ):
        reasons.append(
            f"the sets were taken at {before.altitude_m:.0f} and {after.altitude_m:.0f} m"
        )
    for word, old, new in (
        ("mode", before.mode, after.mode),
        ("gear", before.gear, after.gear),
    ):
        if old is not None and new is not None and old.casefold() != new.casefold():
            reasons.append(f"another {word} was set: {old} and {new}")
    return reasons


def held_speed_differs(before: Conditions, after: Conditions) -> list[str]:
    """Why two speeds that were set by hand spoil the comparison."""
    if before.rpm is None or after.rpm is None:
        return ["engine speed was not recorded for both sets"]
    if abs(after.rpm - before.rpm) > RPM_SHARE * before.rpm:
        return [f"speed differs by more than 5 %: {before.rpm:.0f} and {after.rpm:.0f} rpm"]
    return []


def comparability(before: Conditions, after: Conditions) -> tuple[list[str], list[str]]:
    """Reasons why two sets can not be compared (empty: they can), and notes that only weaken the
    comparison.

    Speeds within 5 %, coolant within 10 degrees C and both above 70, the same load switches, no
    protective mode. A condition that nobody recorded is a reason, as it can not be vouched for.
    """
    reasons = unlike(before, after)
    # Where its place in the order was: behind a protective mode, before the heat.
    protective = sum(bool(protective_reason(side)) for side in (before, after))
    reasons[protective:protective] = held_speed_differs(before, after)
    notes: list[str] = []
    if (
        before.intake_c is not None
        and after.intake_c is not None
        and abs(after.intake_c - before.intake_c) > INTAKE_NOTE_C
    ):
        notes.append(
            f"intake air differs by {abs(after.intake_c - before.intake_c):.0f} °C: airflow"
            " shifts a little with it"
        )
    return reasons, notes
