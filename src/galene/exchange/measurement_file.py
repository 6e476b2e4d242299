"""Reads one ASAM MDF 4 file from standard input: a line of JSON, then the columns as doubles, on
standard output.

Run as ``python -m galene.exchange.measurement_file`` by `logs.read_log`, so that a broken file can
take down nothing else.
"""

import json
import os
import resource
import sys
from io import BytesIO
from typing import Any

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import numpy as np

from galene.core.errors import InputError
from galene.exchange.logs import MAX_COLUMNS, MAX_ROWS, LogColumn, ReadLog, Values

MOST_MEMORY = 3 * 1024**3 // 2
MOST_SAMPLES = 20_000_000
"""Samples of all channels together: 160 MB as doubles."""


def _group_of(
    file: Any, index: int, master: Values, *, words: list[str]
) -> list[tuple[str, str, Values]]:
    """The channels of numbers of one group on its own time: name, unit, values; others' names go
    to `words`."""
    found: list[tuple[str, str, Values]] = []
    for position, channel in enumerate(file.groups[index].channels):
        if position == file.masters_db.get(index):
            continue
        signal = file.get(group=index, index=position, ignore_invalidation_bits=False)
        values = np.asarray(signal.samples)
        if values.dtype.kind not in "iufb" or values.ndim != 1:
            words.append(channel.name)
            continue
        numbers = values.astype(np.float64)
        if len(signal.timestamps) != len(master):
            numbers = np.interp(master, signal.timestamps, numbers, left=np.nan, right=np.nan)
        numbers[~np.isfinite(numbers)] = np.nan
        found.append((channel.name, str(signal.unit or ""), numbers))
    return found


def _check_size(file: Any) -> None:
    """Hold what the file announces against what may be read, before any of it is."""
    rows = [int(group.channel_group.cycles_nr) for group in file.groups]
    samples = sum(
        count * len(group.channels) for count, group in zip(rows, file.groups, strict=True)
    )
    longest = max(rows, default=0)
    if longest > MAX_ROWS:
        raise InputError("file", f"{longest} samples", f"at most {MAX_ROWS} samples")
    if samples > MOST_SAMPLES:
        raise InputError(
            "file",
            f"{samples} samples in all channels",
            f"at most {MOST_SAMPLES // 1_000_000} million in all",
        )


def _channels_of(file: Any) -> ReadLog:
    groups: list[tuple[Values, list[tuple[str, str, Values]]]] = []
    words: list[str] = []
    total = 0
    _check_size(file)
    for index in range(len(file.groups)):
        master = file.get_master(index)
        if len(master) < 2:
            continue
        found = _group_of(file, index, master, words=words)
        if found:
            groups.append((np.asarray(master, np.float64), found))
            total += len(found)
    if not groups:
        raise InputError(
            "file", "no channel of numbers over time", "a measurement file with samples in it"
        )
    if total > MAX_COLUMNS:
        raise InputError("file", f"{total} channels", f"at most {MAX_COLUMNS} channels")
    time = max(groups, key=lambda g: len(g[0]))[0]
    if len(time) > MAX_ROWS:
        raise InputError("file", f"{len(time)} samples", f"at most {MAX_ROWS} samples")
    columns = [LogColumn("time", "s", time)]
    for master, found in groups:
        for name, unit, values in found:
            if master is not time and not (
                len(master) == len(time) and np.array_equal(master, time)
            ):
                values = np.interp(time, master, values, left=np.nan, right=np.nan)
            columns.append(LogColumn(name, unit, values))
    remarks = [f"{len(groups)} groups of channels were set on one time."] if len(groups) > 1 else []
    if words:
        remarks.append(
            "Channels without numbers were left out: "
            + ", ".join(words[:8])
            + ("…" if len(words) > 8 else "")
            + "."
        )
    return ReadLog(kind="mdf", columns=tuple(columns), time_column=0, remarks=tuple(remarks))


def main() -> None:
    """Read, answer, and name the fault where there is one."""
    import logging

    resource.setrlimit(resource.RLIMIT_AS, (MOST_MEMORY, MOST_MEMORY))
    data = sys.stdin.buffer.read()
    out = sys.stdout.buffer
    try:
        from asammdf import MDF

        logging.getLogger("asammdf").setLevel(logging.CRITICAL)
        with MDF(BytesIO(data), raise_on_multiple_occurrences=False) as file:
            read = _channels_of(file)
    except InputError as fault:
        out.write(
            json.dumps(
                {"field": fault.field, "value": str(fault.value), "allowed": fault.allowed}
            ).encode()
            + b"\n"
        )
        return
    except Exception as fault:  # whatever a broken file makes of its blocks
        told = {
            "field": "file",
            "value": "a broken measurement file",
            "allowed": f"a whole MDF 4 file ({type(fault).__name__} on reading)",
        }
        out.write(json.dumps(told).encode() + b"\n")
        return
    head = {
        "names": [c.name for c in read.columns],
        "units": [c.unit for c in read.columns],
        "remarks": list(read.remarks),
    }
    out.write(json.dumps(head).encode() + b"\n")
    for column in read.columns:
        out.write(column.values.astype(np.float64).tobytes())


if __name__ == "__main__":
    main()
