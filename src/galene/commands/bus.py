"""A simulated car on a bus, from the command line."""

import signal
import threading

from galene.bus.line import bus_of
from galene.bus.station import play
from galene.commands.words import tell
from galene.core.airpath.family import EngineFamily
from galene.simulation.run import Case


def on_the_bus(case: Case, family: EngineFamily, named: str) -> None:
    """Put the car of a case on the bus `named` until its time is over or somebody stops it.

    Raises
    ------
    InputError
        The bus can not be opened, or the case can not be.
    """
    stop = threading.Event()
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, lambda *_: stop.set())
    bus = bus_of(named)
    try:
        tell(f"family {family.id} is on {named}: 7E0 and 7E1 ask it. Ctrl-C takes it off.")
        play(case, family, bus, stop)
    finally:
        bus.shutdown()
