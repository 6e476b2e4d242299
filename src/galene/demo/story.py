"""One visit told through the use cases that the screens use, on a clock that runs with the work."""

from collections.abc import Mapping, Sequence
from datetime import datetime, timedelta

from sqlalchemy.orm import Session

from galene.core.jobcard.job_records import ConfirmedCause, SetConditions
from galene.core.planning.records import Step
from galene.demo.engine import EngineState, deposit_profile, idle_samples, trim_samples
from galene.jobs import (
    card,
    checks,
    diagnosis,
    evidence,
    gates,
    handover,
    intake,
    jobcard,
    log_checks,
    logs,
    plan,
    prove,
    stages,
    work,
)
from galene.jobs.act import Act, family_of
from galene.jobs.proof import symptoms_of
from galene.knowledge import reading_channels
from galene.knowledge.check_readings import READINGS
from galene.store.models import Job, Person, StepRow, Vehicle

Found = Mapping[str, tuple[int, str]]
"""Grade and kind of deposit by part."""


class Story:
    """A job and the person who does it; `now` moves on as they work."""

    def __init__(
        self,
        db: Session,
        person: Person,
        start: datetime,
        *,
        vehicle: Vehicle,
        form: intake.IntakeForm,
        due: datetime | None = None,
    ) -> None:
        self.act = Act(db=db, person=person, now=start, proven=True)
        self.number = intake.open_job(
            self.act, vehicle, form.complaint, bay=person.bay, due_at=due
        ).number
        intake.save_intake(self.act, self.number, form, seen=0)

    @property
    def job(self) -> Job:
        """The job as it stands."""
        return self.act.job(self.number, finished=True)

    def later(self, minutes: float) -> "Story":
        """Let time pass."""
        self.act.now += timedelta(minutes=minutes)
        return self

    def told(
        self, present: Sequence[str] = (), absent: Sequence[str] = (), codes: str = ""
    ) -> "Story":
        """Symptoms and history tapped, codes typed."""
        for name in present:
            intake.tap(self.act, self.number, name, was="unknown", state="present")
        for name in absent:
            intake.tap(self.act, self.number, name, was="unknown", state="absent")
        if codes:
            intake.add_codes(self.act, self.number, codes)
        return self

    def measured(
        self, phase: str, state: EngineState, seed: int, *, rpm: float, coolant_c: float = 91.0
    ) -> "Story":
        """Idle and, where the engine trims, three and more points of trim."""
        family = family_of(self.job)
        warm = SetConditions(
            coolant_c=coolant_c if family.cooling == "liquid" else None,
            warm=None if family.cooling == "liquid" else True,
            intake_c=state.intake_c,
            load=(),
            protective_mode=False,
        )
        for kind, values in (
            ("idle", idle_samples(family, state, seed, rpm=rpm)),
            ("trim", trim_samples(family, state, seed + 1)),
        ):
            channels = {c.id for c in reading_channels.channels_of(family, kind)}
            if kind == "idle" or reading_channels.has_trims(family):
                evidence.save_readings(
                    self.act,
                    self.number,
                    phase,
                    kind=kind,
                    values={k: v for k, v in values.items() if k in channels},
                    conditions=warm,
                    seen=0,
                )
        return self

    def logged(self, name: str, text: str, *kinds: str) -> "Story":
        """A log taken in as it proposes itself, and its stretches taken as the before set."""
        log = logs.take_in(self.act, self.number, name, data=text.encode())
        logs.save_mapping(self.act, self.number, log.id, mapping=log.mapping, seen=0)
        for kind in kinds:
            logs.take_readings(
                self.act,
                self.number,
                log.id,
                phase="before",
                kind=kind,
                load=(),
                warm=True,
                protective_mode=False,
                seen=0,
            )
        return self

    def flow_tested(
        self, exhaust_kpa: float, exhaust_c: float, intake_c: float, *, barometer_kpa: float
    ) -> "Story":
        """The recirculation's flow test, read from the newest log."""
        job = self.job
        family = family_of(job)
        csv = log_checks.rows_for_check(
            self.act.db, logs.logs_of(self.act.db, job)[0], "egr_flow_test"
        )
        given = {
            **READINGS["egr_flow_test"].fill(family),
            "csv": csv,
            "exhaust_kpa": exhaust_kpa,
            "exhaust_c": exhaust_c,
            "intake_c": intake_c,
            "ambient_kpa": barometer_kpa,
        }
        checks.keep_check(self.act, self.number, "egr_flow_test", given=given)
        return self

    def key_on(self, barometer_kpa: float, **pressures: float) -> "Story":
        """Absolute sensors with the ignition on."""
        evidence.save_key_on(
            self.act, self.number, dict(pressures), barometer_kpa=barometer_kpa, seen=0
        )
        return self

    def saw(self, part: str, deposit: str, grade: int, *, note: str = "") -> "Story":
        """A look before the work."""
        evidence.save_inspection(
            self.act, self.number, "before", part_id=part, deposit=deposit, grade=grade, note=note
        )
        return self

    def gauged(
        self,
        phase: str,
        part: str,
        deposit: str,
        *,
        bores: Sequence[tuple[str, float, float]],
        seed: int,
        points: int = 8,
    ) -> "Story":
        """Bores measured round the clock: name, thickest and thinnest deposit in mm."""
        clean = family_of(self.job).part(part).bore_mm or 40.0
        measured = [
            evidence.MeasuredBore(n, clean, deposit_profile(a, b, points, seed=seed + k))
            for k, (n, a, b) in enumerate(bores)
        ]
        evidence.save_bores(
            self.act,
            self.number,
            phase,
            part_id=part,
            bores=measured,
            deposit=deposit,
            note="",
            seen=0,
        )
        return self

    def checked(self, check: str, **results: str) -> "Story":
        """A check's results by hand."""
        diagnosis.record_check(self.act, self.number, check, results=dict(results))
        return self

    def reached(self, stage: str) -> "Story":
        """On to `stage`."""
        for one in stages.STAGES[: stages.STAGES.index(stage)]:
            if stages.STAGES.index(self.job.stage) <= stages.STAGES.index(one):
                stages.advance(self.act, self.number, one)
        return self

    def planned(
        self,
        parts: Sequence[str],
        who: str,
        new_parts: Sequence[str] = (),
        *,
        kinds: Mapping[str, str] | None = None,
    ) -> "Story":
        """Plan saved; approved where somebody agreed."""
        self.reached("plan")
        plan.save_plan(
            self.act,
            self.number,
            list(parts),
            extra_spares=list(new_parts),
            seen=0,
            kinds=kinds or {},
        )
        if who:
            plan.approve_plan(self.act, self.number, self.job.plans[0].version, who=who)
            self.reached("work")
        return self

    def worked(
        self,
        found: Found,
        until: str = "",
        left: int = 0,
        *,
        bay: tuple[float, float] = (14.0, 0.68),
        answers: Mapping[str, str] | None = None,
    ) -> "Story":
        """The card ticked at its own pace, waits kept, up to and including the step `until`."""
        work.begin_work(self.act, self.number, bay[0], humidity=bay[1], seen=0)
        jobcard.check_pick(self.act, self.number, {})
        self._ticked(found, until, left, answers=answers or {})
        return self

    def _ticked(self, found: Found, until: str, left: int, *, answers: Mapping[str, str]) -> None:
        """Ticks in the card's order as far as ticks go."""
        for _ in range(400):
            row = work.current_step(self.job)
            if row is None or row.document.act != "tick":
                return
            self._tick(row, _answers(row.document, found, left) | dict(answers))
            self._asked()
            if row.document.id == until:
                return

    def _asked(self) -> None:
        """What was found costs more than was agreed: the keeper is rung up."""
        job = self.job
        if card.waits_for_approval(job):
            plan.approve_plan(
                self.act, self.number, job.plans[0].version, who="the owner, by phone"
            )

    def _tick(self, row: StepRow, given: Mapping[str, str]) -> None:
        act, step = self.act, row.document
        act.now += timedelta(minutes=max(0.5, step.minutes))
        act.now = max([act.now, *(w.ends_at for w in self.job.waits if w.name in step.waits_for)])
        for caution in step.cautions:
            jobcard.acknowledge(act, self.number, caution)
        jobcard.tick(act, self.number, row.id, records=given)
        act.db.flush()

    def relearned(self) -> "Story":
        """Codes cleared, first start, every relearn held whole, in the card's order."""
        if self.job.stage == STAGE_BEFORE_PROOF:
            self.reached("prove")
        for _ in range(60):
            row = work.current_step(self.job)
            if row is None or row.document.act in ("after_set", "road", "pending"):
                return self
            self._proved(row)
        return self

    def until(self, act: str) -> "Story":
        """The card in its order up to a step of this kind, which is left."""
        for _ in range(60):
            row = work.current_step(self.job)
            if row is None or row.document.act == act:
                return self
            self._proved(row)
        return self

    def _proved(self, row: StepRow) -> None:
        act, step = self.act, row.document
        if step.act == "clear":
            prove.clear_codes(act, self.number)
        elif step.act == "start":
            act.now += timedelta(minutes=1)
            act.now = max([act.now, *(w.ends_at for w in self.job.waits)])
            gates.start_engine(act, self.number)
        elif step.act == "relearn":
            self._relearn()
        else:
            self._tick(row, _answers(step, {}, 0))

    def _relearn(self) -> None:
        act, template = self.act, prove.template_of(self.job)
        assert template is not None
        prove.relearn_begin(act, self.number, {c: True for c, _ in template.conditions})
        for k, phase in enumerate(template.phases):
            act.now += timedelta(minutes=phase.hold_minutes, seconds=20)
            prove.relearn_next(act, self.number, k)
        prove.relearn_finish(act, self.number, True)

    def driven(self, km: float, notes: str, complaint: str = "gone", *, codes: str = "") -> "Story":
        """What is driven on the card, the road test, pending codes, and what is looked at cold."""
        self._ticked({}, "", 0, answers={})
        word = {"gone": "gone", "better": "less", "there": "same"}[complaint]
        prove.save_road_test(
            self.act,
            self.number,
            km,
            notes=notes,
            complaint_gone=complaint,
            symptoms=dict.fromkeys(symptoms_of(self.job), word),
            seen=0,
        )
        prove.read_pending(self.act, self.number, codes, seen=0)
        self._ticked({}, "", 0, answers={})
        return self

    def handed_over(self, foreman: Person, cause: str, advice: str, *, fed: bool) -> "Story":
        """Cause confirmed by the technician, signed by the foreman."""
        self.reached("handover")
        found = handover.found_things(self.act.db, self.job)[0]
        it_was = handover.ItWas(causes=(ConfirmedCause(id=cause, found=found),))
        handover.save_handover(self.act, self.number, it_was, advice=advice, fed=fed, seen=0)
        self.later(40)
        self.act.person = foreman
        self.act.db.flush()
        self.act.db.expire_all()
        handover.sign(self.act, self.number)
        return self


STAGE_BEFORE_PROOF = "work"


def _answers(step: Step, found: Found, left: int) -> dict[str, str]:
    """The good answers, with the grades that were found."""
    given: dict[str, str] = {}
    for record in step.records:
        if record.kind == "grade":
            part = step.treats[0] if step.treats else step.part
            grade, deposit = found.get(part, (1, ""))
            if record.name == "grade_after":
                grade = left
            given[record.id] = str(grade)
            given[record.id + "_deposit"] = deposit
        elif record.kind == "reading":
            given[record.id], given[record.id + "_unit"] = "2.0", "bar"
        elif record.kind == "words":
            given[record.id] = "the clamp at the throttle's end"
        else:
            given[record.id] = "no" if record.bad_answer == "yes" else "yes"
    return given
