"""What a log's columns may be: each channel with its quantity, the figures that an engine can show,
and how loggers name it."""

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass


@dataclass(frozen=True, kw_only=True)
class LogChannel:
    """A channel that Galene reads from logs.

    `quantity` names one of `core.units.QUANTITIES`; `low` and `high` are what the middle of a log
    can be, kept units; `names` are patterns of headings, the surest first, matched in lower case
    with signs between words as one blank.
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
    (
        r"^(time|elapsed|timestamp|time stamp|clock|date time|datetime|rel time|t|offset time|log"
        r" time|seconds|secs?|ms|millis)\b"
    ),
    r"\btime\b",
    r"\belapsed\b",
)
"""Headings of the time column."""

CHANNELS: dict[str, LogChannel] = {
    c.id: c
    for c in (
        LogChannel(
            id="rpm",
            label="Engine speed",
            quantity="speed",
            low=0,
            high=9000,
            names=(
                r"^(engine )?(rpm|revs?)\b",
                r"\bengine speed\b",
                r"\brpm\b",
                r"^(n|speed) (eng|engine)\b",
                r"\brevolutions\b",
            ),
        ),
        LogChannel(
            id="maf_g_s",
            label="Air meter",
            quantity="airflow",
            low=0,
            high=2000,
            names=(
                r"\bmaf\b",
                r"\bmass air ?flow\b",
                r"\bair ?flow rate\b",
                r"\bair ?(mass|flow|meter)\b",
            ),
            components=("maf_sensor",),
        ),
        LogChannel(
            id="map_kpa",
            label="Manifold pressure",
            quantity="pressure",
            low=10,
            high=400,
            names=(
                r"^map\b",
                r"\bintake manifold (abs|pressure)",
                r"\bmanifold (absolute )?pressure\b",
                r"\bmap\b",
                r"\bmanifold\b",
            ),
            components=("map_sensor", "boost_sensor"),
        ),
        LogChannel(
            id="boost_command_kpa",
            label="Charge pressure, commanded",
            quantity="pressure",
            low=50,
            high=500,
            names=(
                r"\b(command(ed)?|desired|specified|target|set ?point)\b.*\b(boost|charge)\b",
                r"\b(boost|charge)\b.*\b(command(ed)?|desired|specified|target|set ?point)\b",
            ),
            components=("boost_sensor",),
        ),
        LogChannel(
            id="boost_kpa",
            label="Charge pressure",
            quantity="pressure",
            low=50,
            high=500,
            names=(r"\b(boost|charge)( air)? pressure\b", r"\bboost\b"),
            components=("boost_sensor",),
        ),
        LogChannel(
            id="barometer_kpa",
            label="Air outside",
            quantity="pressure",
            low=50,
            high=110,
            names=(r"\bbaro", r"\b(ambient|atmospheric) (air )?pressure\b"),
        ),
        LogChannel(
            id="exhaust_kpa",
            label="Exhaust pressure",
            quantity="pressure",
            low=80,
            high=700,
            names=(r"\bexhaust (gas )?(back )?pressure\b", r"\bback ?pressure\b", r"^ebp\b"),
            components=("exhaust_pressure_sensor",),
        ),
        LogChannel(
            id="egr_dp_pa",
            label="Pressure drop of recirculation",
            quantity="pressure_drop",
            low=0,
            high=60_000,
            names=(
                r"\begr (dp|delta|diff)",
                r"\bdifferential pressure\b.*\begr\b",
                r"\begr\b.*\bdifferential\b",
            ),
            components=("egr_dp_sensor",),
        ),
        LogChannel(
            id="throttle_percent",
            label="Throttle",
            quantity="share",
            low=-5,
            high=110,
            names=(
                r"\b(abs(olute)? )?throttle (pos|position|opening|plate)",
                r"^(tps|throttle)\b",
                r"\btps\b",
                r"\bthrottle\b",
            ),
        ),
        LogChannel(
            id="pedal_percent",
            label="Pedal",
            quantity="share",
            low=-5,
            high=110,
            names=(r"\b(accelerator )?pedal\b", r"^app\b", r"\baccelerator\b"),
        ),
        LogChannel(
            id="short_trim_percent",
            label="Short trim",
            quantity="share",
            low=-60,
            high=60,
            names=(
                r"\b(stft|short (term )?(fuel )?trim)( b(ank)? ?1)?$",
                r"\bstft ?1?\b",
                r"\bshort (term )?(fuel )?trim\b(?!.*\b2\b)",
            ),
            components=("oxygen_sensor",),
        ),
        LogChannel(
            id="long_trim_percent",
            label="Long trim",
            quantity="share",
            low=-60,
            high=60,
            names=(
                r"\b(ltft|long (term )?(fuel )?trim)( b(ank)? ?1)?$",
                r"\bltft ?1?\b",
                r"\blong (term )?(fuel )?trim\b(?!.*\b2\b)",
            ),
            components=("oxygen_sensor",),
        ),
        LogChannel(
            id="short_trim_2_percent",
            label="Short trim, second bank",
            quantity="share",
            low=-60,
            high=60,
            names=(r"\bstft ?(b(ank)? ?)?2\b", r"\bshort (term )?(fuel )?trim\b.*\b2\b"),
            components=("oxygen_sensor",),
        ),
        LogChannel(
            id="long_trim_2_percent",
            label="Long trim, second bank",
            quantity="share",
            low=-60,
            high=60,
            names=(r"\bltft ?(b(ank)? ?)?2\b", r"\blong (term )?(fuel )?trim\b.*\b2\b"),
            components=("oxygen_sensor",),
        ),
        LogChannel(
            id="total_trim_percent",
            label="Total trim",
            quantity="share",
            low=-60,
            high=100,
            names=(r"\btotal (fuel )?trim\b", r"\bfuel trim\b$", r"^trim\b"),
            components=("oxygen_sensor",),
        ),
        LogChannel(
            id="coolant_c",
            label="Coolant",
            quantity="temperature",
            low=-40,
            high=140,
            names=(r"\b(engine )?coolant\b", r"^(ect|clt)\b", r"\bect\b"),
        ),
        LogChannel(
            id="intake_c",
            label="Intake air",
            quantity="temperature",
            low=-40,
            high=150,
            names=(
                r"\bintake air temp",
                r"^intake air( c)?$",
                r"^iat\b",
                r"\biat\b",
                r"\bintake (air )?temp",
                r"\binlet air\b",
            ),
        ),
        LogChannel(
            id="vehicle_km_h",
            label="Road speed",
            quantity="road_speed",
            low=0,
            high=260,
            names=(r"\bvehicle speed\b", r"^vss\b", r"\broad speed\b"),
        ),
        LogChannel(
            id="egr_command_percent",
            label="Recirculation, commanded",
            quantity="share",
            low=-5,
            high=110,
            names=(
                r"\begr\b.*\b(command|commanded|cmd|duty|target|desired|setpoint)",
                r"\b(commanded|target|desired) egr\b",
            ),
            components=("egr_valve",),
        ),
        LogChannel(
            id="egr_position_percent",
            label="Recirculation, position",
            quantity="share",
            low=-10,
            high=115,
            names=(r"\begr\b.*\b(pos|position|actual|lift|feedback)\b", r"\bactual egr\b"),
            components=("egr_valve",),
        ),
        LogChannel(
            id="o2_v",
            label="Oxygen sensor",
            quantity="voltage",
            low=-0.3,
            high=1.5,
            names=(
                r"\b(o2|oxygen|ox|lambda)( sensor)?\b.*\b(b1 ?s1|bank 1 sensor 1|11|upstream)\b",
                r"\bo2 ?s?(11)?\b(?!.*(s2|12|21|22|b2))",
                r"\boxygen sensor\b",
            ),
            components=("oxygen_sensor",),
        ),
        LogChannel(
            id="before_catalyst_c",
            label="Exhaust before catalyst",
            quantity="temperature",
            low=-40,
            high=1100,
            names=(
                r"\b(egt|exhaust).*\b(before|pre|upstream|inlet).*\b(cat|doc|oxidation)",
                r"\b(doc|cat(alyst)?) (in|inlet)\b",
                r"\begt ?1\b",
            ),
            components=("oxidation_catalyst", "particulate_filter"),
        ),
        LogChannel(
            id="before_filter_c",
            label="Exhaust before filter",
            quantity="temperature",
            low=-40,
            high=1100,
            names=(
                r"\b(before|pre|upstream) .*\b(filter|dpf)",
                r"\b(dpf|filter) (in|inlet)\b",
                r"\begt ?2\b",
                r"\b(doc|catalyst) (out|outlet)\b",
            ),
            components=("particulate_filter",),
        ),
        LogChannel(
            id="after_filter_c",
            label="Exhaust behind filter",
            quantity="temperature",
            low=-40,
            high=1100,
            names=(
                r"\b(after|post|behind|downstream) .*\b(filter|dpf)",
                r"\b(dpf|filter) (out|outlet)\b",
                r"\begt ?3\b",
            ),
            components=("particulate_filter",),
        ),
        LogChannel(
            id="runner_command_percent",
            label="Flaps, commanded",
            quantity="share",
            low=-20,
            high=120,
            names=(
                r"\b(swirl|tumble|runner|imrc|flap)s?\b.*\b(command|cmd|target|desired|setpoint)",
            ),
            components=("runner_flaps",),
        ),
        LogChannel(
            id="runner_position_percent",
            label="Flaps, position",
            quantity="share",
            low=-20,
            high=120,
            names=(r"\b(swirl|tumble|runner|imrc|flap)s?\b.*\b(pos|position|actual|feedback)\b",),
            components=("runner_flaps",),
        ),
    )
}

UNIT_WORDS: dict[str, str] = {
    "kpa": "kPa",
    "kpaa": "kPa",
    "kpa abs": "kPa",
    "kpa a": "kPa",
    "bar": "bar",
    "bara": "bar",
    "mbar": "mbar",
    "hpa": "mbar",
    "inhg": "inHg",
    "in hg": "inHg",
    "psi": "psi",
    "psia": "psi",
    "g/s": "g/s",
    "g/sec": "g/s",
    "gm/s": "g/s",
    "gps": "g/s",
    "grams/sec": "g/s",
    "kg/h": "kg/h",
    "kg/hr": "kg/h",
    "lb/min": "lb/min",
    "lbs/min": "lb/min",
    "c": "degC",
    "degc": "degC",
    "celsius": "degC",
    "deg c": "degC",
    "f": "degF",
    "degf": "degF",
    "deg f": "degF",
    "fahrenheit": "degF",
    "rpm": "rpm",
    "1/min": "rpm",
    "r/min": "rpm",
    "rev/min": "rpm",
    "min-1": "rpm",
    "%": "%",
    "pct": "%",
    "percent": "%",
    "v": "V",
    "volt": "V",
    "volts": "V",
    "mv": "mV",
    "km/h": "km/h",
    "kmh": "km/h",
    "kph": "km/h",
    "mph": "mph",
    "pa": "Pa",
    "inh2o": "inH2O",
    "in h2o": "inH2O",
    "s": "s",
    "sec": "s",
    "secs": "s",
    "seconds": "s",
    "ms": "ms",
    "msec": "ms",
    "us": "us",
    "min": "min",
    "minutes": "min",
}
"""How loggers write a unit, and the unit that is meant."""


def plain_heading(heading: str) -> str:
    """A heading in lower case, words parted by single blanks: ``IntakeMAP_kPa`` gives ``intake map
    kpa``."""
    split = re.sub(r"([a-z])([A-Z])", r"\1 \2", heading)
    return re.sub(r"[^a-z0-9%]+", " ", split.casefold()).strip()


def unit_word(text: str) -> str | None:
    """The unit that a logger's word means, None where it is none."""
    return UNIT_WORDS.get(
        re.sub(r"\s+", " ", text.strip().replace("°", "").replace("º", "").casefold())
    )


def propose(headings: Sequence[str], components: Iterable[str]) -> dict[str, int]:
    """Channel id to the column whose heading names it best.

    Parameters
    ----------
    headings : names of the columns, without their units
    components : kinds of parts that the engine has

    Notes
    -----
    Every channel is given once and every column once: the surest patterns are dealt first, the
    shorter heading before the longer.
    """
    has = set(components)
    plain = [plain_heading(h) for h in headings]
    candidates = sorted(
        (rank, len(words), column, channel.id)
        for channel in CHANNELS.values()
        if not channel.components or has & set(channel.components)
        for column, words in enumerate(plain)
        for rank in [
            next((i for i, pattern in enumerate(channel.names) if re.search(pattern, words)), None)
        ]
        if rank is not None
    )
    found: dict[str, int] = {}
    for _, _, column, channel_id in candidates:
        if channel_id not in found and column not in found.values():
            found[channel_id] = column
    return found
