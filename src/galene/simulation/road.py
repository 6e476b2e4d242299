"""Drives: what the road asks of the engine, second by second."""

from galene.simulation.machine import Machine

KINDS = ("town", "road", "pull", "long")
"""Stop and go; steady with some traffic; a full pull and a coast; steady for long."""
GEARS = (7.5, 14.0, 21.0, 29.0, 38.0, 46.0)
"""Speed in km/h a thousand revolutions, by gear."""
PATTERNS: dict[str, tuple[tuple[float, float], ...]] = {
    "town": ((0, 0), (12, 0), (24, 38), (50, 46), (62, 22), (74, 50), (96, 50), (108, 0), (120, 0)),
    "road": (
        (0, 0),
        (8, 0),
        (30, 70),
        (75, 82),
        (85, 68),
        (140, 84),
        (165, 60),
        (172, 0),
        (180, 0),
    ),
    "pull": (
        (0, 0),
        (6, 0),
        (24, 50),
        (40, 55),
        (52, 105),
        (70, 105),
        (95, 40),
        (110, 0),
        (120, 0),
    ),
    "long": ((0, 0), (8, 0), (34, 80), (560, 84), (590, 0), (600, 0)),
}
"""Target speed in km/h over time in seconds; repeated."""


class Road:
    """A drive of a kind for some minutes. Mass and drag by displacement: a small car, a van, a
    truck."""

    def __init__(self, vehicle: Machine, kind: str, seconds: float) -> None:
        plant = vehicle.plant
        self.pattern = PATTERNS[kind]
        self.seconds, self.at = seconds, 0.0
        litres = plant.family.displacement_l
        self.slow = 0.45 if litres > 4 else 1.0
        """How much slower a truck is than the pattern."""
        self.mass_kg = 620.0 * litres + 350.0
        self.drag = 0.42 * (1 + litres / 4)
        self.ratio = 6 / (plant.idle_rpm / 700.0) if plant.strokes == 2 else 6
        self.gear = 0
        self.last_kmh = 0.0

    def target_kmh(self, at: float) -> float:
        """Speed that the pattern asks at a time."""
        at %= self.pattern[-1][0]
        for (t1, v1), (t2, v2) in zip(self.pattern, self.pattern[1:], strict=False):
            if t1 <= at <= t2:
                return (v1 + (v2 - v1) * (at - t1) / (t2 - t1)) * self.slow
        return 0.0

    def drive(self, vehicle: Machine) -> bool:
        """Ask of the engine what the road asks now; whether the drive goes on."""
        wishes, plant = vehicle.wishes, vehicle.plant
        self.at += 0.01
        if self.at >= self.seconds or not vehicle.engine.running:
            wishes.road_nm = wishes.speed_kmh = 0.0
            wishes.hold_rpm, wishes.pedal = None, 0.0
            return False
        target = self.target_kmh(self.at)
        metres = target / 3.6
        gain = (target - self.last_kmh) / 3.6 / 0.01
        self.last_kmh = target
        wishes.speed_kmh = target
        vehicle.odometer_km += metres * 1e-5
        if target < 3.0:
            wishes.road_nm, wishes.hold_rpm = 0.0, None
            return True
        scale = plant.idle_rpm / 740.0 * self.slow
        top = 2600.0 * plant.idle_rpm / 740.0
        self.gear = 0
        while self.gear < len(GEARS) - 1 and target / (GEARS[self.gear] * scale) * 1000 > top:
            self.gear += 1
        rpm = max(plant.idle_rpm * 1.15, target / (GEARS[self.gear] * scale) * 1000)
        force = 9.81 * self.mass_kg * 0.011 + self.drag * metres * metres
        force += self.mass_kg * max(-1.2, min(1.6, gain))
        speed = rpm * 0.10472
        torque = force * metres / speed
        most = plant.full_fuel_g_s * plant.heat_j_g * plant.efficiency / 260.0
        # What the engine can not carry slips in the clutch: nobody lets it be pulled down.
        grip = min(1.0, max(0.0, (vehicle.engine.rpm / rpm - 0.72) / 0.2))
        wishes.road_nm = grip * max(-0.25 * plant.friction_nm, min(0.7 * most, torque))
        wishes.hold_rpm = rpm if torque > 0 else None
        return True
