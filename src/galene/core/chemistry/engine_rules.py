"""Rules of the engine around a part: what it draws in, its heat, fire, blasting, tools."""

from collections.abc import Iterator

from galene.core.chemistry.judge import Finding, Situation
from galene.core.chemistry.kinds import (
    SOAK,
    WASHES_OIL,
    lacks,
    warm_metal,
)


def two_stroke_crankcase(s: Situation) -> Iterator[Finding]:
    """A two-stroke's bearings live on the oil in its charge."""
    if not s.is_a("crank_chamber", "crank_hose") or s.engine.cycle != "two_stroke":
        return
    if s.wet and s.is_a("crank_chamber") and s.has(*WASHES_OIL) and not s.has("assembly_aid"):
        yield Finding(
            rule="crankcase.washed_dry",
            verdict="no",
            text=(
                "It washes the oil off bearings that have no other: they run dry at the next start."
            ),
        )
    if s.way in ("compressed_air", "pick_or_wire", "scraper") and s.is_a("crank_chamber"):
        yield Finding(
            rule="crankcase.driven_in",
            verdict="no",
            text="What is driven in there goes through the bearings.",
        )


def hot_gas(s: Situation) -> Iterator[Finding]:
    """Nobody works in a running exhaust, nor in one that is hot."""
    if not s.is_a("hot_gas") or s.way not in ("pick_or_wire", "compressed_air", "scraper"):
        return
    if "engine_warm_running" in s.state:
        yield Finding(
            rule="hot_gas.running",
            verdict="no",
            text="Not in a running exhaust: hot gas and glowing soot come back out of the hole.",
        )
    elif missing := warm_metal(s):
        yield Finding(
            rule="hot_gas.cold",
            verdict="only_after",
            text="Hot metal burns the hand, and soot that is stirred in it catches fire.",
            conditions=missing,
        )


def turbine(s: Situation) -> Iterator[Finding]:
    """A turbine's wheel is balanced and its bearings live on oil."""
    if s.is_a("wheel") and s.wet and s.way in (*SOAK, "direct_spray"):
        yield Finding(
            rule="turbine.wet",
            verdict="no",
            text=(
                "Liquid runs into its bearings, and what stays on the wheel puts it out of balance"
                " at full speed."
            ),
        )


def injectors(s: Situation) -> Iterator[Finding]:
    """The doser is an electric injector."""
    if not s.is_a("doser"):
        return
    if s.way == "bath":
        yield Finding(
            rule="doser.bath",
            verdict="no",
            text="It is an electric injector with seals: its tip may soak, never the whole of it.",
        )
    if s.wet and (missing := lacks(s, "removed")):
        yield Finding(
            rule="doser.off",
            verdict="only_after",
            text="Off and in the hand, tip down: nothing runs into plug or exhaust.",
            conditions=missing,
        )


def ingestion(s: Situation) -> Iterator[Finding]:
    """Agents that the running engine draws in."""
    if s.way != "running_ingestion" or s.agent is None:
        return
    if opened := s.state & {"electronics_removed", "sensor_removed", "seal_removed"}:
        yield Finding(
            rule="ingestion.opened",
            verdict="no",
            text=f"Not with {min(opened).replace('_', ' ')}: nothing is open on a running engine.",
        )
    if s.has("fuel_dosed"):
        yield Finding(
            rule="fuel.dose",
            verdict="with_care",
            text="Dosed to the tank's volume by its label, never more; it acts over the next tank.",
        )
        return
    yield from _drawn_into_engine(s)
    yield from _drawn_to_part(s)
    if missing := lacks(s, "engine_warm_running", "ventilated"):
        yield Finding(
            rule="ingestion.running",
            verdict="only_after",
            text="Engine warm, speed held, exhaust led outside.",
            conditions=missing,
        )
    yield Finding(
        rule="ingestion.bursts",
        verdict="with_care",
        text=(
            "Someone at the controls, bursts and pauses by ingestion-limit; not with a failing"
            " catalyst."
        )
        + (" Oil change afterwards." if s.has("amine") else ""),
    )


def _drawn_into_engine(s: Situation) -> Iterator[Finding]:
    """What an engine of this kind does with what it is fed."""
    if s.engine.fuel == "diesel" and s.has("flammable"):
        yield Finding(
            rule="ingestion.runs_away",
            verdict="no",
            text=(
                "An unthrottled diesel burns whatever it is fed and runs away: shut its air, not"
                " its fuel."
            ),
        )
    if s.engine.charged and s.is_a("boot"):
        yield Finding(
            rule="ingestion.before_compressor",
            verdict="no",
            text=(
                "Never before compressor or charge cooler: droplets strike the wheel and pool in"
                " the cooler."
            ),
        )
    if s.engine.charged:
        yield Finding(
            rule="ingestion.behind_cooler",
            verdict="with_care",
            text="Fed in behind the charge cooler, at no boost.",
        )
    if s.engine.fuel == "diesel":
        yield Finding(
            rule="ingestion.diesel_limit",
            verdict="with_care",
            text=(
                "No mixture control takes it back here: the share of a clearance and an even idle"
                " are the limit."
            ),
        )
    if s.engine.cycle == "two_stroke":
        yield Finding(
            rule="ingestion.two_stroke",
            verdict="no",
            text="It goes through the crankcase and washes the oil off its bearings.",
        )


def _drawn_to_part(s: Situation) -> Iterator[Finding]:
    """Whether what is drawn in reaches the part, and does it no harm."""
    if s.is_a("drawn_to") and s.has("alkaline") and not s.has("aluminium_safe"):
        # One stream wets them all, whatever each is made of: one verdict.
        yield Finding(
            rule="ingestion.aluminium",
            verdict="with_care",
            text=(
                "On its way it wets aluminium, throttle and ports: aluminium-safe by its label,"
                " no more than it says, and driven hot afterwards."
            ),
        )
    if not s.is_a("drawn_to"):
        yield Finding(
            rule="ingestion.not_reached",
            verdict="no",
            text="What is drawn in must not come here, or never does.",
        )
    if s.has("chlorinated"):
        yield Finding(
            rule="ingestion.chlorinated",
            verdict="no",
            text="Chlorinated vapour burns to toxic gas and acid.",
        )
    if not s.has("ingested", "fuel_dosed"):
        yield Finding(
            rule="ingestion.not_made",
            verdict="no",
            text="Only an agent that is made to be drawn in.",
        )
    if s.is_a("air_meter", "paper"):
        yield Finding(
            rule="ingestion.behind_meter",
            verdict="no",
            text="Only behind the air meter: its element is ruined by the first burst.",
        )
    if s.is_a("catalysed") and not s.has("catalyst_safe"):
        yield Finding(
            rule="ingestion.catalyst",
            verdict="no",
            text="Not into a catalyst without its label's word.",
        )


def fuel_dosed(s: Situation) -> Iterator[Finding]:
    """What is put into the fuel reaches what lies behind the injectors only."""
    if not s.has("fuel_dosed"):
        return
    if not s.is_a("ports", "oxygen", "catalysed"):
        yield Finding(
            rule="fuel.never_there",
            verdict="no",
            text="Fuel passes this part by: the additive never gets here.",
        )
    if s.is_a("ports") and s.engine.injection == "direct":
        yield Finding(
            rule="fuel.direct_injection",
            verdict="no",
            text="Fuel goes past these ports into the cylinder: nothing dosed to it washes them.",
        )


def aftertreatment(s: Situation) -> Iterator[Finding]:
    """No silicone and nothing chlorinated before a catalyst."""
    if s.is_a("catalysed"):
        if s.has("silicone", "chlorinated"):
            yield Finding(
                rule="catalyst.poison", verdict="no", text="Silicone and chlorine poison the coat."
            )
        if s.way not in ("running_ingestion", "vacuum"):
            yield Finding(
                rule="catalyst.not_cleaned",
                verdict="no",
                text="Not cleaned by agents or tools: a burn-off, or its own specialist.",
            )
    elif s.wet and s.is_a("in_gas") and s.has("silicone"):
        yield Finding(
            rule="catalyst.silicone_upstream",
            verdict="no",
            text="Its vapour goes through the engine to oxygen sensor and catalyst.",
        )
    elif s.wet and s.is_a("in_gas") and s.has("chlorinated"):
        yield Finding(
            rule="catalyst.chlorine_upstream",
            verdict="no",
            text=(
                "What stays behind burns in the engine to acid and toxic gas and harms the"
                " catalyst."
            ),
        )


def fire(s: Situation) -> Iterator[Finding]:
    """Flammables: cold, ventilated, no spark."""
    if not s.wet or s.way == "running_ingestion" or not s.has("flammable"):
        return
    if "engine_warm_running" in s.state:
        yield Finding(
            rule="fire.running",
            verdict="only_after",
            text=(
                "Flammable agent on a hot, running engine: alternator and exhaust light it. Stop"
                " it, let it cool."
            ),
            conditions=("engine_cold",),
        )
    missing = warm_metal(s) + lacks(s, "ventilated")
    if missing:
        yield Finding(
            rule="fire.cold",
            verdict="only_after",
            text=(
                "Flammable vapour: cold metal and moving air first, no spark, extinguisher at hand."
            ),
            conditions=missing,
            protection=("extinguisher at hand",),
        )


def chlorine(s: Situation) -> Iterator[Finding]:
    """Chlorinated solvents and heat."""
    if not s.wet or not s.has("chlorinated"):
        return
    missing = lacks(s, "engine_cold", "ventilated")
    if missing:
        yield Finding(
            rule="chlorinated.cold",
            verdict="only_after",
            text=(
                "Toxic gas forms on hot metal, flame or a welding arc; its vapour is heavy and"
                " stays low."
            ),
            conditions=missing,
            protection=("respirator, type AX",),
        )
    yield Finding(
        rule="chlorinated.after",
        verdict="with_care",
        text="Let it dry whole before any heat, and keep it off the floor drain.",
    )


def blasting(s: Situation) -> Iterator[Finding]:
    """Blasting: ports only, shut, dry."""
    if s.way != "blast":
        return
    if not s.is_a("ports"):
        yield Finding(
            rule="blast.ports_only", verdict="no", text="Media stay in everything but a shut port."
        )
    elif missing := lacks(s, "port_shut"):
        yield Finding(
            rule="blast.shut",
            verdict="only_after",
            text="Only into a port whose valves are shut: blast-positions gives the crank.",
            conditions=missing,
        )
    yield Finding(
        rule="blast.out",
        verdict="with_care",
        text="Dry, nozzle sealed to the port; all media out by vacuum, counted and looked for.",
        conditions=(),
        protection=("shield", "mask with fine filter", "ear protection"),
    )


def tools(s: Situation) -> Iterator[Finding]:
    """Scrapers, picks, air and vacuum."""
    if s.way == "scraper" and "plastic" in s.features:
        yield Finding(
            rule="tools.scraper_plastic", verdict="with_care", text="A plastic scraper on plastic."
        )
    if s.way == "scraper" and s.is_a("sensor"):
        yield Finding(rule="tools.scraper_sensor", verdict="no", text="No scraper on a sensor.")
    if s.way in ("scraper", "pick_or_wire") and s.is_a("doser"):
        yield Finding(
            rule="tools.nozzle",
            verdict="no",
            text="Nothing in the nozzle's hole: it never sprays right again.",
        )
    if s.way == "compressed_air":
        if s.is_a("ports") and (missing := lacks(s, "port_shut")):
            yield Finding(
                rule="tools.air_at_a_port",
                verdict="only_after",
                text="Air drives crust past an open valve into the cylinder: both valves shut.",
                conditions=missing,
            )
        yield Finding(
            rule="tools.air",
            verdict="with_care",
            text="Below 2 bar, away from people; soot and shell dust are vacuumed, not blown.",
            conditions=(),
            protection=("shield", "glasses"),
        )
    if s.way in ("scraper", "pick_or_wire") and s.is_a("ports", "plenum", "passage"):
        missing = lacks(s, "port_shut") if s.is_a("ports") else ()
        yield Finding(
            rule="tools.loosened",
            verdict="only_after" if missing else "with_care",
            text="What is loosened comes out, never further in; never above an open valve.",
            conditions=missing,
            protection=("mask with fine filter",),
        )
