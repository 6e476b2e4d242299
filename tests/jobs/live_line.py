"""A simulated car on a job's line without a bus between."""

from collections.abc import Callable, Mapping
from datetime import timedelta

from galene.exchange.live import Answer, Batch, Sent
from galene.jobs import live
from galene.jobs.act import Act
from galene.knowledge.families import FAMILIES
from galene.simulation.vehicle import Vehicle
from galene.store.models import Job, LiveCommand

Do = Callable[[Vehicle, float], None]


class Line:
    """A car on a job's line without a bus: its rows are handed over as a bridge would."""

    def __init__(self, act: Act, job: Job, faults: Mapping[str, float] | None = None) -> None:
        self.act, self.job = act, job
        self.car = Vehicle(FAMILIES[job.family_id], faults or {})
        told = live.pair(act.db, live.offer_code(act, job.number), "cart", act.now)
        self.key, self.seq, self.clock = told.key, 0, 1000.0

    def runs(self, seconds: float, do: Do | None = None, *, warm: float = 20.0) -> "Line":
        """Key on, started, some warm seconds unread, then read for so long."""
        self.car.key_on()
        self.car.start()
        for _ in range(round(100 * warm)):
            self.car.step()
        return self.read(seconds, do)

    def read(self, seconds: float, do: Do | None = None, *, state: str = "live") -> "Line":
        """Read ten times a second for so long; time goes on with it."""
        found = []
        for k in range(round(10 * seconds)):
            if do is not None:
                do(self.car, k / 10)
            for _ in range(10):
                self.car.step()
            self.clock += 0.1
            found.append((self.clock, self.car.row()))
        self.act.now += timedelta(seconds=seconds)
        names = [n for n in found[0][1] if n != "time_s"]
        for at in range(0, len(found), 20):
            part = found[at : at + 20]
            self.seq += 1
            ends = part[-1][0]
            table = tuple((ends - t, *(r[n] for n in names)) for t, r in part)
            batch = Batch(
                seq=self.seq,
                at_s=ends,
                state=state,
                columns=tuple(names) if state == "live" else (),
                rows=table if state == "live" else (),
            )
            self.hand(batch)
        return self

    def silent(self, seconds: float) -> "Line":
        """The ignition is off: the bridge says that nobody answers, twice a second."""
        for _ in range(round(2 * seconds)):
            self.clock += 0.5
            self.act.now += timedelta(seconds=0.5)
            self.seq += 1
            self.hand(Batch(seq=self.seq, at_s=self.clock, state="off"))
        return self

    def hand(self, batch: Batch) -> None:
        sent = Sent(now_s=self.clock, batches=(batch,))
        live.take_in(self.act.db, self.key, sent, self.act.now)

    def answer(self, command: LiveCommand, **what: object) -> None:
        """The bridge's answer to a command."""
        self.seq += 1
        answer = Answer(id=command.id, **{"done": True, **what})
        self.hand(Batch(seq=self.seq, at_s=self.clock, state="live", answers=(answer,)))
        self.act.db.refresh(command)
