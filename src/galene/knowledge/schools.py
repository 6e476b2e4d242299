"""Schools of practice that these procedures depend on: the choices, the default first, and the reason for it."""

from dataclasses import dataclass


@dataclass(frozen=True)
class School:
    """One question that practitioners answer differently."""

    letter: str
    question: str
    choices: tuple[tuple[str, str], ...]
    why: str


SCHOOLS: tuple[School, ...] = (
    School("A", "Agent for hot-film meters", (("made_for_them", "only a residue-free agent made for them"), ("plastic_safe", "any residue-free, plastic-safe agent by label")),
           "A can is cheap against a meter."),
    School("C", "Drying", (("label_factor", "label minutes times temperature factor"), ("fixed_hour", "an hour, always"), ("short_with_check", "short air-dry with a check for moisture")),
           "Wet electronics fail silently."),
    School("E", "Agent into the throttle", (("on_cloth", "on cloth or brush"),), "Liquids creep along the shaft. Direct spray is for cable throttles only."),
    School("F", "Throttle on or off the engine", (("by_grade", "by grade: up to 2 on, 3 and over off"), ("always_off", "always off"), ("always_on", "always on")),
           "Reach and run-off."),
    School("G", "Gaskets and O-rings", (("new", "new"), ("reuse", "reuse after inspection, noted")), "A new seal costs less than a comeback."),
    School("H", "Making safe", (("by_part", "battery off before motors, ignition off for a single sensor"), ("battery_always", "battery always"), ("ignition_only", "ignition only")),
           "Codes and shorts against lost memory."),
)  # fmt: skip
DEFAULT_POLICY: dict[str, str] = {s.letter: s.choices[0][0] for s in SCHOOLS}
