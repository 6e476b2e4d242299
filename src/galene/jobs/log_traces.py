"""A kept log as a trace: its mapped columns on one clock, remembered while somebody looks at it."""

import zlib
from collections import OrderedDict
from collections.abc import Mapping, Sequence
from threading import Lock

import numpy as np
from sqlalchemy.orm import Session

from galene.core.logs.series import (
    TimeSeries,
    Values,
    run_forward,
)
from galene.core.units import QUANTITIES, convert
from galene.exchange.logs import TIME_UNITS
from galene.jobs.errors import Refused
from galene.knowledge.log_channels import CHANNELS
from galene.store.models import LogFile
from galene.store.repositories import logs as rows

_TRACES: OrderedDict[str, tuple[TimeSeries, tuple[str, ...]]] = OrderedDict()


_TRACES_LOCK = Lock()


MOST_TRACES = 2
"""Logs held open at once: one of 200,000 rows and ten channels is 18 MB."""


def opened(db: Session, log: LogFile) -> tuple[TimeSeries, tuple[str, ...]]:
    """The log's channels over a time that runs forward, kept units, and what had to be mended."""
    key = f"{log.digest}:{log.mapping!r}"
    with _TRACES_LOCK:
        if key in _TRACES:
            _TRACES.move_to_end(key)
            return _TRACES[key]
    time, channels = log.mapping.time, log.mapping.channels
    if time is None:
        raise Refused("The columns are not named yet", ["say first what each column is"])
    raw = column_values(db, log, [time.column, *(m.column for m in channels.values())])
    forward = run_forward(raw[time.column] * TIME_UNITS[time.unit])
    values: dict[str, Values] = {}
    for channel_id, place in channels.items():
        quantity = QUANTITIES[CHANNELS[channel_id].quantity]
        offset = convert(quantity, 0.0, place.unit, target=quantity.kept.id)
        factor = convert(quantity, 1.0, place.unit, target=quantity.kept.id) - offset
        values[channel_id] = raw[place.column][forward.rows] * factor + offset
    trims = _total_trim(values)
    if trims is not None:
        values["trim_percent"] = trims
    remarks = [
        text
        for count, text in (
            (
                forward.left_out,
                f"{forward.left_out} rows have no time of their own and are left out.",
            ),
            (
                forward.spread,
                f"The clock is coarse: {forward.spread} rows were set evenly between its stamps.",
            ),
            (
                forward.restarts,
                f"The time goes back {forward.restarts} ×: what follows was set on after it.",
            ),
        )
        if count
    ]
    with _TRACES_LOCK:
        _TRACES[key] = TimeSeries(forward.time_s, values), tuple(remarks)
        while len(_TRACES) > MOST_TRACES:
            _TRACES.popitem(last=False)
        return _TRACES[key]


def trace_of(db: Session, log: LogFile) -> TimeSeries:
    """The log's channels over a time that runs forward, kept units."""
    return opened(db, log)[0]


def _total_trim(values: Mapping[str, Values]) -> Values | None:
    """Short and long together, the mean of the banks; a logged total stands for itself."""
    if "total_trim_percent" in values:
        return values["total_trim_percent"]
    banks = [
        [values[name] for name in pair if name in values]
        for pair in (
            ("short_trim_percent", "long_trim_percent"),
            ("short_trim_2_percent", "long_trim_2_percent"),
        )
    ]
    totals = [
        _held(parts[0]) + _held(parts[1]) if len(parts) == 2 else _held(parts[0])
        for parts in banks
        if parts
    ]
    return np.mean(totals, axis=0) if totals else None


def _held(values: Values) -> Values:
    """A channel's last value held until the next: loggers ask for their channels in turn."""
    known = np.where(np.isfinite(values), np.arange(len(values)), -1)
    last = np.maximum.accumulate(known)
    return np.where(last >= 0, values[np.maximum(last, 0)], np.nan)


def column_values(db: Session, log: LogFile, positions: Sequence[int]) -> dict[int, Values]:
    """Raw values of columns, in the file's order and unit."""
    return {
        position: np.frombuffer(zlib.decompress(data), np.float64)
        for position, data in rows.columns(db, log.id, positions).items()
    }
