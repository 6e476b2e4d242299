"""Ways, properties and states that several rules ask about."""

from galene.core.chemistry.judge import Situation

TOUCH = frozenset(
    {"on_cloth", "on_brush", "dry_wipe", "soft_brush", "scraper", "pick_or_wire", "blast"}
)


SOAK = frozenset({"drip_soak", "bath"})


WASHES_OIL = ("ketones", "aromatics", "alkanes", "chlorinated", "mineral_oil", "amine", "alkaline")


def lacks(s: Situation, *states: str) -> tuple[str, ...]:
    """Which of the states a situation has not."""
    return tuple(x for x in states if x not in s.state)


def powerless(s: Situation) -> tuple[str, ...]:
    """Without power: battery or ignition off, or the part in the hand. A state that is not known is
    not off."""
    return () if s.state & {"battery_off", "ignition_off", "removed"} else ("ignition_off",)


def warm_metal(s: Situation) -> tuple[str, ...]:
    """The state that is missing until the metal is cold. A part just taken off is as hot as the
    engine that it came from, but for what only ever had the air outside round it."""
    cool = "removed" in s.state and (s.is_a("cool") or "hand_warm" in s.state)
    return () if cool else lacks(s, "engine_cold")
