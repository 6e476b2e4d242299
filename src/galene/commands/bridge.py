"""The bridge, from the command line."""

import signal
from pathlib import Path

from galene.bridge.buffer import Buffer
from galene.bridge.link import paired
from galene.bridge.program import Program, buffer_in
from galene.bus.line import bus_of
from galene.commands.words import fail, tell
from galene.core.errors import InputError


def run(
    *, server: str, code: str, bus: str, name: str, folder: Path, authorities: Path | None
) -> None:
    """Pair with a server where a code is given, then carry between car and server until stopped.

    Raises
    ------
    InputError
        The code does not count, the server can not be reached, or nothing was paired before.
    """
    verify: str | bool = str(authorities) if authorities else True
    try:
        buffer = buffer_in(folder.expanduser())
    except OSError as fault:
        raise fail(f"the folder {folder} can not be used: {fault.strerror}") from fault
    try:
        _carry(buffer, server=server, code=code, bus=bus, name=name, verify=verify)
    finally:
        buffer.close()


def _carry(
    buffer: Buffer, *, server: str, code: str, bus: str, name: str, verify: str | bool
) -> None:
    if code:
        buffer.pair(paired(server, code, name, verify=verify))
    pairing = buffer.pairing()
    if pairing is None:
        raise InputError("code", code, "the six figures that the job's page shows")
    program = Program(pairing, buffer, lambda: bus_of(bus), verify=verify)

    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, lambda *_: program.ask_to_end())
    tell(f"reads {bus} for job {pairing.job} at {pairing.server}. Ctrl-C ends it.")
    program.start()
    program.wait()
    program.stop()
    if program.link.ended:
        raise fail(program.link.ended)
