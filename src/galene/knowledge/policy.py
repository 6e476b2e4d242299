"""Schools of practice that these procedures depend on: the choices, the default first, the reason
for it, and what each risks."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

from galene.core.airpath.family import EngineFamily, Part
from galene.core.planning.policy_keys import (
    AGENT_INTO_THROTTLE,
    CLEARING,
    CODED_METER,
    COMMANDED_TEST,
    DIRECT_PORTS,
    DRYING,
    ELECTRONIC_PLATE,
    HEALTHY_SENSOR,
    HEAVY_MANIFOLD,
    ISOLATION,
    LIGHT_DEPOSIT,
    MAKING_SAFE,
    MANIFOLD_BATH,
    METER_AGENT,
    OXYGEN_SENSOR,
    PRESSURE_SENSOR_AGENT,
    SEALS,
    THROTTLE_PLACE,
)


@dataclass(frozen=True, kw_only=True)
class PolicyQuestion:
    """One question that practitioners answer differently. `risks` says what speaks against a
    choice."""

    letter: str
    question: str
    choices: tuple[tuple[str, str], ...]
    why: str
    risks: Mapping[str, str] = field(default_factory=dict)

    def title(self, choice: str) -> str:
        """A choice in words, the default's where it is not known."""
        return dict(self.choices).get(choice, self.choices[0][1])


POLICY_QUESTIONS: tuple[PolicyQuestion, ...] = (
    PolicyQuestion(
        letter=METER_AGENT,
        question="Agent for hot-film meters",
        choices=(
            ("made_for_them", "only a residue-free agent made for them"),
            ("plastic_safe", "any residue-free, plastic-safe agent by label"),
        ),
        why="A can is cheap against a meter; strong solvents are refused under either.",
        risks={"plastic_safe": "A label may promise more than the can holds."},
    ),
    PolicyQuestion(
        letter=CODED_METER,
        question="Meter with a stored code",
        choices=(("clean_once", "clean once, retest, then decide"), ("replace", "replace at once")),
        why=(
            "Film is common and cleaning is minutes; damage or a second return decides for"
            " replacement."
        ),
        risks={"replace": "The owner pays for a meter that a minute's spray might have saved."},
    ),
    PolicyQuestion(
        letter=DRYING,
        question="Drying",
        choices=(
            ("label_factor", "label minutes times temperature factor"),
            ("fixed_hour", "an hour, always"),
            ("short_with_check", "short air-dry with a check for moisture"),
        ),
        why="Wet electronics fail silently.",
        risks={
            "fixed_hour": "An hour in which the bay stands.",
            "short_with_check": "What is wet under a cap is not seen.",
        },
    ),
    PolicyQuestion(
        letter=ELECTRONIC_PLATE,
        question="Electronic plate by hand",
        choices=(
            ("gentle", "gently, power off, connector off, relearn afterwards"),
            ("never", "never moved: the pedal or a service mode opens it, engine off"),
            ("free", "free to move: cable throttles only"),
        ),
        why="Some makers forbid it: the family's entry overrides.",
        risks={
            "gentle": "A gear tooth breaks under a hasty hand.",
            "never": "Power comes near the bore: fingers out until the key is off.",
            "free": "Electronic plates are opened gently all the same.",
        },
    ),
    PolicyQuestion(
        letter=AGENT_INTO_THROTTLE,
        question="Agent into the throttle",
        choices=(
            ("on_cloth", "on cloth or brush"),
            ("direct", "direct, small amounts: cable throttles only"),
        ),
        why="Liquids creep along the shaft and run into cylinders.",
        risks={"direct": "What pools behind the plate goes into one cylinder."},
    ),
    PolicyQuestion(
        letter=THROTTLE_PLACE,
        question="Throttle on or off the engine",
        choices=(
            ("by_grade", "by grade: up to 2 on, 3 and over or facing down off"),
            ("always_off", "always off"),
            ("always_on", "always on"),
        ),
        why="Reach and run-off.",
        risks={
            "always_off": "A new seal each time.",
            "always_on": "The back of the plate is cleaned by feel.",
        },
    ),
    PolicyQuestion(
        letter=SEALS,
        question="Gaskets and O-rings",
        choices=(("new", "new"), ("reuse", "reuse after inspection, cleaned, noted")),
        why="A new seal costs less than a comeback; reuse is for when none can be had.",
        risks={"reuse": "A set seal leaks unmetered air: recorded as a follow-up."},
    ),
    PolicyQuestion(
        letter=MAKING_SAFE,
        question="Making safe",
        choices=(
            ("by_part", "battery off before motors, ignition off for a single sensor"),
            ("battery_always", "battery always"),
            ("ignition_only", "ignition only"),
        ),
        why="Codes and shorts against lost memory.",
        risks={
            "battery_always": "Radio codes, monitors and learned values are lost.",
            "ignition_only": "A plug pulled from a live motor can short.",
        },
    ),
    PolicyQuestion(
        letter=CLEARING,
        question="Clearing and adapting",
        choices=(
            ("guided", "the family's own relearn, guided"),
            ("battery_reset", "battery reset, then idle and drive"),
        ),
        why="Guided leaves evidence.",
        risks={"battery_reset": "It also erases monitors and presets, and no stop is taught."},
    ),
    PolicyQuestion(
        letter=PRESSURE_SENSOR_AGENT,
        question="Pressure sensors",
        choices=(
            ("residue_free", "residue-free agent"),
            ("brake_cleaner", "plastic-safe brake cleaner by label, seal off"),
        ),
        why="Elastomers and membranes.",
        risks={
            "brake_cleaner": (
                "A seal left on swells; a label is read wrong sooner than a can of its own."
            )
        },
    ),
    PolicyQuestion(
        letter=LIGHT_DEPOSIT,
        question="Recirculation and intake, light deposit",
        choices=(
            ("in_place", "in-place flush as upkeep"),
            ("dismantle", "dismantle"),
            ("leave", "leave and recheck"),
        ),
        why="Cheap and repeatable; never for hard carbon or a plugged passage.",
        risks={
            "in_place": "What is not seen is not known to be clean.",
            "dismantle": "Gaskets and hours for a film.",
            "leave": "It grows until the next visit.",
        },
    ),
    PolicyQuestion(
        letter=HEAVY_MANIFOLD,
        question="Heavy deposit in the manifold",
        choices=(
            ("dismantle", "dismantle, tools and bath"),
            ("on_vehicle", "tools on the vehicle"),
            ("send_out", "send all out"),
        ),
        why="Sprays do not move hard carbon.",
        risks={
            "on_vehicle": "What falls behind a flap stays there.",
            "send_out": "Days without the part.",
        },
    ),
    PolicyQuestion(
        letter=DIRECT_PORTS,
        question="Ports of direct-injection engines",
        choices=(
            ("blast_by_grade", "blast when grade 3 and over, aerosol upkeep at oil changes below"),
            ("blast_on_distance", "blast from 120 000 km"),
            ("aerosol_only", "aerosol upkeep only"),
        ),
        why="Loosened lumps go where they please.",
        risks={
            "blast_on_distance": "Ports are blasted that a cloth would have cleaned.",
            "aerosol_only": "Hard carbon stays.",
        },
    ),
    PolicyQuestion(
        letter=COMMANDED_TEST,
        question="Commanded valve test",
        choices=(
            ("scan_tool", "scan tool actuation"),
            ("jumper", "jumper after drive check"),
            ("both", "both"),
        ),
        why="The tool protects the driver; the jumper opens further and at once.",
        risks={
            "jumper": "A jumper on the wrong side destroys the control unit's driver.",
            "both": "Twice the time; the jumper's risk stays.",
        },
    ),
    PolicyQuestion(
        letter=HEALTHY_SENSOR,
        question="Healthy sensor met with the access open",
        choices=(("clean_keep", "clean and keep"), ("replace", "replace on distance while there")),
        why="The owner decides with the price beside it.",
        risks={"replace": "A good sensor is thrown away; a new one may be the worse."},
    ),
    PolicyQuestion(
        letter=OXYGEN_SENSOR,
        question="Upstream oxygen sensor",
        choices=(
            ("test", "test, upkeep product if slow, else replace"),
            ("ingestion", "test, product through a vacuum line if slow, else replace"),
            ("replace", "replace on distance"),
        ),
        why="Sprays on the sensor are refused under all.",
        risks={
            "ingestion": (
                "A gulp knocks, and lets the catalyst glow; the sensor behind it gains nothing."
            ),
            "replace": "The owner pays for a sensor that still answers.",
        },
    ),
    PolicyQuestion(
        letter=ISOLATION,
        question="Isolation by unplugging a sensor",
        choices=(
            ("not_used", "not used"),
            ("timed", "as a timed test where the family says it is safe, must go back"),
        ),
        why="Some engines stop; leaving it is tampering.",
        risks={"timed": "A plug forgotten is a fault of the work, and against the law."},
    ),
    PolicyQuestion(
        letter=MANIFOLD_BATH,
        question="Manifold bath",
        choices=(
            ("send_out", "send out"),
            ("own_bath", "own ultrasonic bath"),
            ("by_hand", "by hand"),
        ),
        why="Electronics and sensors off in all.",
        risks={
            "send_out": "A day away.",
            "own_bath": "Heat and time by label, or the plastic warps.",
            "by_hand": "Corners keep what the scraper can not reach.",
        },
    ),
)
BY_LETTER: dict[str, PolicyQuestion] = {s.letter: s for s in POLICY_QUESTIONS}
DEFAULT_POLICY: dict[str, str] = {s.letter: s.choices[0][0] for s in POLICY_QUESTIONS}
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
    *,
    distance_km: float | None,
    policy: Mapping[str, str],
    deposit: str = "",
    opened: bool = False,
) -> frozenset[str]:
    """Which variants of a part's procedure the schools choose.

    A grade that is not known yet counts as heavy for the manifold, the ports and the recirculation,
    so that the plan holds time enough. `opened`: other work lays the part open anyway, so that it
    is not treated through the shut engine.
    """
    heavy = grade is None or grade >= HEAVY
    commanded = {
        "scan_tool": {"by_scan_tool"},
        "jumper": {"by_jumper"},
        "both": {"by_scan_tool", "by_jumper"},
    }
    # A motor has two directions and its own driver: a jumper is for a solenoid.
    motor = "electronic" in part.features
    tests = frozenset(commanded["scan_tool" if motor else policy.get(COMMANDED_TEST, "scan_tool")])
    if part.component == "throttle_body":
        electronic = "electronic" in part.features
        moved = {
            "never": "service_mode" if electronic else "gentle",
            "free": "gentle" if electronic else "free",
        }.get(policy.get(ELECTRONIC_PLATE, ""), "gentle")
        return frozenset(
            {
                "direct"
                if policy.get(AGENT_INTO_THROTTLE) == "direct" and not electronic
                else "on_cloth",
                moved,
                "moved_by_hand" if moved != "service_mode" else moved,
            }
        )
    flushed = part.component in RECIRCULATION or (
        part.component in INTAKE and family.fuel == "diesel"
    )
    # In place only what is light and soft: hard carbon and a plugged way are never flushed.
    if (
        flushed
        and not opened
        and not heavy
        and deposit != "hard_carbon"
        and policy.get(LIGHT_DEPOSIT) != "dismantle"
    ):
        way = "leave" if policy.get(LIGHT_DEPOSIT) == "leave" else "in_place"
        return frozenset(
            {way, *(tests if part.component == "egr_valve" and way == "in_place" else ())}
        )
    if part.component == "egr_valve":
        return tests
    if part.component == "oxygen_sensor":
        return frozenset({"vacuum_line" if drawn_through_a_line(family, part, policy) else "tank"})
    if part.component == "intake_ports":
        if family.injection != "direct":
            return frozenset({"opened", "soak"})
        blast = (
            (distance_km or 0) >= BLAST_FROM_KM
            if policy.get(DIRECT_PORTS) == "blast_on_distance"
            else heavy and policy.get(DIRECT_PORTS) != "aerosol_only"
        )
        if not blast and not opened and family.fuel == "petrol":
            return frozenset({"upkeep"})
        return frozenset({"opened", "blast" if blast else "soak"})
    if part.component == "intake_manifold":
        if not heavy or policy.get(HEAVY_MANIFOLD) == "on_vehicle":
            return frozenset({"hand"})
        bath = (
            "send_out"
            if policy.get(HEAVY_MANIFOLD) == "send_out"
            else policy.get(MANIFOLD_BATH, "send_out")
        )
        return frozenset(
            {{"send_out": "bath_out", "own_bath": "bath_own", "by_hand": "hand"}[bath]}
        )
    return frozenset()


def drawn_through_a_line(family: EngineFamily, part: Part, policy: Mapping[str, str]) -> bool:
    """Whether school P draws the product in through a vacuum line: a throttled engine, a sensor
    before the catalyst."""
    throttled = family.fuel == "petrol" and family.cycle == "four_stroke"
    return (
        policy.get(OXYGEN_SENSOR) == "ingestion" and throttled and "downstream" not in part.features
    )


def way_in_place(tags: Iterable[str]) -> str:
    """The shared procedure that the tags send a part to, empty for its own."""
    return next((WAYS_IN_PLACE[t] for t in sorted(tags) if t in WAYS_IN_PLACE), "")
