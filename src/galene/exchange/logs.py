"""Logs of scan tools and data loggers: CSV of any shape, and measurement files in the open ASAM MDF
4 format."""

import csv
import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from io import BytesIO
from threading import BoundedSemaphore
from typing import Any

import numpy as np
from numpy.typing import NDArray

from galene.core.errors import InputError
from galene.knowledge.log_channels import TIME_NAMES, plain_heading, unit_word

Values = NDArray[np.float64]
MAX_ROWS, MAX_COLUMNS = 1_000_000, 200
GAPS = (
    "",
    "-",
    "--",
    "---",
    "n/a",
    "N/A",
    "na",
    "NA",
    "nan",
    "NaN",
    "null",
    "NULL",
    "none",
    "None",
    "#N/A",
    "*",
)
"""Cells that say that there was no value."""


@dataclass(frozen=True)
class LogColumn:
    """A column of numbers: its heading, its unit as written (empty where none was), its values with
    NaN for gaps."""

    name: str
    unit: str
    values: Values


@dataclass(frozen=True, kw_only=True)
class ReadLog:
    """What a file holds, in the order of its rows: columns of numbers, which of them is the time,
    and remarks for the reader."""

    kind: str
    columns: tuple[LogColumn, ...]
    time_column: int | None
    remarks: tuple[str, ...]


def read_log(data: bytes) -> ReadLog:
    """Read a log by what is in it, whatever it is called.

    Raises
    ------
    InputError
        ``line N, column M`` of what is no number, or why it is no log.
    """
    if not data.strip():
        raise InputError("file", "empty", "a log with rows in it")
    if data[:8] in (b"MDF     ", b"UnFinMF "):
        return _read_mdf(data)
    return _read_csv(data)


def _text(data: bytes) -> bytes:
    """The file as UTF-8 without a byte order mark."""
    if data[:2] in (b"\xff\xfe", b"\xfe\xff"):
        try:
            return data.decode("utf-16").encode()
        except UnicodeDecodeError as fault:
            raise InputError("file", "a broken text", "text in UTF-8, UTF-16 or Latin") from fault
    if b"\x00" in data[:4096]:
        raise InputError(
            "file", "no text and no MDF file", "a CSV log, or a measurement file in MDF 4"
        )
    data = data.removeprefix(b"\xef\xbb\xbf")
    try:
        data.decode()
    except UnicodeDecodeError:
        data = data.decode("cp1252", "replace").encode()
    return data.replace(b"\r\n", b"\n").replace(b"\r", b"\n") if b"\r" in data else data


NUMBER = re.compile(r"^[+\-−]?(\d+([.,]\d*)?|[.,]\d+)([eE][+\-]?\d+)?$")
CLOCK = re.compile(
    r"(?:^|[ T])(\d{1,2}):(\d{2})(?::(\d{2}(?:[.,]\d+)?))?(?:Z|[+\-]\d\d:?\d\d)?$"
    r"|^(\d+):(\d{2}(?:[.,]\d+)?)$"
)


def _cells(line: str, sign: str) -> list[str]:
    return [c.strip() for c in next(csv.reader([line], delimiter=sign, skipinitialspace=True), [])]


def _is_value(cell: str) -> bool:
    return bool(NUMBER.match(cell) or CLOCK.search(cell)) or cell in GAPS


@dataclass(frozen=True, kw_only=True)
class _Shape:
    """How a file is laid out: its parting sign, where its numbers begin (line index), headings and
    units by column."""

    sign: str
    first_row: int
    headings: tuple[str, ...]
    units: tuple[str, ...]


def _shape(lines: Sequence[str]) -> _Shape:
    """Find the parting sign, the heading and the first row of numbers among the first lines."""
    best: tuple[int, _Shape] | None = None
    for sign in ("\t", ";", ","):
        cells = [_cells(line, sign) for line in lines]
        counts = Counter(len(c) for c in cells if len(c) > 1)
        if not counts:
            continue
        width = counts.most_common(1)[0][0]
        first = next(
            (
                i
                for i, c in enumerate(cells)
                if len(c) in (width, width - 1)
                and len(c) > 1
                and any(NUMBER.match(x) or CLOCK.search(x) for x in c)
                and sum(map(_is_value, c)) >= len(c) / 2
            ),
            None,
        )
        if first is None:
            continue
        above = [c for c in cells[:first] if len(c) > 1 and abs(len(c) - width) <= 1 and any(c)]
        units: list[str] = []
        below = [x.strip("()[] ") for x in above[-1]] if len(above) > 1 else []
        if any(unit_word(x) for x in below) and all(
            not x or unit_word(x) or len(x) <= 3 for x in below
        ):
            units, above = below, above[:-1]
        names = above[-1] if above else [f"column {i + 1}" for i in range(width)]
        parted = [_unit_in(n) for n in names]
        columns = max(len(names), width)
        headings = [parted[i][0] if i < len(parted) else f"column {i + 1}" for i in range(columns)]
        named = [
            (units[i] if i < len(units) and units[i] else parted[i][1] if i < len(parted) else "")
            for i in range(columns)
        ]
        if headings and not headings[-1] and columns > 2:
            headings, named = headings[:-1], named[:-1]  # a sign at the end of each line
        shape = _Shape(
            sign=sign,
            first_row=first,
            headings=tuple(h or f"column {i + 1}" for i, h in enumerate(headings)),
            units=tuple(named),
        )
        score = sum(1 for c in cells[first:] if len(c) in (width, width - 1)) * min(width, 50)
        if best is None or score > best[0] * (2 if sign == "," else 1):
            best = (score, shape)
    if best is None:
        raise InputError(
            "line 1",
            (lines[0] if lines else "")[:60],
            "a heading line and rows of numbers parted by comma, semicolon or tab",
        )
    return best[1]


def _unit_in(heading: str) -> tuple[str, str]:
    """``MAP (kPa)``, ``MAP [kPa]``, ``MAP, kPa`` or ``map_kpa`` as name and unit."""
    bracket = re.search(r"^(.*?)\s*[(\[]\s*([^()\[\]]{1,12})\s*[)\]]\s*$", heading)
    if bracket and (unit_word(bracket[2]) or not bracket[2].isdecimal()):
        return bracket[1].strip(), bracket[2].strip()
    ending = re.search(r"^(.*?)(?:,\s*|_|\s+)([A-Za-z%°/]{1,7})$", heading)
    if ending and unit_word(ending[2]) and ending[1] and ending[2].casefold() not in ("rpm",):
        return ending[1].strip(), ending[2].strip()
    return heading.strip(), ""


def _check_widths(
    data: bytes, shape: _Shape, starts: Values, *, last: int
) -> tuple[bytes, list[str]]:
    """Refuse a row with too few or too many cells; a last line that was cut off is left out."""
    remarks: list[str] = []
    if b'"' in data:
        return data, remarks  # a quoted cell may hold the sign; the reader counts those rows itself
    codes = np.frombuffer(data, np.uint8)
    signs = np.searchsorted(np.flatnonzero(codes == ord(shape.sign)), np.append(starts, len(data)))
    counts = np.diff(signs) + 1
    ends = np.append(starts[1:], len(data))
    filled = ends - starts > 1
    width = len(shape.headings)
    wrong = np.flatnonzero(filled & (counts != width) & (counts != width + 1))
    over = filled & (counts == width + 1)
    if over.any():
        # One more cell is borne only where every line ends in a sign.
        tail = codes[np.maximum(ends - 2, 0)] == ord(shape.sign)
        wrong = np.union1d(wrong, np.flatnonzero(over & ~tail))
    if len(wrong):
        row = int(wrong[0])
        if row == int(np.flatnonzero(filled)[-1]) and counts[row] < width and row > 0:
            return data[: int(starts[row])], [
                f"The last line, {last + row}, is cut off and was left out."
            ]
        raise InputError(
            f"line {last + row}", f"{counts[row]} cells", f"{width} cells, as in the heading"
        )
    return data, remarks


def _read_csv(raw: bytes) -> ReadLog:
    import pandas as pd

    data = _text(raw)
    head = data[:65536].decode(errors="ignore").split("\n")[:80]
    shape = _shape(head)
    if len(shape.headings) > MAX_COLUMNS:
        raise InputError(
            "line 1", f"{len(shape.headings)} columns", f"at most {MAX_COLUMNS} columns"
        )
    ends = np.flatnonzero(np.frombuffer(data, np.uint8) == 10)
    starts = np.concatenate([[0], ends + 1])
    body_at = int(starts[shape.first_row])
    first_line = shape.first_row + 1
    starts = starts[shape.first_row :] - body_at
    data = data[body_at:]
    starts = starts[starts < len(data)]
    if len(starts) > MAX_ROWS:
        raise InputError("file", f"{len(starts)} rows", f"at most {MAX_ROWS} rows")
    data, remarks = _check_widths(data, shape, starts, last=first_line)
    sample = [
        c for line in head[shape.first_row : shape.first_row + 40] for c in _cells(line, shape.sign)
    ]
    comma = shape.sign != "," and any(
        re.match(r"^[+\-−]?\d*,\d+([eE][+\-]?\d+)?$", c) for c in sample
    )
    width = len(shape.headings)
    try:
        # Blank lines stay as rows of gaps, so that a row's number is its line's.
        frame = pd.read_csv(
            BytesIO(data),
            sep=shape.sign,
            decimal="," if comma else ".",
            header=None,
            names=range(width),
            usecols=range(width),
            index_col=False,
            na_values=list(GAPS),
            keep_default_na=False,
            skipinitialspace=True,
            skip_blank_lines=False,
            low_memory=False,
            encoding="utf-8",
        )
    except (pd.errors.ParserError, ValueError) as fault:
        found = re.search(r"line (\d+)", str(fault))
        where = f"line {int(found[1]) + first_line - 1}" if found else "file"
        raise InputError(
            where, str(fault).splitlines()[-1][:80], f"{width} cells, as in the heading"
        ) from fault
    columns: list[LogColumn] = []
    words: list[str] = []
    clocks: list[int] = []
    for i, (name, unit) in enumerate(zip(shape.headings, shape.units, strict=True)):
        series = frame.pop(i)
        if series.dtype.kind in "iufb":
            columns.append(LogColumn(name, unit, series.to_numpy(np.float64)))
            continue
        values = _numbers(series, i, name, first_line=first_line, comma=comma)
        if values is None:
            words.append(name)
        else:
            if values[1]:
                clocks.append(len(columns))
            columns.append(LogColumn(name, "s" if values[1] else unit, values[0]))
    if not columns:
        raise InputError(
            f"line {first_line}", head[shape.first_row][:60], "at least one column of numbers"
        )
    for column in columns:
        if np.isinf(column.values).any():
            row = int(np.flatnonzero(np.isinf(column.values))[0])
            raise InputError(
                f"line {first_line + row}, column {column.name}", "infinity", "a number"
            )
    if words:
        remarks.append(
            "Columns of words were left out: "
            + ", ".join(words[:8])
            + ("…" if len(words) > 8 else "")
            + "."
        )
    return ReadLog(
        kind="csv",
        columns=tuple(columns),
        time_column=_time_column(columns, clocks),
        remarks=tuple(remarks),
    )


def _numbers(
    series: Any, position: int, name: str, *, first_line: int, comma: bool
) -> tuple[Values, bool] | None:
    """A column that did not read as numbers at once: times of day, or words; None for a column of
    words.

    Raises
    ------
    InputError
        A stray word among numbers, with its line and column.
    """
    import pandas as pd

    texts = series.astype(str).str.strip()
    gap = series.isna() | texts.isin(GAPS)
    filled = texts[~gap]
    clock = filled.str.extract(CLOCK.pattern)
    if len(filled) and clock.notna().any(axis=1).mean() > 0.8:
        hours = pd.to_numeric(clock[0], errors="coerce").fillna(0)
        minutes = pd.to_numeric(clock[1].fillna(clock[3]), errors="coerce")
        seconds = pd.to_numeric(
            clock[2].fillna(clock[4]).str.replace(",", "."), errors="coerce"
        ).fillna(0)
        strays = filled[minutes.isna()]
        if len(strays):
            raise InputError(
                f"line {first_line + int(strays.index[0])}, column {position + 1} ({name})",
                strays.iloc[0][:40],
                "a time of day",
            )
        found = np.full(len(series), np.nan)
        found[(~gap).to_numpy()] = (hours * 3600 + minutes * 60 + seconds).to_numpy()
        return _past_midnight(found), True
    numbers = pd.to_numeric(
        (filled.str.replace(",", ".") if comma else filled).str.replace("−", "-"), errors="coerce"
    )
    strays = filled[numbers.isna()]
    if len(strays) > 0.2 * len(filled):
        return None
    if len(strays):
        raise InputError(
            f"line {first_line + int(strays.index[0])}, column {position + 1} ({name})",
            strays.iloc[0][:40],
            "a number",
        )
    found = np.full(len(series), np.nan)
    found[(~gap).to_numpy()] = numbers.to_numpy(np.float64)
    return found, False


def _past_midnight(seconds: Values) -> Values:
    """Times of day that go on over midnight."""
    known = np.flatnonzero(np.isfinite(seconds))
    jumps = np.diff(seconds[known]) < -43_200
    seconds[known[1:]] += 86_400 * np.cumsum(jumps)
    return seconds


def _time_column(columns: Sequence[LogColumn], clocks: Sequence[int]) -> int | None:
    """The column that is the time: by its heading, else one of times of day, else the first that
    runs forward."""

    def forward(column: LogColumn) -> bool:
        known = column.values[np.isfinite(column.values)]
        return len(known) > 1 and bool((np.diff(known) >= 0).mean() > 0.9) and known[-1] > known[0]

    for pattern in TIME_NAMES:
        for i, column in enumerate(columns):
            if re.search(pattern, plain_heading(column.name)) and forward(column):
                return i
    if clocks:
        return clocks[0]
    return next(
        (
            i
            for i, c in enumerate(columns)
            if forward(c) and len(np.unique(c.values)) > 0.5 * len(c.values)
        ),
        None,
    )


TIME_UNITS = {"s": 1.0, "ms": 1e-3, "us": 1e-6, "min": 60.0}


def time_unit(column: LogColumn) -> str:
    """The unit of a time column: as written, else by its step: whole numbers some way apart are
    milliseconds."""
    named = unit_word(column.unit) or (
        "ms" if re.search(r"\b(ms|millis)", plain_heading(column.name)) else None
    )
    if named in TIME_UNITS:
        return named
    known = column.values[np.isfinite(column.values)]
    steps = np.diff(known)
    steps = steps[steps > 0]
    whole = bool(np.all(known == np.round(known)))
    return "ms" if len(steps) and whole and float(np.median(steps)) >= 5 else "s"


MDF_SECONDS = 15
MDF_AT_ONCE = BoundedSemaphore(2)
"""How many processes read measurement files for this one at a time."""
MDF_WAIT_S = 20


def _read_mdf(data: bytes) -> ReadLog:
    """A measurement file, read in a process of its own: a broken one may ask for any amount of
    memory or never end."""
    import json
    import subprocess
    import sys

    whole = "a whole MDF 4 file"
    if data[8:9] != b"4":
        raise InputError(
            "file",
            f"MDF {data[8:12].decode('ascii', 'replace').strip()}",
            "a measurement file in MDF 4",
        )
    if not MDF_AT_ONCE.acquire(timeout=MDF_WAIT_S):
        raise InputError("file", "many measurement files at once", "this one in a minute")
    try:
        child = subprocess.run(
            [sys.executable, "-m", "galene.exchange.measurement_file"],
            input=data,
            capture_output=True,
            timeout=MDF_SECONDS,
            check=False,
        )
    except subprocess.TimeoutExpired as fault:
        raise InputError(
            "file", f"no end after {MDF_SECONDS} s", f"{whole} of at most {MAX_ROWS} samples"
        ) from fault
    finally:
        MDF_AT_ONCE.release()
    head, _, values = child.stdout.partition(b"\n")
    try:
        told = json.loads(head)
    except ValueError as fault:
        raise InputError("file", "a broken measurement file", whole) from fault
    if "field" in told:
        raise InputError(told["field"], told["value"], told["allowed"])
    table = np.frombuffer(values, np.float64).reshape(len(told["names"]), -1)
    columns = tuple(
        LogColumn(n, u, v) for n, u, v in zip(told["names"], told["units"], table, strict=True)
    )
    return ReadLog(kind="mdf", columns=columns, time_column=0, remarks=tuple(told["remarks"]))
