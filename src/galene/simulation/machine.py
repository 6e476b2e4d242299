"""What the road and the monitors know of a car that moves."""

from typing import Protocol

from galene.simulation.condition import Condition
from galene.simulation.control import Control, Wishes
from galene.simulation.engine import Engine
from galene.simulation.plant import Plant
from galene.simulation.sensing import Senses


class Machine(Protocol):
    """A car as those see it who ask something of it or watch it."""

    plant: Plant
    condition: Condition
    engine: Engine
    senses: Senses
    control: Control
    wishes: Wishes
    odometer_km: float

    def shown_flaps(self) -> float:
        """Position of the runner flaps as their sensor says, percent."""
        ...

    def frame(self) -> dict[str, float]:
        """The figures that are kept with a code."""
        ...
