"""Schools of practice that these procedures depend on: the choices, the default first, the reason for it, and what each risks."""

from collections.abc import Mapping
from dataclasses import dataclass, field

from galene.core.airpath import EngineFamily, Part


@dataclass(frozen=True)
class School:
    """One question that practitioners answer differently. `risks` says what speaks against a choice."""

    letter: str
    question: str
    choices: tuple[tuple[str, str], ...]
    why: str
    risks: Mapping[str, str] = field(default_factory=dict)

    def title(self, choice: str) -> str:
        """A choice in words, the default's where it is not known."""
        return dict(self.choices).get(choice, self.choices[0][1])


SCHOOLS: tuple[School, ...] = (
    School("A", "Agent for hot-film meters", (("made_for_them", "only a residue-free agent made for them"), ("plastic_safe", "any residue-free, plastic-safe agent by label")),
           "A can is cheap against a meter; strong solvents are refused under either.", {"plastic_safe": "A label may promise more than the can holds."}),
    School("B", "Meter with a stored code", (("clean_once", "clean once, retest, then decide"), ("replace", "replace at once")),
           "Film is common and cleaning is minutes; damage or a second return decides for replacement.", {"replace": "The owner pays for a meter that a minute's spray might have saved."}),
    School("C", "Drying", (("label_factor", "label minutes times temperature factor"), ("fixed_hour", "an hour, always"), ("short_with_check", "short air-dry with a check for moisture")),
           "Wet electronics fail silently.", {"fixed_hour": "An hour in which the bay stands.", "short_with_check": "What is wet under a cap is not seen."}),
    School("E", "Agent into the throttle", (("on_cloth", "on cloth or brush"), ("direct", "direct, small amounts: cable throttles only")),
           "Liquids creep along the shaft and run into cylinders.", {"direct": "What pools behind the plate goes into one cylinder."}),
    School("F", "Throttle on or off the engine", (("by_grade", "by grade: up to 2 on, 3 and over or facing down off"), ("always_off", "always off"), ("always_on", "always on")),
           "Reach and run-off.", {"always_off": "A new seal each time.", "always_on": "The back of the plate is cleaned by feel."}),
    School("G", "Gaskets and O-rings", (("new", "new"), ("reuse", "reuse after inspection, cleaned, noted")),
           "A new seal costs less than a comeback; reuse is for when none can be had.", {"reuse": "A set seal leaks unmetered air: recorded as a follow-up."}),
    School("H", "Making safe", (("by_part", "battery off before motors, ignition off for a single sensor"), ("battery_always", "battery always"), ("ignition_only", "ignition only")),
           "Codes and shorts against lost memory.", {"battery_always": "Radio codes, monitors and learned values are lost.", "ignition_only": "A plug pulled from a live motor can short."}),
    School("I", "Clearing and adapting", (("guided", "the family's own relearn, guided"), ("battery_reset", "battery reset, then idle and drive")),
           "Guided leaves evidence.", {"battery_reset": "It also erases monitors and presets, and no stop is taught."}),
    School("J", "Pressure sensors", (("residue_free", "residue-free agent"), ("brake_cleaner", "plastic-safe brake cleaner by label, seal off")),
           "Elastomers and membranes.", {"brake_cleaner": "A seal left on swells; a label is read wrong sooner than a can of its own."}),
    School("L", "Heavy deposit in the manifold", (("dismantle", "dismantle, tools and bath"), ("on_vehicle", "tools on the vehicle"), ("send_out", "send all out")),
           "Sprays do not move hard carbon.", {"on_vehicle": "What falls behind a flap stays there.", "send_out": "Days without the part."}),
    School("M", "Ports of direct-injection engines", (("blast_by_grade", "blast when grade 3 and over, by hand below"), ("blast_on_distance", "blast from 120 000 km"), ("aerosol_only", "aerosol upkeep only")),
           "Loosened lumps go where they please.", {"blast_on_distance": "Ports are blasted that a cloth would have cleaned.", "aerosol_only": "Hard carbon stays."}),
    School("O", "Healthy sensor met with the access open", (("clean_keep", "clean and keep"), ("replace", "replace on distance while there")),
           "The owner decides with the price beside it.", {"replace": "A good sensor is thrown away; a new one may be the worse."}),
    School("P", "Upstream oxygen sensor", (("test", "test, upkeep product if slow, else replace"), ("replace", "replace on distance")),
           "Sprays on the sensor are refused under either.", {"replace": "The owner pays for a sensor that still answers."}),
    School("Q", "Isolation by unplugging a sensor", (("not_used", "not used"), ("timed", "as a timed test where the family says it is safe, must go back")),
           "Some engines stop; leaving it is tampering.", {"timed": "A plug forgotten is a fault of the work, and against the law."}),
    School("R", "Manifold bath", (("send_out", "send out"), ("own_bath", "own ultrasonic bath"), ("by_hand", "by hand")),
           "Electronics and sensors off in all.", {"send_out": "A day away.", "own_bath": "Heat and time by label, or the plastic warps.", "by_hand": "Corners keep what the scraper can not reach."}),
)  # fmt: skip
BY_LETTER: dict[str, School] = {s.letter: s for s in SCHOOLS}
DEFAULT_POLICY: dict[str, str] = {s.letter: s.choices[0][0] for s in SCHOOLS}
BLAST_FROM_KM = 120_000.0
REPLACE_FROM_KM = 150_000.0
"""Distance from which schools O and P put in new sensors (project default)."""
HEAVY = 3
"""Grade from which a layer has thickness: tools, bath or blasting, no amount of spray."""


def tags_of(family: EngineFamily, part: Part, grade: int | None, distance_km: float | None, policy: Mapping[str, str]) -> frozenset[str]:
    """Which variants of a part's procedure the schools choose.

    A grade that is not known yet counts as heavy for the manifold and the ports, so that the plan holds time enough.
    """
    heavy = grade is None or grade >= HEAVY
    if part.component == "throttle_body":
        return frozenset({"direct" if policy.get("E") == "direct" and "electronic" not in part.features else "on_cloth"})
    if part.component == "intake_ports":
        if family.injection != "direct" or family.fuel != "petrol":
            return frozenset({"opened", "soak"})
        if policy.get("M") == "aerosol_only":
            return frozenset({"upkeep"})
        blast = (distance_km or 0) >= BLAST_FROM_KM if policy.get("M") == "blast_on_distance" else heavy
        return frozenset({"opened", "blast" if blast else "soak"})
    if part.component == "intake_manifold":
        if not heavy or policy.get("L") == "on_vehicle":
            return frozenset({"hand"})
        bath = "send_out" if policy.get("L") == "send_out" else policy.get("R", "send_out")
        return frozenset({{"send_out": "bath_out", "own_bath": "bath_own", "by_hand": "hand"}[bath]})
    return frozenset()
