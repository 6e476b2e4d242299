"""The line between a bridge and its server: pairing, batches out, commands in."""

import json
import sqlite3
import threading
import time
from collections import deque
from collections.abc import Callable
from urllib.parse import urlsplit

import httpx2 as httpx

from galene.bridge.buffer import Buffer, Pairing
from galene.core.errors import InputError
from galene.exchange.live import Command, Kept, Pair, Paired

LOOPBACK = ("127.0.0.1", "localhost", "::1")
SOON_S, LATER_S, SILENCE_S = 0.2, 2.0, 8.0
"""First and longest pause before a lost server is asked again; silence on the line of commands
after which it counts as lost (the server speaks every three seconds)."""
RESTS_S = 3.0
"""Longest rest of the sender: what is kept wakes it."""
AT_ONCE = 40
"""Batches in one request."""


class LetGo(Exception):
    """The server lets this bridge in no more; the words say why."""


class Offset:
    """How far the server's clock is ahead of this one, by the quickest of the last exchanges: it is
    off by at most half of how long that took (D. L. Mills, RFC 5905, section 8)."""

    def __init__(self) -> None:
        self._seen: deque[tuple[float, float]] = deque(maxlen=30)

    def exchanged(self, sent_s: float, came_s: float, server_s: float) -> None:
        """One request and its answer."""
        self._seen.append((came_s - sent_s, server_s - (sent_s + came_s) / 2))

    def age(self, issued_s: float, now_s: float) -> float | None:
        """Age of something that the server issued; None before the first exchange."""
        if not self._seen:
            return None
        return now_s + min(self._seen)[1] - issued_s


def server_of(typed: str) -> str:
    """A server's address.

    Raises
    ------
    InputError
        No https address, unless it is this machine's own.
    """
    found = urlsplit(typed.strip().rstrip("/"))
    own = found.scheme == "http" and found.hostname in LOOPBACK
    if not found.hostname or not (found.scheme == "https" or own):
        raise InputError("server", typed[:80], "an https address, or http on this machine")
    return f"{found.scheme}://{found.netloc}"


def paired(server: str, code: str, name: str, *, verify: str | bool = True) -> Pairing:
    """Be let in by the six figures that a job's page shows.

    Raises
    ------
    InputError
        The code does not count, or the server can not be reached.
    """
    address = server_of(server)
    if not (len(code) == 6 and code.isascii() and code.isdecimal()):
        raise InputError("code", code[:20], "the six figures that the job's page shows")
    body = Pair(code=code, name=name[:80] or "laptop").model_dump(mode="json")
    try:
        answer = httpx.post(f"{address}/api/bridge/pair", json=body, verify=verify, timeout=10)
    except httpx.HTTPError as fault:
        raise InputError("server", address, f"a server that answers ({fault})") from fault
    if answer.status_code != 200:
        raise InputError("code", code, _words(answer))
    told = Paired.model_validate_json(answer.content)
    entries = json.dumps([e.model_dump() for e in told.entries])
    return Pairing(server=address, key=told.key, job=told.job, entries=entries)


def _words(answer: httpx.Response) -> str:
    try:
        return str(answer.json()["error"])[:300]
    except (ValueError, KeyError, TypeError):
        return f"the server answers with {answer.status_code}"


class Link:
    """Carries batches out and commands in, for as long as the server lets it.

    Parameters
    ----------
    pairing : where it is let in
    buffer : what waits to be sent
    take : gets each command with its age in seconds
    lost : told when the line of commands breaks
    verify : a file of authorities, or whether certificates are looked at
    clock : seconds that only run
    """

    def __init__(
        self,
        pairing: Pairing,
        buffer: Buffer,
        *,
        take: Callable[[Command, float | None], None],
        lost: Callable[[], None],
        verify: str | bool = True,
        clock: Callable[[], float] = time.monotonic,
    ) -> None:
        self._pairing, self._buffer, self._clock = pairing, buffer, clock
        self._take, self._lost, self._verify = take, lost, verify
        self._offset = Offset()
        self.more = threading.Event()
        self.ended = ""
        """Why the server lets it in no more."""
        self._at_once = AT_ONCE

    def _client(self) -> httpx.Client:
        return httpx.Client(
            base_url=self._pairing.server,
            headers={"authorization": f"Bearer {self._pairing.key}"},
            verify=self._verify,
            timeout=httpx.Timeout(5.0),
        )

    def send_all(self, stop: threading.Event) -> None:
        """Send what waits, oldest first, until stopped or not let in any more."""
        pause = SOON_S
        with self._client() as client:
            while not self.ended:
                try:
                    sent, pause = self._send_some(client), SOON_S
                except (httpx.HTTPError, sqlite3.Error):
                    if stop.wait(pause):
                        return
                    pause = min(LATER_S, 2 * pause)
                    continue
                except LetGo as why:
                    self.ended = str(why)
                    stop.set()
                    return
                if not sent:
                    if stop.is_set():
                        return
                    self.more.wait(RESTS_S)
                    self.more.clear()

    def _send_some(self, client: httpx.Client) -> bool:
        waiting = self._buffer.oldest(self._at_once)
        if not waiting:
            return False
        batches = ",".join(f'{{"seq":{seq},{body[1:]}' for seq, body in waiting)
        began = self._clock()
        content = f'{{"now_s":{began!r},"batches":[{batches}]}}'
        answer = client.post(
            "/api/bridge/batches",
            content=content,
            headers={"content-type": "application/json"},
        )
        if answer.status_code in (401, 410):
            raise LetGo(_words(answer))
        if answer.status_code == 422:
            # One of them will never be taken: each goes alone now, and only that one is let go of.
            if len(waiting) == 1:
                self._buffer.drop_to(waiting[0][0])
                self._at_once = AT_ONCE
            else:
                self._at_once = 1
            return True
        answer.raise_for_status()
        kept = Kept.model_validate_json(answer.content)
        self._offset.exchanged(began, self._clock(), kept.now_s)
        self._buffer.drop_to(kept.kept_to)
        return True

    def hear_all(self, stop: threading.Event) -> None:
        """Take commands until stopped; a broken line is told of and opened again."""
        timeout = httpx.Timeout(5.0, read=SILENCE_S)
        while not stop.is_set() and not self.ended:
            try:
                with (
                    self._client() as client,
                    client.stream("GET", "/api/bridge/events", timeout=timeout) as stream,
                ):
                    stream.raise_for_status()
                    for line in stream.iter_lines():
                        if stop.is_set():
                            return
                        if line.startswith("data: "):
                            self._hear(line[6:])
            except httpx.HTTPError:
                pass
            self._lost()
            stop.wait(SOON_S)

    def _hear(self, text: str) -> None:
        try:
            command = Command.model_validate_json(text)
        except ValueError:
            return
        self._take(command, self._offset.age(command.issued_s, self._clock()))
