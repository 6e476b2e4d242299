"""Drawings of the worksheets that read traces, passages and crank positions."""

import math
from collections.abc import Sequence
from dataclasses import asdict
from typing import Any

from galene.core.airpath.family import EngineFamily
from galene.core.calculations.blast_positions import BlastInput
from galene.core.calculations.egr_flow_test import TRACE_COLUMNS, TRACE_MORE
from galene.core.calculations.oxygen_response import MIDDLE
from galene.core.calculations.runner_sweep import up_and_down
from galene.core.logs.rows import read_columns
from galene.core.planning.chain import crank_positions
from galene.core.planning.records import Step
from galene.web.proof.comparison import around

LEFT, RIGHT, TOP, BOTTOM = 56.0, 548.0, 18.0, 232.0


def _ticks(low: float, high: float, about: int = 5) -> list[float]:
    rough = (high - low) / about or 1.0
    power = 10.0 ** math.floor(math.log10(rough))
    step = next(m * power for m in (1, 2, 5, 10) if m * power >= rough * 0.999)
    first = math.ceil(low / step - 1e-9)
    return [k * step for k in range(first, int(high / step + 1e-9) + 1)]


def chart(
    series: Sequence[tuple[str, Sequence[tuple[float, float]]]],
    unit_x: str,
    unit_y: str,
    *,
    level: tuple[float, str] | None = None,
    marks: Sequence[tuple[float, float]] = (),
    words: Sequence[str] = (),
) -> dict[str, Any]:
    """Lines over a common axis, each told apart by its dashes; `level` is a threshold, `marks`
    stretches along x, `words` what stands on each."""
    xs = [x for _, points in series for x, _ in points]
    ys = [y for _, points in series for _, y in points] + ([level[0]] if level else [])
    low_x, high_x, low_y, high_y = min(xs), max(xs), min(ys), max(ys)
    pad = (high_y - low_y) * 0.06 or 1.0
    low_y, high_y = low_y - pad, high_y + pad
    wide = high_x - low_x or 1.0

    def at(x: float, y: float) -> tuple[float, float]:
        return round(LEFT + (x - low_x) / wide * (RIGHT - LEFT), 1), round(
            BOTTOM - (y - low_y) / (high_y - low_y) * (BOTTOM - TOP), 1
        )

    dashes = ("", "8 4", "2 4", "12 3 2 3")
    lines = [
        {
            "label": label,
            "dash": dashes[i % 4],
            "points": " ".join(f"{x},{y}" for x, y in (at(*p) for p in points)),
            "end": at(*points[-1]),
        }
        for i, (label, points) in enumerate(series)
    ]
    return {
        "lines": lines,
        "ticks": [(at(t, low_y)[0], f"{t:g}") for t in _ticks(low_x, high_x)],
        "levels": [(at(low_x, t)[1], f"{t:g}") for t in _ticks(low_y, high_y)],
        "threshold": (at(low_x, level[0])[1], level[1]) if level else None,
        "marks": [(at(a, low_y)[0], at(b, low_y)[0]) for a, b in marks],
        "words": list(words),
        "fields": [],
        "from_x": low_x,
        "to_x": high_x,
        "unit_x": unit_x,
        "unit_y": unit_y,
    }


def burn(given: dict[str, Any], result: dict[str, Any]) -> dict[str, Any]:
    """Three temperatures over minutes, the burn shaded."""
    rows = read_columns(
        given["csv"], ("time_s", "before_catalyst_c", "before_filter_c", "after_filter_c")
    )
    names = ("before catalyst", "before filter", "behind filter")
    stretch = [
        (p["start_s"] / 60, p["end_s"] / 60) for p in result["phases"] if p["name"] == "burn"
    ]
    return chart(
        [(n, [(r[0] / 60, r[i + 1]) for r in rows]) for i, n in enumerate(names)],
        "min",
        "°C",
        level=(given["burn_c"], "burns"),
        marks=stretch,
    )


def sweep(given: dict[str, Any], result: dict[str, Any]) -> dict[str, Any]:
    """Position over command, up and down."""
    up, down = up_and_down(read_columns(given["csv"], ("command", "position")))
    return chart(
        [("up", [(r[0], r[1]) for r in up]), ("down", [(r[0], r[1]) for r in down])],
        "% command",
        "% position",
    )


def volts(given: dict[str, Any], result: dict[str, Any]) -> dict[str, Any]:
    """The sensor's volts over time with the crossing level."""
    rows = [(r[0], r[1]) for r in read_columns(given["csv"], ("time_s", "volts"))]
    return chart([("sensor", rows)], "s", "V", level=(MIDDLE, "crossing"))


def passage(given: dict[str, Any], result: dict[str, Any]) -> dict[str, Any] | None:
    """The open passage as a round hole to scale, the clean one round it; above it the trace with
    its plateaus, where there is one."""
    plateaus = result["plateaus"]
    trace = None
    if plateaus:
        rows = read_columns(given["csv"], TRACE_COLUMNS, TRACE_MORE)
        trace = chart(
            [("manifold", [(r[0], r[1]) for r in rows])],
            "s",
            "kPa",
            marks=[(p["start_s"], p["end_s"]) for p in plateaus],
            words=("shut", "open"),
        )
        trace["fields"] = ["closed", "open"]
    area = result["passage_area_mm2"]
    if area is None:
        return {"trace": trace, "plateaus": plateaus, "hole": None} if trace else None
    clean = given.get("reference_area_mm2")
    largest = max(area, clean or 0.0, 0.5)
    scale = 92 / math.sqrt(largest / math.pi)
    share = result["recirculated_fraction"]
    low, high = result["passage_area_low_mm2"], result["passage_area_high_mm2"]
    return {
        "trace": trace,
        "plateaus": plateaus,
        "hole": {
            "open": math.sqrt(area / math.pi) * scale,
            "clean": math.sqrt(clean / math.pi) * scale if clean else None,
            "open_text": (
                f"{area:.1f} mm²" + (f" ({low:.1f} to {high:.1f})" if low is not None else "")
            ),
            "clean_text": f"{clean:.1f} mm² clean" if clean else "",
            "fresh": (1 - share) * 240,
            "gas": share * 240,
            "fresh_text": f"{result['fresh_g_s']:.2f} g/s air",
            "gas_text": f"{result['recirculated_g_s']:.2f} g/s gas",
        },
    }


def two_ways(given: dict[str, Any], result: dict[str, Any]) -> dict[str, Any]:
    """Balance with two sigma, and what the sensor sees, on one scale."""
    balance, sigma, seen = result["balance_g_s"], result["balance_sigma_g_s"], result["dp_flow_g_s"]
    low, high = (
        min(0.0, balance - 2 * sigma),
        max(balance + 2 * sigma, seen, given.get("expected_g_s") or 0.0) * 1.08,
    )

    def x(value: float) -> float:
        return around(40 + (value - low) / (high - low) * 480)

    expected = given.get("expected_g_s")
    return {
        "low": x(balance - 2 * sigma),
        "high": x(balance + 2 * sigma),
        "middle": x(balance),
        "seen": x(seen),
        "expected": x(expected) if expected is not None else None,
        "ticks": [(x(t), f"{t:g}") for t in _ticks(low, high, 6)],
        "balance_text": f"{balance:.1f} by balance, ± {2 * sigma:.1f}",
        "seen_text": f"{seen:.1f} seen",
    }


def cycle(given: dict[str, Any], result: dict[str, Any]) -> dict[str, Any]:
    """720 degrees of crank: where each intake valve is shut, and the positions to stop at."""
    order = given["firing_order"]
    opens = 360 - given["intake_opens_btdc_deg"] - given["margin_deg"]
    shuts = 540 + given["intake_closes_abdc_deg"] + given["margin_deg"]

    def x(crank: float) -> float:
        return around(60 + crank / 720 * 480)

    rows: list[dict[str, Any]] = []
    for cylinder in sorted(order):
        fires = 720.0 * order.index(cylinder) / len(order)
        begin, length = (fires + shuts) % 720, (opens + 720 - shuts) % 720
        stretches = [(x(begin), x(min(720, begin + length)))] + (
            [(x(0), x(begin + length - 720))] if begin + length > 720 else []
        )
        rows.append(
            {"name": f"cylinder {cylinder}", "stretches": stretches, "y": 30 + 26 * len(rows)}
        )
    stops = [
        {
            "x": x(p["crank_deg"]),
            "text": f"{p['crank_deg']:.0f}°",
            "cylinders": ", ".join(map(str, p["cylinders"])),
            "state": "now",
        }
        for p in result["positions"]
    ]
    return {
        "rows": rows,
        "stops": stops,
        "height": 64 + 26 * len(rows),
        "ticks": [(x(d), f"{d}") for d in range(0, 721, 180)],
    }


def crank_of(family: EngineFamily, step: Step) -> dict[str, Any] | None:
    """The drawing of a step at one of the crank positions: what was blasted, where the crank stands
    now, what comes."""
    here = step.crank_deg
    positions = crank_positions(family)
    if (
        here is None
        or not positions
        or family.intake_opens_btdc_deg is None
        or family.intake_closes_abdc_deg is None
    ):
        return None
    given = {
        "firing_order": list(family.firing_order),
        "intake_opens_btdc_deg": family.intake_opens_btdc_deg,
        "intake_closes_abdc_deg": family.intake_closes_abdc_deg,
        "margin_deg": BlastInput.margin_deg,
    }
    drawn = cycle(given, {"positions": [asdict(p) for p in positions]})
    at = next((i for i, p in enumerate(positions) if abs(p.crank_deg - here) < 0.01), 0)
    for i, stop in enumerate(drawn["stops"]):
        stop["state"] = "past" if i < at else "now" if i == at else "next"
    return drawn
