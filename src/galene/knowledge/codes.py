"""Generic meanings of trouble codes, in our own words, by the public standard's numbering (SAE
J2012, ISO 15031-6)."""

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from types import MappingProxyType


@dataclass(frozen=True, kw_only=True)
class CodeGroup:
    """Codes that name one function. `evidence` is the id in the diagnosis, `component` where it
    lights up the drawing."""

    evidence: str
    title: str
    says: str
    says_not: str
    component: str | None


GROUPS: dict[str, CodeGroup] = {
    g.evidence: g
    for g in (
        CodeGroup(
            evidence="code_maf",
            title="Air meter",
            says="The air meter's signal disagrees with what the engine should take in.",
            says_not=(
                "It does not say that the meter is dead: film, dust or air behind it look the same."
            ),
            component="maf_sensor",
        ),
        CodeGroup(
            evidence="code_map",
            title="Manifold pressure",
            says="The manifold pressure signal is out of its range or does not fit.",
            says_not="It does not tell sensor from plugged snout, hose or port.",
            component="map_sensor",
        ),
        CodeGroup(
            evidence="code_iat",
            title="Intake air temperature",
            says="The intake temperature signal is out of range or frozen.",
            says_not="Often the plug or a film, and often part of the air meter.",
            component="iat_sensor",
        ),
        CodeGroup(
            evidence="code_throttle_position",
            title="Throttle position",
            says="A position signal leaves its range or disagrees with the other.",
            says_not=(
                "Not whose track it is, the plate's or the pedal's; only a range code may be a"
                " plate that sticks."
            ),
            component="throttle_body",
        ),
        CodeGroup(
            evidence="code_lean",
            title="Mixture lean",
            says="The control unit adds more fuel than it may.",
            says_not="Not an oxygen sensor fault: first air that is not counted, then the meter.",
            component=None,
        ),
        CodeGroup(
            evidence="code_rich",
            title="Mixture rich",
            says="The control unit takes away more fuel than it may.",
            says_not="Not an oxygen sensor fault by itself.",
            component=None,
        ),
        CodeGroup(
            evidence="code_misfire",
            title="Misfire",
            says="The crank slows where a cylinder should push.",
            says_not="Ignition, fuel, compression or air: deposits are only one of them.",
            component="intake_ports",
        ),
        CodeGroup(
            evidence="code_idle",
            title="Idle speed",
            says="Idle speed stays off its target although the control works at it.",
            says_not="Narrowed or leaking air at idle does this as well as the actuator.",
            component="throttle_body",
        ),
        CodeGroup(
            evidence="code_throttle_control",
            title="Throttle control",
            says="The plate does not follow its command as it should.",
            says_not="Deposit that holds the plate comes before the motor.",
            component="throttle_body",
        ),
        CodeGroup(
            evidence="code_boost_low",
            title="Boost low",
            says="Charge pressure stays below its target.",
            says_not="Leak, clogged intake, soot on the sensor or turbine control.",
            component="charge_air_pipe",
        ),
        CodeGroup(
            evidence="code_boost_sensor",
            title="Boost sensor",
            says="The charge pressure signal is out of range or does not fit.",
            says_not="Soot and oil on the snout look like a bad sensor.",
            component="boost_sensor",
        ),
        CodeGroup(
            evidence="code_egr_flow_low",
            title="Recirculation low",
            says="Less exhaust comes back than commanded.",
            says_not="It does not name the valve: a plugged passage is common.",
            component="egr_valve",
        ),
        CodeGroup(
            evidence="code_egr_flow_high",
            title="Recirculation high",
            says="More exhaust comes back than commanded.",
            says_not="A seat held open by carbon, or the sensor that watches.",
            component="egr_valve",
        ),
        CodeGroup(
            evidence="code_egr_control",
            title="Recirculation control",
            says="The valve's or cooler's control does not do what it is told.",
            says_not="Circuit, motor or a stem that sticks.",
            component="egr_valve",
        ),
        CodeGroup(
            evidence="code_egr_position",
            title="Recirculation position",
            says="The position signal's circuit is out of its range.",
            says_not="A circuit code blames no soot: plug and wires first.",
            component="egr_valve",
        ),
        CodeGroup(
            evidence="code_secondary_air",
            title="Secondary air",
            says="Secondary air is missing or leaks.",
            says_not="Not the main air meter: the small meter and the valve.",
            component="secondary_air_valve",
        ),
        CodeGroup(
            evidence="code_exhaust_pressure",
            title="Exhaust pressure",
            says="The exhaust pressure signal does not fit.",
            says_not="A blocked tube starves a good sensor.",
            component="exhaust_pressure_sensor",
        ),
        CodeGroup(
            evidence="code_pressure_correlation",
            title="Pressures disagree",
            says="Two pressures that should agree do not.",
            says_not="It does not say which of the two is wrong.",
            component=None,
        ),
        CodeGroup(
            evidence="code_oxygen_sensor",
            title="Oxygen sensor",
            says="The oxygen sensor's signal or heater is not as expected.",
            says_not="Many of these are another fault's lean or rich mixture.",
            component="oxygen_sensor",
        ),
        CodeGroup(
            evidence="code_runner",
            title="Intake runner",
            says="The runner flaps' position does not follow.",
            says_not="Stiff flaps, an unhooked lever or dust in the actuator's sensor.",
            component="runner_flaps",
        ),
        CodeGroup(
            evidence="code_particulate_filter",
            title="Particulate filter",
            says="The filter's load or burn-off is not as expected.",
            says_not="What feeds it soot comes first.",
            component="particulate_filter",
        ),
        CodeGroup(
            evidence="code_barometric",
            title="Ambient pressure",
            says="The ambient pressure signal is out of its range.",
            says_not="Often inside the control unit; no deposit does it.",
            component="barometric_sensor",
        ),
        CodeGroup(
            evidence="code_crankcase_pressure",
            title="Crankcase pressure",
            says="The crankcase pressure signal does not fit.",
            says_not="Hose, fitting and seal come before the sensor.",
            component="crankcase_pressure_sensor",
        ),
    )
}


@dataclass(frozen=True, kw_only=True)
class CodeMeaning:
    """What a code means in general.

    `group` is None for a code outside this work; `evidence` is what the code's own meaning says in
    the diagnosis: of its group, or narrower (a circuit code blames no deposit); `bank` is that of
    the mixture it speaks of, 0 where none.
    """

    code: str
    text: str
    group: str | None = None
    evidence: str | None = None
    bank: int = 0


def _code(code: str, text: str, group: str, *, evidence: str = "", bank: int = 0) -> CodeMeaning:
    return CodeMeaning(code=code, text=text, group=group, evidence=evidence or group, bank=bank)


def _signal(first: int, name: str, group: str, *, circuit: str) -> tuple[CodeMeaning, ...]:
    """The five codes of a signal: circuit, range or performance, low, high, comes and goes."""
    words = (
        "circuit",
        "range or performance",
        "signal low",
        "signal high",
        "signal comes and goes",
    )
    return tuple(
        _code(f"P{first + k:04d}", f"{name}: {word}", group, evidence=group if k == 1 else circuit)
        for k, word in enumerate(words)
    )


def _several(
    codes: Iterable[str], text: str, group: str, *, evidence: str = ""
) -> tuple[CodeMeaning, ...]:
    return tuple(_code(c, text, group, evidence=evidence) for c in codes)


def _numbers(*runs: tuple[int, int]) -> tuple[str, ...]:
    """Codes of these runs of numbers, both ends counted."""
    return tuple(f"P{n:04d}" for first, last in runs for n in range(first, last + 1))


MIXTURE: tuple[CodeMeaning, ...] = (
    _code("P0171", "Mixture too lean, bank 1", "code_lean", bank=1),
    _code("P0174", "Mixture too lean, bank 2", "code_lean", bank=2),
    _code(
        "P2177",
        "Mixture too lean off idle, bank 1",
        "code_lean",
        evidence="code_lean_off_idle",
        bank=1,
    ),
    _code(
        "P2179",
        "Mixture too lean off idle, bank 2",
        "code_lean",
        evidence="code_lean_off_idle",
        bank=2,
    ),
    _code(
        "P2187",
        "Mixture too lean at idle, bank 1",
        "code_lean",
        evidence="code_lean_at_idle",
        bank=1,
    ),
    _code(
        "P2189",
        "Mixture too lean at idle, bank 2",
        "code_lean",
        evidence="code_lean_at_idle",
        bank=2,
    ),
    _code("P0172", "Mixture too rich, bank 1", "code_rich", bank=1),
    _code("P0175", "Mixture too rich, bank 2", "code_rich", bank=2),
    _code("P2178", "Mixture too rich off idle, bank 1", "code_rich", bank=1),
    _code("P2180", "Mixture too rich off idle, bank 2", "code_rich", bank=2),
    _code("P2188", "Mixture too rich at idle, bank 1", "code_rich", bank=1),
    _code("P2190", "Mixture too rich at idle, bank 2", "code_rich", bank=2),
)
THROTTLE: tuple[CodeMeaning, ...] = (
    *_signal(
        120,
        "Throttle or pedal position A",
        "code_throttle_position",
        circuit="code_throttle_tracks",
    ),
    *_signal(
        220,
        "Throttle or pedal position B",
        "code_throttle_position",
        circuit="code_throttle_tracks",
    ),
    _code(
        "P2135",
        "Throttle or pedal position: A and B disagree",
        "code_throttle_position",
        evidence="code_throttle_tracks",
    ),
    _code("P0638", "Throttle actuator: range or performance", "code_throttle_control"),
    *_several(_numbers((2100, 2112)), "Throttle actuator control", "code_throttle_control"),
    _code(
        "P2100",
        "Throttle actuator motor: circuit open",
        "code_throttle_control",
        evidence="code_throttle_motor",
    ),
    _code("P2101", "Throttle actuator motor: range or performance", "code_throttle_control"),
    _code(
        "P2102",
        "Throttle actuator motor: circuit low",
        "code_throttle_control",
        evidence="code_throttle_motor",
    ),
    _code(
        "P2103",
        "Throttle actuator motor: circuit high",
        "code_throttle_control",
        evidence="code_throttle_motor",
    ),
    _code(
        "P2106",
        "Throttle actuator: power is limited on purpose",
        "code_throttle_control",
        evidence="code_throttle_limited",
    ),
    _code("P2111", "Throttle actuator: stuck open", "code_throttle_control"),
    _code("P2112", "Throttle actuator: stuck closed", "code_throttle_control"),
    _code(
        "P2118",
        "Throttle actuator motor: current out of range",
        "code_throttle_control",
        evidence="code_throttle_motor",
    ),
    _code("P2119", "Throttle plate: range or performance", "code_throttle_control"),
    _code(
        "P2176",
        "Throttle: idle position not learned",
        "code_throttle_control",
        evidence="code_throttle_not_learned",
    ),
)
IDLE: tuple[CodeMeaning, ...] = (
    _code("P0505", "Idle control", "code_idle"),
    _code("P0506", "Idle speed below target", "code_idle", evidence="code_idle_low"),
    _code("P0507", "Idle speed above target", "code_idle", evidence="code_idle_high"),
    _code("P0508", "Idle valve: circuit low", "code_idle", evidence="code_idle_circuit"),
    _code("P0509", "Idle valve: circuit high", "code_idle", evidence="code_idle_circuit"),
    _code("P0511", "Idle valve: circuit", "code_idle", evidence="code_idle_circuit"),
)
RECIRCULATION: tuple[CodeMeaning, ...] = (
    _code("P0400", "Exhaust recirculation: flow", "code_egr_flow_low"),
    _code("P0401", "Exhaust recirculation: flow too low", "code_egr_flow_low"),
    _code("P0402", "Exhaust recirculation: flow too high", "code_egr_flow_high"),
    _code("P042E", "Exhaust recirculation: control stuck open", "code_egr_flow_high"),
    _code(
        "P0403",
        "Exhaust recirculation: control circuit",
        "code_egr_control",
        evidence="code_egr_circuit",
    ),
    _code("P0404", "Exhaust recirculation: control range or performance", "code_egr_control"),
    _code("P0405", "Recirculation position: signal low", "code_egr_position"),
    _code("P0406", "Recirculation position: signal high", "code_egr_position"),
    _code("P0407", "Recirculation position B: signal low", "code_egr_position"),
    _code("P0408", "Recirculation position B: signal high", "code_egr_position"),
    _code(
        "P0409", "Recirculation sensor: circuit", "code_egr_control", evidence="code_egr_circuit"
    ),
    *_several(
        _numbers((487, 490)),
        "Recirculation throttle or valve: control circuit",
        "code_egr_control",
        evidence="code_egr_circuit",
    ),
    _code("P2413", "Exhaust recirculation: system performance", "code_egr_control"),
    _code(
        "P2457", "Recirculation cooler: performance", "code_egr_control", evidence="code_egr_cooler"
    ),
)
SECONDARY: tuple[CodeMeaning, ...] = (
    _code("P0410", "Secondary air: system", "code_secondary_air"),
    _code("P0411", "Secondary air: flow not right", "code_secondary_air"),
    _code("P0491", "Secondary air: flow too low, bank 1", "code_secondary_air"),
    _code("P0492", "Secondary air: flow too low, bank 2", "code_secondary_air"),
    *_several(
        _numbers((412, 419)),
        "Secondary air: valve or relay circuit",
        "code_secondary_air",
        evidence="code_secondary_circuit",
    ),
    _code(
        "P2431",
        "Small secondary-air meter: range or performance",
        "code_secondary_air",
        evidence="code_secondary_meter",
    ),
    _code(
        "P2432",
        "Small secondary-air meter: signal low",
        "code_secondary_air",
        evidence="code_secondary_circuit",
    ),
    _code(
        "P2433",
        "Small secondary-air meter: signal high",
        "code_secondary_air",
        evidence="code_secondary_circuit",
    ),
    *_several(
        _numbers((2440, 2443)),
        "Secondary air: valve stuck",
        "code_secondary_air",
        evidence="code_secondary_valve",
    ),
    *_several(
        _numbers((2444, 2445)),
        "Secondary air: pump stuck on or off",
        "code_secondary_air",
        evidence="code_secondary_circuit",
    ),
)
PRESSURES: tuple[CodeMeaning, ...] = (
    *_signal(
        470, "Exhaust pressure", "code_exhaust_pressure", circuit="code_exhaust_pressure_circuit"
    ),
    _code(
        "P0068",
        "Manifold pressure or air meter against throttle position",
        "code_pressure_correlation",
        evidence="code_load_against_throttle",
    ),
    _code(
        "P2073",
        "Manifold pressure or air meter against throttle position, at idle",
        "code_pressure_correlation",
        evidence="code_load_against_throttle",
    ),
    _code(
        "P2074",
        "Manifold pressure or air meter against throttle position, under load",
        "code_pressure_correlation",
        evidence="code_load_against_throttle",
    ),
    _code(
        "P0069",
        "Manifold pressure against ambient pressure",
        "code_pressure_correlation",
        evidence="code_manifold_against_ambient",
    ),
    _code(
        "P006A",
        "Manifold pressure against air meter",
        "code_pressure_correlation",
        evidence="code_manifold_against_meter",
    ),
    _code(
        "P006B",
        "Manifold pressure against exhaust pressure",
        "code_pressure_correlation",
        evidence="code_manifold_against_exhaust",
    ),
    _code(
        "P006C",
        "Manifold pressure against turbine inlet pressure",
        "code_pressure_correlation",
        evidence="code_manifold_against_exhaust",
    ),
    _code(
        "P006D",
        "Ambient pressure against turbine inlet pressure",
        "code_pressure_correlation",
        evidence="code_manifold_against_exhaust",
    ),
    _code("P0129", "Ambient pressure too low", "code_barometric"),
    *_several(_numbers((2226, 2229)), "Ambient pressure sensor: circuit", "code_barometric"),
    _code("P0299", "Charge pressure too low", "code_boost_low"),
    _code("P2263", "Charging: performance", "code_boost_low"),
    *_signal(
        235, "Charge pressure sensor", "code_boost_sensor", circuit="code_boost_sensor_circuit"
    ),
    _code(
        "P051A",
        "Crankcase pressure: circuit",
        "code_crankcase_pressure",
        evidence="code_crankcase_circuit",
    ),
    _code("P051B", "Crankcase pressure: range or performance", "code_crankcase_pressure"),
    _code(
        "P051C",
        "Crankcase pressure: signal low",
        "code_crankcase_pressure",
        evidence="code_crankcase_circuit",
    ),
    _code(
        "P051D",
        "Crankcase pressure: signal high",
        "code_crankcase_pressure",
        evidence="code_crankcase_circuit",
    ),
    _code(
        "P051E",
        "Crankcase pressure: signal comes and goes",
        "code_crankcase_pressure",
        evidence="code_crankcase_circuit",
    ),
)


def _oxygen() -> Iterator[CodeMeaning]:
    """Codes of the oxygen sensors: six of one sensor's, three sensors a bank."""
    circuit = "code_oxygen_circuit"
    meant = (
        ("circuit", circuit),
        ("signal low: lean, or a wire to ground", ""),
        ("signal high: rich, or a wire to supply", ""),
        ("slow", "code_oxygen_slow"),
        ("no activity", "code_oxygen_dead"),
        ("heater circuit", circuit),
    )
    for first, bank in ((130, 1), (150, 2)):
        for sensor in range(3):
            for k, (text, evidence) in enumerate(meant):
                name = f"Oxygen sensor {sensor + 1}, bank {bank}"
                yield _code(
                    f"P{first + 6 * sensor + k:04d}",
                    f"{name}: {text}",
                    "code_oxygen_sensor",
                    evidence=evidence,
                )


RUNNERS: tuple[CodeMeaning, ...] = (
    *_several(_numbers((2004, 2007)), "Intake runner: stuck", "code_runner"),
    *_several(
        _numbers((2008, 2013)),
        "Intake runner: control circuit",
        "code_runner",
        evidence="code_runner_circuit",
    ),
    *_several(
        _numbers((2014, 2023)),
        "Intake runner position: circuit",
        "code_runner",
        evidence="code_runner_circuit",
    ),
    *_several(("P2015", "P2020"), "Intake runner position: range or performance", "code_runner"),
    *_several(("P2070", "P2071"), "Intake tuning valve: stuck", "code_runner"),
    *_several(
        ("P2075", "P2077", "P2078"),
        "Intake tuning valve position: circuit",
        "code_runner",
        evidence="code_runner_circuit",
    ),
    _code("P2076", "Intake tuning valve position: range or performance", "code_runner"),
)
FILTER: tuple[CodeMeaning, ...] = (
    _code("P2002", "Particulate filter: efficiency", "code_particulate_filter"),
    _code("P242F", "Particulate filter: ash", "code_particulate_filter"),
    _code("P244A", "Particulate filter: pressure difference too low", "code_particulate_filter"),
    _code("P244B", "Particulate filter: pressure difference too high", "code_particulate_filter"),
    *_several(
        (c for c in _numbers((2452, 2463)) if c != "P2457"),
        "Particulate filter: pressure or load",
        "code_particulate_filter",
    ),
)
MISFIRE: tuple[CodeMeaning, ...] = (
    _code("P0300", "Misfire, more than one cylinder", "code_misfire"),
    *(_code(f"P03{n:02d}", f"Misfire, cylinder {n}", "code_misfire") for n in range(1, 13)),
)
OPEN_MIXTURE = CodeMeaning(
    code="P0170", text="Mixture control, bank 1: lean or rich by its trims", group="code_lean"
)
"""It says lean or rich by what the trims say: by itself nothing."""
KNOWN: dict[str, CodeMeaning] = {
    m.code: m
    for m in (
        *_signal(100, "Air meter", "code_maf", circuit="code_maf_circuit"),
        *_signal(105, "Manifold pressure", "code_map", circuit="code_map_circuit"),
        *_signal(110, "Intake air temperature", "code_iat", circuit="code_iat_circuit"),
        *THROTTLE,
        OPEN_MIXTURE,
        *MIXTURE,
        *MISFIRE,
        *IDLE,
        *RECIRCULATION,
        *SECONDARY,
        *PRESSURES,
        *_oxygen(),
        *RUNNERS,
        *FILTER,
    )
}
NOT_OURS = frozenset({"P0148", "P0149", "P0168", "P0169", "P2072"})
KINDS = {"P": "engine and drive", "B": "body", "C": "chassis", "U": "network between control units"}


def code_meaning(code: str) -> CodeMeaning:
    """The generic meaning of a five-character code. Never fails for a code that can exist."""
    if code in KNOWN and code not in NOT_OURS:
        return KNOWN[code]
    text = "Generic code outside the air path: look it up in the service information"
    if code[0] != "P":
        text = f"A code of the {KINDS[code[0]]}: outside this work, keep it on the job and refer on"
    elif code[1] == "1" or (code[1] == "3" and code[2] in "0123"):
        text = "Maker's own code: look it up in the service information"
    return CodeMeaning(code=code, text=text)


PENDING_CONFIDENCE = 0.8
"""How sure a code is that was seen once only (project default)."""


def evidence_of(
    codes: Iterable[tuple[str, bool]],
    banks: int = 1,
    named: Mapping[str, str | None] = MappingProxyType({}),
) -> dict[str, float]:
    """What codes say together: evidence present, and how sure.

    Parameters
    ----------
    codes : each with whether it is only pending
    banks : rows of cylinders with a mixture control of their own
    named : maker's own codes to the evidence that the workshop gave them

    Notes
    -----
    On an engine of two banks, lean codes of one of them alone speak against what both share.
    """
    found: dict[str, float] = {}
    lean: set[int] = set()
    for code, pending in codes:
        meaning = code_meaning(code)
        evidence = meaning.evidence or named.get(code)
        if evidence:
            sure = PENDING_CONFIDENCE if pending else 1.0
            found[evidence] = max(sure, found.get(evidence, 0.0))
        if meaning.group == "code_lean" and meaning.bank:
            lean.add(meaning.bank)
    if banks > 1 and len(lean) == 1:
        found["lean_one_bank"] = 0.9
    return found
