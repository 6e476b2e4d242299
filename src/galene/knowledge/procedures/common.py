"""Kinds of work that every part shares: fit a new one, mend it where it leaks, only look, leave
it."""

from dataclasses import replace

from galene.core.planning.procedure import PartProcedure, StepTemplate
from galene.knowledge.components import COMPONENTS
from galene.knowledge.documents import read

COMPARE, READS, LOOK_ONLY, JOINT, MEND, TESTED = (
    read("fragments.toml", StepTemplate, name)
    for name in (
        "compare_new_part",
        "read_new_sensor",
        "look_only",
        "find_joint",
        "mend_joint",
        "test_joint",
    )
)


def completed(procedure: PartProcedure) -> PartProcedure:
    """A procedure with the kinds of work that it does not have of its own."""
    works = {w for s in procedure.steps for w in s.works}
    kind = COMPONENTS.get(procedure.component)
    steps = list(procedure.steps)
    if kind is None or procedure.in_place:
        return procedure
    if "inspect" not in works:
        steps.append(replace(LOOK_ONLY, works=("inspect",)))
    if not any(s.key in ("compare", "new") for s in procedure.steps):
        # A new part is compared before anything is greased, sealed or fitted.
        steps = [COMPARE, *steps, *([READS] if kind.sensor else [])]
    if "repair" not in works and not kind.sensor:
        steps += [JOINT, MEND, TESTED]
    return replace(procedure, steps=tuple(steps))
