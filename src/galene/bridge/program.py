"""One bridge at work: what is read goes to the disk, from there to the server; commands come in."""

import json
import logging
import sqlite3
import threading
import time
from collections.abc import Callable
from pathlib import Path

import can
from pydantic import TypeAdapter

from galene.bridge.buffer import Buffer, Pairing
from galene.bridge.link import Link
from galene.bridge.reader import Found, Reader
from galene.core.airpath.family import BusEntry
from galene.exchange.live import Command

log = logging.getLogger("galene.bridge")
ENTRIES = TypeAdapter(tuple[BusEntry, ...])


class Program:
    """A bridge from its adapter to its server.

    Parameters
    ----------
    pairing : where it is let in
    buffer : where batches wait; closed by who made it
    open_bus : opens the adapter's bus
    verify : as for `Link`
    clock : seconds that only run; the same for all of it
    """

    def __init__(
        self,
        pairing: Pairing,
        buffer: Buffer,
        open_bus: Callable[[], can.BusABC],
        *,
        verify: str | bool = True,
        clock: Callable[[], float] = time.monotonic,
    ) -> None:
        self.buffer = buffer
        # What it says of every late answer is told by the state of the line.
        for name in ("UdsClient", "Connection", "isotp"):
            logging.getLogger(name).setLevel(logging.CRITICAL)
        entries = ENTRIES.validate_json(pairing.entries)
        self.reader = Reader(open_bus, entries, self._keep, clock=clock)
        self.link = Link(
            pairing,
            buffer,
            take=self._take,
            lost=self.reader.cut_off,
            verify=verify,
            clock=clock,
        )
        self.trouble = ""
        """Why what is read can not be kept, empty where it can."""
        self._stop = threading.Event()
        self._threads = [
            threading.Thread(target=run, args=(self._stop,), daemon=True, name=name)
            for name, run in (
                ("reader", self.reader.run),
                ("sender", self.link.send_all),
                ("listener", self.link.hear_all),
            )
        ]

    def start(self) -> None:
        """Begin."""
        for thread in self._threads:
            thread.start()

    def stop(self) -> None:
        """End; what is held is let go of, what can be sent at once is sent."""
        self._stop.set()
        self.link.more.set()
        for thread in self._threads:
            thread.join(6)

    def ask_to_end(self) -> None:
        """End soon; for a signal's handler."""
        self._stop.set()

    def wait(self, seconds: float | None = None) -> bool:
        """Wait until it ends by itself, which it does when the server lets it in no more."""
        return self._stop.wait(seconds)

    def _keep(self, found: Found) -> None:
        body = {
            "at_s": found.at_s,
            "state": found.state,
            "words": found.words,
            "columns": found.columns,
            "rows": found.rows,
            "answers": [a.model_dump(mode="json") for a in found.answers],
            "serial": found.serial,
            "rests_s": found.rests_s,
        }
        try:
            self.buffer.keep(json.dumps(body, separators=(",", ":"), allow_nan=False))
        except sqlite3.Error as fault:
            # A full disk: the car is read on and what is held stays guarded; what can not be kept
            # is lost, and that is said.
            if not self.trouble:
                log.error("what is read can not be kept on this disk: %s", fault)
            self.trouble = str(fault)
            return
        self.trouble = ""
        self.link.more.set()

    def _take(self, command: Command, age_s: float | None) -> None:
        self.reader.command(command, age_s=age_s)


def buffer_in(folder: Path) -> Buffer:
    """The buffer of a bridge's own folder."""
    return Buffer(folder / "bridge.sqlite")
