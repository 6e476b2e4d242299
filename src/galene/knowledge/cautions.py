"""Cautions: hazard, harm, what to do. Serious ones are acknowledged once per job."""

from dataclasses import dataclass


@dataclass(frozen=True)
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
        Caution("fumes", "Solvent vapour", "dizziness, lung harm", "Doors open or extraction on."),
        Caution("fire", "Flammable agent", "fire on hot metal or a spark", "Engine cold, no ignition, extinguisher at hand, rags into the lidded metal bin.", True),
        Caution("eyes", "Splashes", "burnt eyes and skin", "Glasses and solvent-proof gloves."),
        Caution("hot_coolant", "Hot coolant under pressure", "scalds", "Wait until cold, open the cap slowly, catch what runs out.", True),
        Caution("battery", "Airbag and high-voltage circuits", "a bag that fires, a shock", "Airbag and hybrid wiring: stop, qualified person only. Radio code at hand?"),
        Caution("fingers", "A plate, flap or valve that a motor moves", "crushed fingers", "No power while fingers are at it.", True),
        Caution("element", "Hot-film element", "a meter that lies or dies", "Never touched, no cloth, no brush, no compressed air."),
        Caution("objects", "Things left in the intake", "a wrecked cylinder", "If anything drops in: stop, no cranking, get it out.", True),
        Caution("exhaust", "Exhaust gas", "carbon monoxide poisoning", "Outside or extraction on, for every running test.", True),
        Caution("road", "Road test", "a crash", "Licensed and insured driver; an observer reads the screen.", True),
        Caution("jumper", "Jumper on a control unit's wire", "a destroyed driver, a burnt loom", "Only after the drive check, on its side, through its fuse.", True),
        Caution("lock", "Liquid in a cylinder", "a bent rod", "Measured bursts, never a gulp; stop at the first knock.", True),
        Caution("hot_surfaces", "Hot oil and exhaust", "burns", "Gloves, and keep clear of the exhaust."),
        Caution("dust", "Soot and shell dust", "cancer of the lungs in the long run", "Mask of class FFP3; vacuum with a fine filter, wipe wet, blow nothing about."),
        Caution("runaway", "A diesel that runs away on what it draws in", "an engine that bursts", "The key does not stop it: shut its air with a plate over the intake, stand aside. Have the plate in the hand.", True),
        Caution("rail", "Fuel under rail pressure", "a jet through the skin: surgeon at once", "Engine off for as long as its maker says; no hand at a line under pressure, no look by finger.", True),
        Caution("coolant", "Coolant", "poison that tastes sweet to animals and children", "Catch it all, cover the tray, none into the drain."),
        Caution("air", "Compressed air and pressure tests", "air under the skin, splinters in the eye", "Below 2 bar, shield and glasses, never toward anybody."),
        Caution("burn_off", "Exhaust of several hundred degrees", "fire under the car, burns", "Outside, clear of dry grass and people, nothing behind the tail, somebody by it.", True),
        Caution("cab", "A tilted cab", "crushed under it", "Wheels chocked, lock seen home, prop set before anybody is under it.", True),
        Caution("spring", "Springs under tension", "a hit in the eye, torn fingers", "Glasses; hold the spring before its hook comes off."),
        Caution("lifting", "A heavy part", "a hurt back, crushed feet", "Two people or the lift, nobody below."),
        Caution("tampering", "A sensor left unplugged", "a car that is not legal on the road", "Timed, on the list of what must go back, plugged in before it leaves."),
        Caution("rotating", "Fans and belts", "torn fingers, caught sleeves", "Hands and cables clear; fans start by themselves."),
    )
}  # fmt: skip
GENERAL_NOTICE = (
    "Labels, safety data sheets, the maker's service information, local law and licensed practice win over anything shown here."
)
