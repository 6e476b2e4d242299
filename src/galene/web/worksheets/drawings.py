"""Drawings of the worksheets: what is measured, to scale."""

import math
from typing import Any

from galene.core.calculations.metrics import METRICS
from galene.core.flow import standard_pressure_kpa
from galene.web.proof.comparison import PlotRow, Shown, around, row_of


def idle_gap(given: dict[str, Any], result: dict[str, Any]) -> dict[str, Any]:
    """The throttle from the side, to scale, and a magnifier on the plate's edge.

    Coordinates are millimetres; x along the flow, y across, the bore's axis at y = 0. The magnifier
    shows the edge where it meets the upper wall, with the clean plate angle, the fouled one, and
    the deposit.
    """
    radius = given["bore_mm"] / 2
    closed = math.radians(given["closed_angle_deg"])
    long_half = radius / math.cos(closed)
    deposit = given.get("deposit_mm", 0.0)

    def tip(angle_deg: float) -> tuple[float, float]:
        angle = math.radians(angle_deg)
        return long_half * math.sin(angle), long_half * math.cos(angle)

    clean, fouled = tip(result["angle_clean_deg"]), tip(result["angle_fouled_deg"])
    gap_clean, gap_fouled = radius - clean[1], radius - fouled[1]
    # The lens shows three times the larger gap, so that the gap always fills a good part of it.
    lens_mm = max(3.0 * max(gap_clean, gap_fouled, deposit), 0.2)
    return {
        "radius": radius,
        "clean": clean,
        "fouled": fouled,
        "deposit": deposit,
        "lens_mm": lens_mm,
        "zoom": 210 / lens_mm,
        "times": 210 / lens_mm / (150 / radius),
        "gap_clean_um": gap_clean * 1000,
        "gap_fouled_um": (gap_fouled - deposit) * 1000,
        "gap_open_um": gap_fouled * 1000,
        "scale": 150 / radius,
        "angle_clean": result["angle_clean_deg"],
        "angle_fouled": result["angle_fouled_deg"],
    }


def trim_split(given: dict[str, Any], result: dict[str, Any]) -> dict[str, Any]:
    """Points and the fitted curve of trim over airflow, with the share that the meter alone
    explains."""
    points = given["points"]
    flows = [p["airflow_g_s"] for p in points]
    high = max(flows) * 1.08
    meter = (1 / result["meter_gain"] - 1) * 100
    curve = []
    for k in range(60):
        flow = min(flows) * 0.8 + (high - min(flows) * 0.8) * k / 59
        curve.append((flow, meter + result["leak_g_s"] / flow * 100))
    trims = [p["trim_percent"] for p in points] + [c[1] for c in curve] + [meter, 0.0]
    low_t, high_t = min(trims) - 2, max(trims) + 2

    def place(flow: float, trim: float) -> tuple[float, float]:
        return round(60 + flow / high * 470, 1), round(
            250 - (trim - low_t) / (high_t - low_t) * 225, 1
        )

    step = 5 if high_t - low_t < 45 else 10
    ticks = [
        (place(0, t)[1], t) for t in range(math.ceil(low_t / step) * step, int(high_t) + 1, step)
    ]
    flow_step = 10 ** math.floor(math.log10(high / 2)) * (
        2 if high / 10 ** math.floor(math.log10(high / 2)) > 8 else 1
    )
    flow_ticks = [
        (place(k * flow_step, 0)[0], f"{k * flow_step:g}") for k in range(int(high / flow_step) + 1)
    ]
    return {
        "points": [place(p["airflow_g_s"], p["trim_percent"]) for p in points],
        "curve": [place(*c) for c in curve if low_t <= c[1] <= high_t],
        "meter_y": place(0, meter)[1],
        "zero_y": place(0, 0)[1],
        "ticks": ticks,
        "flow_ticks": flow_ticks,
        "meter": meter,
    }


def expected_airflow(given: dict[str, Any], result: dict[str, Any]) -> dict[str, Any]:
    """Measured airflow on a scale with the expected band."""
    values = [
        result["expected_low_g_s"],
        result["expected_high_g_s"],
        given.get("measured_g_s") or result["expected_g_s"],
    ]
    low, high = min(values) * 0.8, max(values) * 1.15

    def x(value: float) -> float:
        return around(40 + (value - low) / (high - low) * 480)

    return {
        "low": x(result["expected_low_g_s"]),
        "high": x(result["expected_high_g_s"]),
        "middle": x(result["expected_g_s"]),
        "measured": x(given["measured_g_s"]) if given.get("measured_g_s") is not None else None,
        "texts": {
            "low": f"{result['expected_low_g_s']:.2f}",
            "high": f"{result['expected_high_g_s']:.2f}",
        },
    }


def key_on(given: dict[str, Any], result: dict[str, Any]) -> dict[str, Any]:
    """Sensors on one pressure scale with the reference and its tolerance."""
    readings = given["readings"]
    tolerance = given.get("tolerance_kpa", 2.5)
    reference = result["reference_kpa"]
    values = [r["pressure_kpa"] for r in readings] + (
        [reference - tolerance, reference + tolerance] if reference is not None else []
    )
    low, high = min(values) - 1, max(values) + 1

    def x(value: float) -> float:
        return around(150 + (value - low) / (high - low) * 370)

    rows = [
        {
            "name": r["component"],
            "x": x(r["pressure_kpa"]),
            "within": d["within"],
            "text": f"{r['pressure_kpa']:.1f}",
            "y": 40 + 34 * i,
        }
        for i, (r, d) in enumerate(zip(readings, result["deviations"], strict=True))
    ]
    return {
        "rows": rows,
        "band": (
            (x(reference - tolerance), x(reference + tolerance)) if reference is not None else None
        ),
        "reference": x(reference) if reference is not None else None,
        "height": 60 + 34 * len(rows),
        "reference_text": f"{reference:.1f} kPa" if reference is not None else "",
    }


def drying(given: dict[str, Any], result: dict[str, Any]) -> dict[str, Any]:
    """Factor over temperature for this agent, the bay marked on it."""
    from galene.core.calculations.drying_time import DryingTimeInput, drying_time

    def factor(temperature: float) -> float:
        return drying_time(
            DryingTimeInput(
                base_minutes=1,
                temperature_c=temperature,
                class_=given["class"],
                vaporisation_kj_mol=None,
                relative_humidity=given.get("relative_humidity"),
            )
        ).factor

    low, high, here = -5.0, 40.0, min(40.0, max(-5.0, given["temperature_c"]))
    top = max(1.0, factor(low))

    def place(temperature: float, value: float) -> tuple[float, float]:
        return round(60 + (temperature - low) / (high - low) * 470, 1), round(
            230 - min(value, top) / top * 195, 1
        )

    curve = [
        place(low + (high - low) * k / 45, max(1.0, factor(low + (high - low) * k / 45)))
        for k in range(46)
    ]
    ticks = [(place(t, 0)[0], f"{t}") for t in range(0, 41, 10)]
    steps = [1, 2, 3, 4, 5, 6, 8, 10]
    return {
        "curve": curve,
        "here": place(here, max(1.0, result["factor"])),
        "ticks": ticks,
        "levels": [(place(0, s)[1], f"{s}×") for s in steps if s <= top],
    }


def altitude(given: dict[str, Any], result: dict[str, Any]) -> dict[str, Any]:
    """Pressure over height, this place marked."""
    top = max(3000.0, given["altitude_m"] * 1.2)

    def place(height: float, pressure: float) -> tuple[float, float]:
        return round(60 + (pressure - 20) / 85 * 470, 1), round(
            240 - max(height, -430) / top * 200, 1
        )

    curve = [place(top * k / 40, standard_pressure_kpa(top * k / 40)) for k in range(41)]
    return {
        "curve": [c for c in curve if c[0] >= 60],
        "here": place(given["altitude_m"], result["pressure_kpa"]),
        "ticks": [(place(0, p)[0], str(p)) for p in range(20, 106, 20)],
        "levels": [(place(h, 100)[1], f"{h:.0f}") for h in (0, top / 3, 2 * top / 3)],
    }


def comparison(given: dict[str, Any], result: dict[str, Any]) -> list[PlotRow]:
    """Before and after rows without a family's band."""
    sides = {s: {m["metric"]: m["samples"] for m in given[s]} for s in ("before", "after")}
    rows = []
    for plain in result["metrics"]:
        change = Shown(
            metric=plain["metric"],
            before=plain["before"],
            after=plain["after"],
            low=plain["low"],
            high=plain["high"],
            verdict=plain["verdict"],
            reason=plain["reason"],
        )
        if (
            change.metric in METRICS
            and change.metric in sides["before"]
            and change.metric in sides["after"]
        ):
            rows.append(
                row_of(
                    change,
                    sides["before"][change.metric],
                    sides["after"][change.metric],
                    band=None,
                    system="metric",
                )
            )
    return rows
