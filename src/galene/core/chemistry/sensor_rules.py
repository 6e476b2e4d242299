"""Rules of what measures and of what is under power."""

from collections.abc import Iterator

from galene.core.chemistry.judge import WAYS, Finding, Situation
from galene.core.chemistry.kinds import (
    SOAK,
    TOUCH,
    lacks,
    powerless,
)


def powered(s: Situation) -> Iterator[Finding]:
    """Fingers, tools and vapour at a part that may move or spark."""
    if not s.is_a("moved_by_motor") or s.way == "running_ingestion":
        return
    missing = powerless(s)
    if not missing:
        return
    if s.way in TOUCH or s.way == "vacuum" or s.way == "compressed_air":
        yield Finding(
            rule="power.moves",
            verdict="only_after",
            text="It moves by itself while there is power: ignition or battery off first.",
            conditions=missing,
        )
    elif s.wet and s.has("flammable"):
        yield Finding(
            rule="power.sparks",
            verdict="only_after",
            text="Vapour at a live plug or motor: ignition or battery off first.",
            conditions=missing,
        )


def made_for(s: Situation) -> Iterator[Finding]:
    """An agent is applied in the ways that its kind is made for."""
    if s.agent is None or s.way in s.agent.ways:
        return
    yield Finding(
        rule="way.not_made_for",
        verdict="no",
        text=f"{s.agent.title} is not made to be {WAYS[s.way]}.",
    )


def hot_element(s: Situation) -> Iterator[Finding]:
    """Hot elements: the mildest agent, no touch, no air, no power, dry before power."""
    if "hot_element" not in s.features:
        return
    if s.way in TOUCH:
        yield Finding(
            rule="hot_element.touch",
            verdict="no",
            text="A hot element is never touched: it breaks, or a fibre stays on it.",
        )
    if s.way == "compressed_air":
        yield Finding(
            rule="hot_element.air",
            verdict="no",
            text="Compressed air breaks the element or drives dirt into it.",
        )
    if s.way == "vacuum":
        yield Finding(
            rule="hot_element.vacuum",
            verdict="no",
            text="A nozzle at the element tears it: suction and its edge are both too much.",
        )
    if s.way in SOAK or s.way == "running_ingestion":
        yield Finding(
            rule="hot_element.soak",
            verdict="no",
            text="Liquid that stands gets into the electronics behind the element.",
        )
    if s.wet:
        yield from _wet_element(s)


def _wet_element(s: Situation) -> Iterator[Finding]:
    """What a liquid must be and how it comes to a hot element."""
    if not s.has("residue_free"):
        yield Finding(
            rule="hot_element.residue",
            verdict="no",
            text=(
                "What it leaves behind bakes on the element, and the meter reads wrong from"
                " then on."
            ),
        )
    if not s.has("plastic_safe"):
        yield Finding(
            rule="hot_element.plastic",
            verdict="no",
            text="It attacks the body and the resin that holds the element.",
        )
    missing = (*lacks(s, "removed"), *powerless(s))
    if missing:
        yield Finding(
            rule="hot_element.out",
            verdict="only_after",
            text=(
                "Out of its neck and without power: dirt must not run into the line, and a"
                " powered element burns."
            ),
            conditions=tuple(dict.fromkeys(missing)),
        )
    yield Finding(
        rule="hot_element.bursts",
        verdict="with_care",
        text=(
            "Short bursts from a hand's breadth, across the element; dry completely before power."
        ),
    )


def membrane(s: Situation) -> Iterator[Finding]:
    """Pressure sensors: nothing into the hole, nothing that stays."""
    if "membrane" not in s.features:
        return
    if s.way in ("pick_or_wire", "scraper", "blast", "on_brush", "soft_brush"):
        yield Finding(
            rule="membrane.nothing_in",
            verdict="no",
            text=(
                "Nothing is pushed into a sensor: the membrane tears. A pick is for the port that"
                " it came from."
            ),
        )
    if s.way == "compressed_air":
        yield Finding(
            rule="membrane.air", verdict="no", text="Air at the hole bursts the membrane."
        )
    if s.way in SOAK or s.way == "running_ingestion":
        yield Finding(
            rule="membrane.soak",
            verdict="no",
            text="Soaked, the electronics behind the membrane are wet for days.",
        )
    if s.wet and not s.has("assembly_aid"):
        if not s.has("residue_free"):
            yield Finding(
                rule="membrane.residue",
                verdict="no",
                text="A film on the membrane slows it and holds the next soot.",
            )
        if not s.has("plastic_safe"):
            yield Finding(
                rule="membrane.plastic", verdict="no", text="It attacks body, gel and O-ring."
            )
        missing = (*lacks(s, "removed"), *powerless(s))
        if missing and "sensor_removed" not in s.state:
            yield Finding(
                rule="membrane.out",
                verdict="only_after",
                text="Out of its port: what is loosened must not stay before the hole.",
                conditions=tuple(dict.fromkeys(missing)),
            )
        yield Finding(
            rule="membrane.across",
            verdict="with_care",
            text=(
                "Spray across the hole, never into it; then look at the tab inside and at the"
                " O-ring."
            ),
        )


def other_sensors(s: Situation) -> Iterator[Finding]:
    """Sensors without element or membrane: still electronics in a plastic body."""
    if s.is_a("sensor") and not s.features & {"hot_element", "membrane"} and not s.is_a("oxygen"):
        if s.way in SOAK and s.wet:
            yield Finding(
                rule="sensor.soak",
                verdict="no",
                text="A sensor is never soaked or bathed: the liquid stays behind its seal.",
            )
        if s.way == "direct_spray" and s.wet and (missing := powerless(s)):
            yield Finding(
                rule="sensor.power",
                verdict="only_after",
                text="Without power: a wet plug sets codes.",
                conditions=missing,
            )


def sensor_lines(s: Situation) -> Iterator[Finding]:
    """Bores and tubes that a sensor reads through: the sensor out first."""
    if not s.is_a("line_to_sensor") or s.has("assembly_aid"):
        return
    if s.way in ("running_ingestion", "dry_wipe", "blast", "on_cloth"):
        return
    # A hose in the hand has no sensor on it: it may be washed. What is blown or pushed still asks.
    if s.is_a("crank_hose") and s.wet and "removed" in s.state:
        return
    if missing := lacks(s, "sensor_removed"):
        yield Finding(
            rule="sensor_line.sensor_out",
            verdict="only_after",
            text=(
                "What is pushed, blown or run in here ends at the sensor's membrane: sensor out"
                " first."
            ),
            conditions=missing,
        )


def electronics(s: Situation) -> Iterator[Finding]:
    """Motors, solenoids and Hall sensors are never bathed; metal is parted from them first."""
    if not s.is_a("carries_drive") and "hall_sensor" not in s.features:
        return
    # A motor with its gear is the electronics itself: nothing is left that could be parted off.
    itself = s.is_a("flap_motor") and s.way == "direct_spray"
    itself = itself and s.has("residue_free") and s.has("plastic_safe")
    if itself:
        missing = powerless(s)
        yield Finding(
            rule="electronics.contacts",
            verdict="only_after" if missing else "with_care",
            text="At plug and contacts, without power; not into the gear, whose grease stays.",
            conditions=missing,
        )
    elif s.way in (*SOAK, "direct_spray") and s.wet and "electronics_removed" not in s.state:
        yield Finding(
            rule="electronics.bath",
            verdict="only_after",
            text=(
                "Electronics are never bathed, soaked or sprayed: part them from the metal first,"
                " else by hand."
            ),
            conditions=("electronics_removed",),
        )
    if (
        "hall_sensor" in s.features
        and s.wet
        and "electronics_removed" not in s.state
        and not (s.has("residue_free") and s.has("plastic_safe"))
    ):
        yield Finding(
            rule="electronics.hall",
            verdict="no",
            text="A film or a swollen body puts the magnet's sensor off: dry brush and vacuum.",
        )
    if s.way in ("on_cloth", "on_brush") and s.wet:
        yield Finding(
            rule="electronics.up", verdict="with_care", text="Motor side up, nothing that runs."
        )


def oxygen_sensor(s: Situation) -> Iterator[Finding]:
    """Oxygen sensors are never sprayed."""
    if not s.is_a("oxygen"):
        return
    if s.has("silicone"):
        yield Finding(
            rule="oxygen_sensor.silicone", verdict="no", text="Silicone poisons it for good."
        )
    if s.way != "running_ingestion":
        yield Finding(
            rule="oxygen_sensor.never_sprayed",
            verdict="no",
            text=(
                "No agent and no tool on an oxygen sensor: only labelled fuel or intake products"
                " reach it."
            ),
        )
    elif not s.has("oxygen_sensor_safe"):
        yield Finding(
            rule="oxygen_sensor.label",
            verdict="no",
            text="Only a product that is safe for oxygen sensors by its label.",
        )
    elif "downstream" in s.features:
        yield Finding(
            rule="oxygen_sensor.downstream",
            verdict="with_care",
            text="The downstream sensor gains little from it.",
        )
