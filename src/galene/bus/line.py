"""The line itself: a bus by its name, and messages of several frames on it. Both ends use it alike;
what answers at the other end it does not know."""

import can
import isotp

from galene.core.errors import InputError

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


def transport(
    bus: can.BusABC, notifier: can.Notifier, *, receives: int, sends: int
) -> isotp.NotifierBasedCanStack:
    """Messages of ISO 15765-2 between two identifiers of 11 bits; not yet started."""
    address = isotp.Address(isotp.AddressingMode.Normal_11bits, rxid=receives, txid=sends)
    return isotp.NotifierBasedCanStack(bus, notifier, address=address, params=dict(STACK))
