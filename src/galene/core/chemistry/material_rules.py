"""Rules of what parts are made of, and of what is laid, soaked or left on them."""

from collections.abc import Iterator

from galene.core.chemistry.judge import Finding, Situation
from galene.core.chemistry.kinds import WASHES_OIL, lacks


def greased(s: Situation) -> Iterator[Finding]:
    """Greased bearings and gears are not bathed."""
    if s.is_a("greased") and s.way == "bath":
        yield Finding(
            rule="bath.grease",
            verdict="no",
            text="A bath washes the grease out of shaft and gears, and none can be put back.",
        )


def rubber(s: Situation) -> Iterator[Finding]:
    """Boots and hoses are rubber: soap and water."""
    if not s.is_a("rubber") or not s.wet or s.has("assembly_aid"):
        return
    if s.has(*WASHES_OIL):
        yield Finding(
            rule="rubber.swells",
            verdict="no",
            text="The part is rubber itself: solvents swell and crack it. Soap and water.",
        )


def cooler_tubes(s: Situation) -> Iterator[Finding]:
    """Thin tubes with coolant behind them."""
    if s.is_a("cooler") and s.way in ("pick_or_wire", "scraper", "blast"):
        yield Finding(
            rule="cooler.tubes",
            verdict="no",
            text="The tubes are thin and coolant is behind them: a hole locks a cylinder.",
        )


def coating(s: Situation) -> Iterator[Finding]:
    """Coated bores: soft, and by label."""
    if "coated_bore" not in s.features:
        if (
            s.is_a("plate")
            and s.wet
            and s.has("ketones", "chlorinated")
            and "bare_bore" not in s.state
        ):
            yield Finding(
                rule="coating.unknown",
                verdict="only_after",
                text=(
                    "It strips a coated bore, and whether this one is bare nobody has said: its"
                    " label, the service information or a look first."
                ),
                conditions=("bare_bore",),
            )
        return
    if s.wet and not s.has("coating_safe"):
        yield Finding(
            rule="coating.label",
            verdict="no",
            text="The bore is coated: only an agent that is coating-safe by label.",
        )
    if s.way in ("on_brush", "scraper", "blast"):
        yield Finding(
            rule="coating.brush", verdict="no", text="No brush on the coated band: a soft cloth."
        )


def faces_down(s: Situation) -> Iterator[Finding]:
    """What faces down lets liquid run on."""
    if "faces_down" not in s.features:
        return
    if s.way == "running_ingestion":
        yield Finding(
            rule="faces_down.pools",
            verdict="no",
            text="The agent pools before the plate and goes down in one gulp.",
        )
    elif s.wet and "removed" not in s.state:
        if s.way in ("direct_spray", "drip_soak"):
            yield Finding(
                rule="faces_down.off",
                verdict="only_after",
                text="It faces down: liquid runs into the engine.",
                conditions=("removed",),
            )
        elif s.way in ("on_cloth", "on_brush"):
            yield Finding(
                rule="faces_down.dry",
                verdict="with_care",
                text="It faces down: nearly dry, nothing that drips.",
            )


def baths(s: Situation) -> Iterator[Finding]:
    """What goes into a bath is off the engine and stripped."""
    if s.way != "bath" or not s.wet:
        return
    needed = (
        ("removed", "electronics_removed", "sensor_removed") if s.is_a("plenum") else ("removed",)
    )
    if missing := lacks(s, *needed):
        yield Finding(
            rule="bath.stripped",
            verdict="only_after",
            text="Off the engine and stripped bare: no electronics and no sensor goes into a bath.",
            conditions=missing,
        )


RESISTANCE: dict[str, tuple[str, ...]] = {
    "seal_nbr": ("ketones", "aromatics", "chlorinated"),
    "seal_fkm": ("ketones", "amine"),
    "seal_epdm": ("alkanes", "aromatics", "mineral_oil", "chlorinated"),
    "seal_silicone": ("alkanes", "aromatics", "chlorinated"),
}
"""Elastomer to what swells or breaks it (common resistance tables)."""


def elastomers(s: Situation) -> Iterator[Finding]:
    """Seals go out first where the agent swells them."""
    if not s.wet or "seal_removed" in s.state:
        return
    for seal, bad in RESISTANCE.items():
        if seal in s.features and s.has(*bad):
            yield Finding(
                rule="elastomer.swells",
                verdict="only_after",
                text="It swells or breaks this seal: seal out first, soap and water for the seal.",
                conditions=("seal_removed",),
            )


def plastics(s: Situation) -> Iterator[Finding]:
    """Plastic bodies and manifolds: no ketones, no chlorine."""
    if "plastic" not in s.features or not s.wet or s.has("plastic_safe", "ingested"):
        return
    if s.has("ketones", "chlorinated", "metal_only"):
        yield Finding(rule="plastic.attacks", verdict="no", text="It crazes or softens plastic.")
    elif s.has("aromatics"):
        yield Finding(
            rule="plastic.aromatics",
            verdict="with_care",
            text="Aromatics dull plastic: on the cloth, short, wiped off.",
        )
    if s.way == "bath":
        yield Finding(
            rule="plastic.bath",
            verdict="with_care",
            text="Plastic only within the label's temperature.",
        )


def aluminium(s: Situation) -> Iterator[Finding]:
    """Aluminium against alkaline baths."""
    if s.way == "running_ingestion":
        return
    if "aluminium" not in s.features or not s.wet or not s.has("alkaline"):
        return
    if not s.has("aluminium_safe"):
        yield Finding(
            rule="aluminium.alkaline",
            verdict="no",
            text="Alkali eats aluminium and leaves it black.",
        )
    else:
        yield Finding(
            rule="aluminium.limits",
            verdict="with_care",
            text="Within the label's time and temperature; rinse, then dry.",
        )


def metal_only(s: Situation) -> Iterator[Finding]:
    """Soot removers for metal stay on metal."""
    if s.wet and s.has("metal_only"):
        if s.is_a("sensor", "paper", "rubber", "breather"):
            yield Finding(
                rule="metal_only.part", verdict="no", text="It is made for bare metal only."
            )
        else:
            yield Finding(
                rule="metal_only.rinse",
                verdict="with_care",
                text="On bare metal only; rinse or wipe off what it loosens.",
            )


def soaking_ports(s: Situation) -> Iterator[Finding]:
    """Liquid in a port stands on the valve."""
    if s.is_a("ports") and s.wet and s.way != "running_ingestion":
        if missing := lacks(s, "port_shut"):
            yield Finding(
                rule="ports.shut",
                verdict="only_after",
                text="Above an open valve the liquid and what it loosens run into the cylinder.",
                conditions=missing,
            )
        yield Finding(
            rule="ports.amount",
            verdict="with_care",
            text=(
                "Measured amounts, vacuumed out before the crank is turned: liquid does not"
                " compress."
            ),
        )


def filters(s: Situation) -> Iterator[Finding]:
    """Paper elements are not cleaned wet."""
    if not s.is_a("paper"):
        return
    if s.wet and s.way != "running_ingestion":
        yield Finding(
            rule="filter.wet",
            verdict="no",
            text=(
                "Wet paper swells, tears and passes dirt. An oiled element has its maker's own kit."
            ),
        )
    if s.way == "compressed_air":
        yield Finding(
            rule="filter.air",
            verdict="no",
            text="Air opens the paper: the dust then goes to the meter.",
        )
    if s.way in ("scraper", "pick_or_wire", "blast"):
        yield Finding(rule="filter.tool", verdict="no", text="A tool tears the pleats.")


def assembly_aids(s: Situation) -> Iterator[Finding]:
    """Greases and oils."""
    if not s.has("assembly_aid"):
        return
    if s.has("silicone") and "seal_silicone" in s.features:
        yield Finding(
            rule="aid.like_on_like",
            verdict="no",
            text="Silicone grease swells a silicone seal: a grease of another kind, or none.",
        )
    if s.has("silicone") and s.is_a("breather", "spool"):
        yield Finding(
            rule="aid.silicone_gas",
            verdict="no",
            text="Its vapour goes through the engine to oxygen sensor and catalyst.",
        )
    if s.is_a("sensor") and s.way != "on_cloth":
        yield Finding(rule="aid.sensor", verdict="no", text="Never on a sensor's opening.")
    elif s.has("silicone") and s.is_a("sensor"):
        yield Finding(
            rule="aid.silicone",
            verdict="with_care",
            text=(
                "A trace on the O-ring only, by the elastomer's own grease; none before an oxygen"
                " sensor."
            ),
        )
    else:
        yield Finding(
            rule="aid.trace",
            verdict="with_care",
            text="A trace, where parts meet, never in the gas.",
        )


def water(s: Situation) -> Iterator[Finding]:
    """Water after solvent, and rinsing."""
    if s.wet and s.has("water_based") and s.way != "running_ingestion":
        yield Finding(
            rule="water.dry_first",
            verdict="with_care",
            text="After a solvent only when that is dry; rinse, dry before it is closed.",
        )
