"""What a log's columns may be: each channel with its quantity, the figures that an engine can show,
and how loggers name it."""

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from galene.knowledge.documents import read, table


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

CHANNELS: dict[str, LogChannel] = table("logs.toml", LogChannel, "channels")

UNIT_WORDS: dict[str, str] = read("logs.toml", dict[str, str], "units")
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
