"""A job walked through its pages: what a technician and a foreman do, in the words of their day."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import Engine, select
from sqlalchemy.orm import Session

from galene.core.planning.records import Record, Step
from galene.jobs.diagnosis import assess_job
from galene.store.models import Job, StepRow
from tests.jobs.hands import good_answer
from tests.walks.hand import NUMBER, Hand, Refusal, steps_ahead, words_of

SYMPTOM_GONE = "gone"
Answers = Mapping[str, str]
"""Record's own name, or step's id and its name (``maf_sensor:look/whole``), to what is answered."""
Does = Callable[[Step], bool]


@dataclass(frozen=True, kw_only=True)
class Card:
    """A card as it stood at a moment, and what it came to."""

    steps: tuple[Step, ...]
    spares: tuple[str, ...]
    agents: Mapping[str, float]
    minutes: float
    price: float

    def ordered(self, *landmarks: Does) -> None:
        """It has these landmarks, one after another."""
        at = -1
        for n, landmark in enumerate(landmarks, 1):
            found = next((i for i, s in enumerate(self.steps) if i > at and landmark(s)), None)
            assert found is not None, (n, [s.id for s in self.steps[at + 1 :]])
            at = found

    def has(self, landmark: Does) -> bool:
        """Whether a step does that."""
        return any(landmark(s) for s in self.steps)

    def never(self, *landmarks: Does) -> None:
        """No step does any of that."""
        for landmark in landmarks:
            assert not [s.id for s in self.steps if landmark(s)]

    def warns(self) -> frozenset[str]:
        """Everything that it warns of."""
        return frozenset(c for s in self.steps for c in s.cautions)

    def told(self) -> str:
        """It in short, for who writes a walk."""
        return "\n".join(
            f"{s.id} | {[(r.name, r.kind) for r in s.records]}"
            f" {s.agent.class_id + ' ' + str(s.agent.ml) if s.agent else ''}"
            f" {s.wait.minutes if s.wait else ''} {','.join(s.consumes)}"
            for s in self.steps
        )


@dataclass(kw_only=True)
class Facts:
    """What a walk has shown: the ranking and the checks offered at each moment, the card, refusals,
    the report."""

    causes: dict[str, dict[str, float]] = field(default_factory=dict)
    offered: dict[str, list[str]] = field(default_factory=dict)
    evidence: dict[str, str] = field(default_factory=dict)
    cards: dict[str, Card] = field(default_factory=dict)
    pages: dict[str, str] = field(default_factory=dict)
    report: str = ""
    verdict: str = ""
    missing: tuple[str, ...] = ()
    next_look: tuple[float, float, float] = (0.0, 0.0, 0.0)

    def leads(self, moment: str) -> str:
        """The cause that stood first."""
        return next(iter(self.causes[moment]))

    def first(self, moment: str, count: int) -> list[str]:
        """The first causes."""
        return list(self.causes[moment])[:count]


@dataclass(kw_only=True)
class Walk:
    """One job. `engine` is only read: what stands in the store after what the pages did."""

    odd: Hand
    maren: Hand
    engine: Engine
    number: str = ""
    facts: Facts = field(default_factory=Facts)
    forms: dict[int, Any] = field(default_factory=dict)
    """Forms of the card's page as it was read last, by the step's row."""
    cautions: set[str] = field(default_factory=set)
    waiting: dict[str, datetime] = field(default_factory=dict)

    # ---- intake

    def arrives(self, plate: str, family: str, says: str, **facts: str) -> None:
        """A vehicle that nobody knows comes in."""
        path = f"/jobs/new?plate={plate}&add=1"
        given = {"maker": "Brinewell", "model": "Testbed", "year": "2016", "keeper": "Ada Rook"}
        where = self.odd.send(
            path, "/jobs/new", {**given, "family": family, "complaint": says, **facts}
        )
        found = NUMBER.search(where)
        assert found, where
        self.number = found[1]

    @property
    def base(self) -> str:
        """Where the job's pages lie."""
        return f"/jobs/{self.number}"

    def said(self, present: Iterable[str] = (), absent: Iterable[str] = ()) -> None:
        """Symptoms and history, each tapped until it stands as it was said."""
        wanted = {**dict.fromkeys(present, "present"), **dict.fromkeys(absent, "absent")}
        path = f"{self.base}/intake"
        for _ in range(4):
            taps = {
                f.fields["evidence"]: f
                for f in self.odd.page(path).forms
                if str(f.get("action")).endswith("/tap")
            }
            missing = [e for e, state in wanted.items() if taps[e].fields["was"] != state]
            if not missing:
                return
            for evidence in missing:
                self.odd.send_form(taps[evidence], path)
        raise AssertionError((self.number, wanted))

    def codes(self, text: str) -> None:
        """Codes as they are read before anything is cleared."""
        self.odd.send(f"{self.base}/intake", "/codes", {"codes": text})

    def intake(self, **fields: str) -> None:
        """The intake's own form, and on to the evidence: distance, levels, bulletins, what was done
        before."""
        self.odd.send(f"{self.base}/intake", "/intake", fields, button="onward=1")

    def onward(self) -> None:
        """On to the next stage."""
        stage = self.job().stage
        self.odd.send(f"{self.base}/{stage}", "/advance")

    # ---- evidence

    def readings(
        self, kind: str, rows: Sequence[Mapping[str, float]], phase: str = "before", **more: str
    ) -> None:
        """A set of readings, its rows in one form."""
        path = f"{self.base}/evidence" if phase == "before" else f"{self.base}/prove"
        form = next(
            f
            for f in self.odd.page(path).forms
            if str(f.get("action")).endswith("/readings")
            and f.fields.get("kind") == kind
            and f.fields.get("phase") == phase
        )
        names = [n for n in dict.fromkeys(i.name for i in form.inputs) if n in _all_names(rows)]
        count = sum(i.name == names[0] for i in form.inputs)
        fields: dict[str, str | list[str] | None] = {
            n: [_figure(r.get(n)) for r in rows] + [""] * (count - len(rows)) for n in names
        }
        warm = {"coolant_c": "90", "intake_c": "32"}
        if "coolant_c" not in [i.name for i in form.inputs]:
            del warm["coolant_c"]
        self.odd.send_form(form, path, {**fields, **warm, **more})

    def idle(self, phase: str = "before", **means: float) -> None:
        """Five readings of a warm idle about these means; `spread` is their range in speed."""
        spread = means.pop("spread", 16.0)
        # Five readings whose deviation tells that range.
        steps = (-0.68, -0.34, 0.0, 0.34, 0.68)
        rows = [
            {
                **{k: v * (1 + 0.002 * s) for k, v in means.items() if k != "idle_rpm"},
                "idle_rpm": round(means["idle_rpm"] + s * spread * 0.8, 1),
            }
            for s in steps
        ]
        self.readings("idle", rows, phase)

    def trims(self, *points: tuple[float, float, float], phase: str = "before") -> None:
        """Speed, air and total trim at each point."""
        rows = [{"rpm": r, "airflow_g_s": a, "trim_percent": t} for r, a, t in points]
        self.readings("trim", rows, phase)

    def key_on(self, phase: str = "before", **kpa: float) -> None:
        """Absolute sensors with the ignition on and the engine off; `barometer_kpa` beside."""
        path = f"{self.base}/evidence" if phase == "before" else f"{self.base}/prove"
        form = next(
            f
            for f in self.odd.page(path).forms
            if str(f.get("action")).endswith("/key-on") and f.fields.get("phase") == phase
        )
        self.odd.send_form(form, path, {k: _figure(v) for k, v in kpa.items()})

    def look(self, part: str, grade: int, deposit: str = "", note: str = "") -> None:
        """What is seen of a part before the work."""
        self.odd.send(
            f"{self.base}/evidence",
            "/looks",
            {"part": part, "grade": str(grade), "deposit": deposit, "note": note},
        )

    def check(self, check: str, after: bool = False, **figures: str | list[str]) -> None:
        """A check: its figures, or what it showed as ``evidence="present"``."""
        path = f"{self.base}/checks/{check}{'?after=true' if after else ''}"
        form = self.odd.form(path, f"/checks/{check}")
        known = {i.name for i in form.inputs}
        fields = {
            (k if k in known else f"result:{k.replace('__', ':')}"): v for k, v in figures.items()
        }
        self.odd.send_form(form, path, fields)

    def sweep(self, check: str, up: Sequence[float], down: Sequence[float], **more: Any) -> None:
        """A commanded sweep: positions at a command of 0, 25, 50, 75 and 100 %, and back."""
        there = list(zip((0, 25, 50, 75, 100), up, strict=True))
        back = list(zip((75, 50, 25, 0), down, strict=True))
        rows = "\n".join(f"{c},{p}" for c, p in (*there, *back))
        self.check(check, csv=f"command,position\n{rows}", **more)

    def opened_for(self, check: str) -> None:
        """What a check opens is open now."""
        self.odd.send(f"{self.base}/checks/{check}", "/opened")
        self.odd.clock.forward(5)

    def closed_again(self, check: str) -> None:
        """And it is closed again."""
        self.odd.send(f"{self.base}/checks/{check}", "/closed")
        self.odd.clock.forward(5)

    # ---- diagnosis

    def mark(self, moment: str) -> None:
        """Keep what the diagnosis says now."""
        with Session(self.engine) as db:
            job = _found(db, self.number)
            found = assess_job(job, 70.0)
            self.facts.causes[moment] = {c.id: c.probability for c in found.causes}
            self.facts.offered[moment] = [c.id for c in found.next_checks]
            self.facts.evidence = {o.evidence: o.state for o in job.observations}
        page = self.odd.page(f"{self.base}/diagnosis")
        self.facts.pages[f"diagnosis {moment}"] = words_of(page)

    # ---- plan

    def school(self, letter: str, choice: str, reason: str) -> None:
        """Another school on this job, with a reason, from the page that compares it."""
        path = f"{self.base}/plan/compare?letter={letter}&choice={choice}"
        self.odd.send(path, "/plan/school", {"reason": reason})

    def plans(self, works: Mapping[str, str], by: str = "phone") -> None:
        """The scope is chosen as the page draws it, saved, and agreed to by the owner."""
        asked = "&".join(
            [f"parts={p}" for p in works] + [f"work:{p}={w}" for p, w in works.items()]
        )
        self.odd.browser.cookies.clear()
        self.odd._as_me()
        assert self.odd.browser.get(f"{self.base}/plan/draft?{asked}").status_code == 200
        form = self.odd.form(f"{self.base}/plan", "/plan")
        fields: dict[str, str | list[str] | None] = {"parts": list(works)}
        for part in self._in_form(form, "work:"):
            fields[part] = None
        answer = self.odd.send_form(
            form, f"{self.base}/plan", fields, more={f"work:{p}": w for p, w in works.items()}
        )
        assert answer
        self.agree(by)

    @staticmethod
    def _in_form(form: Any, start: str) -> list[str]:
        return [i.name for i in form.inputs if str(i.name or "").startswith(start)]

    def agree(self, by: str = "phone") -> None:
        """The owner's yes is entered."""
        self.odd.send(
            f"{self.base}/plan", "/plan/approve", {"approved_by": "Ada Rook", "approved_how": by}
        )

    # ---- card

    def begins(self, heat: str = "warm", temperature: float = 20, humidity: float = 50) -> None:
        """The card is laid out and its pick list looked through."""
        self.odd.send(
            f"{self.base}/work",
            "/work/begin",
            {"heat": heat, "temperature": str(temperature), "humidity": str(humidity)},
        )
        self.odd.send(f"{self.base}/work", "/enter/pick")

    def keep(self, moment: str) -> Card:
        """Keep the card and the bill as they stand."""
        job = self.job()
        document = job.plans[0].document
        card = Card(
            steps=tuple(r.document for r in sorted(job.steps, key=lambda r: r.position)),
            spares=tuple(sorted(s.number for s in document.bill.spares)),
            agents={a.class_id: a.ml for a in document.bill.agents},
            minutes=document.hands_minutes,
            price=document.price,
        )
        self.facts.cards[moment] = card
        return card

    def works(self, until: Does | None = None, **answers: str) -> None:
        """Do what the card asks, in its order, until a step: ticks with good answers, or those
        given by a record's own name, which have no consequence."""
        rows: list[StepRow] = []
        for _ in range(400):
            rows = rows or [r for r in self.job().steps if r.done_at is None]
            if not rows or (until is not None and until(rows[0].document)):
                return
            row = rows.pop(0)
            self.does(row, answers)
            if row.document.act != "tick" or any(
                r.name == "grade_before" for r in row.document.records
            ):
                rows, self.forms = [], {}
        raise AssertionError("the card has no end")

    def due(self) -> StepRow:
        """The step that is next."""
        return next(r for r in self.job().steps if r.done_at is None)

    def answers(self, **given: str) -> None:
        """Answer the step that is due, in other words than good ones."""
        self.does(self.due(), given)
        self.forms = {}

    def refused_to_go_on(self) -> str:
        """Why the step that is due can not be done now."""
        try:
            self.does(self.due(), {})
        except Refusal as refusal:
            return str(refusal)
        raise AssertionError("it was done")

    def does(self, row: StepRow, answers: Answers) -> None:
        """Do one step on whatever page it is done."""
        step = row.document
        page = f"{self.base}/prove"
        match step.act:
            case "tick":
                self._tick(row, answers)
            case "clear":
                self.odd.send(page, "/clear")
            case "start":
                self._wait_for(step)
                self.odd.send(page, "/start")
            case "relearn":
                self.learns(step.relearn)
            case "after_set":
                self.after()
            case "road":
                self.drives()
            case "pending":
                self.reads_pending()
            case _:
                raise AssertionError(step.act)

    def _tick(self, row: StepRow, answers: Answers) -> None:
        step, path = row.document, f"{self.base}/work"
        self._wait_for(step)
        self.odd.clock.forward(max(1.0, step.minutes))
        form = self._form_of(row.id)
        unread = {b.get("value") for b in form.xpath(".//button[@name='caution']")} - self.cautions
        for caution in sorted(unread):
            self.odd.send_form(form, path, button=f"caution={caution}")
            self.cautions.add(caution)
            # The page is shown anew after that, with other tokens in its forms.
            self.forms = {}
            form = self._form_of(row.id)
        given: dict[str, str | list[str] | None] = {}
        names = _names(form)
        for record in step.records:
            said = answers.get(record.id, answers.get(record.name, ""))
            told = _told(record, said) if said else good_answer(record, 2)
            given |= {f"record:{k}": v for k, v in told.items() if f"record:{k}" in names}
        try:
            self.odd.send_form(form, path, given)
        except Refusal as refusal:
            self.forms = {}
            raise Refusal(f"{step.id}: {step.text}: {refusal}") from refusal
        self.forms.pop(row.id)
        if step.wait:
            until = self.odd.clock.now + timedelta(minutes=step.wait.minutes, seconds=2)
            self.waiting[step.wait.id] = until

    def _form_of(self, row: int) -> Any:
        """The form of a step: every step that is left stands in the card's page, which is read
        anew once it does not hold it."""
        if row not in self.forms:
            page = self.odd.page(f"{self.base}/work")
            self.forms = {int(f.get("data-step")): f for f in steps_ahead(page)}
        return self.forms[row]

    def _wait_for(self, step: Step) -> None:
        """Put the clock forward to where what the step waits for has run out."""
        due = (
            self.waiting if step.act != "tick" else {w: self.waiting.get(w) for w in step.waits_for}
        )
        ends = [end for end in due.values() if end is not None]
        self.odd.clock.now = max([self.odd.clock.now, *ends])

    def finds(self, kind: str, part: str, note: str, **more: str) -> None:
        """Something is found on the way."""
        fields = {f"found_{k}": v for k, v in more.items()}
        given = {"found": kind, "found_where": part, "found_note": note, **fields}
        self.odd.send(f"{self.base}/work", "/found", given)
        self.forms = {}

    def lifts(self, why: str) -> None:
        """The foreman lifts the stop."""
        self.maren.send(f"{self.base}/work", "/resolve", {"resolve_reason": why})
        self.forms = {}

    def page(self, name: str, path: str) -> None:
        """Keep what a page says."""
        self.facts.pages[name] = self.odd.text(path)

    # ---- relearn and proof

    def learns(self, relearn: str) -> None:
        """A relearn held whole, every condition confirmed."""
        page = f"{self.base}/prove"
        form = self.odd.form(page, "/relearn/begin")
        assert form.fields["template"] == relearn
        asked = [i.name for i in form.inputs if str(i.name or "").startswith("condition:")]
        self.odd.send_form(form, page, dict.fromkeys(asked, "1"))
        for _ in range(20):
            self.odd.clock.forward(61)
            if not self.odd.has(page, "/relearn/next"):
                break
            self.odd.send(page, "/relearn/next")
        self.odd.send(page, "/relearn/finish", button="learned=yes")

    def skips_relearn(self, why: str) -> None:
        """The due relearn is left out, with a reason."""
        self.odd.send(f"{self.base}/prove", "/relearn/skip", {"skip_reason": why})

    after_idle: dict[str, float] = field(default_factory=dict)
    road: dict[str, str] = field(default_factory=dict)
    pending: str = ""
    monitors: str = "ready"

    def after(self) -> None:
        """The same readings after the work."""
        self.idle("after", **self.after_idle)

    def drives(self) -> None:
        """The road test, every symptom asked again."""
        path = f"{self.base}/prove"
        form = self.odd.form(path, "/road-test")
        symptoms = {
            i.name: SYMPTOM_GONE for i in form.inputs if str(i.name or "").startswith("symptom:")
        }
        more = {"complaint_gone": "gone"} if "complaint_gone" in _names(form) else {}
        driven = {"kilometres": "14", "notes": "all of it driven as it was complained of"}
        self.odd.send_form(form, path, {**symptoms, **more, **driven, **self.road})

    def reads_pending(self) -> None:
        """Codes after the drive, pending ones too."""
        path = f"{self.base}/prove"
        form = self.odd.form(path, "/pending")
        # Monitors are asked where a code was the complaint.
        asked = {"monitors": self.monitors} if "monitors" in _names(form) else {}
        if self.pending:
            self.odd.send_form(form, path, {"codes_after": self.pending, **asked})
            return
        self.odd.send_form(form, path, asked, button="none=yes")

    # ---- handover

    def signs(self, causes: Mapping[str, str], words: str = "", fed: str = "no") -> None:
        """What it was is said, and the foreman signs; the report is kept."""
        path = f"{self.base}/handover"
        while self.job().stage != "handover":
            self.onward()
        form = self.odd.form(path, "/handover")
        listed = {i.get("value") for i in form.xpath(".//input[@name='cause']")}
        fields: dict[str, str | list[str] | None] = {"words": words, "fed": fed}
        boxes = [c for c in causes if c in listed]
        others = [c for c in causes if c not in listed]
        fields["cause"] = [*boxes, *(others or [""])]
        for cause, found in causes.items():
            if f"found:{cause}" in _names(form):
                fields[f"found:{cause}"] = found or _first_choice(form, f"found:{cause}")
        self.odd.send_form(form, path, fields)
        self.maren.send(path, "/sign")
        self.keep("signed")
        job = self.job()
        self.facts.report = self.odd.text(f"{self.base}/report")
        self.facts.verdict, self.facts.missing = job.proof.verdict, job.proof.missing
        look = job.handover.next_look
        self.facts.next_look = (look.low, look.at, look.high) if look else (0.0, 0.0, 0.0)

    # ---- what stands in the store

    def job(self) -> Job:
        """The job as it stands, loaded whole."""
        with Session(self.engine, expire_on_commit=False) as db:
            job = _found(db, self.number)
            for row in job.steps:
                _ = row.document, row.records
            _ = (job.plans, job.items, job.waits, job.codes, job.looks, job.observations)
            db.expunge_all()
            return job


def _found(db: Session, number: str) -> Job:
    return db.scalars(select(Job).where(Job.number == number)).unique().one()


def _all_names(rows: Sequence[Mapping[str, float]]) -> set[str]:
    return {k for r in rows for k in r}


def _names(form: Any) -> set[str]:
    return {i.name for i in form.inputs if i.name}


def _figure(value: float | None) -> str:
    return "" if value is None else f"{value:g}"


def _told(record: Record, said: str) -> dict[str, str]:
    """An answer as the form sends it: ``3:soot`` is a grade with its deposit."""
    if record.kind != "grade":
        return {record.id: said}
    grade, _, deposit = said.partition(":")
    return {record.id: grade, f"{record.id}_deposit": deposit}


def _first_choice(form: Any, name: str) -> str:
    options = [o for o in form.xpath(f".//select[@name='{name}']//option/@value") if o]
    return str(options[0]) if options else ""


# ---- what a step does


def opens(operation: str) -> Does:
    """It opens an operation."""
    return lambda s: s.opening == operation


def closes(operation: str) -> Does:
    """It closes an operation."""
    return lambda s: s.closing == operation


def covers(kind: str, on: str = "") -> Does:
    """It puts a cap or tape over a mouth."""
    return lambda s: any(i.kind == kind and i.inside and (not on or i.on == on) for i in s.opens)


def treats(part: str, agent: str = "", way: str = "", ml: float | None = None) -> Does:
    """It brings an agent to a part."""

    def does(s: Step) -> bool:
        if not s.agent or part not in (s.part, *s.treats):
            return False
        alike = agent in ("", s.agent.class_id) and way in ("", s.agent.way)
        return alike and (ml is None or abs(s.agent.ml - ml) < 0.6)

    return does


def asks(name: str, part: str = "") -> Does:
    """It asks for a record."""
    return lambda s: part in ("", s.part) and any(r.name == name for r in s.records)


def waits(least: float, part: str = "") -> Does:
    """It starts a wait of at least so many minutes."""
    return lambda s: s.wait is not None and s.wait.minutes >= least and part in ("", s.part)


def lays(engine: str = "", battery: str = "", coolant: str = "", heat: str = "") -> Does:
    """It brings the car into a state."""
    return lambda s: (
        (not engine or s.does.engine == engine)
        and (not battery or s.does.battery == battery)
        and (not coolant or s.does.coolant == coolant)
        and (not heat or s.does.heat == heat)
    )


def acts(act: str) -> Does:
    """It is done on a page of its own."""
    return lambda s: s.act == act


def learns(relearn: str) -> Does:
    """It is a relearn."""
    return lambda s: s.relearn == relearn


def step(step_id: str) -> Does:
    """It is this step of its procedure, in whatever turn."""
    return lambda s: s.id.partition("~")[0] == step_id


def sprays(s: Step) -> bool:
    """It sprays something where it lies."""
    return s.agent is not None and s.agent.way == "direct_spray"


def both(*all_of: Does) -> Does:
    """One step does all of it."""
    return lambda s: all(does(s) for does in all_of)


def uses(tool: str) -> Does:
    """A tool is in hand."""
    return lambda s: any(tool in t for t in s.tools)


__all__ = [
    "Walk",
    "acts",
    "asks",
    "both",
    "closes",
    "covers",
    "lays",
    "learns",
    "opens",
    "sprays",
    "step",
    "treats",
    "uses",
    "waits",
    "words_of",
]
