"""Hazards of this trade, by the marks of a step, check or relearn phase, and by worksheet.

Sources: safety data sheets' usual sections 7 and 8 for agents; workshop practice for the rest.
Respirator classes as in EN 149 (FFP3) and EN 14387 (type AX for low-boiling solvents); soot of
engines counts as a cause of cancer (IARC 105).
"""

from galene.core.airpath.family import EngineFamily
from galene.core.diagnosis.records import Check
from galene.core.planning.car import Car
from galene.core.planning.hazards import Hazard, cautions_at
from galene.core.planning.records import StateWords, Step
from galene.core.planning.words import Engine
from galene.core.proof.relearn import Phase

HOT_FILM = frozenset({"hot_element"})
DRIVEN = frozenset({"runner_actuator", "runner_flaps", "egr_valve"})
"""Kinds that move when they are commanded; a throttle's plate where a motor moves it."""
SOLVENTS = frozenset({"flammable", "chlorinated", "ketones", "aromatics", "alkaline"})
REACHES_IN = frozenset({"unhook", "hook", "change_oil", "leak_look"})
HAZARDS: tuple[Hazard, ...] = (
    Hazard(caution="runaway", ways=frozenset({"running_ingestion"}), fuels=frozenset({"diesel"})),
    Hazard(caution="lock", ways=frozenset({"running_ingestion"})),
    Hazard(
        caution="fire",
        properties=frozenset({"flammable"}),
        acts=frozenset({"handle_fuel", "open_fuel", "let_pressure"}),
        relearns=frozenset({"fuel_venting"}),
        fuel_line=True,
    ),
    Hazard(caution="rail", fuel_line=True, fuels=frozenset({"diesel"})),
    Hazard(caution="rail", fuel_line=True, injections=frozenset({"direct"})),
    Hazard(
        caution="fumes", properties=SOLVENTS, tools=frozenset({"smoke machine at low pressure"})
    ),
    Hazard(
        caution="eyes",
        properties=SOLVENTS,
        ways=frozenset({"blast", "running_ingestion"}),
        acts=frozenset({"blow", "blast", "press_air", "ream", "wire", "wash"}),
        tools=frozenset({"cutters"}),
    ),
    Hazard(
        caution="dust",
        acts=frozenset({"scrape", "wire", "ream", "blast", "vacuum"}),
        tools=frozenset({"soft brass brush", "bottle brush", "brushes"}),
        ways=frozenset({"blast"}),
    ),
    Hazard(
        caution="air",
        acts=frozenset({"blow", "blast", "press_air", "press_coolant"}),
        tools=frozenset({"air gun", "blast gun", "pressure test kit"}),
    ),
    Hazard(caution="element", acts=frozenset({"look", "spray", "compare_new"}), features=HOT_FILM),
    Hazard(
        caution="objects",
        acts=frozenset({"put_inside", "take_out"}),
        acts_inside=frozenset({"scrape", "wire", "ream", "blast", "brush", "spray", "soak"}),
        inside=True,
    ),
    Hazard(caution="objects", acts=frozenset({"turn_crank"}), parts=frozenset({"intake_ports"})),
    Hazard(caution="fingers", acts=frozenset({"command"}), parts=DRIVEN),
    Hazard(
        caution="fingers",
        acts=frozenset({"command", "move_by_hand", "take_out"}),
        parts=frozenset({"throttle_body"}),
        features=frozenset({"electronic"}),
    ),
    Hazard(
        caution="fingers",
        relearns=frozenset(
            {"throttle_guided", "throttle_manual", "runner_flap_adaptation", "egr_valve_zero"}
        ),
    ),
    Hazard(caution="jumper", acts=frozenset({"jumper"})),
    Hazard(caution="battery", acts=frozenset({"power_off"})),
    Hazard(caution="exhaust", engines=frozenset({"running"})),
    Hazard(
        caution="rotating",
        engines=frozenset({"running"}),
        acts=frozenset({"turn_crank", "crank_dry"}),
    ),
    Hazard(caution="road", kinds=frozenset({"road"}), acts=frozenset({"drive", "ride"})),
    Hazard(
        caution="hot_coolant",
        coolant=True,
        acts=frozenset({"press_coolant"}),
        cools=True,
        relearns=frozenset({"coolant_bleed_and_watch"}),
        coolings=frozenset({"liquid"}),
    ),
    Hazard(caution="coolant", coolant=True, acts=frozenset({"press_coolant"})),
    Hazard(
        caution="burn_off",
        relearns=frozenset({"particulate_burn_off"}),
        acts=frozenset({"burn"}),
    ),
    Hazard(caution="cab", acts=frozenset({"tilt", "untilt"})),
    Hazard(caution="spring", acts=frozenset({"spring"}), tools=frozenset({"spring hook"})),
    Hazard(
        caution="lifting", acts=frozenset({"sling", "jack"}), tools=frozenset({"sling", "lift"})
    ),
    Hazard(caution="hot_surfaces", cold=True, warm_hands=REACHES_IN),
    Hazard(caution="hot_surfaces", cools=True, coolings=frozenset({"air"})),
    Hazard(caution="tampering", acts=frozenset({"isolate"})),
)
"""What every step of every plan, check and phase is held against, a foreman's own too."""
WORKSHEET_HAZARDS: dict[str, tuple[str, ...]] = {
    "ingestion-limit": ("lock", "exhaust", "rotating", "runaway"),
    "blast-positions": ("dust", "eyes", "objects", "rotating"),
    "actuator-drive-check": ("jumper",),
    "egr-flow-test": ("exhaust", "rotating"),
    "egr-flow-crosscheck": ("exhaust", "rotating"),
    "expected-airflow": ("exhaust", "rotating"),
    "trim-split": ("exhaust", "rotating"),
    "idle-gap": ("exhaust", "fingers"),
    "oxygen-response": ("exhaust", "rotating"),
    "regeneration-trace": ("burn_off", "exhaust"),
    "runner-sweep": ("fingers",),
    "before-after": ("exhaust", "rotating"),
    "drying-time": ("fire", "fumes"),
}
"""Calculation to what can hurt where its figures are taken or used."""


def cautions_of_phase(relearn_id: str, phase: Phase, family: EngineFamily) -> tuple[str, ...]:
    """What can hurt in one phase of a relearn on an engine."""
    engine: Engine = "running" if phase.engine_on else "ignition"
    step = Step(
        id=phase.id,
        text="",
        phase="relearn",
        minutes=phase.hold_minutes,
        relearn=relearn_id,
        acts=phase.acts,
        does=StateWords(engine=engine),
    )
    return cautions_at(step, family, HAZARDS, Car(heat="warm" if phase.engine_on else "cold"))


def cautions_of_check(check: Check, family: EngineFamily) -> tuple[str, ...]:
    """What can hurt at a check on an engine, besides what its way in asks."""
    part = next((p.id for k in check.components for p in family.parts if p.component == k), "")
    running = check.engine == "running"
    step = Step(
        id=check.id,
        text="",
        phase="safe",
        minutes=check.minutes,
        part=part,
        acts=check.acts,
        tools=check.needs,
        needs=StateWords(engine=check.engine or "off"),  # type: ignore[arg-type]
    )
    return cautions_at(step, family, HAZARDS, Car(heat="warm" if running else "cold"))
