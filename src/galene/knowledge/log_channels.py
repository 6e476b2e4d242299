"""What a log's columns may be: each channel with its quantity, the figures that an engine can show, and how loggers name it."""

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass


@dataclass(frozen=True)
class LogChannel:
    """A channel that Galene reads from logs.

    `quantity` names one of `core.units.QUANTITIES`; `low` and `high` are what the middle of a log can be, kept units;
    `names` are patterns of headings, the surest first, matched in lower case with signs between words as one blank.
    """

    id: str
    label: str
    quantity: str
    low: float
    high: float
    names: tuple[str, ...]
    components: tuple[str, ...] = ()
    """An engine with none of these can not show it; empty: any engine."""


TIME_NAMES = (
    r"^(time|elapsed|timestamp|time stamp|clock|date time|datetime|rel time|t|offset time|log time|seconds|secs?|ms|millis)\b",
    r"\btime\b",
    r"\belapsed\b",
)
"""Headings of the time column."""

CHANNELS: dict[str, LogChannel] = {
    c.id: c
    for c in (
        LogChannel("rpm", "Engine speed", "speed", 0, 9000, (r"^(engine )?(rpm|revs?)\b", r"\bengine speed\b", r"\brpm\b", r"^(n|speed) (eng|engine)\b", r"\brevolutions\b")),
        LogChannel("maf_g_s", "Air meter", "airflow", 0, 2000, (r"\bmaf\b", r"\bmass air ?flow\b", r"\bair ?flow rate\b", r"\bair ?(mass|flow|meter)\b"), ("maf_sensor",)),
        LogChannel("map_kpa", "Manifold pressure", "pressure", 10, 400, (r"^map\b", r"\bintake manifold (abs|pressure)", r"\bmanifold (absolute )?pressure\b", r"\bmap\b", r"\bmanifold\b"), ("map_sensor", "boost_sensor")),
        LogChannel("boost_kpa", "Charge pressure", "pressure", 50, 500, (r"\b(boost|charge)( air)? pressure\b", r"\bboost\b"), ("boost_sensor",)),
        LogChannel("barometer_kpa", "Air outside", "pressure", 50, 110, (r"\bbaro", r"\b(ambient|atmospheric) (air )?pressure\b")),
        LogChannel("exhaust_kpa", "Exhaust pressure", "pressure", 80, 700, (r"\bexhaust (gas )?(back )?pressure\b", r"\bback ?pressure\b", r"^ebp\b"), ("exhaust_pressure_sensor",)),
        LogChannel("egr_dp_pa", "Pressure drop of recirculation", "pressure_drop", 0, 60_000, (r"\begr (dp|delta|diff)", r"\bdifferential pressure\b.*\begr\b", r"\begr\b.*\bdifferential\b"), ("egr_dp_sensor",)),
        LogChannel("throttle_percent", "Throttle", "share", -5, 110, (r"\b(abs(olute)? )?throttle (pos|position|opening|plate)", r"^(tps|throttle)\b", r"\btps\b", r"\bthrottle\b")),
        LogChannel("pedal_percent", "Pedal", "share", -5, 110, (r"\b(accelerator )?pedal\b", r"^app\b", r"\baccelerator\b")),
        LogChannel("short_trim_percent", "Short trim", "share", -60, 60, (r"\b(stft|short (term )?(fuel )?trim)( b(ank)? ?1)?$", r"\bstft ?1?\b", r"\bshort (term )?(fuel )?trim\b(?!.*\b2\b)"), ("oxygen_sensor",)),
        LogChannel("long_trim_percent", "Long trim", "share", -60, 60, (r"\b(ltft|long (term )?(fuel )?trim)( b(ank)? ?1)?$", r"\bltft ?1?\b", r"\blong (term )?(fuel )?trim\b(?!.*\b2\b)"), ("oxygen_sensor",)),
        LogChannel("short_trim_2_percent", "Short trim, second bank", "share", -60, 60, (r"\bstft ?(b(ank)? ?)?2\b", r"\bshort (term )?(fuel )?trim\b.*\b2\b"), ("oxygen_sensor",)),
        LogChannel("long_trim_2_percent", "Long trim, second bank", "share", -60, 60, (r"\bltft ?(b(ank)? ?)?2\b", r"\blong (term )?(fuel )?trim\b.*\b2\b"), ("oxygen_sensor",)),
        LogChannel("total_trim_percent", "Total trim", "share", -60, 100, (r"\btotal (fuel )?trim\b", r"\bfuel trim\b$", r"^trim\b"), ("oxygen_sensor",)),
        LogChannel("coolant_c", "Coolant", "temperature", -40, 140, (r"\b(engine )?coolant\b", r"^(ect|clt)\b", r"\bect\b")),
        LogChannel("intake_c", "Intake air", "temperature", -40, 150, (r"\bintake air temp", r"^intake air( c)?$", r"^iat\b", r"\biat\b", r"\bintake (air )?temp", r"\binlet air\b")),
        LogChannel("vehicle_km_h", "Road speed", "road_speed", 0, 260, (r"\bvehicle speed\b", r"^vss\b", r"\broad speed\b")),
        LogChannel("egr_command_percent", "Recirculation, commanded", "share", -5, 110, (r"\begr\b.*\b(command|commanded|cmd|duty|target|desired|setpoint)", r"\b(commanded|target|desired) egr\b"), ("egr_valve",)),
        LogChannel("egr_position_percent", "Recirculation, position", "share", -10, 115, (r"\begr\b.*\b(pos|position|actual|lift|feedback)\b", r"\bactual egr\b"), ("egr_valve",)),
        LogChannel("o2_v", "Oxygen sensor", "voltage", -0.3, 1.5, (r"\b(o2|oxygen|ox|lambda)( sensor)?\b.*\b(b1 ?s1|bank 1 sensor 1|11|upstream)\b", r"\bo2 ?s?(11)?\b(?!.*(s2|12|21|22|b2))", r"\boxygen sensor\b"), ("oxygen_sensor",)),
        LogChannel("before_catalyst_c", "Exhaust before catalyst", "temperature", -40, 1100, (r"\b(egt|exhaust).*\b(before|pre|upstream|inlet).*\b(cat|doc|oxidation)", r"\b(doc|cat(alyst)?) (in|inlet)\b", r"\begt ?1\b"), ("oxidation_catalyst", "particulate_filter")),
        LogChannel("before_filter_c", "Exhaust before filter", "temperature", -40, 1100, (r"\b(before|pre|upstream) .*\b(filter|dpf)", r"\b(dpf|filter) (in|inlet)\b", r"\begt ?2\b", r"\b(doc|catalyst) (out|outlet)\b"), ("particulate_filter",)),
        LogChannel("after_filter_c", "Exhaust behind filter", "temperature", -40, 1100, (r"\b(after|post|behind|downstream) .*\b(filter|dpf)", r"\b(dpf|filter) (out|outlet)\b", r"\begt ?3\b"), ("particulate_filter",)),
        LogChannel("runner_command_percent", "Flaps, commanded", "share", -20, 120, (r"\b(swirl|tumble|runner|imrc|flap)s?\b.*\b(command|cmd|target|desired|setpoint)",), ("runner_flaps",)),
        LogChannel("runner_position_percent", "Flaps, position", "share", -20, 120, (r"\b(swirl|tumble|runner|imrc|flap)s?\b.*\b(pos|position|actual|feedback)\b",), ("runner_flaps",)),
    )
}  # fmt: skip

UNIT_WORDS: dict[str, str] = {
    "kpa": "kPa", "kpaa": "kPa", "kpa abs": "kPa", "kpa a": "kPa", "bar": "bar", "bara": "bar", "mbar": "mbar", "hpa": "mbar", "inhg": "inHg", "in hg": "inHg", "psi": "psi", "psia": "psi",
    "g/s": "g/s", "g/sec": "g/s", "gm/s": "g/s", "gps": "g/s", "grams/sec": "g/s", "kg/h": "kg/h", "kg/hr": "kg/h", "lb/min": "lb/min", "lbs/min": "lb/min",
    "c": "degC", "degc": "degC", "celsius": "degC", "deg c": "degC", "f": "degF", "degf": "degF", "deg f": "degF", "fahrenheit": "degF",
    "rpm": "rpm", "1/min": "rpm", "r/min": "rpm", "rev/min": "rpm", "min-1": "rpm", "%": "%", "pct": "%", "percent": "%", "v": "V", "volt": "V", "volts": "V", "mv": "mV",
    "km/h": "km/h", "kmh": "km/h", "kph": "km/h", "mph": "mph", "pa": "Pa", "inh2o": "inH2O", "in h2o": "inH2O", "s": "s", "sec": "s", "secs": "s", "seconds": "s", "ms": "ms", "msec": "ms", "us": "us",
    "min": "min", "minutes": "min",
}  # fmt: skip
"""How loggers write a unit, and the unit that is meant."""


def plain_heading(heading: str) -> str:
    """A heading in lower case, words parted by single blanks: ``IntakeMAP_kPa`` gives ``intake map kpa``."""
    split = re.sub(r"([a-z])([A-Z])", r"\1 \2", heading)
    return re.sub(r"[^a-z0-9%]+", " ", split.casefold()).strip()


def unit_word(text: str) -> str | None:
    """The unit that a logger's word means, None where it is none."""
    return UNIT_WORDS.get(re.sub(r"\s+", " ", text.strip().replace("°", "").replace("º", "").casefold()))


def propose(headings: Sequence[str], components: Iterable[str]) -> dict[str, int]:
    """Channel id to the column whose heading names it best.

    Parameters
    ----------
    headings : names of the columns, without their units
    components : kinds of parts that the engine has

    Notes
    -----
    Every channel is given once and every column once: the surest patterns are dealt first, the shorter heading before the longer.
    """
    has = set(components)
    plain = [plain_heading(h) for h in headings]
    candidates = sorted(
        (rank, len(words), column, channel.id)
        for channel in CHANNELS.values()
        if not channel.components or has & set(channel.components)
        for column, words in enumerate(plain)
        for rank in [next((i for i, pattern in enumerate(channel.names) if re.search(pattern, words)), None)]
        if rank is not None
    )
    found: dict[str, int] = {}
    for _, _, column, channel_id in candidates:
        if channel_id not in found and column not in found.values():
            found[channel_id] = column
    return found
