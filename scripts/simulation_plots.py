"""Draw the plots of docs/simulation.md from the program itself: what the simulated car shows beside
what the trade's arithmetic says of it.

Usage: .venv/bin/python scripts/simulation_plots.py
"""

import math
from collections.abc import Callable, Sequence
from pathlib import Path

from galene.core.calculations.idle_gap import IdleGapInput, idle_gap
from galene.core.flow import PSI_MAX, psi
from galene.knowledge.families import FAMILIES
from galene.simulation.vehicle import Vehicle

OUT = Path(__file__).parent.parent / "docs" / "simulation"
WIDTH, HEIGHT, LEFT, RIGHT, BOTTOM = 620, 280, 58, 14, 40
INK, DEEP, CAUTION, HAIR = "#16242e", "#2a657e", "#a3195b", "#c9c1ac"
Deed = tuple[float, Callable[[Vehicle], object]]
Line = tuple[str, str, bool, Sequence[tuple[float, float]]]
"""Name, colour, whether as points, and the places."""


def ride(
    family: str, faults: dict[str, float], deeds: Sequence[Deed], seconds: float
) -> list[dict[str, float]]:
    """The rows of a run, ten a second."""
    vehicle, left, rows = Vehicle(FAMILIES[family], faults), list(deeds), []
    for step in range(round(seconds * 100)):
        while left and left[0][0] * 100 <= step:
            left.pop(0)[1](vehicle)
        if step % 10 == 0:
            rows.append(vehicle.row())
        vehicle.step()
    return rows


def started(*deeds: Deed) -> list[Deed]:
    """Key on and started, then more."""
    return [(0.5, lambda v: v.key_on()), (1.0, lambda v: v.start()), *deeds]


def ticks(low: float, high: float) -> list[float]:
    """About five round figures between two."""
    step = 10 ** math.floor(math.log10((high - low) / 4))
    step *= next(m for m in (1, 2, 2.5, 5, 10) if (high - low) / (step * m) <= 6)
    first = math.ceil(low / step)
    return [k * step for k in range(first, math.floor(high / step) + 1)]


def plot(name: str, title: str, *, x: str, y: str, lines: Sequence[Line]) -> None:
    """Write one plot as SVG."""
    places = [p for _, _, _, points in lines for p in points]
    x1, x2 = min(p[0] for p in places), max(p[0] for p in places)
    y1, y2 = min(p[1] for p in places), max(p[1] for p in places)
    top = 14 + 14 * len(lines)
    y1, y2 = y1 - 0.06 * (y2 - y1), y2 + 0.12 * (y2 - y1)

    def at(px: float, py: float) -> tuple[float, float]:
        return (
            LEFT + (px - x1) / (x2 - x1) * (WIDTH - LEFT - RIGHT),
            HEIGHT - BOTTOM - (py - y1) / (y2 - y1) * (HEIGHT - top - BOTTOM),
        )

    font = 'font-family="sans-serif" font-size="11"'
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {WIDTH} {HEIGHT}" role="img">',
        f'<title>{title}</title><rect width="{WIDTH}" height="{HEIGHT}" fill="#fffdf7"/>',
        f'<text x="{LEFT}" y="16" {font} font-weight="bold" fill="{INK}">{title}</text>',
    ]
    for value in ticks(y1, y2):
        _, py = at(x1, value)
        parts.append(f'<path d="M{LEFT} {py:.1f}H{WIDTH - RIGHT}" stroke="{HAIR}"/>')
        parts.append(
            f'<text x="{LEFT - 6}" y="{py + 4:.1f}" {font} text-anchor="end">{value:g}</text>'
        )
    for value in ticks(x1, x2):
        px, _ = at(value, y1)
        parts.append(
            f'<text x="{px:.1f}" y="{HEIGHT - 24}" {font} text-anchor="middle">{value:g}</text>'
        )
    parts.append(f'<text x="{WIDTH - RIGHT}" y="{HEIGHT - 8}" {font} text-anchor="end">{x}</text>')
    parts.append(f'<text x="6" y="{HEIGHT - 8}" {font}>{y}</text>')
    for k, (label, colour, dotted, points) in enumerate(lines):
        drawn = [at(*p) for p in points]
        if dotted:
            parts += [
                f'<circle cx="{a:.1f}" cy="{b:.1f}" r="4" fill="{colour}"/>' for a, b in drawn
            ]
        else:
            way = " ".join(f"{a:.1f},{b:.1f}" for a, b in drawn)
            parts.append(
                f'<polyline points="{way}" fill="none" stroke="{colour}" stroke-width="1.6"/>'
            )
        parts.append(
            f'<text x="{WIDTH - RIGHT - 4}" y="{16 + 14 * k}" {font} fill="{colour}"'
            f' text-anchor="end">{label}</text>'
        )
    OUT.mkdir(exist_ok=True)
    (OUT / f"{name}.svg").write_text("\n".join([*parts, "</svg>"]) + "\n")


def flow_test() -> None:
    """Speed while the recirculation valve is held open."""
    lines: list[Line] = []
    for severity, colour in ((0.95, INK), (0.6, DEEP), (0.0, CAUTION)):
        deeds = started(
            (30.0, lambda v: v.command("egr_valve", 100.0)), (45.0, lambda v: v.release())
        )
        rows = ride("B", {"egr_passage_plugged": severity} if severity else {}, deeds, 55.0)
        points = [(r["time_s"], r["rpm"]) for r in rows if r["time_s"] > 24]
        lines.append((f"plugged {severity:g}", colour, False, points))
    plot("flow-test", "Valve held open from 30 to 45 s, family B", x="s", y="rpm", lines=lines)


def holding(rpm: float) -> Callable[[Vehicle], object]:
    """The foot holds a speed."""
    return lambda v: setattr(v.wishes, "hold_rpm", rpm)


def trims() -> None:
    """Total trim over airflow with a leak, beside the arithmetic's curve."""
    deeds = started((60.0, lambda v: setattr(v.wishes, "hold_rpm", 1200.0)))
    deeds += [
        (60.0 + 60 * k, holding(rpm)) for k, rpm in enumerate((1200.0, 1800.0, 2600.0, 3400.0))
    ]
    rows = ride("A", {"unmetered_air_leak": 0.5}, deeds, 300.0)
    shown = []
    for begin in (40.0, 100.0, 160.0, 220.0, 280.0):
        mine = [r for r in rows if begin <= r["time_s"] < begin + 19]
        air, trim, pressure = (
            sum(r[name] for name in names for r in mine) / len(mine)
            for names in (("air_g_s",), ("short_trim_pct", "long_trim_pct"), ("manifold_kpa",))
        )
        shown.append((air, trim, pressure))
    leak = shown[0][1] / 100 * shown[0][0] / (psi(shown[0][2] / 101.1) / PSI_MAX)
    curve = [(m, 100 * leak / m) for m in (2.3 + 0.2 * k for k in range(80))]
    lines: list[Line] = [
        (f"a leak of {leak:.2f} g/s", DEEP, False, curve),
        ("shown by the car", CAUTION, True, [(a, t) for a, t, _ in shown]),
    ]
    plot("trims", "Total trim with a leak, family A", x="air, g/s", y="%", lines=lines)


def offsets() -> None:
    """Learned offset over deposit, beside `idle-gap`."""
    shown, said, clean = [], [], 0.0
    for k in range(6):
        vehicle = Vehicle(FAMILIES["A"], {"throttle_deposit": k / 5} if k else {})
        rows = ride("A", {"throttle_deposit": k / 5} if k else {}, started(), 55.0)[350:]
        mean = {c: sum(r[c] for r in rows) / len(rows) for c in rows[0]}
        clean = clean or mean["throttle_pct"]
        deposit = vehicle.condition.plate_deposit_mm
        shown.append((1000 * deposit, (mean["throttle_pct"] - clean) * 0.84))
        gap = idle_gap(
            IdleGapInput(
                bore_mm=52.0,
                closed_angle_deg=6.0,
                idle_air_g_s=mean["air_g_s"],
                intake_kpa=101.1,
                intake_c=mean["intake_c"],
                manifold_kpa=mean["manifold_kpa"],
                deposit_mm=deposit,
            )
        )
        said.append((1000 * deposit, gap.learned_offset_deg))
    lines: list[Line] = [
        ("idle-gap says", DEEP, False, said),
        ("learned by the car", CAUTION, True, shown),
    ]
    plot("learned-offset", "Offset over deposit, family A", x="µm", y="degrees", lines=lines)


def race() -> None:
    """Speed after cleaning without a relearn."""
    rows = ride(
        "A", {"throttle_deposit": 0.8}, started((40.0, lambda v: v.mend("throttle_body"))), 160.0
    )
    points = [(r["time_s"], r["rpm"]) for r in rows if r["time_s"] > 20]
    lines: list[Line] = [("cleaned at 40 s, not relearned", CAUTION, False, points)]
    plot("race", "It races and calms as it learns, family A", x="s", y="rpm", lines=lines)


def burn() -> None:
    """Temperatures of a burn-off with a sound and a fouled doser."""
    lines: list[Line] = []
    for severity, colour in ((0.0, DEEP), (0.3, INK), (0.7, CAUTION)):
        deeds = started((60.0, lambda v: v.control.begin("regeneration")))
        rows = ride("E", {"doser_fouled": severity} if severity else {}, deeds, 1500.0)[::40]
        points = [(r["time_s"] / 60, r["before_filter_c"]) for r in rows]
        lines.append((f"doser fouled {severity:g}", colour, False, points))
    plot("burn-off", "Before the filter, family E", x="min", y="°C", lines=lines)


if __name__ == "__main__":
    for draw in (flow_test, trims, offsets, race, burn):
        draw()
