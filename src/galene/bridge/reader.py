"""Reads a car by its adapter as fast as the bus gives, and does what it is told while that is held.

Every state of the line has words, and every way out of a test is the same: let go.
"""

import contextlib
import queue
import re
import threading
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Protocol, TypeVar

import can

from galene.bus import j1939
from galene.bus.tester import BusFault, Conversation, Garbled, Lost, Refused, Silent
from galene.core.airpath.family import BusEntry
from galene.core.errors import InputError
from galene.exchange.live import (
    LINE_WORDS,
    LOOK_S,
    STALE_S,
    Answer,
    CodesRead,
    Command,
    FrameRead,
    LineState,
)

FAST = (
    "rpm",
    "manifold_kpa",
    "air_g_s",
    "throttle_pct",
    "pedal_pct",
    "short_trim_pct",
    "egr_command_pct",
    "egr_position_pct",
    "boost_kpa",
    "exhaust_kpa",
    "dp_pa",
    "lambda_v",
    "speed_kmh",
    "runner_position_pct",
)
"""Read in every turn; the others take turns, one group in each."""
SLOW = (
    "long_trim_pct",
    "coolant_c",
    "intake_c",
    "baro_kpa",
    "voltage_v",
    "load_pct",
    "running_s",
    "since_clear_km",
    "before_catalyst_c",
    "before_filter_c",
    "after_filter_c",
)
RESTING = ("rpm", "coolant_c", "speed_kmh", "voltage_v")
"""Read while nobody looks: the line's state is what matters then."""
TURN_S, SHOWN_TURN_S, SLOW_TURN_S = 0.05, 0.25, 5.0
"""Shortest turn: while something was just asked or is held (20 Hz), while somebody looks (a page
draws four times a second), and while nobody does; whoever begins to look ends that rest."""
ASKED_S = 10.0
"""How long after a command the turns are short."""
BATCH_S, BEAT_S = 0.1, 0.5
"""How long figures are gathered, and how often it says that it is there where none come."""
DEAD_S = 1.0
"""Silence of the hand on the control after which it lets go."""
TRIES = 3
"""How often a word to the car is said before its silence counts."""
PRESENT_S, SILENT_S, AGAIN_S, LONGEST_HOLD_S = 2.0, 0.6, 0.5, 60.0
HEARD_S, ASKED_AGAIN_S = 1.5, 5.0
"""How long what a heavy vehicle said counts: the slow figures come once a second. And how long one
that answers no question is only listened to."""


T = TypeVar("T")
SERIAL = re.compile(r"[A-HJ-NPR-Z0-9]{17}")
"""A vehicle identification number (ISO 3779): no I, O, Q."""


class Clock(Protocol):
    """A clock that only runs, seconds."""

    def __call__(self) -> float: ...


@dataclass(frozen=True, kw_only=True)
class Found:
    """What goes on to the server."""

    at_s: float
    state: LineState
    words: str
    columns: tuple[str, ...] = ()
    rows: tuple[tuple[float | None, ...], ...] = ()
    answers: tuple[Answer, ...] = ()
    serial: str = ""
    rests_s: float = 0.0


@dataclass(kw_only=True)
class Held:
    """An output that is held: by which command, until when at the latest, when the hand was last
    heard of."""

    command: int
    actuator: str
    until_s: float
    heard_s: float
    present_s: float
    began_s: float
    sweep_s: float | None = None

    def swept(self, now_s: float) -> float:
        """Where a sweep stands, percent: up to the end and back."""
        share = min(1.0, (now_s - self.began_s) / (self.sweep_s or 1.0))
        return 100 * (1 - abs(2 * share - 1))


@dataclass(frozen=True, kw_only=True)
class Taken:
    """A command with its age on arrival; None: how old it is can not be told."""

    command: Command
    at_s: float
    age_s: float | None


@dataclass
class Gathered:
    """Rows since the last batch."""

    began_s: float
    rows: list[tuple[float, dict[str, float]]] = field(default_factory=list)
    answers: list[Answer] = field(default_factory=list)
    serial: str = ""


class Reader:
    """Reads one car until it is stopped.

    Parameters
    ----------
    open_bus : opens the adapter's bus
    entries : the maker's own identifiers
    say : takes what was found
    clock : seconds that only run
    """

    def __init__(
        self,
        open_bus: Callable[[], can.BusABC],
        entries: Sequence[BusEntry],
        say: Callable[[Found], None],
        *,
        clock: Clock = time.monotonic,
    ) -> None:
        self._open_bus, self._entries, self._say, self._clock = open_bus, entries, say, clock
        self._told: queue.SimpleQueue[Taken] = queue.SimpleQueue()
        self._bus: can.BusABC | None = None
        self._talk: Conversation | None = None
        self._held: Held | None = None
        self._state: LineState = "off"
        self._turn = 0
        self._gathered = Gathered(self._clock())
        self._own = [e.name for e in entries if e.kind == "figure"]
        self._answered_s = self._clock()
        self._asks_again_s = 0.0
        self._names_left = TRIES
        self._cut_off = threading.Event()
        self._looks_until = self._clock() + LOOK_S
        self._asked_until = self._clock() + ASKED_S
        self._woken = threading.Event()
        self._odd_since: float | None = None
        """When something began to go wrong on the line; None while it is well."""

    def command(self, command: Command, *, age_s: float | None) -> None:
        """Take a command that came; called from another thread."""
        self._told.put(Taken(command=command, at_s=self._clock(), age_s=age_s))
        self._woken.set()

    def cut_off(self) -> None:
        """The line to the page is lost: let go of what is held."""
        self._cut_off.set()

    def run(self, stop: threading.Event) -> None:
        """Read until `stop`; what is held is let go of on the way out."""
        try:
            while not stop.is_set():
                self._turn_once(stop)
        finally:
            self._let_go("the bridge was ended")
            self._flush()
            self._close()

    # ---- one turn

    def _turn_once(self, stop: threading.Event) -> None:
        if self._bus is None and not self._opened():
            self._refuse_all("The adapter does not answer.")
            self._beat()
            stop.wait(AGAIN_S)
            return
        began = self._clock()
        try:
            self._obey()
            self._read()
        except Silent:
            self._silent(stop)
        except Garbled:
            self._odd(stop)
        except (Lost, can.CanError, OSError):
            self._adapter_lost()
        else:
            self._odd_since = None
            self._to("live")
        self._watch()
        self._beat()
        self._rest(began)

    def _rest(self, began: float) -> None:
        """Wait for the next turn, or for a command."""
        self._woken.wait(max(0.0, self._turn_s() - (self._clock() - began)))
        self._woken.clear()

    def _turn_s(self) -> float:
        """How long a turn takes now."""
        now = self._clock()
        # What goes wrong is looked at closely at once.
        odd = self._odd_since is not None and self._state == "live"
        if self._held is not None or odd or now < self._asked_until:
            return TURN_S
        return SHOWN_TURN_S if now < self._looks_until else SLOW_TURN_S

    def _rests_s(self) -> float:
        """How long it says nothing after this turn, where that is longer than usual."""
        turn = self._turn_s()
        return turn if turn == SLOW_TURN_S else 0.0

    def _goes_wrong(self) -> bool:
        """Whether something has gone wrong for long enough to be said."""
        now = self._clock()
        if self._odd_since is None:
            self._odd_since = now
        return now - self._odd_since >= SILENT_S

    def _opened(self) -> bool:
        try:
            self._bus = self._open_bus()
            self._talk = Conversation(self._bus, own=self._entries)
            self._names_left = TRIES
        except (InputError, can.CanError, OSError):
            self._close()
            self._to("adapter")
            return False
        return True

    def _read(self) -> None:
        """What is asked, and what a heavy vehicle says by itself; an answer goes before that."""
        assert self._talk is not None
        talk, began = self._talk, self._clock()
        heard, asked = talk.heavy.columns(HEARD_S), dict[str, float]()
        if not self._only_listens():
            try:
                asked = self._asked(talk)
                self._answered_s = self._clock()
            except Silent:
                if not heard:
                    raise
                if self._clock() - self._answered_s > SILENT_S:
                    self._asks_again_s = self._clock() + ASKED_AGAIN_S
        elif not heard:
            self._asks_again_s = 0.0
            raise Silent("it says nothing any more")
        self._gathered.rows.append(((began + self._clock()) / 2, heard | asked))

    def _only_listens(self) -> bool:
        """Whether the vehicle answers no question and is only listened to."""
        return self._clock() < self._asks_again_s

    def _asked(self, talk: Conversation) -> dict[str, float]:
        """The fast figures, and one group of the others in turn; a few while nobody looks."""
        if self._rests_s() and not self._names_left:
            return talk.read(RESTING)
        wanted = [*FAST, *_group(SLOW, self._turn, 4)]
        # The maker's own figures are finer than the generic ones, which stand in steps of 0.4 %.
        fast = [n for n in self._own if n in FAST]
        slow = [n for n in self._own if n not in FAST]
        found = talk.read([n for n in wanted if n not in fast])
        found |= talk.identified([*fast, *_group(slow, self._turn, 2)])
        self._turn += 1
        if self._names_left:
            self._ask_its_name(talk)
        return found

    def _ask_its_name(self, talk: Conversation) -> None:
        """The car's own number, once: the cable may hang in another one than the job's. One that
        has none, or tells none that can be read, is taken as it is."""
        self._names_left -= 1
        try:
            serial = talk.serial()
        except (Silent, Garbled):
            return
        except Refused:
            serial = ""
        self._names_left = 0
        self._gathered.serial = serial if SERIAL.fullmatch(serial) else ""

    def _silent(self, stop: threading.Event) -> None:
        if not self._goes_wrong():
            return
        if self._state != "off":
            self._lose("Nobody in the car answers any more.")
            self._forget_car()
        self._to("off")
        stop.wait(AGAIN_S / 2)

    def _odd(self, stop: threading.Event) -> None:
        if not self._goes_wrong():
            return
        self._lose("What comes from the bus can not be read.")
        self._to("bus")
        stop.wait(AGAIN_S / 2)

    def _adapter_lost(self) -> None:
        self._lose("The adapter was pulled.")
        self._close()
        self._to("adapter")

    def _forget_car(self) -> None:
        """The next one that answers may be another car: ask anew what it has."""
        if self._talk is not None and self._bus is not None:
            self._talk.close()
            self._talk = Conversation(self._bus, own=self._entries)
            self._names_left = TRIES

    def _close(self) -> None:
        talk, bus = self._talk, self._bus
        self._talk = self._bus = None
        for close in (talk.close if talk else None, bus.shutdown if bus else None):
            if close is not None:
                with contextlib.suppress(can.CanError, OSError, ValueError):
                    close()

    # ---- what goes out

    def _to(self, state: LineState) -> None:
        if state != self._state:
            self._flush()
            self._state = state
            self._flush()

    def _beat(self) -> None:
        gathered, now = self._gathered, self._clock()
        waits = BATCH_S if gathered.rows else BEAT_S
        if gathered.answers or self._rests_s() or now - gathered.began_s >= waits:
            self._flush()

    def _flush(self) -> None:
        gathered, now = self._gathered, self._clock()
        self._gathered = Gathered(now)
        columns = tuple(dict.fromkeys(n for _, row in gathered.rows for n in row))
        self._say(
            Found(
                at_s=now,
                state=self._state,
                words="" if self._state == "live" else LINE_WORDS[self._state],
                columns=columns,
                rows=tuple(
                    (round(now - at, 4), *(row.get(n) for n in columns))
                    for at, row in gathered.rows
                ),
                answers=tuple(gathered.answers),
                serial=gathered.serial,
                rests_s=self._rests_s(),
            )
        )

    def _answer(self, answer: Answer) -> None:
        self._gathered.answers.append(answer)

    # ---- what it is told

    def _obey(self) -> None:
        while True:
            try:
                taken = self._told.get_nowait()
            except queue.Empty:
                return
            self._do(taken)

    def _refuse_all(self, words: str) -> None:
        with contextlib.suppress(queue.Empty):
            while True:
                taken = self._told.get_nowait()
                if taken.command.do not in ("held", "look"):
                    self._answer(Answer(id=taken.command.id, done=False, words=words))

    def _do(self, taken: Taken) -> None:
        command, now = taken.command, self._clock()
        self._looks_until = max(self._looks_until, now + LOOK_S)
        if command.do == "look":
            return
        self._asked_until = max(self._asked_until, now + ASKED_S)
        age = None if taken.age_s is None else taken.age_s + (now - taken.at_s)
        if command.do == "let_go":
            # Letting go is never too late.
            self._let_go("the hand is off")
            self._answer(Answer(id=command.id, done=True))
            return
        if age is None or age > STALE_S:
            if command.do != "held":
                words = "It came too late and was not done. Ask again."
                self._answer(Answer(id=command.id, done=False, words=words))
            return
        if command.do == "held":
            if self._held is not None and command.of == self._held.command:
                # A server whose clock was set back gives no hand that reaches into the future.
                self._held.heard_s = now - max(0.0, age)
            return
        try:
            self._answer(self._done(command, now))
        except Refused as no:
            words = f"The control unit refuses: {no.words}."
            self._answer(Answer(id=command.id, done=False, words=words))
        except InputError as fault:
            words = f"This car's document has no such thing: {fault.value}."
            self._answer(Answer(id=command.id, done=False, words=words))
        except Garbled:
            words = "Its answer could not be read."
            self._answer(Answer(id=command.id, done=False, words=words))
        except BusFault:
            self._answer(
                Answer(id=command.id, done=False, words="The control unit did not answer.")
            )
            raise

    def _done(self, command: Command, now: float) -> Answer:
        assert self._talk is not None
        talk = self._talk
        if self._only_listens():
            return Answer(id=command.id, done=False, words=_only_says(talk, command))
        if command.do == "hold":
            return self._hold(talk, command, now)
        if command.do == "routine":
            self._again(lambda: talk.session(3))
            self._again(lambda: talk.begin(command.routine))
            return Answer(id=command.id, done=True)
        if command.do == "readiness":
            return Answer(id=command.id, done=True, ready=self._again(talk.readiness))
        if command.do == "clear":
            self._again(talk.clear)
        return Answer(id=command.id, done=True, codes=self._again(lambda: _codes(talk)))

    def _again(self, say: Callable[[], T]) -> T:
        """Say a word to the car; one that meets with silence is said again."""
        for _ in range(TRIES - 1):
            with contextlib.suppress(Silent):
                return say()
        return say()

    def _hold(self, talk: Conversation, command: Command, now: float) -> Answer:
        self._let_go("another one is held now")
        self._again(lambda: talk.session(3))
        self._again(lambda: talk.hold(command.actuator, command.value or 0.0))
        self._held = Held(
            command=command.id,
            actuator=command.actuator,
            until_s=now + min(command.longest_s or LONGEST_HOLD_S, LONGEST_HOLD_S),
            heard_s=now,
            present_s=now,
            began_s=now,
            sweep_s=command.sweep_s,
        )
        self._cut_off.clear()
        return Answer(id=command.id, phase="began", done=True)

    # ---- what is held

    def _watch(self) -> None:
        """Let go when the hand is off, when nobody is heard of, when its time is over."""
        held, now = self._held, self._clock()
        if held is None:
            return
        if self._cut_off.is_set():
            self._let_go("the line to the page was lost")
        elif now - held.heard_s > DEAD_S:
            self._let_go("nobody held it any more")
        elif now > held.until_s:
            self._let_go("its time was over")
        elif held.sweep_s and now - held.began_s > held.sweep_s:
            self._let_go("the sweep is done")
        elif held.sweep_s and self._talk is not None:
            # Silence is met by the next word; a dead line is found by reading.
            with contextlib.suppress(BusFault, can.CanError, OSError):
                self._talk.hold(held.actuator, held.swept(now))
        elif now - held.present_s > PRESENT_S and self._talk is not None:
            held.present_s = now
            with contextlib.suppress(BusFault, can.CanError, OSError):
                self._talk.present()

    def _let_go(self, why: str) -> None:
        held = self._held
        if held is None:
            return
        self._held = None
        words, done = f"Let go: {why}.", True
        try:
            if (talk := self._talk) is not None:
                self._again(lambda: talk.let_go(held.actuator))
                self._again(lambda: talk.session(1))
        except (BusFault, can.CanError, OSError):
            words, done = f"{why[:1].upper()}{why[1:]}, and the control unit did not answer.", False
        self._answer(Answer(id=held.command, done=done, words=words))
        self._flush()

    def _lose(self, why: str) -> None:
        """The car is out of reach: its control unit lets go by itself after five seconds."""
        if self._held is None:
            return
        held, self._held = self._held, None
        words = f"{why} The control unit lets go by itself after five silent seconds."
        self._answer(Answer(id=held.command, done=False, words=words))


def _group(names: Sequence[str], turn: int, size: int) -> list[str]:
    """Those of the names whose turn it is."""
    if not names:
        return []
    first = (turn * size) % len(names)
    return list(dict.fromkeys((*names[first:], *names[:first])))[:size]


def _only_says(talk: Conversation, command: Command) -> str:
    """What a vehicle that answers no question can be said to have."""
    if command.do != "codes":
        return "No control unit answers by OBD: this can not be asked of it here."
    faults = talk.heavy.faults.get(j1939.DM1)
    if not faults:
        return "No control unit answers by OBD, and by J1939 it tells no active code."
    told = ", ".join(f"SPN {spn} FMI {kind}" for spn, kind in faults[:12])
    return f"No control unit answers by OBD. By J1939 it tells {told}: look them up and type them."


def _codes(talk: Conversation) -> CodesRead:
    frozen = talk.frozen()
    try:
        permanent = talk.codes(0x0A)
    except Refused:
        permanent = []
    return CodesRead(
        stored=tuple(talk.codes(0x03)),
        pending=tuple(talk.codes(0x07)),
        permanent=tuple(permanent),
        frame=FrameRead(code=frozen.code, figures=frozen.figures) if frozen else None,
    )
