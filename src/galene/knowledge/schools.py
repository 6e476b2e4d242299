"""Schools of practice that these procedures depend on: the choices, the default first, the reason for it, and what each risks."""

from collections.abc import Iterable, Mapping
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
    School("D", "Electronic plate by hand", (("gentle", "gently, power off, connector off, relearn afterwards"), ("never", "never moved: the pedal or a service mode opens it, engine off"), ("free", "free to move: cable throttles only")),
           "Some makers forbid it: the family's entry overrides.", {"gentle": "A gear tooth breaks under a hasty hand.", "never": "Power comes near the bore: fingers out until the key is off.", "free": "Electronic plates are opened gently all the same."}),
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
    School("K", "Recirculation and intake, light deposit", (("in_place", "in-place flush as upkeep"), ("dismantle", "dismantle"), ("leave", "leave and recheck")),
           "Cheap and repeatable; never for hard carbon or a plugged passage.", {"in_place": "What is not seen is not known to be clean.", "dismantle": "Gaskets and hours for a film.", "leave": "It grows until the next visit."}),
    School("L", "Heavy deposit in the manifold", (("dismantle", "dismantle, tools and bath"), ("on_vehicle", "tools on the vehicle"), ("send_out", "send all out")),
           "Sprays do not move hard carbon.", {"on_vehicle": "What falls behind a flap stays there.", "send_out": "Days without the part."}),
    School("M", "Ports of direct-injection engines", (("blast_by_grade", "blast when grade 3 and over, aerosol upkeep at oil changes below"), ("blast_on_distance", "blast from 120 000 km"), ("aerosol_only", "aerosol upkeep only")),
           "Loosened lumps go where they please.", {"blast_on_distance": "Ports are blasted that a cloth would have cleaned.", "aerosol_only": "Hard carbon stays."}),
    School("N", "Commanded valve test", (("scan_tool", "scan tool actuation"), ("jumper", "jumper after drive check"), ("both", "both")),
           "The tool protects the driver; the jumper opens further and at once.", {"jumper": "A jumper on the wrong side destroys the control unit's driver.", "both": "Twice the time; the jumper's risk stays."}),
    School("O", "Healthy sensor met with the access open", (("clean_keep", "clean and keep"), ("replace", "replace on distance while there")),
           "The owner decides with the price beside it.", {"replace": "A good sensor is thrown away; a new one may be the worse."}),
    School("P", "Upstream oxygen sensor", (("test", "test, upkeep product if slow, else replace"), ("ingestion", "test, product through a vacuum line if slow, else replace"), ("replace", "replace on distance")),
           "Sprays on the sensor are refused under all.", {"ingestion": "A gulp knocks, and lets the catalyst glow; the sensor behind it gains nothing.", "replace": "The owner pays for a sensor that still answers."}),
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


RECIRCULATION = frozenset({"egr_valve", "egr_passage"})
INTAKE = frozenset({"intake_manifold", "intake_ports"})
WAYS_IN_PLACE: dict[str, str] = {
    "upkeep": "running_aerosol",
    "in_place": "running_flush",
    "leave": "left_for_now",
    "tank": "tank_additive",
    "vacuum_line": "vacuum_line_product",
}
"""Tags that send a part to a shared procedure which opens nothing."""


def tags_of(
    family: EngineFamily,
    part: Part,
    grade: int | None,
    distance_km: float | None,
    policy: Mapping[str, str],
    deposit: str = "",
    opened: bool = False,
) -> frozenset[str]:
    """Which variants of a part's procedure the schools choose.

    A grade that is not known yet counts as heavy for the manifold, the ports and the recirculation, so that the plan
    holds time enough. `opened`: other work lays the part open anyway, so that it is not treated through the shut engine.
    """
    heavy = grade is None or grade >= HEAVY
    commanded = {"scan_tool": {"by_scan_tool"}, "jumper": {"by_jumper"}, "both": {"by_scan_tool", "by_jumper"}}
    # A motor has two directions and its own driver: a jumper is for a solenoid.
    motor = "electronic" in part.features
    tests = frozenset(commanded["scan_tool" if motor else policy.get("N", "scan_tool")])
    if part.component == "throttle_body":
        electronic = "electronic" in part.features
        moved = {"never": "service_mode" if electronic else "gentle", "free": "gentle" if electronic else "free"}.get(
            policy.get("D", ""), "gentle"
        )
        return frozenset(
            {
                "direct" if policy.get("E") == "direct" and not electronic else "on_cloth",
                moved,
                "moved_by_hand" if moved != "service_mode" else moved,
            }
        )
    flushed = part.component in RECIRCULATION or (part.component in INTAKE and family.fuel == "diesel")
    # In place only what is light and soft: hard carbon and a plugged way are never flushed.
    if flushed and not opened and not heavy and deposit != "hard_carbon" and policy.get("K") != "dismantle":
        way = "leave" if policy.get("K") == "leave" else "in_place"
        return frozenset({way, *(tests if part.component == "egr_valve" and way == "in_place" else ())})
    if part.component == "egr_valve":
        return tests
    if part.component == "oxygen_sensor":
        return frozenset({"vacuum_line" if drawn_through_a_line(family, part, policy) else "tank"})
    if part.component == "intake_ports":
        if family.injection != "direct" or family.fuel != "petrol":
            return frozenset({"opened", "soak"})
        blast = (
            (distance_km or 0) >= BLAST_FROM_KM if policy.get("M") == "blast_on_distance" else heavy and policy.get("M") != "aerosol_only"
        )
        if not blast and not opened:
            return frozenset({"upkeep"})
        return frozenset({"opened", "blast" if blast else "soak"})
    if part.component == "intake_manifold":
        if not heavy or policy.get("L") == "on_vehicle":
            return frozenset({"hand"})
        bath = "send_out" if policy.get("L") == "send_out" else policy.get("R", "send_out")
        return frozenset({{"send_out": "bath_out", "own_bath": "bath_own", "by_hand": "hand"}[bath]})
    return frozenset()


def drawn_through_a_line(family: EngineFamily, part: Part, policy: Mapping[str, str]) -> bool:
    """Whether school P draws the product in through a vacuum line: a throttled engine, a sensor before the catalyst."""
    throttled = family.fuel == "petrol" and family.cycle == "four_stroke"
    return policy.get("P") == "ingestion" and throttled and "downstream" not in part.features


def way_in_place(tags: Iterable[str]) -> str:
    """The shared procedure that the tags send a part to, empty for its own."""
    return next((WAYS_IN_PLACE[t] for t in sorted(tags) if t in WAYS_IN_PLACE), "")
