"""The rules. Each has an id and a reason; they read properties and features, never a table of
pairs.

Sources: general workshop practice, labels' usual wording, and textbook resistance of elastomers and
plastics; a product's own label wins and is recorded as an override.
"""

from collections.abc import Iterator

from galene.core.chemistry.engine_rules import (
    aftertreatment,
    blasting,
    chlorine,
    fire,
    fuel_dosed,
    hot_gas,
    ingestion,
    injectors,
    tools,
    turbine,
    two_stroke_crankcase,
)
from galene.core.chemistry.judge import Finding, Rule, Situation
from galene.core.chemistry.kinds import (
    lacks,
    powerless,
)
from galene.core.chemistry.material_rules import (
    aluminium,
    assembly_aids,
    baths,
    coating,
    cooler_tubes,
    elastomers,
    faces_down,
    filters,
    greased,
    metal_only,
    plastics,
    rubber,
    soaking_ports,
    water,
)
from galene.core.chemistry.sensor_rules import (
    electronics,
    hot_element,
    made_for,
    membrane,
    other_sensors,
    oxygen_sensor,
    powered,
    sensor_lines,
)


def electronic_throttle(s: Situation) -> Iterator[Finding]:
    """Motor-driven throttles: no liquid at the shaft, no power, no shut plate."""
    if not s.is_a("plate") or "electronic" not in s.features:
        return
    if s.way in ("direct_spray", "drip_soak"):
        yield Finding(
            rule="throttle.shaft",
            verdict="no",
            text=(
                "Liquid creeps along the shaft into gears, motor and position sensor: agent on"
                " cloth or brush."
            ),
        )
    if s.way in ("on_cloth", "on_brush", "dry_wipe", "soft_brush"):
        missing = lacks(s, "plate_open") + (
            () if s.state & {"battery_off", "removed"} else ("battery_off",)
        )
        if missing:
            yield Finding(
                rule="throttle.power",
                verdict="only_after",
                text=(
                    "The plate has a motor: no power while fingers are in the bore, and not with"
                    " the plate shut."
                ),
                conditions=missing,
            )
        yield Finding(
            rule="throttle.gently",
            verdict="with_care",
            text=(
                "Open the plate gently by hand; nothing wet toward the shaft's ends. Relearn"
                " afterwards."
            ),
        )
    if s.way in ("scraper", "pick_or_wire", "compressed_air", "vacuum") and (
        missing := powerless(s)
    ):
        yield Finding(
            rule="throttle.tool_power",
            verdict="only_after",
            text="A motor holds the plate: power off before a tool comes near it.",
            conditions=missing,
        )


def throttle_edge(s: Situation) -> Iterator[Finding]:
    """The edge that meters the idle air is soft metal, whatever moves the plate."""
    if s.is_a("plate") and s.way in ("scraper", "pick_or_wire", "blast"):
        yield Finding(
            rule="throttle.scraper",
            verdict="no",
            text="A hard tool scores the edge that meters the idle air.",
        )


def cable_throttle(s: Situation) -> Iterator[Finding]:
    """Cable throttles bear small amounts, with the plate open."""
    if not s.is_a("plate") or "electronic" in s.features:
        return
    if s.way in ("direct_spray", "drip_soak", "on_cloth", "on_brush"):
        if missing := lacks(s, "plate_open"):
            yield Finding(
                rule="throttle.plate",
                verdict="only_after",
                text=(
                    "With the plate shut the liquid pools behind it or at the very line to be"
                    " cleaned."
                ),
                conditions=missing,
            )
        if s.way in ("direct_spray", "drip_soak"):
            yield Finding(
                rule="throttle.small",
                verdict="with_care",
                text=(
                    "Small amounts, wipe up what pools: liquid in one cylinder locks it"
                    " (ingestion-limit gives the amount)."
                ),
            )


RULES: tuple[Rule, ...] = (
    made_for,
    powered,
    hot_element,
    membrane,
    other_sensors,
    electronic_throttle,
    throttle_edge,
    greased,
    sensor_lines,
    rubber,
    two_stroke_crankcase,
    cooler_tubes,
    hot_gas,
    turbine,
    injectors,
    cable_throttle,
    coating,
    faces_down,
    electronics,
    baths,
    elastomers,
    plastics,
    aluminium,
    metal_only,
    ingestion,
    fuel_dosed,
    oxygen_sensor,
    aftertreatment,
    fire,
    chlorine,
    blasting,
    tools,
    soaking_ports,
    filters,
    assembly_aids,
    water,
)
"""Every rule that `judge` asks."""
