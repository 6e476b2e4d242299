"""The line itself: a bus by its name, and messages of several frames on it. Both ends use it alike;
what answers at the other end it does not know."""

from typing import Any

import can
import isotp

from galene.core.errors import InputError

LISTENS_S = 1.0
"""How long a thread listens before it looks whether it is to end: nobody else waits for that."""
STACK = {"blocking_send": False, "stmin": 0, "blocksize": 0, "tx_padding": 0x55}
"""No pause and no limit between the frames of a message; short frames are filled."""


def bus_of(named: str) -> can.BusABC:
    """A bus by its interface and channel, as ``socketcan:can0``.

    Raises
    ------
    InputError
        No such interface, or it can not be opened.
    """
    interface, _, channel = named.partition(":")
    try:
        return can.Bus(interface=interface, channel=channel or None)
    except (can.CanError, OSError, ValueError, TypeError) as fault:
        reason = str(fault).splitlines()[0] if str(fault) else type(fault).__name__
        raise InputError(
            "bus", named, f"an interface that opens, as socketcan:can0 ({reason})"
        ) from fault


class Stack(isotp.NotifierBasedCanStack):
    """A transport whose thread outlives its adapter: a fault on sending is kept in `broken`."""

    def __init__(self, bus: can.BusABC, notifier: can.Notifier, **more: Any) -> None:
        super().__init__(bus, notifier, **more)
        self.broken: Exception | None = None
        send = self.txfn

        def guarded(message: isotp.CanMessage) -> None:
            try:
                send(message)
            except (can.CanError, OSError) as fault:
                self.broken = fault

        self.txfn = guarded


class Ear(can.Listener):
    """Hears of what goes wrong while a bus is listened to, so that the listening thread does not
    end by it unheard."""

    def __init__(self) -> None:
        self.broken: Exception | None = None

    def on_message_received(self, msg: can.Message) -> None:
        """Others read the messages."""

    def on_error(self, exc: Exception) -> None:
        """Keep what went wrong."""
        self.broken = exc


def transport(bus: can.BusABC, notifier: can.Notifier, *, receives: int, sends: int) -> Stack:
    """Messages of ISO 15765-2 between two identifiers of 11 bits; not yet started."""
    address = isotp.Address(isotp.AddressingMode.Normal_11bits, rxid=receives, txid=sends)
    return Stack(bus, notifier, address=address, params=dict(STACK), read_timeout=LISTENS_S)
