"""Samples of known-good bands as a document that workshops share."""

import json
from datetime import UTC, datetime
from typing import Any, Literal

from pydantic import Field, field_validator

from galene.core.calculations.metrics import METRICS
from galene.core.errors import InputError
from galene.exchange.shapes import Strict, shaped

FORMAT = "galene-bands"
MOST = 20_000
LONGEST_BYTES = 4_000_000


class SampleFile(Strict):
    """One reading of a sound engine, in the metric's kept unit."""

    metric: str = Field(max_length=60)
    value: float
    at: datetime
    source: str = Field(min_length=1, max_length=200)

    @field_validator("at")
    @classmethod
    def with_zone(cls, value: datetime) -> datetime:
        """A time without a zone is in UTC."""
        return value if value.tzinfo else value.replace(tzinfo=UTC)


class BandsFile(Strict):
    """A family's samples."""

    format: Literal["galene-bands"]
    version: Literal[1]
    family: str = Field(max_length=60)
    samples: list[SampleFile] = Field(max_length=MOST)


def samples_of(text: str, family_id: str) -> list[SampleFile]:
    """The samples of a document, each once.

    Raises
    ------
    InputError
        No such document, another family's, an unknown metric, a figure that no engine shows.
    """
    if len(text) > LONGEST_BYTES:
        raise InputError("file", len(text), f"up to {LONGEST_BYTES} characters")
    try:
        given: Any = json.loads(text)
    except (json.JSONDecodeError, RecursionError) as fault:
        raise InputError("file", text[:40], "a JSON document of samples") from fault
    told = shaped(BandsFile, given)
    if told.family != family_id:
        raise InputError("family", told.family, f"samples of family {family_id}")
    found: dict[tuple[object, ...], SampleFile] = {}
    for i, sample in enumerate(told.samples):
        metric = METRICS.get(sample.metric)
        if metric is None:
            raise InputError(f"samples[{i}].metric", sample.metric, ", ".join(METRICS))
        if not metric.low <= sample.value <= metric.high:
            allowed = f"{metric.low:g} to {metric.high:g}"
            raise InputError(f"samples[{i}].value", sample.value, allowed)
        if "\x00" in sample.source or not sample.source.isprintable():
            raise InputError(f"samples[{i}].source", sample.source[:40], "plain words")
        found[(sample.metric, sample.at, sample.value, sample.source)] = sample
    return list(found.values())
