"""What a check lays open on an engine: kinds of part that must be reached, and what is unhooked for
it."""

from galene.core.access import operations_for
from galene.core.airpath import EngineFamily, Operation
from galene.core.planning.openings import mouths, plain_items
from galene.core.planning.records import OpenItem

REACHES: dict[str, tuple[str, ...]] = {
    "look_throttle": ("throttle_body",),
    "look_maf": ("maf_sensor",),
    "look_secondary_air": ("secondary_air_flow_sensor",),
    "look_filter": ("air_filter",),
    "look_manifold": ("throttle_body",),
    "look_ports": ("intake_ports",),
    "pull_map_sensor": ("map_sensor",),
    "pull_boost_sensor": ("boost_sensor",),
    "look_egr_valve": ("egr_valve",),
    "look_egr_passage": ("egr_passage",),
    "look_egr_cooler": ("egr_cooler",),
    "look_egr_dp_ports": ("egr_dp_ports",),
    "blow_through_exhaust_pressure_tube": ("exhaust_pressure_tube",),
    "blow_through_crankcase_hose": ("crankcase_pressure_hose",),
    "look_crankcase_seal": ("crankcase_pressure_sensor",),
    "runner_sweep_by_hand": ("runner_actuator",),
}
"""Check to the kinds of part that it looks at from near."""
UNHOOKED: dict[str, tuple[str, str]] = {
    "runner_sweep_by_hand": ("Flap lever, off its ball", "clamp"),
}
"""Check to what it takes off besides: what, and the kind of item."""


def opened_for(check: str, family: EngineFamily, done: tuple[str, ...]) -> tuple[Operation, ...]:
    """The operations that a check needs on this engine, without those done, in the order of
    opening."""
    kinds = REACHES.get(check, ())
    parts = [next((p.id for p in family.parts if p.component == k), "") for k in kinds]
    return operations_for(family, [p for p in parts if p], done)


def items_of(check: str, family: EngineFamily, done: tuple[str, ...]) -> tuple[OpenItem, ...]:
    """Everything that must go back after a check, one item each."""
    found: list[OpenItem] = []
    for operation in opened_for(check, family, done):
        found += [
            *plain_items(family, operation, "", gone=()),
            *mouths(family, operation, "", gone=()),
        ]
    if check in UNHOOKED and "runner_actuator" in family.components:
        what, kind = UNHOOKED[check]
        if not any(i.what == what for i in found):
            found.append(OpenItem(id=f"{check}:{what}", what=what, kind=kind))
    return tuple(found)
