"""The questions that practice answers in several ways, by name. Their letters are what is stored,
shown and sent; code names them."""

from typing import Final

METER_AGENT: Final = "A"
CODED_METER: Final = "B"
DRYING: Final = "C"
ELECTRONIC_PLATE: Final = "D"
AGENT_INTO_THROTTLE: Final = "E"
THROTTLE_PLACE: Final = "F"
SEALS: Final = "G"
MAKING_SAFE: Final = "H"
CLEARING: Final = "I"
PRESSURE_SENSOR_AGENT: Final = "J"
LIGHT_DEPOSIT: Final = "K"
HEAVY_MANIFOLD: Final = "L"
DIRECT_PORTS: Final = "M"
COMMANDED_TEST: Final = "N"
HEALTHY_SENSOR: Final = "O"
OXYGEN_SENSOR: Final = "P"
ISOLATION: Final = "Q"
MANIFOLD_BATH: Final = "R"
