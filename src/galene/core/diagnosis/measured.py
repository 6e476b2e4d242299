"""Sets of readings as they were taken, and what the calculations read in them."""

from collections.abc import Mapping
from dataclasses import dataclass, field

from galene.core.airpath.natures import kind_is
from galene.core.calculations.key_on_agreement import (
    KeyOnInput,
    KeyOnResult,
    PressureReading,
    key_on_agreement,
)
from galene.core.calculations.trim_split import (
    TrimPoint,
    TrimSplitInput,
    TrimSplitResult,
    trim_split,
)
from galene.core.diagnosis.bank_trims import BankTrims, bank_trims
from galene.core.errors import InputError
from galene.core.flow import standard_pressure_kpa
from galene.core.jobcard.job_records import SetConditions
from galene.core.statistics import mean

BAROMETER = "barometer"
"""Channel of a barometer beside the sensors of a key-on set."""


@dataclass(frozen=True, kw_only=True)
class MeasuredSet:
    """Readings taken together: rows of channel to value in kept units, and what held meanwhile."""

    rows: tuple[Mapping[str, float], ...] = ()
    conditions: SetConditions = field(default_factory=SetConditions)

    def column(self, channel: str) -> list[float]:
        """Values of a channel in order; empty where there are none."""
        return [row[channel] for row in self.rows if channel in row]


def bank_trims_of(trims: MeasuredSet | None) -> BankTrims | None:
    """The trims of both banks against each other, None where they were not read."""
    pairs = tuple(
        (row["trim_percent"], row["trim_bank_2_percent"])
        for row in (trims.rows if trims else ())
        if "trim_percent" in row and "trim_bank_2_percent" in row
    )
    return bank_trims(pairs) if pairs else None


def trim_split_of(trims: MeasuredSet | None, barometer_kpa: float) -> TrimSplitResult | None:
    """What splits the trims, None where it can not be made: nothing was read, or one bank alone
    runs lean, which the meter that both share can not do.

    Parameters
    ----------
    trims : rows of ``airflow_g_s``, ``trim_percent`` and where read ``trim_bank_2_percent``,
        ``map_kpa``
    barometer_kpa : the air outside, kPa
    """
    banks = bank_trims_of(trims)
    if trims is None or (banks and banks.one_is_lean):
        return None
    points = [
        TrimPoint(
            airflow_g_s=row["airflow_g_s"],
            # The meter sees the air of both banks: their mean is what it is blamed for.
            trim_percent=mean(
                (row["trim_percent"], row.get("trim_bank_2_percent", row["trim_percent"]))
            ),
            map_kpa=row["map_kpa"] if row.get("map_kpa", 1e9) < barometer_kpa else None,
        )
        for row in trims.rows
        if "airflow_g_s" in row and "trim_percent" in row
    ]
    try:
        return trim_split(TrimSplitInput(points, barometer_kpa))
    except InputError:
        return None


def key_on_of(key_on: MeasuredSet | None, altitude_m: float | None) -> KeyOnResult | None:
    """Agreement of the absolute sensors with the engine off; the altitude stands in for a missing
    barometer.

    Parameters
    ----------
    key_on : kPa by sensor, the barometer among them where it was read
    altitude_m : height above the sea, m
    """
    read = {c: v for row in (key_on.rows if key_on else ()) for c, v in row.items()}
    barometer = read.pop(BAROMETER, None)
    if not read:
        return None
    readings = [PressureReading(component, value) for component, value in read.items()]
    return key_on_agreement(
        KeyOnInput(readings=readings, barometer_kpa=barometer, altitude_m=altitude_m)
    )


def outside_pressure_kpa(key_on: MeasuredSet | None, altitude_m: float) -> float:
    """The air outside: the barometer or ambient sensor read at key-on, else the standard at an
    altitude.

    Parameters
    ----------
    altitude_m : of the workshop, m
    """
    read = dict.fromkeys(c for row in (key_on.rows if key_on else ()) for c in row)
    for channel in (BAROMETER, *(c for c in read if kind_is(c, "reads_outside"))):
        found = key_on.column(channel) if key_on else []
        if found and 50 <= found[0] <= 110:
            return found[0]
    return standard_pressure_kpa(altitude_m)
