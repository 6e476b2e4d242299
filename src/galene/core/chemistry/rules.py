"""The rules. Each has an id and a reason; they read properties and features, never a table of
pairs.

Sources: general workshop practice, labels' usual wording, and textbook resistance of elastomers and
plastics; a product's own label wins and is recorded as an override.
"""

from collections.abc import Iterator

from galene.core.chemistry.judge import WAYS, Finding, Rule, Situation

TOUCH = frozenset(
    {"on_cloth", "on_brush", "dry_wipe", "soft_brush", "scraper", "pick_or_wire", "blast"}
)
SOAK = frozenset({"drip_soak", "bath"})
SENSORS = frozenset(
    {
        "maf_sensor",
        "iat_sensor",
        "secondary_air_flow_sensor",
        "map_sensor",
        "boost_sensor",
        "barometric_sensor",
        "exhaust_pressure_sensor",
        "egr_dp_sensor",
        "egr_temperature_sensor",
        "crankcase_pressure_sensor",
        "oxygen_sensor",
    }
)
DRIVEN = frozenset({"idle_air_valve", "runner_actuator", "egr_valve"})
"""Parts whose motor or solenoid sits on metal that gets dirty."""
IN_GAS = frozenset(
    {
        "intake_tube",
        "throttle_body",
        "idle_air_valve",
        "charge_air_pipe",
        "intake_manifold",
        "runner_flaps",
        "intake_ports",
        "egr_valve",
        "egr_passage",
        "egr_pipe",
        "egr_cooler",
        "egr_dp_ports",
        "exhaust_pipe",
        "exhaust_pressure_tube",
        "turbine",
        "secondary_air_valve",
        "secondary_air_line",
        "aftertreatment_doser",
        "crankcase",
        "crankcase_pressure_hose",
        "breather_valve",
    }
)
"""Parts whose gas goes through oxygen sensor, catalyst and filter: what stays in them ends
there."""
HOT_GAS = frozenset(
    {"exhaust_pressure_tube", "exhaust_pipe", "egr_pipe", "egr_passage", "egr_dp_ports", "turbine"}
)
"""Ways of the exhaust's own gas: hot while the engine runs and long after."""
DRAWN_TO = frozenset(
    {
        "throttle_body",
        "intake_manifold",
        "runner_flaps",
        "intake_ports",
        "egr_valve",
        "egr_passage",
        "oxygen_sensor",
        "oxidation_catalyst",
        "particulate_filter",
    }
)
"""Parts that a mist drawn in behind meter, compressor and charge cooler comes to."""
MOTOR_DRIVEN = frozenset({"idle_air_valve", "runner_actuator", "egr_valve", "runner_flaps"})
"""Parts that a motor or solenoid moves of its own accord while there is power."""
LINES_TO_SENSORS = frozenset(
    {"egr_dp_ports", "exhaust_pressure_tube", "crankcase_pressure_hose", "intake_manifold"}
)
"""Ways that a pressure sensor reads through: what is pushed or blown in there ends at its
membrane."""
RUBBER = frozenset({"intake_tube", "crankcase_pressure_hose"})
"""Parts that are an elastomer themselves: no seal that could be taken out first."""
GREASED = frozenset({"throttle_body", "runner_actuator", "idle_air_valve"})
"""Parts whose bearings or gears live on the grease that is in them."""
COOL_PARTS = frozenset(
    {"air_filter", "maf_sensor", "secondary_air_flow_sensor", "intake_tube", "barometric_sensor"}
)
"""Parts before throttle and compressor, which the engine never heats: in the hand they are as warm
as the bay."""
WASHES_OIL = ("ketones", "aromatics", "alkanes", "chlorinated", "mineral_oil", "amine", "alkaline")


def _missing(s: Situation, *states: str) -> tuple[str, ...]:
    return tuple(x for x in states if x not in s.state)


def _powerless(s: Situation) -> tuple[str, ...]:
    """Without power: battery or ignition off, or the part in the hand. A state that is not known is
    not off."""
    return () if s.state & {"battery_off", "ignition_off", "removed"} else ("ignition_off",)


def _warm_metal(s: Situation) -> tuple[str, ...]:
    """The state that is missing until the metal is cold. A part just taken off is as hot as the
    engine that it came from, but for what only ever had the air outside round it."""
    cool = "removed" in s.state and (s.component in COOL_PARTS or "hand_warm" in s.state)
    return () if cool else _missing(s, "engine_cold")


def powered(s: Situation) -> Iterator[Finding]:
    """Fingers, tools and vapour at a part that may move or spark."""
    if s.component not in MOTOR_DRIVEN or s.way == "running_ingestion":
        return
    missing = _powerless(s)
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
        missing = (*_missing(s, "removed"), *_powerless(s))
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
                "Short bursts from a hand's breadth, across the element; dry completely before"
                " power."
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
        missing = (*_missing(s, "removed"), *_powerless(s))
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
    if (
        s.component in SENSORS
        and not s.features & {"hot_element", "membrane"}
        and s.component != "oxygen_sensor"
    ):
        if s.way in SOAK and s.wet:
            yield Finding(
                rule="sensor.soak",
                verdict="no",
                text="A sensor is never soaked or bathed: the liquid stays behind its seal.",
            )
        if s.way == "direct_spray" and s.wet and (missing := _powerless(s)):
            yield Finding(
                rule="sensor.power",
                verdict="only_after",
                text="Without power: a wet plug sets codes.",
                conditions=missing,
            )


def electronic_throttle(s: Situation) -> Iterator[Finding]:
    """Motor-driven throttles: no liquid at the shaft, no power, no shut plate."""
    if s.component != "throttle_body" or "electronic" not in s.features:
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
        missing = _missing(s, "plate_open") + (
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
        missing := _powerless(s)
    ):
        yield Finding(
            rule="throttle.tool_power",
            verdict="only_after",
            text="A motor holds the plate: power off before a tool comes near it.",
            conditions=missing,
        )


def throttle_edge(s: Situation) -> Iterator[Finding]:
    """The edge that meters the idle air is soft metal, whatever moves the plate."""
    if s.component == "throttle_body" and s.way in ("scraper", "pick_or_wire", "blast"):
        yield Finding(
            rule="throttle.scraper",
            verdict="no",
            text="A hard tool scores the edge that meters the idle air.",
        )


def greased(s: Situation) -> Iterator[Finding]:
    """Greased bearings and gears are not bathed."""
    if s.component in GREASED and s.way == "bath":
        yield Finding(
            rule="bath.grease",
            verdict="no",
            text="A bath washes the grease out of shaft and gears, and none can be put back.",
        )


def sensor_lines(s: Situation) -> Iterator[Finding]:
    """Bores and tubes that a sensor reads through: the sensor out first."""
    if s.component not in LINES_TO_SENSORS or s.has("assembly_aid"):
        return
    if s.way in ("running_ingestion", "dry_wipe", "blast", "on_cloth"):
        return
    # A hose in the hand has no sensor on it: it may be washed. What is blown or pushed still asks.
    if s.component == "crankcase_pressure_hose" and s.wet and "removed" in s.state:
        return
    if missing := _missing(s, "sensor_removed"):
        yield Finding(
            rule="sensor_line.sensor_out",
            verdict="only_after",
            text=(
                "What is pushed, blown or run in here ends at the sensor's membrane: sensor out"
                " first."
            ),
            conditions=missing,
        )


def rubber(s: Situation) -> Iterator[Finding]:
    """Boots and hoses are rubber: soap and water."""
    if s.component not in RUBBER or not s.wet or s.has("assembly_aid"):
        return
    if s.has(*WASHES_OIL):
        yield Finding(
            rule="rubber.swells",
            verdict="no",
            text="The part is rubber itself: solvents swell and crack it. Soap and water.",
        )


def two_stroke_crankcase(s: Situation) -> Iterator[Finding]:
    """A two-stroke's bearings live on the oil in its charge."""
    if (
        s.component not in ("crankcase", "crankcase_pressure_hose")
        or s.engine.cycle != "two_stroke"
    ):
        return
    if s.wet and s.component == "crankcase" and s.has(*WASHES_OIL) and not s.has("assembly_aid"):
        yield Finding(
            rule="crankcase.washed_dry",
            verdict="no",
            text=(
                "It washes the oil off bearings that have no other: they run dry at the next start."
            ),
        )
    if s.way in ("compressed_air", "pick_or_wire", "scraper") and s.component == "crankcase":
        yield Finding(
            rule="crankcase.driven_in",
            verdict="no",
            text="What is driven in there goes through the bearings.",
        )


def cooler_tubes(s: Situation) -> Iterator[Finding]:
    """Thin tubes with coolant behind them."""
    if s.component == "egr_cooler" and s.way in ("pick_or_wire", "scraper", "blast"):
        yield Finding(
            rule="cooler.tubes",
            verdict="no",
            text="The tubes are thin and coolant is behind them: a hole locks a cylinder.",
        )


def hot_gas(s: Situation) -> Iterator[Finding]:
    """Nobody works in a running exhaust, nor in one that is hot."""
    if s.component not in HOT_GAS or s.way not in ("pick_or_wire", "compressed_air", "scraper"):
        return
    if "engine_warm_running" in s.state:
        yield Finding(
            rule="hot_gas.running",
            verdict="no",
            text="Not in a running exhaust: hot gas and glowing soot come back out of the hole.",
        )
    elif missing := _warm_metal(s):
        yield Finding(
            rule="hot_gas.cold",
            verdict="only_after",
            text="Hot metal burns the hand, and soot that is stirred in it catches fire.",
            conditions=missing,
        )


def turbine(s: Situation) -> Iterator[Finding]:
    """A turbine's wheel is balanced and its bearings live on oil."""
    if s.component == "turbine" and s.wet and s.way in (*SOAK, "direct_spray"):
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
    if s.component != "aftertreatment_doser":
        return
    if s.way == "bath":
        yield Finding(
            rule="doser.bath",
            verdict="no",
            text="It is an electric injector with seals: its tip may soak, never the whole of it.",
        )
    if s.wet and (missing := _missing(s, "removed")):
        yield Finding(
            rule="doser.off",
            verdict="only_after",
            text="Off and in the hand, tip down: nothing runs into plug or exhaust.",
            conditions=missing,
        )


def cable_throttle(s: Situation) -> Iterator[Finding]:
    """Cable throttles bear small amounts, with the plate open."""
    if s.component != "throttle_body" or "electronic" in s.features:
        return
    if s.way in ("direct_spray", "drip_soak", "on_cloth", "on_brush"):
        if missing := _missing(s, "plate_open"):
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


def coating(s: Situation) -> Iterator[Finding]:
    """Coated bores: soft, and by label."""
    if "coated_bore" not in s.features:
        if (
            s.component == "throttle_body"
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


def electronics(s: Situation) -> Iterator[Finding]:
    """Motors, solenoids and Hall sensors are never bathed; metal is parted from them first."""
    if s.component not in DRIVEN and "hall_sensor" not in s.features:
        return
    # A motor with its gear is the electronics itself: nothing is left that could be parted off.
    itself = s.component == "runner_actuator" and s.way == "direct_spray"
    itself = itself and s.has("residue_free") and s.has("plastic_safe")
    if itself:
        missing = _powerless(s)
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


def baths(s: Situation) -> Iterator[Finding]:
    """What goes into a bath is off the engine and stripped."""
    if s.way != "bath" or not s.wet:
        return
    needed = (
        ("removed", "electronics_removed", "sensor_removed")
        if s.component == "intake_manifold"
        else ("removed",)
    )
    if missing := _missing(s, *needed):
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
        if s.component in SENSORS or s.component in (
            "air_filter",
            "intake_tube",
            "breather_valve",
            "crankcase_pressure_hose",
        ):
            yield Finding(
                rule="metal_only.part", verdict="no", text="It is made for bare metal only."
            )
        else:
            yield Finding(
                rule="metal_only.rinse",
                verdict="with_care",
                text="On bare metal only; rinse or wipe off what it loosens.",
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
    if missing := _missing(s, "engine_warm_running", "ventilated"):
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
    if s.engine.charged and s.component == "intake_tube":
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
    if s.component in DRAWN_TO and s.has("alkaline") and not s.has("aluminium_safe"):
        # One stream wets them all, whatever each is made of: one verdict.
        yield Finding(
            rule="ingestion.aluminium",
            verdict="with_care",
            text=(
                "On its way it wets aluminium, throttle and ports: aluminium-safe by its label,"
                " no more than it says, and driven hot afterwards."
            ),
        )
    if s.component not in DRAWN_TO:
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
    if s.component in ("maf_sensor", "secondary_air_flow_sensor", "air_filter"):
        yield Finding(
            rule="ingestion.behind_meter",
            verdict="no",
            text="Only behind the air meter: its element is ruined by the first burst.",
        )
    if s.component in ("oxidation_catalyst", "particulate_filter") and not s.has("catalyst_safe"):
        yield Finding(
            rule="ingestion.catalyst",
            verdict="no",
            text="Not into a catalyst without its label's word.",
        )


def fuel_dosed(s: Situation) -> Iterator[Finding]:
    """What is put into the fuel reaches what lies behind the injectors only."""
    if not s.has("fuel_dosed"):
        return
    if s.component not in (
        "intake_ports",
        "oxygen_sensor",
        "oxidation_catalyst",
        "particulate_filter",
    ):
        yield Finding(
            rule="fuel.never_there",
            verdict="no",
            text="Fuel passes this part by: the additive never gets here.",
        )
    if s.component == "intake_ports" and s.engine.injection == "direct":
        yield Finding(
            rule="fuel.direct_injection",
            verdict="no",
            text="Fuel goes past these ports into the cylinder: nothing dosed to it washes them.",
        )


def oxygen_sensor(s: Situation) -> Iterator[Finding]:
    """Oxygen sensors are never sprayed."""
    if s.component != "oxygen_sensor":
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


def aftertreatment(s: Situation) -> Iterator[Finding]:
    """No silicone and nothing chlorinated before a catalyst."""
    if s.component in ("oxidation_catalyst", "particulate_filter"):
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
    elif s.wet and s.component in IN_GAS and s.has("silicone"):
        yield Finding(
            rule="catalyst.silicone_upstream",
            verdict="no",
            text="Its vapour goes through the engine to oxygen sensor and catalyst.",
        )
    elif s.wet and s.component in IN_GAS and s.has("chlorinated"):
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
    missing = _warm_metal(s) + _missing(s, "ventilated")
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
    missing = _missing(s, "engine_cold", "ventilated")
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
    if s.component != "intake_ports":
        yield Finding(
            rule="blast.ports_only", verdict="no", text="Media stay in everything but a shut port."
        )
    elif missing := _missing(s, "port_shut"):
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
    if s.way == "scraper" and s.component in SENSORS:
        yield Finding(rule="tools.scraper_sensor", verdict="no", text="No scraper on a sensor.")
    if s.way in ("scraper", "pick_or_wire") and s.component == "aftertreatment_doser":
        yield Finding(
            rule="tools.nozzle",
            verdict="no",
            text="Nothing in the nozzle's hole: it never sprays right again.",
        )
    if s.way == "compressed_air":
        if s.component == "intake_ports" and (missing := _missing(s, "port_shut")):
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
    if s.way in ("scraper", "pick_or_wire") and s.component in (
        "intake_ports",
        "intake_manifold",
        "egr_passage",
    ):
        missing = _missing(s, "port_shut") if s.component == "intake_ports" else ()
        yield Finding(
            rule="tools.loosened",
            verdict="only_after" if missing else "with_care",
            text="What is loosened comes out, never further in; never above an open valve.",
            conditions=missing,
            protection=("mask with fine filter",),
        )


def soaking_ports(s: Situation) -> Iterator[Finding]:
    """Liquid in a port stands on the valve."""
    if s.component == "intake_ports" and s.wet and s.way != "running_ingestion":
        if missing := _missing(s, "port_shut"):
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
    if s.component != "air_filter":
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
    if s.has("silicone") and s.component in ("breather_valve", "idle_air_valve"):
        yield Finding(
            rule="aid.silicone_gas",
            verdict="no",
            text="Its vapour goes through the engine to oxygen sensor and catalyst.",
        )
    if s.component in SENSORS and s.way != "on_cloth":
        yield Finding(rule="aid.sensor", verdict="no", text="Never on a sensor's opening.")
    elif s.has("silicone") and s.component in SENSORS:
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
