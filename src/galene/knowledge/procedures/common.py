"""Kinds of work that every part shares: fit a new one, mend it where it leaks, only look, leave
it."""

from dataclasses import replace

from galene.core.planning.procedure import PartProcedure, StepTemplate
from galene.core.planning.records import Consequence, Record
from galene.knowledge.components import COMPONENTS
from galene.knowledge.procedures.words import BEFORE, asked

COMPARE = StepTemplate(
    key="compare",
    text="Hold the new part beside the old: number, shape, ports, plug and seal are the same",
    minutes=3,
    why="A look-alike reads another curve or leaks at its seat.",
    works=("replace",),
    records=(
        asked(
            "same",
            "Number, ports, plug and seal are the same",
            "stop",
            text="It is the wrong part: nothing is fitted, order the right one.",
        ),
    ),
    acts=("compare_new",),
)
READS = StepTemplate(
    key="reads",
    text="Ignition on: read the new sensor's value, it is plausible for a standing engine",
    minutes=2,
    why="A new part may be a dead one.",
    works=("replace",),
    place="walk",
    needs=("ignition_on", "battery_on"),
    tools=("scan tool",),
    records=(
        asked(
            "plausible",
            "The value is plausible",
            "again",
            text="Look at its plug, read once more.",
        ),
    ),
    acts=("read",),
)
LOOK_ONLY = StepTemplate(
    key="look",
    text="Look, grade and note; this part is not cleaned here",
    minutes=3,
    why="Seen now, it is known at the next visit.",
    works=("inspect", "clean"),
    tools=("lamp",),
    records=(BEFORE,),
    acts=("look",),
)
JOINT = StepTemplate(
    key="joint",
    text="Find the place: smoke or soapy water along it, flex it, mark where it shows",
    minutes=8,
    why="A leak is mended at its joint, not round it.",
    works=("repair",),
    tools=("smoke or soapy water", "lamp", "marker"),
    records=(
        Record(
            id="joint",
            kind="words",
            label="Which joint or place it is",
            consequences=(
                Consequence(
                    answer="none",
                    kind="part_only",
                    text="No leak was found here: nothing is mended on suspicion.",
                ),
            ),
        ),
    ),
    acts=("feel", "mark", "find_leak"),
    place="whole",
)
MEND = StepTemplate(
    key="mend",
    text=(
        "Mend it at that joint: its seat cleaned, its seal and clamp seen to; what must be new is"
        " put on the card as found; a crack is not glued"
    ),
    minutes=12,
    why="What carries pressure, fuel or coolant is renewed, not patched.",
    works=("repair",),
    tools=("plastic scraper", "driver"),
    records=(
        asked(
            "mended",
            "It sits square and holds by hand",
            "replace",
            text="It can not be mended: a new one goes in.",
        ),
    ),
    acts=("wipe", "scrape", "mend"),
    dirties=("own",),
)
TESTED = StepTemplate(
    key="tested",
    text="Test at that joint once more: smoke or soapy water, and nothing shows",
    minutes=4,
    why="Mended is what was tested.",
    works=("repair",),
    place="walk",
    tools=("smoke or soapy water", "lamp"),
    records=(
        asked(
            "tight", "Nothing shows at that joint", "again", text="Seat it anew, test once more."
        ),
    ),
    acts=("leak_look",),
    sees=("own",),
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


SHARED: tuple[PartProcedure, ...] = (
    PartProcedure(
        component="left_for_now",
        title="Left and rechecked",
        steps=(
            StepTemplate(
                key="leave",
                text="Leave it as it is: light deposit, looked at again at the next visit",
                minutes=1,
                why="The school is to leave a light deposit; the report says so.",
                place="walk",
                works=("clean", "upkeep"),
                acts=("note",),
            ),
        ),
        in_place=True,
    ),
    PartProcedure(
        component="inspect_only",
        title="Inspection",
        steps=(LOOK_ONLY, COMPARE, JOINT, MEND, TESTED),
    ),
)
