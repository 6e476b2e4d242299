"""Cautions: hazard, harm, what to do. Serious ones are acknowledged once per job."""

from dataclasses import dataclass


@dataclass(frozen=True, kw_only=True)
class Caution:
    """One caution as it stands on a step."""

    id: str
    hazard: str
    harm: str
    do: str
    serious: bool = False


CAUTIONS: dict[str, Caution] = {
    c.id: c
    for c in (
        Caution(
            id="fumes",
            hazard="Solvent vapour",
            harm="dizziness, lung harm",
            do="Doors open or extraction on.",
        ),
        Caution(
            id="fire",
            hazard="Flammable agent",
            harm="fire on hot metal or a spark",
            do="Engine cold, no ignition, extinguisher at hand, rags into the lidded metal bin.",
            serious=True,
        ),
        Caution(
            id="eyes",
            hazard="Splashes",
            harm="burnt eyes and skin",
            do="Glasses and solvent-proof gloves.",
        ),
        Caution(
            id="hot_coolant",
            hazard="Hot coolant under pressure",
            harm="scalds",
            do="Wait until cold, open the cap slowly, catch what runs out.",
            serious=True,
        ),
        Caution(
            id="battery",
            hazard="Airbag and high-voltage circuits",
            harm="a bag that fires, a shock",
            do="Airbag and hybrid wiring: stop, qualified person only. Radio code at hand?",
        ),
        Caution(
            id="fingers",
            hazard="A plate, flap or valve that a motor moves",
            harm="crushed fingers",
            do="No power while fingers are at it.",
            serious=True,
        ),
        Caution(
            id="element",
            hazard="Hot-film element",
            harm="a meter that lies or dies",
            do="Never touched, no cloth, no brush, no compressed air.",
        ),
        Caution(
            id="objects",
            hazard="Things left in the intake",
            harm="a wrecked cylinder",
            do="If anything drops in: stop, no cranking, get it out.",
            serious=True,
        ),
        Caution(
            id="exhaust",
            hazard="Exhaust gas",
            harm="carbon monoxide poisoning",
            do="Outside or extraction on, for every running test.",
            serious=True,
        ),
        Caution(
            id="road",
            hazard="Road test",
            harm="a crash",
            do="Licensed and insured driver; an observer reads the screen.",
            serious=True,
        ),
        Caution(
            id="jumper",
            hazard="Jumper on a control unit's wire",
            harm="a destroyed driver, a burnt loom",
            do="Only after the drive check, on its side, through its fuse.",
            serious=True,
        ),
        Caution(
            id="lock",
            hazard="Liquid in a cylinder",
            harm="a bent rod",
            do="Measured bursts, never a gulp; stop at the first knock.",
            serious=True,
        ),
        Caution(
            id="hot_surfaces",
            hazard="Hot oil and exhaust",
            harm="burns",
            do="Gloves, and keep clear of the exhaust.",
        ),
        Caution(
            id="dust",
            hazard="Soot and shell dust",
            harm="cancer of the lungs in the long run",
            do="Mask of class FFP3; vacuum with a fine filter, wipe wet, blow nothing about.",
        ),
        Caution(
            id="runaway",
            hazard="A diesel that runs away on what it draws in",
            harm="an engine that bursts",
            do=(
                "The key does not stop it: shut its air with a plate over the intake, stand aside."
                " Have the plate in the hand."
            ),
            serious=True,
        ),
        Caution(
            id="rail",
            hazard="Fuel under rail pressure",
            harm="a jet through the skin: surgeon at once",
            do=(
                "Engine off for as long as its maker says; no hand at a line under pressure, no"
                " look by finger."
            ),
            serious=True,
        ),
        Caution(
            id="coolant",
            hazard="Coolant",
            harm="poison that tastes sweet to animals and children",
            do="Catch it all, cover the tray, none into the drain.",
        ),
        Caution(
            id="air",
            hazard="Compressed air and pressure tests",
            harm="air under the skin, splinters in the eye",
            do="Below 2 bar, shield and glasses, never toward anybody.",
        ),
        Caution(
            id="burn_off",
            hazard="Exhaust of several hundred degrees",
            harm="fire under the car, burns",
            do="Outside, clear of dry grass and people, nothing behind the tail, somebody by it.",
            serious=True,
        ),
        Caution(
            id="cab",
            hazard="A tilted cab",
            harm="crushed under it",
            do="Wheels chocked, lock seen home, prop set before anybody is under it.",
            serious=True,
        ),
        Caution(
            id="spring",
            hazard="Springs under tension",
            harm="a hit in the eye, torn fingers",
            do="Glasses; hold the spring before its hook comes off.",
        ),
        Caution(
            id="lifting",
            hazard="A heavy part",
            harm="a hurt back, crushed feet",
            do="Two people or the lift, nobody below.",
        ),
        Caution(
            id="tampering",
            hazard="A sensor left unplugged",
            harm="a car that is not legal on the road",
            do="Timed, on the list of what must go back, plugged in before it leaves.",
        ),
        Caution(
            id="rotating",
            hazard="Fans and belts",
            harm="torn fingers, caught sleeves",
            do="Hands and cables clear; fans start by themselves.",
        ),
    )
}
GENERAL_NOTICE = (
    "Labels, safety data sheets, the maker's service information, local law and licensed practice"
    " win over anything shown here."
)

SERIOUS: dict[str, str] = {
    c.id: f"{c.hazard}: {c.harm}. {c.do}" for c in CAUTIONS.values() if c.serious
}
"""Cautions that are acknowledged, with their words."""
