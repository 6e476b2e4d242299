"""Live data of the generic services: what a figure is in bytes (SAE J1979, ISO 15031-5).

Columns are named as the simulated car's and as the log's: the unit stands in the name.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from galene.core.airpath.family import BusEntry


@dataclass(frozen=True, kw_only=True)
class Field:
    """One figure in the bytes of an answer.

    Parameters
    ----------
    column : name with its unit
    at, size : first byte and number of bytes, most significant first
    scale, offset : figure = raw times `scale` plus `offset`
    """

    column: str
    at: int = 0
    size: int = 1
    scale: float = 1.0
    offset: float = 0.0

    def raw(self, value: float) -> int:
        """The whole number that stands for a figure; what is out of range stands at the end."""
        most: int = (1 << 8 * self.size) - 1
        return min(most, max(0, round((value - self.offset) / self.scale)))

    def value(self, data: bytes) -> float:
        """The figure in an answer's data."""
        raw = int.from_bytes(data[self.at : self.at + self.size], "big")
        return raw * self.scale + self.offset


def field_of(entry: BusEntry) -> Field:
    """One of the maker's own figures, or the position of an output, as its bytes carry it."""
    return Field(column=entry.name, size=entry.size, scale=entry.scale, offset=entry.offset)


@dataclass(frozen=True, kw_only=True)
class Pid:
    """One parameter. `support` is the bit mask in its first byte that says which of its figures are
    there, for those that have one; it is filled by which columns are given."""

    number: int
    size: int
    fields: tuple[Field, ...]
    support: Mapping[str, int] | None = None
    filler: bytes = b""
    """Bytes that stand where no figure does; zeros where it is empty."""

    @property
    def columns(self) -> frozenset[str]:
        """The figures that it can carry."""
        return frozenset(f.column for f in self.fields)

    def encode(self, row: Mapping[str, float]) -> bytes:
        """Its data for a row of figures; those that the row lacks are marked as not there."""
        data = bytearray(self.filler or bytes(self.size))
        for f in self.fields:
            if f.column in row:
                data[f.at : f.at + f.size] = f.raw(row[f.column]).to_bytes(f.size, "big")
        if self.support is not None:
            data[0] = sum(bit for column, bit in self.support.items() if column in row)
        return bytes(data)

    def decode(self, data: bytes) -> dict[str, float]:
        """The figures in its data.

        Raises
        ------
        ValueError
            Too few bytes.
        """
        if len(data) < self.size:
            raise ValueError(f"parameter {self.number:02X}: {len(data)} of {self.size} bytes")
        there = self.columns
        if self.support is not None:
            there = frozenset(c for c, bit in self.support.items() if data[0] & bit)
        return {f.column: f.value(data) for f in self.fields if f.column in there}


def _one(number: int, column: str, size: int = 1, scale: float = 1.0, offset: float = 0.0) -> Pid:
    field = Field(column=column, size=size, scale=scale, offset=offset)
    return Pid(number=number, size=size, fields=(field,))


PERCENT, SIGNED = 100 / 255, 100 / 128
PIDS: tuple[Pid, ...] = (
    _one(0x04, "load_pct", scale=PERCENT),
    _one(0x05, "coolant_c", offset=-40),
    _one(0x06, "short_trim_pct", scale=SIGNED, offset=-100),
    _one(0x07, "long_trim_pct", scale=SIGNED, offset=-100),
    _one(0x0B, "manifold_kpa"),
    _one(0x0C, "rpm", size=2, scale=0.25),
    _one(0x0D, "speed_kmh"),
    _one(0x0F, "intake_c", offset=-40),
    _one(0x10, "air_g_s", size=2, scale=0.01),
    _one(0x11, "throttle_pct", scale=PERCENT),
    Pid(
        number=0x14,
        size=2,
        fields=(Field(column="lambda_v", scale=0.005),),
        filler=b"\x00\xff",  # the sensor takes no part in the trim: FF
    ),
    _one(0x1F, "running_s", size=2),
    _one(0x2C, "egr_command_pct", scale=PERCENT),
    _one(0x31, "since_clear_km", size=2),
    _one(0x33, "baro_kpa"),
    _one(0x42, "voltage_v", size=2, scale=0.001),
    _one(0x49, "pedal_pct", scale=PERCENT),
    Pid(
        number=0x69,
        size=7,
        fields=(
            Field(column="egr_command_pct", at=1, scale=PERCENT),
            Field(column="egr_position_pct", at=2, scale=PERCENT),
        ),
        support={"egr_command_pct": 1, "egr_position_pct": 2},
    ),
    Pid(
        number=0x70,
        size=10,
        fields=(Field(column="boost_kpa", at=3, size=2, scale=1 / 32),),
        support={"boost_kpa": 2},
    ),
    Pid(
        number=0x73,
        size=5,
        fields=(Field(column="exhaust_kpa", at=1, size=2, scale=0.01),),
        support={"exhaust_kpa": 1},
    ),
    Pid(
        number=0x78,
        size=9,
        fields=(
            Field(column="before_catalyst_c", at=1, size=2, scale=0.1, offset=-40),
            Field(column="before_filter_c", at=3, size=2, scale=0.1, offset=-40),
            Field(column="after_filter_c", at=5, size=2, scale=0.1, offset=-40),
        ),
        support={"before_catalyst_c": 1, "before_filter_c": 2, "after_filter_c": 4},
    ),
)
"""The parameters that this product reads, by number."""
BY_NUMBER: Mapping[int, Pid] = {p.number: p for p in PIDS}
BLOCK = 0x20
"""Parameters that one mask of support tells of."""


def masks(supported: Iterable[int]) -> dict[int, bytes]:
    """The masks of support by their own numbers (00, 20, 40 ...): bit 31 is the next parameter, bit
    0 says that a further mask follows.

    Parameters
    ----------
    supported : numbers of the parameters that are answered

    Examples
    --------
    >>> masks([0x0C, 0x0D, 0x2C])[0].hex(), masks([0x0C])[0].hex()
    ('00180001', '00100000')
    """
    numbers = set(supported)
    last = max(numbers, default=0)
    found = {}
    for base in range(0, max(last, 1), BLOCK):
        word = 0
        for number in range(base + 1, base + BLOCK + 1):
            further = number == base + BLOCK and last > number
            if number in numbers or further:
                word |= 1 << (base + BLOCK - number)
        found[base] = word.to_bytes(4, "big")
    return found


def supported_in(base: int, mask: bytes) -> list[int]:
    """The numbers that a mask of support names, a further mask's own among them.

    Parameters
    ----------
    base : number of the mask
    mask : its four bytes
    """
    word = int.from_bytes(mask[:4], "big")
    return [base + 1 + i for i in range(BLOCK) if word >> (BLOCK - 1 - i) & 1]


CONTINUOUS = ("misfire", "fuel_system", "components")
SPARK_MONITORS = (
    "catalyst",
    "heated_catalyst",
    "evaporation",
    "secondary_air",
    "",
    "oxygen_sensor",
    "oxygen_sensor_heater",
    "recirculation",
)
COMPRESSION_MONITORS = (
    "hydrocarbon_catalyst",
    "nitrogen_oxides",
    "",
    "charge_pressure",
    "",
    "exhaust_sensor",
    "particulate_filter",
    "recirculation",
)
"""Monitors by the bit that stands for each (SAE J1979, parameter 01, bytes C and D)."""


def monitors(data: bytes) -> dict[str, bool]:
    """The monitors that a unit has, and whether each is complete.

    Parameters
    ----------
    data : the four bytes of parameter 01

    Examples
    --------
    >>> monitors(bytes([0, 0x07, 0x21, 0x20]))["oxygen_sensor"]
    False
    """
    found = {
        name: not data[1] >> (bit + 4) & 1
        for bit, name in enumerate(CONTINUOUS)
        if data[1] >> bit & 1
    }
    names = COMPRESSION_MONITORS if data[1] & 0x08 else SPARK_MONITORS
    return found | {
        name: not data[3] >> bit & 1
        for bit, name in enumerate(names)
        if name and data[2] >> bit & 1
    }
