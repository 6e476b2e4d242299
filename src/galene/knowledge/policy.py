"""Schools of practice that these procedures depend on: the choices, the default first, the reason
for it, and what each risks."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

from galene.core.airpath.family import EngineFamily, Part
from galene.core.planning.policy_keys import (
    AGENT_INTO_THROTTLE,
    COMMANDED_TEST,
    DIRECT_PORTS,
    ELECTRONIC_PLATE,
    HEAVY_MANIFOLD,
    LIGHT_DEPOSIT,
    MANIFOLD_BATH,
    OXYGEN_SENSOR,
)
from galene.knowledge.documents import read


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


POLICY_QUESTIONS: tuple[PolicyQuestion, ...] = read(
    "policy.toml", tuple[PolicyQuestion, ...], "questions"
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
