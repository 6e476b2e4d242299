"""How each kind of part is treated, and why: what the plan shows beside the part."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Method:
    """Method of a component kind: the words, agent class, why this agent, the school's letter, grades it is for."""

    component: str
    text: str
    agent: str
    why: str
    schools: tuple[str, ...]


METHODS: dict[str, Method] = {
    m.component: m
    for m in (
        Method(
            "air_filter",
            "Look through, wipe and vacuum the box; new element where light does not pass",
            "",
            "No agent: wet paper swells and passes dirt.",
            (),
        ),
        Method(
            "maf_sensor",
            "Out of its neck, short bursts across, dry for the full time",
            "maf_cleaner",
            "Residue-free and plastic-safe: anything stronger clouds the film or the body.",
            ("A", "C"),
        ),
        Method("intake_tube", "Off, flexed and looked at, soap and water inside", "soap_and_water", "Rubber swells in solvents.", ("C",)),
        Method(
            "throttle_body",
            "Wiped with a damp cloth, plate opened gently by hand without power",
            "throttle_cleaner",
            "Coating-safe, on the cloth: sprayed liquid creeps along the shaft into motor and gears.",
            ("E", "F", "H"),
        ),
        Method(
            "map_sensor",
            "Out, short bursts across the snout, port cleaned with a wire",
            "contact_cleaner",
            "Residue-free: a film on the membrane slows it.",
            ("C", "G"),
        ),
    )
}
INSPECT_ONLY = Method("inspect_only", "Looked at and graded, not cleaned", "", "No cleaning of this part is offered here.", ())
