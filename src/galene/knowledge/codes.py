"""Generic meanings of trouble codes, in our own words, by the public standard's numbering (SAE J2012, ISO 15031-6)."""

from dataclasses import dataclass

CIRCUIT = {0: "circuit", 1: "range or performance", 2: "signal low", 3: "signal high", 4: "signal comes and goes"}
EGR_CIRCUIT = {0: "flow", 1: "flow too low", 2: "flow too high", 3: "control circuit", 4: "control range or performance"}


@dataclass(frozen=True)
class CodeGroup:
    """Codes that name one function. `evidence` is the id in the diagnosis, `component` where it lights up the drawing."""

    evidence: str
    title: str
    says: str
    says_not: str
    component: str | None


GROUPS: dict[str, CodeGroup] = {
    g.evidence: g
    for g in (
        CodeGroup("code_maf", "Air meter", "The air meter's signal disagrees with what the engine should take in.",
                  "It does not say that the meter is dead: film, dust or air behind it look the same.", "maf_sensor"),
        CodeGroup("code_map", "Manifold pressure", "The manifold pressure signal is out of its range or does not fit.",
                  "It does not tell sensor from plugged snout, hose or port.", "map_sensor"),
        CodeGroup("code_iat", "Intake air temperature", "The intake temperature signal is out of range or frozen.",
                  "Often the plug or a film, and often part of the air meter.", "iat_sensor"),
        CodeGroup("code_throttle_position", "Throttle position", "Two position signals disagree or leave their range.",
                  "A sticking plate does this before the motor or sensor is bad.", "throttle_body"),
        CodeGroup("code_lean", "Mixture lean", "The control unit adds more fuel than it may.",
                  "Not an oxygen sensor fault: first air that is not counted, then the meter.", None),
        CodeGroup("code_rich", "Mixture rich", "The control unit takes away more fuel than it may.",
                  "Not an oxygen sensor fault by itself.", None),
        CodeGroup("code_misfire", "Misfire", "The crank slows where a cylinder should push.",
                  "Ignition, fuel, compression or air: deposits are only one of them.", "intake_ports"),
        CodeGroup("code_idle", "Idle speed", "Idle speed stays off its target although the control works at it.",
                  "Narrowed or leaking air at idle does this as well as the actuator.", "throttle_body"),
        CodeGroup("code_throttle_control", "Throttle control", "The plate does not follow its command as it should.",
                  "Deposit that holds the plate comes before the motor.", "throttle_body"),
        CodeGroup("code_boost_low", "Boost low", "Charge pressure stays below its target.",
                  "Leak, clogged intake, soot on the sensor or turbine control.", "charge_air_pipe"),
        CodeGroup("code_boost_sensor", "Boost sensor", "The charge pressure signal is out of range or does not fit.",
                  "Soot and oil on the snout look like a bad sensor.", "boost_sensor"),
        CodeGroup("code_egr_flow_low", "Recirculation low", "Less exhaust comes back than commanded.",
                  "It does not name the valve: a plugged passage is common.", "egr_valve"),
        CodeGroup("code_egr_flow_high", "Recirculation high", "More exhaust comes back than commanded.",
                  "A seat held open by carbon, or the sensor that watches.", "egr_valve"),
        CodeGroup("code_egr_control", "Recirculation control", "The valve's or cooler's control does not do what it is told.",
                  "Circuit, motor or a stem that sticks.", "egr_valve"),
        CodeGroup("code_egr_position", "Recirculation position", "The position signal is out of its range.",
                  "Soot that stops the valve short moves the signal too.", "egr_valve"),
        CodeGroup("code_secondary_air", "Secondary air", "Secondary air is missing or leaks.",
                  "Not the main air meter: the small meter and the valve.", "secondary_air_valve"),
        CodeGroup("code_exhaust_pressure", "Exhaust pressure", "The exhaust pressure signal does not fit.",
                  "A blocked tube starves a good sensor.", "exhaust_pressure_sensor"),
        CodeGroup("code_pressure_correlation", "Pressures disagree", "Two pressures that should agree do not.",
                  "It does not say which of the two is wrong.", None),
        CodeGroup("code_oxygen_sensor", "Oxygen sensor", "The oxygen sensor's signal or heater is not as expected.",
                  "Many of these are another fault's lean or rich mixture.", "oxygen_sensor"),
        CodeGroup("code_runner", "Intake runner", "The runner flaps' position does not follow.",
                  "Stiff flaps, an unhooked lever or dust in the actuator's sensor.", "runner_flaps"),
        CodeGroup("code_particulate_filter", "Particulate filter", "The filter's load or burn-off is not as expected.",
                  "What feeds it soot comes first.", "particulate_filter"),
        CodeGroup("code_crankcase_pressure", "Crankcase pressure", "The crankcase pressure signal does not fit.",
                  "Hose, fitting and seal come before the sensor.", "crankcase_pressure_sensor"),
    )
}  # fmt: skip


@dataclass(frozen=True)
class CodeMeaning:
    """What a code means in general; `group` is None for a code outside this work."""

    code: str
    text: str
    group: str | None


def _run(first: int, name: str, group: str, words: dict[int, str] | None = None) -> dict[str, tuple[str, str]]:
    return {f"P{first + k:04d}": (f"{name}: {word}", group) for k, word in (words or CIRCUIT).items()}


KNOWN: dict[str, tuple[str, str]] = {
    **_run(100, "Air meter", "code_maf"),
    **_run(105, "Manifold pressure", "code_map"),
    **_run(110, "Intake air temperature", "code_iat"),
    **_run(120, "Throttle position, first track", "code_throttle_position"),
    **_run(220, "Throttle position, second track", "code_throttle_position"),
    "P2135": ("Throttle position: the two tracks disagree", "code_throttle_position"),
    "P0171": ("Mixture too lean, bank 1", "code_lean"),
    "P0174": ("Mixture too lean, bank 2", "code_lean"),
    "P0172": ("Mixture too rich, bank 1", "code_rich"),
    "P0175": ("Mixture too rich, bank 2", "code_rich"),
    "P0300": ("Misfire, more than one cylinder", "code_misfire"),
    **{f"P03{n:02d}": (f"Misfire, cylinder {n}", "code_misfire") for n in range(1, 13)},
    "P0505": ("Idle control", "code_idle"),
    "P0506": ("Idle speed below target", "code_idle"),
    "P0507": ("Idle speed above target", "code_idle"),
    "P0638": ("Throttle actuator: range or performance", "code_throttle_control"),
    **{f"P{n}": ("Throttle actuator control", "code_throttle_control") for n in range(2100, 2120)},
    "P2100": ("Throttle actuator motor: circuit open", "code_throttle_control"),
    "P2101": ("Throttle actuator motor: range or performance", "code_throttle_control"),
    "P2106": ("Throttle actuator: power is limited on purpose", "code_throttle_control"),
    "P2111": ("Throttle actuator: stuck open", "code_throttle_control"),
    "P2112": ("Throttle actuator: stuck closed", "code_throttle_control"),
    "P2119": ("Throttle plate: range or performance", "code_throttle_control"),
    "P2176": ("Throttle: idle position not learned", "code_throttle_control"),
    "P0299": ("Charge pressure too low", "code_boost_low"),
    **{f"P0{n}": ("Charge pressure sensor", "code_boost_sensor") for n in range(235, 240)},
    "P0401": ("Exhaust recirculation: flow too low", "code_egr_flow_low"),
    "P0402": ("Exhaust recirculation: flow too high", "code_egr_flow_high"),
    "P0403": ("Exhaust recirculation: control circuit", "code_egr_control"),
    "P0404": ("Exhaust recirculation: control range or performance", "code_egr_control"),
    "P2413": ("Exhaust recirculation: system performance", "code_egr_control"),
    "P2457": ("Recirculation cooler: performance", "code_egr_control"),
    **{f"P0{n}": ("Exhaust recirculation: position signal", "code_egr_position") for n in range(405, 409)},
    **{f"P0{n}": ("Secondary air", "code_secondary_air") for n in (*range(410, 420), 491, 492)},
    **{f"P0{n}": ("Exhaust pressure", "code_exhaust_pressure") for n in range(470, 477)},
    "P0068": ("Manifold pressure or air meter against throttle position", "code_pressure_correlation"),
    "P0069": ("Manifold pressure against ambient pressure", "code_pressure_correlation"),
    **{f"P006{x}": ("Pressure or airflow signals disagree", "code_pressure_correlation") for x in "ABCDEF"},
    **{f"P0{n}": ("Oxygen sensor", "code_oxygen_sensor") for n in range(130, 168)},
    "P0130": ("Oxygen sensor 1, bank 1: circuit", "code_oxygen_sensor"),
    "P0133": ("Oxygen sensor 1, bank 1: slow", "code_oxygen_sensor"),
    "P0135": ("Oxygen sensor 1, bank 1: heater", "code_oxygen_sensor"),
    "P0139": ("Oxygen sensor 2, bank 1: slow", "code_oxygen_sensor"),
    **{f"P{n}": ("Intake runner control", "code_runner") for n in (*range(2004, 2023), *range(2070, 2078))},
    "P2002": ("Particulate filter: efficiency", "code_particulate_filter"),
    **{f"P{n}": ("Particulate filter: pressure or load", "code_particulate_filter") for n in range(2452, 2464) if n != 2457},
    **{f"P051{x}": ("Crankcase pressure", "code_crankcase_pressure") for x in "ABCDEF"},
}
KINDS = {"P": "engine and drive", "B": "body", "C": "chassis", "U": "network between control units"}


def code_meaning(code: str) -> CodeMeaning:
    """The generic meaning of a five-character code. Never fails for a code that can exist."""
    if code in KNOWN:
        text, group = KNOWN[code]
        return CodeMeaning(code, text, group)
    if code[0] != "P":
        return CodeMeaning(code, f"A code of the {KINDS[code[0]]}: outside this work, keep it on the job and refer on", None)
    if code[1] == "1" or (code[1] == "3" and code[2] in "0123"):
        return CodeMeaning(code, "Maker's own code: look it up in the service information", None)
    return CodeMeaning(code, "Generic code outside the air path: look it up in the service information", None)
