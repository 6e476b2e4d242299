"""What must be learned anew after the work, by what was touched and what state was lost."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from galene.core.airpath.natures import any_is, kind_is
from galene.core.planning.car import Car
from galene.core.planning.case import Case, Trade, Treatment
from galene.core.planning.chain import Link
from galene.core.planning.openings import has_motor
from galene.core.planning.policy_keys import CLEARING
from galene.core.planning.records import (
    DoneStep,
    PartWork,
    PlannedRelearn,
    Step,
)
from galene.core.proof.relearn import RelearnTemplate

BURN_OFF = "particulate_burn_off"


TOUCHING = frozenset({"clean", "replace", "repair", "adjust"})


@dataclass(frozen=True, kw_only=True)
class Situation:
    """What the end of a job depends on: the scope, what is done, what is still ahead of it."""

    case: Case
    trade: Trade
    car: Car
    done: tuple[DoneStep, ...]
    works: tuple[PartWork, ...]
    left: frozenset[str]
    treatments: tuple[Treatment, ...]
    ahead: tuple[Step, ...]
    work_left: bool
    late: tuple[Step, ...]
    read_late: tuple[Step, ...]
    walk: tuple[Link, ...]
    drive: tuple[Link, ...]
    again: Mapping[str, int]
    wet_waits: tuple[str, ...]

    @property
    def every(self) -> tuple[Step, ...]:
        """Steps done and ahead."""
        return (*(d.step for d in self.done if not d.left_out), *self.ahead)

    def kinds(self) -> frozenset[str]:
        """Kinds of part that are worked on, in place or opened, without what is only looked at."""
        found = set()
        for treatment in self.treatments:
            if treatment.work.work in TOUCHING and treatment.procedure.component not in (
                "inspect_only",
                "left_for_now",
            ):
                found.add(self.case.family.part(treatment.part).component)
        return frozenset(found)

    def in_place(self, kind: str) -> bool:
        """Whether every part of a kind is treated through the shut engine."""
        same = [t for t in self.treatments if self.case.family.part(t.part).component == kind]
        return bool(same) and all(t.procedure.in_place for t in same)

    def asked(self) -> frozenset[str]:
        """Kinds of part whose relearn alone is asked for."""
        return frozenset(
            self.case.family.part(w.part).component for w in self.works if w.work == "relearn"
        )


def coolant_by_hand(s: Situation) -> bool:
    """Whether coolant was let down outside this plan."""
    return "coolant low" in s.case.hand_items


def due_relearns(s: Situation) -> list[RelearnTemplate]:
    """The relearns that this work asks for, by what was touched and what state was lost.

    Returns
    -------
    list of RelearnTemplate
        In the order in which they are run: lines vented first, coolant watched as soon as it runs,
        stops learned before the idle, the filter burned off last.
    """
    worked, asked = s.kinds(), s.asked()
    opened = frozenset(k for k in worked if not s.in_place(k))
    family = s.case.family
    every = s.every
    battery = any(x.does.battery == "off" for x in every)
    motor_off = any(
        has_motor(family.part(p)) and kind_is(family.part(p).component, "flap_motor")
        for x in every
        for p in x.takes_off
    )
    fuel = any(x.does.fuel_line == "opened" for x in every) or "fuel line open" in s.case.hand_items
    coolant = s.car.coolant_touched or any(x.does.coolant == "lowered" for x in every)
    coolant = coolant or coolant_by_hand(s)
    main = family.relearn or "cable_none"
    idle = any_is(opened | asked, "idle_air")
    reset = s.case.policy.get(CLEARING) == "battery_reset"
    learned = _main_due(main, idle=idle, battery=battery, opened=opened | asked)
    burns = family.fuel == "diesel" and any_is(family.components, "soot_filter")
    wanted = {
        "fuel_venting": fuel,
        "differential_zero": any_is(opened | asked, "dp_line"),
        "runner_flap_adaptation": (
            any_is(family.components, "flap_motor")
            and (any_is(opened | asked, "flap_motor", "flaps") or motor_off)
        ),
        "egr_valve_zero": any_is(opened | asked, "gas_valve"),
        "coolant_bleed_and_watch": coolant,
        main: learned and not (reset and main.startswith("throttle")),
        "memory_reset": (
            (battery and not (learned and main.startswith("throttle")))
            or (reset and learned and main.startswith("throttle"))
            or (main == "memory_reset" and any_is(asked, "idle_air"))
        ),
        BURN_OFF: burns and any_is(worked, "sends_soot"),
    }
    wanted.update(dict.fromkeys(s.case.relearns, True))
    return [s.trade.relearns[name] for name, due in wanted.items() if due]


def _main_due(main: str, *, idle: bool, battery: bool, opened: frozenset[str]) -> bool:
    """Whether the family's own relearn is asked for: its part was touched, or its memory was
    lost."""
    if main == "egr_valve_zero":
        return any_is(opened, "gas_valve")
    if main.startswith("throttle"):
        return idle or battery
    if main == "cable_none":
        return idle
    return battery


RELEARNS_PARTS: Mapping[str, tuple[str, ...]] = {
    "differential_zero": ("dp_sensor",),
    "runner_flap_adaptation": ("flap_motor", "flaps"),
    "egr_valve_zero": ("gas_valve",),
    "throttle_manual": ("plate",),
    "throttle_guided": ("plate",),
    "cable_none": ("plate",),
    "coolant_bleed_and_watch": ("cooler",),
}


def planned_relearns(steps: Sequence[Step]) -> tuple[PlannedRelearn, ...]:
    """The relearns of a plan, each behind the step that brings about the state that it needs."""
    found = []
    for before, step in zip((None, *steps), steps, strict=False):
        if step.relearn:
            found.append(
                PlannedRelearn(id=step.relearn, after=before.id if before else "", needs=step.needs)
            )
    return tuple(found)
