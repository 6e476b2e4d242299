"""Tables. Quantities are in the kept units of `galene.core.units`; times carry their zone."""

from datetime import date, datetime
from typing import Any, ClassVar

from sqlalchemy import (
    BigInteger,
    Boolean,
    DateTime,
    Double,
    ForeignKey,
    Index,
    Integer,
    LargeBinary,
    Text,
    UniqueConstraint,
    text,
)
from sqlalchemy.dialects.postgresql import ARRAY, JSONB
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship

from galene.core.diagnosis.freeze_frame import FreezeFrame
from galene.core.jobcard.job_records import (
    BayAir,
    BulletinLookup,
    EarlierSignature,
    Fluids,
    Handover,
    JobSchool,
    KeptBore,
    KeptProof,
    OpenedGate,
    Passing,
    PickCheck,
    RelearnKept,
    RoadTest,
    SetConditions,
)
from galene.core.logs.series import ColumnMapping, ColumnSummary, Segment
from galene.core.planning.document import CardState, PlanDocument, StepAnswers
from galene.core.planning.records import Step
from galene.core.workshop.hours import WeekHours
from galene.store.codec import (
    Recorded,
    Remembered,
    answers_upgraded,
    handover_upgraded,
    plan_upgraded,
    step_upgraded,
)

Stamp = DateTime(timezone=True)
OWNED = "all, delete-orphan"
"""Rows that live and die with the one that lists them: put on its list, they are kept with it."""


class Base(DeclarativeBase):
    """Common registry."""

    type_annotation_map: ClassVar[dict[Any, Any]] = {
        str: Text,
        dict[str, Any]: JSONB,
        list[str]: ARRAY(Text),
        datetime: Stamp,
        float: Double,
    }


class Person(Base):
    """Someone who signs in. `role`: technician, foreman, or guest (of another workshop, who is only
    named).

    `code_hash` is a one-time code by which the first password is set; `totp_secret` is sealed by
    the workshop's key, `totp_used` the last step of time whose figures were taken; `hours` are the
    weekly hours at work; `left_at` is when an account was closed: its traces stay.
    """

    __tablename__ = "person"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    sign_in: Mapped[str] = mapped_column(unique=True)
    name: Mapped[str]
    role: Mapped[str]
    password_hash: Mapped[str]
    bay: Mapped[str] = mapped_column(default="")
    skills: Mapped[list[str]] = mapped_column(default=list)
    hours: Mapped[WeekHours] = mapped_column(Recorded(WeekHours), default=WeekHours())
    code_hash: Mapped[str | None]
    code_until: Mapped[datetime | None]
    totp_secret: Mapped[str | None]
    totp_used: Mapped[int | None] = mapped_column(BigInteger)
    letter_keys: Mapped[bool] = mapped_column(default=True, server_default=text("true"))
    """Whether single letters are commands for this person (WCAG 2.1.4)."""
    recovery_hashes: Mapped[list[str]] = mapped_column(default=list)
    pin_hash: Mapped[str | None]
    left_at: Mapped[datetime | None]
    revision: Mapped[int] = mapped_column(default=1)


class Device(Base):
    """A browser that is known again by a cookie, of whose secret only the hash is kept: a person's
    own, or (without a person) a shared tablet on which people change by PIN."""

    __tablename__ = "device"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    secret_hash: Mapped[str] = mapped_column(unique=True)
    name: Mapped[str]
    person_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"), index=True)
    made_at: Mapped[datetime]
    made_by_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    ended_at: Mapped[datetime | None]


class WebSession(Base):
    """A signed-in browser. The id is the hash of the cookie's secret.

    `seen_at` is when it was last heard of, `away_from` and `away_until` its last stretch without a
    word of more than two minutes: what a card made in that stretch may be dated in it.
    """

    __tablename__ = "web_session"
    id: Mapped[str] = mapped_column(primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"), index=True)
    device_id: Mapped[int | None] = mapped_column(ForeignKey("device.id"))
    by_pin: Mapped[bool] = mapped_column(Boolean, default=False)
    made_at: Mapped[datetime]
    seen_at: Mapped[datetime]
    away_from: Mapped[datetime | None]
    away_until: Mapped[datetime | None]
    expires_at: Mapped[datetime]
    idle_until: Mapped[datetime]
    address: Mapped[str] = mapped_column(default="")
    agent: Mapped[str] = mapped_column(default="")
    theme: Mapped[str] = mapped_column(default="device")
    layout: Mapped[str] = mapped_column(default="desk")
    person: Mapped[Person] = relationship(lazy="joined", innerjoin=True)


class Tries(Base):
    """Wrong tries by what they were made at (a name or an address of the net, hashed), and until
    when the next one waits."""

    __tablename__ = "tries"
    key: Mapped[str] = mapped_column(primary_key=True)
    count: Mapped[int]
    last_at: Mapped[datetime]
    wait_until: Mapped[datetime | None]


class SetUpAddress(Base):
    """The one-time address at which a new workshop is set up: only its hash is kept."""

    __tablename__ = "set_up_address"
    secret_hash: Mapped[str] = mapped_column(primary_key=True)
    made_at: Mapped[datetime]


class WriteOnce(Base):
    """A form's token once its write is durable, and where the answer leads. The token counts for
    the person who sent it."""

    __tablename__ = "write_once"
    token: Mapped[str] = mapped_column(primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    at: Mapped[datetime]
    location: Mapped[str]


class AuditEntry(Base):
    """Who did what when, by the moment at which the server took it; `claimed_at` is what a card's
    clock said, where that was another moment. A trigger refuses changes and deletions, and the
    application's account has no right to any."""

    __tablename__ = "trace"
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    at: Mapped[datetime]
    person_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    job_id: Mapped[int | None] = mapped_column(ForeignKey("job.id"), index=True)
    action: Mapped[str]
    detail: Mapped[dict[str, Any]]
    claimed_at: Mapped[datetime | None]
    person: Mapped[Person | None] = relationship(lazy="joined")


class Workshop(Base):
    """The one workshop: its units, rates, air and schools; how long sessions last, and whether
    foremen need a second factor."""

    __tablename__ = "workshop"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    name: Mapped[str]
    demo: Mapped[bool] = mapped_column(Boolean, default=False)
    session_hours: Mapped[int] = mapped_column(default=14)
    idle_minutes: Mapped[int] = mapped_column(default=240)
    shared_idle_minutes: Mapped[int] = mapped_column(default=10)
    second_factor: Mapped[bool] = mapped_column(Boolean, default=False)
    system: Mapped[str] = mapped_column(default="metric")
    currency: Mapped[str] = mapped_column(default="¤")
    hourly_rate: Mapped[float] = mapped_column(default=70.0)
    off_road_per_day: Mapped[float] = mapped_column(default=180.0)
    minutes_by: Mapped[str] = mapped_column(default="book")
    fuel_price: Mapped[float | None]
    due_by: Mapped[str] = mapped_column(default="grade")
    altitude_m: Mapped[float] = mapped_column(default=0.0)
    bay_temperature_c: Mapped[float] = mapped_column(default=18.0)
    bay_humidity: Mapped[float] = mapped_column(default=0.5)
    bays: Mapped[list[str]]
    policy: Mapped[dict[str, Any]]
    revision: Mapped[int] = mapped_column(default=1)


class FamilyVersion(Base):
    """An engine family as it was at one time; never changed, so that a job keeps what it began
    with. `digest` names its content."""

    __tablename__ = "family_version"
    __table_args__ = (UniqueConstraint("family_id", "version"),)
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    family_id: Mapped[str]
    version: Mapped[int]
    digest: Mapped[str]
    document: Mapped[dict[str, Any]] = mapped_column(JSONB, deferred=True)
    note: Mapped[str] = mapped_column(default="")
    made_at: Mapped[datetime]
    person_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    person: Mapped[Person | None] = relationship()


class Family(Base):
    """An engine family: which version is in force, None while it is only a draft."""

    __tablename__ = "family"
    id: Mapped[str] = mapped_column(primary_key=True)
    current_id: Mapped[int | None] = mapped_column(ForeignKey("family_version.id"))
    current: Mapped[FamilyVersion | None] = relationship(lazy="joined")


class FamilyDraft(Base):
    """One state of a family's draft. The newest is the draft, the older ones are what undo goes
    back to."""

    __tablename__ = "family_draft"
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    family_id: Mapped[str] = mapped_column(ForeignKey("family.id"), index=True)
    document: Mapped[dict[str, Any]]
    what: Mapped[str]
    at: Mapped[datetime]
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    person: Mapped[Person] = relationship(lazy="joined", innerjoin=True)


class TemplateVersion(Base):
    """A foreman's version of a template of steps or of a relearn, for one engine family or (empty
    id) for every one.

    Never changed; without a document the one below it counts again.
    """

    __tablename__ = "template_version"
    __table_args__ = (UniqueConstraint("kind", "template_id", "family_id", "version"),)
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    kind: Mapped[str]
    template_id: Mapped[str]
    family_id: Mapped[str] = mapped_column(default="")
    version: Mapped[int]
    document: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    note: Mapped[str]
    made_at: Mapped[datetime]
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    person: Mapped[Person] = relationship(lazy="joined", innerjoin=True)


class Bulletin(Base):
    """A bulletin or recall that was looked up, for a family or for one vehicle."""

    __tablename__ = "bulletin"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    family_id: Mapped[str | None] = mapped_column(index=True)
    vehicle_id: Mapped[int | None] = mapped_column(ForeignKey("vehicle.id"), index=True)
    kind: Mapped[str]
    title: Mapped[str]
    source: Mapped[str]
    outcome: Mapped[str]
    checked_at: Mapped[datetime]
    checked_by_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    checked_by: Mapped[Person] = relationship(lazy="joined", innerjoin=True)


class Vehicle(Base):
    """A vehicle by its plate; `plate_key` is the plate without spaces and signs, in capitals."""

    __tablename__ = "vehicle"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    plate: Mapped[str]
    plate_key: Mapped[str] = mapped_column(unique=True)
    maker: Mapped[str]
    model: Mapped[str]
    year: Mapped[int | None]
    family_id: Mapped[str]
    keeper: Mapped[str] = mapped_column(default="")
    contact: Mapped[str] = mapped_column(default="")
    hazards: Mapped[list[str]]
    retired_at: Mapped[datetime | None]
    revision: Mapped[int] = mapped_column(default=1)
    jobs: Mapped[list["Job"]] = relationship(back_populates="vehicle", order_by="Job.id.desc()")


class FormerPlate(Base):
    """A plate that a vehicle had, or a twin that was merged into it: it still leads there."""

    __tablename__ = "former_plate"
    plate_key: Mapped[str] = mapped_column(primary_key=True)
    plate: Mapped[str]
    vehicle_id: Mapped[int] = mapped_column(ForeignKey("vehicle.id"), index=True)
    until: Mapped[datetime]


class Job(Base):
    """One visit. `stage` is where it stands, `state` open or finished.

    `gates` are those that a foreman opened with a reason, `counted` what went in and came out by
    kind, `passing` the technician to whom the job is offered, `pick` what of the pick list was
    there before the first step.
    """

    __tablename__ = "job"
    __table_args__ = (
        Index("job_open", "state", "stage"),
        Index("job_vehicle", "vehicle_id"),
        Index("job_finished", "state", "finished_at"),
        Index(
            "job_to_confirm",
            text("(proof ->> 'recheck_on')"),
            postgresql_where=text(
                "state = 'finished' and proof ->> 'recheck_on' is not null"
                " and proof ->> 'confirmed_at' is null"
            ),
        ),
    )
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    number: Mapped[str] = mapped_column(unique=True)
    vehicle_id: Mapped[int] = mapped_column(ForeignKey("vehicle.id"))
    family_id: Mapped[str]
    family_version_id: Mapped[int | None] = mapped_column(ForeignKey("family_version.id"))
    stage: Mapped[str]
    state: Mapped[str] = mapped_column(default="open")
    bay: Mapped[str] = mapped_column(default="")
    technician_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    opened_at: Mapped[datetime]
    due_at: Mapped[datetime | None]
    complaint: Mapped[str] = mapped_column(default="")
    recent_work: Mapped[str] = mapped_column(default="")
    distance_km: Mapped[float | None]
    hours: Mapped[float | None]
    fluids: Mapped[Fluids] = mapped_column(Recorded(Fluids), default=Fluids())
    bulletins: Mapped[BulletinLookup] = mapped_column(
        Recorded(BulletinLookup), default=BulletinLookup()
    )
    before_missing_reason: Mapped[str] = mapped_column(default="")
    done_checks: Mapped[list[str]]
    work_began_at: Mapped[datetime | None]
    bay_air: Mapped[BayAir] = mapped_column(Recorded(BayAir), default=BayAir())
    engine_started_at: Mapped[datetime | None]
    gates: Mapped[dict[str, OpenedGate]] = mapped_column(
        Recorded(dict[str, OpenedGate]), default=dict
    )
    counted: Mapped[dict[str, list[int]]] = mapped_column(JSONB, default=dict)
    passing: Mapped[Passing] = mapped_column(Recorded(Passing), default=Passing())
    pick: Mapped[PickCheck] = mapped_column(Recorded(PickCheck), default=PickCheck())
    codes_cleared_at: Mapped[datetime | None]
    relearn: Mapped[RelearnKept] = mapped_column(Recorded(RelearnKept), default=RelearnKept())
    schools: Mapped[dict[str, JobSchool]] = mapped_column(
        Recorded(dict[str, JobSchool]), default=dict
    )
    road_test: Mapped[RoadTest] = mapped_column(Recorded(RoadTest), default=RoadTest())
    pending_read_at: Mapped[datetime | None]
    monitors_ready: Mapped[bool | None]
    proof: Mapped[KeptProof] = mapped_column(Recorded(KeptProof), default=KeptProof())
    signatures: Mapped[tuple[EarlierSignature, ...]] = mapped_column(
        Recorded(tuple[EarlierSignature, ...]), default=()
    )
    handover: Mapped[Handover] = mapped_column(
        Recorded(Handover, handover_upgraded), default=Handover()
    )
    card: Mapped[CardState] = mapped_column(Recorded(CardState), default=CardState())
    signed_at: Mapped[datetime | None]
    signed_by_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    finished_at: Mapped[datetime | None]
    reopened_reason: Mapped[str] = mapped_column(default="")
    vehicle: Mapped[Vehicle] = relationship(back_populates="jobs", lazy="joined", innerjoin=True)
    technician: Mapped[Person] = relationship(
        foreign_keys=[technician_id], lazy="joined", innerjoin=True
    )
    family_version: Mapped[FamilyVersion | None] = relationship(lazy="joined")
    signed_by: Mapped[Person | None] = relationship(foreign_keys=[signed_by_id])
    sections: Mapped[list["Section"]] = relationship()
    observations: Mapped[list["ObservationRow"]] = relationship(
        order_by="ObservationRow.at", cascade=OWNED
    )
    codes: Mapped[list["JobCode"]] = relationship(order_by="JobCode.id", cascade=OWNED)
    sets: Mapped[list["ReadingSet"]] = relationship(order_by="ReadingSet.id", cascade=OWNED)
    looks: Mapped[list["Inspection"]] = relationship(order_by="Inspection.id", cascade=OWNED)
    plans: Mapped[list["Plan"]] = relationship(order_by="Plan.version.desc()", cascade=OWNED)
    steps: Mapped[list["StepRow"]] = relationship(order_by="StepRow.position", cascade=OWNED)
    items: Mapped[list["ItemRow"]] = relationship(order_by="ItemRow.id", cascade=OWNED)
    waits: Mapped[list["WaitRow"]] = relationship(order_by="WaitRow.ends_at", cascade=OWNED)
    acknowledgements: Mapped[list["Acknowledgement"]] = relationship(cascade=OWNED)


class Section(Base):
    """Revision of one part of a job, so that two people never overwrite each other unseen."""

    __tablename__ = "section"
    job_id: Mapped[int] = mapped_column(ForeignKey("job.id"), primary_key=True)
    name: Mapped[str] = mapped_column(primary_key=True)
    revision: Mapped[int] = mapped_column(default=1)
    at: Mapped[datetime]
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))


class ObservationRow(Base):
    """A piece of evidence on a job; `source`: tap, code, look, calculation, check."""

    __tablename__ = "observation"
    job_id: Mapped[int] = mapped_column(ForeignKey("job.id"), primary_key=True)
    evidence: Mapped[str] = mapped_column(primary_key=True)
    state: Mapped[str]
    confidence: Mapped[float] = mapped_column(default=1.0)
    source: Mapped[str]
    at: Mapped[datetime]
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))


class JobCode(Base):
    """A trouble code read on a job; `phase`: before or after the work; `frame` was stored with
    it."""

    __tablename__ = "job_code"
    __table_args__ = (UniqueConstraint("job_id", "phase", "code"),)
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    job_id: Mapped[int] = mapped_column(ForeignKey("job.id"))
    phase: Mapped[str]
    code: Mapped[str]
    status: Mapped[str]
    read_at: Mapped[datetime]
    frame: Mapped[FreezeFrame] = mapped_column(Recorded(FreezeFrame), default=FreezeFrame())


class ReadingSet(Base):
    """Readings taken together. `kind`: idle, trim or key_on; `source`: typed, pasted or log."""

    __tablename__ = "reading_set"
    __table_args__ = (UniqueConstraint("job_id", "phase", "kind"),)
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    job_id: Mapped[int] = mapped_column(ForeignKey("job.id"))
    phase: Mapped[str]
    kind: Mapped[str]
    source: Mapped[str]
    conditions: Mapped[SetConditions] = mapped_column(
        Recorded(SetConditions), default=SetConditions()
    )
    taken_at: Mapped[datetime]
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    readings: Mapped[list["Reading"]] = relationship(
        lazy="selectin", cascade="all, delete-orphan", order_by="Reading.channel, Reading.position"
    )


class Reading(Base):
    """One value of one channel; `position` counts samples or points, `at_s` is its time in a
    log."""

    __tablename__ = "reading"
    set_id: Mapped[int] = mapped_column(
        ForeignKey("reading_set.id", ondelete="CASCADE"), primary_key=True
    )
    channel: Mapped[str] = mapped_column(primary_key=True)
    position: Mapped[int] = mapped_column(primary_key=True)
    value: Mapped[float]
    at_s: Mapped[float | None]


class Inspection(Base):
    """What a look at a part showed, before or after the work; `bores` are its measured bores, the
    worst one's open area beside."""

    __tablename__ = "look"
    __table_args__ = (UniqueConstraint("job_id", "phase", "part"),)
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    job_id: Mapped[int] = mapped_column(ForeignKey("job.id"))
    phase: Mapped[str]
    part: Mapped[str]
    deposit: Mapped[str]
    grade: Mapped[int]
    note: Mapped[str] = mapped_column(default="")
    bores: Mapped[tuple[KeptBore, ...]] = mapped_column(Recorded(tuple[KeptBore, ...]), default=())
    open_area_percent: Mapped[float | None]
    at: Mapped[datetime]
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))


class Plan(Base):
    """A version of the plan as a document; the newest approved one is worked by."""

    __tablename__ = "plan"
    __table_args__ = (UniqueConstraint("job_id", "version"),)
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    job_id: Mapped[int] = mapped_column(ForeignKey("job.id"))
    version: Mapped[int]
    document: Mapped[PlanDocument] = mapped_column(Remembered(PlanDocument, plan_upgraded))
    made_at: Mapped[datetime]
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    approved_at: Mapped[datetime | None]
    approved_by: Mapped[str] = mapped_column(default="")
    agreed_up_to: Mapped[float | None]


class StepRow(Base):
    """A compiled step, frozen as a document, with what was done at it."""

    __tablename__ = "step"
    __table_args__ = (UniqueConstraint("job_id", "position"),)
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    job_id: Mapped[int] = mapped_column(ForeignKey("job.id"))
    position: Mapped[int]
    document: Mapped[Step] = mapped_column(Remembered(Step, step_upgraded))
    records: Mapped[StepAnswers] = mapped_column(Remembered(StepAnswers, answers_upgraded))
    early_reason: Mapped[str] = mapped_column(default="")
    done_at: Mapped[datetime | None]
    done_by_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    done_by: Mapped[Person | None] = relationship(lazy="joined")


class ItemRow(Base):
    """Something opened that must be closed before its gate. `looked_at` is the first of the two
    looks at a dangerous one."""

    __tablename__ = "must_go_back"
    __table_args__ = (Index("must_go_back_open", "job_id", "closed_at"),)
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    job_id: Mapped[int] = mapped_column(ForeignKey("job.id"))
    key: Mapped[str]
    what: Mapped[str]
    kind: Mapped[str]
    part: Mapped[str] = mapped_column(default="")
    count: Mapped[int] = mapped_column(default=1)
    before: Mapped[str]
    dangerous: Mapped[bool] = mapped_column(Boolean, default=False)
    opened_at: Mapped[datetime]
    opened_by_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    closed_at: Mapped[datetime | None]
    closed_by_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    looked_at: Mapped[datetime | None]
    looked_by_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    looked_by: Mapped[Person | None] = relationship(foreign_keys=[looked_by_id], lazy="joined")
    opened_by: Mapped[Person] = relationship(
        foreign_keys=[opened_by_id], lazy="joined", innerjoin=True
    )


class WaitRow(Base):
    """A wait that a step or a person started."""

    __tablename__ = "wait"
    __table_args__ = (Index("wait_job", "job_id", "ends_at"),)
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    job_id: Mapped[int] = mapped_column(ForeignKey("job.id"))
    name: Mapped[str]
    reason: Mapped[str]
    started_at: Mapped[datetime]
    ends_at: Mapped[datetime]
    cut_short: Mapped[str] = mapped_column(default="")
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))


class JobPicture(Base):
    """A picture taken on a job: of which part, before or after, by its content hash; `marks` are
    drawn over it and kept as data."""

    __tablename__ = "job_picture"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    job_id: Mapped[int] = mapped_column(ForeignKey("job.id"), index=True)
    part: Mapped[str] = mapped_column(default="")
    phase: Mapped[str]
    digest: Mapped[str] = mapped_column(index=True)
    thumbnail: Mapped[str] = mapped_column(index=True)
    width: Mapped[int]
    height: Mapped[int]
    note: Mapped[str] = mapped_column(default="")
    marks: Mapped[list[dict[str, Any]]] = mapped_column(JSONB, default=list)
    revision: Mapped[int] = mapped_column(default=1)
    at: Mapped[datetime]
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    person: Mapped[Person] = relationship(lazy="joined", innerjoin=True)


class Acknowledgement(Base):
    """A serious caution that someone has read on this job."""

    __tablename__ = "acknowledgement"
    job_id: Mapped[int] = mapped_column(ForeignKey("job.id"), primary_key=True)
    caution: Mapped[str] = mapped_column(primary_key=True)
    at: Mapped[datetime]
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))


class CheckResult(Base):
    """A check as it was run: figures and result where a calculation read it, and what it said as
    evidence. Repeats are kept. Of `phase` after it proves the work and changes no diagnosis."""

    __tablename__ = "check_result"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    job_id: Mapped[int] = mapped_column(ForeignKey("job.id"), index=True)
    check_id: Mapped[str]
    phase: Mapped[str] = mapped_column(default="before")
    given: Mapped[dict[str, Any]]
    result: Mapped[dict[str, Any]]
    said: Mapped[dict[str, Any]]
    at: Mapped[datetime]
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    person: Mapped[Person] = relationship(lazy="joined", innerjoin=True)


class BandSample(Base):
    """A reading of a proven job, or of another workshop's, that a family's known-good band is made
    of. Never deleted: a foreman sets it aside with a reason, and it stays to be seen."""

    __tablename__ = "band_sample"
    __table_args__ = (
        UniqueConstraint("job_id", "metric"),
        UniqueConstraint("family_id", "metric", "at", "value", "source"),
        Index("band_sample_family", "family_id", "metric"),
    )
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    family_id: Mapped[str]
    metric: Mapped[str]
    value: Mapped[float]
    at: Mapped[datetime]
    job_id: Mapped[int | None] = mapped_column(ForeignKey("job.id"))
    source: Mapped[str]
    set_aside_at: Mapped[datetime | None]
    set_aside_why: Mapped[str] = mapped_column(default="")
    set_aside_by_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    set_aside_by: Mapped[Person | None] = relationship(lazy="joined")


class StepTime(Base):
    """Minutes that a step of a finished job took by its ticks, beside the book's; None where a
    pause fell into it."""

    __tablename__ = "step_time"
    __table_args__ = (Index("step_time_family", "family_id", "step_id"),)
    job_id: Mapped[int] = mapped_column(ForeignKey("job.id"), primary_key=True)
    position: Mapped[int] = mapped_column(primary_key=True)
    family_id: Mapped[str]
    step_id: Mapped[str]
    title: Mapped[str]
    book: Mapped[float]
    minutes: Mapped[float | None]
    at: Mapped[datetime]
    person_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))


class FuelFill(Base):
    """A tank filled, or filled in part: the odometer or the engine hours then, and how the vehicle
    ran since the fill before."""

    __tablename__ = "fuel_fill"
    __table_args__ = (
        UniqueConstraint("vehicle_id", "km"),
        UniqueConstraint("vehicle_id", "hours"),
        Index("fuel_fill_vehicle", "vehicle_id", "day"),
    )
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    vehicle_id: Mapped[int] = mapped_column(ForeignKey("vehicle.id"))
    day: Mapped[date]
    litres: Mapped[float]
    km: Mapped[float | None]
    hours: Mapped[float | None]
    full: Mapped[bool]
    load: Mapped[str] = mapped_column(default="")
    at: Mapped[datetime]
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))


class OwnerLink(Base):
    """A secret address at which the owner reads one job without an account; only its hash is
    kept."""

    __tablename__ = "owner_link"
    __table_args__ = (Index("owner_link_job", "job_id"),)
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    job_id: Mapped[int] = mapped_column(ForeignKey("job.id"))
    secret_hash: Mapped[str] = mapped_column(unique=True)
    made_at: Mapped[datetime]
    made_by_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    expires_at: Mapped[datetime]
    closed_at: Mapped[datetime | None]
    seen_at: Mapped[datetime | None]
    made_by: Mapped[Person] = relationship(lazy="joined", innerjoin=True)
    job: Mapped[Job] = relationship(lazy="select")


class OwnerWord(Base):
    """What an owner said at an address: `kind` approve, decline or ask; `plan_version` is the plan
    that was on the page."""

    __tablename__ = "owner_word"
    __table_args__ = (UniqueConstraint("link_id", "once"),)
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    link_id: Mapped[int] = mapped_column(ForeignKey("owner_link.id"))
    once: Mapped[str]
    at: Mapped[datetime]
    kind: Mapped[str]
    name: Mapped[str]
    words: Mapped[str] = mapped_column(default="")
    plan_version: Mapped[int | None]
    reply: Mapped[str] = mapped_column(default="")
    replied_at: Mapped[datetime | None]
    replied_by_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    replied_by: Mapped[Person | None] = relationship(lazy="joined")
    link: Mapped[OwnerLink] = relationship(lazy="joined", innerjoin=True)


class BundleIn(Base):
    """A job that came in by a bundle, by the content that it had: the same comes in once."""

    __tablename__ = "bundled_job"
    digest: Mapped[str] = mapped_column(primary_key=True)
    job_id: Mapped[int] = mapped_column(ForeignKey("job.id"))
    workshop: Mapped[str]
    at: Mapped[datetime]
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))


class CalendarFeed(Base):
    """A calendar of what is due at a secret address, of which only the hash is kept; an empty
    keeper: of all vehicles."""

    __tablename__ = "calendar_feed"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    secret_hash: Mapped[str] = mapped_column(unique=True)
    keeper: Mapped[str] = mapped_column(default="")
    made_at: Mapped[datetime]
    made_by_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    closed_at: Mapped[datetime | None]
    made_by: Mapped[Person] = relationship(lazy="joined", innerjoin=True)


class MakerCode(Base):
    """A maker's own code in the workshop's words, and the evidence group that it counts as, if
    any."""

    __tablename__ = "maker_code"
    code: Mapped[str] = mapped_column(primary_key=True)
    text: Mapped[str]
    evidence: Mapped[str | None]
    at: Mapped[datetime]
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))


class LogFile(Base):
    """A log that was taken in for a job. `columns` are its columns of numbers as the file has them,
    `mapping` what they stand for.

    `segments` are the parts that readings are taken from; `heading_key` names the layout, by which
    a mapping is remembered.
    """

    __tablename__ = "log_file"
    __table_args__ = (UniqueConstraint("job_id", "digest"),)
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    job_id: Mapped[int] = mapped_column(ForeignKey("job.id"))
    name: Mapped[str]
    kind: Mapped[str]
    digest: Mapped[str]
    rows: Mapped[int]
    columns: Mapped[tuple[ColumnSummary, ...]] = mapped_column(Recorded(tuple[ColumnSummary, ...]))
    remarks: Mapped[list[str]]
    heading_key: Mapped[str]
    mapping: Mapped[ColumnMapping] = mapped_column(Recorded(ColumnMapping))
    mapped: Mapped[bool] = mapped_column(Boolean, default=False)
    segments: Mapped[tuple[Segment, ...]] = mapped_column(
        "stretches", Recorded(tuple[Segment, ...])
    )
    at: Mapped[datetime]
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    person: Mapped[Person] = relationship(lazy="joined", innerjoin=True)


class LogValues(Base):
    """The values of one column of a log: deflated doubles in the file's order, NaN for gaps."""

    __tablename__ = "log_values"
    log_id: Mapped[int] = mapped_column(
        ForeignKey("log_file.id", ondelete="CASCADE"), primary_key=True
    )
    position: Mapped[int] = mapped_column(Integer, primary_key=True)
    data: Mapped[bytes] = mapped_column(LargeBinary)


class LogMapping(Base):
    """What the columns of a layout stood for when it was last mapped."""

    __tablename__ = "log_mapping"
    heading_key: Mapped[str] = mapped_column(primary_key=True)
    mapping: Mapped[ColumnMapping] = mapped_column(Recorded(ColumnMapping))
    at: Mapped[datetime]
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))


class Product(Base):
    """A can or canister on the shelf: the workshop's name for it, its class, what its label says,
    size, place and the stock to hold.

    `properties` are words that the label affirms (true) or denies (false) over the class;
    `pictograms` and `statements` stand as on the label.
    """

    __tablename__ = "product"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    class_id: Mapped[str]
    properties: Mapped[dict[str, Any]]
    pictograms: Mapped[list[str]]
    statements: Mapped[list[str]]
    size_ml: Mapped[float]
    price: Mapped[float] = mapped_column(default=0.0)
    place: Mapped[str] = mapped_column(default="")
    least_ml: Mapped[float] = mapped_column(default=0.0)
    note: Mapped[str] = mapped_column(default="")
    retired_at: Mapped[datetime | None]
    revision: Mapped[int] = mapped_column(default=1)
    lots: Mapped[list["Lot"]] = relationship(
        lazy="selectin", order_by="Lot.expires_on, Lot.id", cascade=OWNED
    )


class Lot(Base):
    """A delivery of a product: its lot, when it runs out of date, what is left in ml."""

    __tablename__ = "lot"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    product_id: Mapped[int] = mapped_column(ForeignKey("product.id"), index=True)
    number: Mapped[str] = mapped_column(default="")
    expires_on: Mapped[datetime | None]
    opened_at: Mapped[datetime | None]
    left_ml: Mapped[float]
    at: Mapped[datetime]


class Movement(Base):
    """What was put on or taken from the shelf: by delivery, by a job's step, by a count."""

    __tablename__ = "movement"
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    product_id: Mapped[int] = mapped_column(ForeignKey("product.id"), index=True)
    job_id: Mapped[int | None] = mapped_column(ForeignKey("job.id"), index=True)
    lot_id: Mapped[int | None] = mapped_column(ForeignKey("lot.id"))
    step_key: Mapped[str] = mapped_column(default="")
    ml: Mapped[float]
    why: Mapped[str]
    at: Mapped[datetime]
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    person: Mapped[Person] = relationship(lazy="joined", innerjoin=True)


class SpareStock(Base):
    """A part on the shelf by the workshop's number: pieces, place, how many to hold, what it costs,
    how many days it takes to come, and what is on order."""

    __tablename__ = "spare_stock"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    number: Mapped[str] = mapped_column(unique=True)
    name: Mapped[str]
    pieces: Mapped[int] = mapped_column(default=0)
    place: Mapped[str] = mapped_column(default="")
    least: Mapped[int] = mapped_column(default=0)
    price: Mapped[float | None]
    lead_days: Mapped[float | None]
    on_order: Mapped[int] = mapped_column(default=0)
    ordered_at: Mapped[datetime | None]
    expected_on: Mapped[datetime | None]
    revision: Mapped[int] = mapped_column(default=1)


class SpareReserved(Base):
    """A part that an approved plan holds for its job, until the step that fits it takes it."""

    __tablename__ = "spare_reserved"
    job_id: Mapped[int] = mapped_column(ForeignKey("job.id"), primary_key=True)
    number: Mapped[str] = mapped_column(primary_key=True)
    pieces: Mapped[int] = mapped_column(default=1)
    taken_at: Mapped[datetime | None]
    at: Mapped[datetime]
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))


class Sheet(Base):
    """A safety data sheet or label as a file, by its content hash."""

    __tablename__ = "sheet"
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    product_id: Mapped[int] = mapped_column(ForeignKey("product.id"), index=True)
    kind: Mapped[str]
    name: Mapped[str]
    media: Mapped[str]
    data: Mapped[bytes] = mapped_column(LargeBinary, deferred=True)
    at: Mapped[datetime]
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))


class Override(Base):
    """A foreman's verdict on a product for a kind of part and a way, against the rules, with the
    source that says so."""

    __tablename__ = "override"
    __table_args__ = (UniqueConstraint("product_id", "component", "way"),)
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    product_id: Mapped[int] = mapped_column(ForeignKey("product.id"), index=True)
    component: Mapped[str]
    way: Mapped[str]
    verdict: Mapped[str]
    source: Mapped[str]
    at: Mapped[datetime]
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    person: Mapped[Person] = relationship(lazy="joined", innerjoin=True)


class BackupRun(Base):
    """A backup: when it began and ended, the file's name and size, or why it failed."""

    __tablename__ = "backup_run"
    __table_args__ = (Index("backup_run_ended", "ended_at"),)
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    began_at: Mapped[datetime]
    ended_at: Mapped[datetime | None]
    file: Mapped[str] = mapped_column(default="")
    bytes: Mapped[int] = mapped_column(BigInteger, default=0)
    fault: Mapped[str] = mapped_column(default="")
    nightly: Mapped[bool] = mapped_column(Boolean, default=False)


class Bridge(Base):
    """A bridge: the program at the cart that reads one car for one job. Its key is kept as a hash.

    `last_seq` is the last batch that is durable here; `state` and `words` are what it last said of
    the line, `rests_s` how long it rests before it speaks again; `serial` is the number by which
    the job's car names itself, `stranger` that of another car which answers instead. One bay has
    one bridge: a second one ends the first.
    """

    __tablename__ = "bridge"
    __table_args__ = (Index("bridge_job", "job_id", "ended_at"),)
    id: Mapped[int] = mapped_column(Integer, primary_key=True)
    secret_hash: Mapped[str] = mapped_column(unique=True)
    name: Mapped[str]
    job_id: Mapped[int] = mapped_column(ForeignKey("job.id"))
    bay: Mapped[str] = mapped_column(default="")
    paired_at: Mapped[datetime]
    paired_by_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    seen_at: Mapped[datetime | None]
    last_seq: Mapped[int] = mapped_column(BigInteger, default=0)
    state: Mapped[str] = mapped_column(default="waiting")
    words: Mapped[str] = mapped_column(default="")
    serial: Mapped[str] = mapped_column(default="")
    stranger: Mapped[str] = mapped_column(default="")
    rests_s: Mapped[float] = mapped_column(default=0.0)
    ended_at: Mapped[datetime | None]
    ended_why: Mapped[str] = mapped_column(default="")


class PairingCode(Base):
    """Six figures that a job's page shows for a few minutes; used once."""

    __tablename__ = "pairing_code"
    code_hash: Mapped[str] = mapped_column(primary_key=True)
    job_id: Mapped[int] = mapped_column(ForeignKey("job.id"), index=True)
    made_at: Mapped[datetime]
    made_by_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    until: Mapped[datetime]
    made_by: Mapped[Person] = relationship(lazy="joined", innerjoin=True)
    job: Mapped[Job] = relationship(lazy="joined", innerjoin=True)


class LiveBatch(Base):
    """What a bridge read in a tenth of a second or so: columns, and rows whose first value is how
    many seconds before `at` they were read. `at` is by the server's clock."""

    __tablename__ = "live_batch"
    __table_args__ = (Index("live_batch_job", "job_id", "at"),)
    bridge_id: Mapped[int] = mapped_column(ForeignKey("bridge.id"), primary_key=True)
    seq: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    job_id: Mapped[int] = mapped_column(ForeignKey("job.id"))
    at: Mapped[datetime]
    state: Mapped[str]
    columns: Mapped[list[str]]
    rows: Mapped[list[Any]] = mapped_column(JSONB)


class LiveCommand(Base):
    """What a page asked a bridge to do, by whom and when, and what came of it."""

    __tablename__ = "live_command"
    __table_args__ = (Index("live_command_job", "job_id"),)
    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    bridge_id: Mapped[int] = mapped_column(ForeignKey("bridge.id"))
    job_id: Mapped[int] = mapped_column(ForeignKey("job.id"))
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    at: Mapped[datetime]
    do: Mapped[str]
    fields: Mapped[dict[str, Any]]
    began_at: Mapped[datetime | None]
    answered_at: Mapped[datetime | None]
    answer: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    person: Mapped[Person] = relationship(lazy="select")
