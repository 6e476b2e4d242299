"""Stage 1: the vehicle, the complaint, symptoms, codes, duty, history."""

import re
from collections.abc import Collection, Mapping
from dataclasses import asdict, dataclass, field
from datetime import datetime

from sqlalchemy.orm import Session

from galene.core.airpath.natures import any_is
from galene.core.diagnosis.codes import read_codes
from galene.core.diagnosis.freeze_frame import SURE, FreezeFrame, check_frame, evidence_of_frame
from galene.core.errors import InputError
from galene.core.jobcard.job_records import BulletinLookup, Fluids
from galene.jobs.act import Act, family_of
from galene.jobs.errors import Invalid, Missing, Refused
from galene.jobs.families import current_version
from galene.knowledge.base import KNOWLEDGE, outline_of
from galene.knowledge.codes import evidence_of
from galene.store.models import Job, JobCode, ObservationRow, Vehicle
from galene.store.repositories import families, jobs, maker_codes, vehicles

STATES = ("present", "absent", "unknown")
SOURCES = {
    "tap": "said",
    "code": "code",
    "frame": "freeze frame",
    "look": "seen",
    "calculation": "computed",
    "check": "checked",
}
"""Where a piece of evidence is from, in words."""
HAZARDS = {"hybrid": "hybrid or high voltage", "airbag": "airbag wiring in the way"}
MAX_TEXT = 4000


def plate_key(plate: str) -> str:
    """A plate without spaces and signs, in capitals."""
    return re.sub(r"[^0-9A-Z]", "", plate.upper())


def find_vehicles(db: Session, typed: str, limit: int = 6) -> list[Vehicle]:
    """Vehicles whose plate holds what was typed, those that begin with it first."""
    key = plate_key(typed)
    if not key:
        return []
    return vehicles.containing(db, key, limit)


@dataclass(kw_only=True)
class NewVehicle:
    """A vehicle as typed."""

    plate: str
    maker: str = ""
    model: str = ""
    year: str = ""
    family: str = ""
    keeper: str = ""
    contact: str = ""
    hazards: list[str] = field(default_factory=list)


def vehicle_faults(
    given: NewVehicle, *, known_families: Collection[str], year: int
) -> dict[str, str]:
    """What is wrong with a vehicle as typed, by field; whether its plate is known is not asked.

    Parameters
    ----------
    known_families : ids of families that are in force
    year : the present one
    """
    faults: dict[str, str] = {}
    if not 2 <= len(plate_key(given.plate)) <= 12:
        faults["plate"] = "A plate has 2 to 12 letters and figures."
    if given.family not in known_families:
        faults["family"] = "Choose the engine family."
    if not given.model.strip():
        faults["model"] = "Say what vehicle it is."
    typed = given.year.strip()
    if typed and not (typed.isdecimal() and len(typed) == 4 and 1950 <= int(typed) <= year + 1):
        faults["year"] = f"A year from 1950 to {year + 1}, or nothing."
    for name in ("plate", "maker", "model", "keeper", "contact"):
        if len(getattr(given, name)) > 120:
            faults[name] = "At most 120 characters."
    return faults


def add_vehicle(act: Act, given: NewVehicle) -> Vehicle:
    """A new vehicle.

    Raises
    ------
    Invalid
        No usable plate, one that exists, unknown family, impossible year.
    """
    in_force = [given.family] if families.is_in_force(act.db, given.family) else []
    faults = vehicle_faults(given, known_families=in_force, year=act.now.year)
    key = plate_key(given.plate)
    check_text({"model": given.model, "keeper": given.keeper, "contact": given.contact})
    if "plate" not in faults and vehicles.by_key(act.db, key):
        faults["plate"] = f"{given.plate.strip()} is here already: choose it from the list."
    if faults:
        raise Invalid(faults)
    vehicle = Vehicle(
        plate=given.plate.strip().upper(),
        plate_key=key,
        maker=given.maker.strip(),
        model=given.model.strip(),
        year=int(given.year) if given.year.strip() else None,
        family_id=given.family,
        keeper=given.keeper.strip(),
        contact=given.contact.strip(),
        hazards=[h for h in given.hazards if h in HAZARDS],
    )
    act.db.add(vehicle)
    # Another vehicle that had this plate before is found by its own from now on.
    vehicles.forget_former(act.db, key)
    act.db.flush()
    act.trace(None, "vehicle_added", plate=vehicle.plate)
    return vehicle


def next_number(act: Act) -> str:
    """The next free number of the year; nobody else takes it before the write ends."""
    prefix = f"{act.now:%y}-"
    last = jobs.last_number(act.db, prefix)
    return f"{prefix}{int(last.split('-')[1]) + 1 if last else 1:04d}"


def open_job(
    act: Act, vehicle: Vehicle, complaint: str, *, bay: str = "", due_at: datetime | None = None
) -> Job:
    """Begin a job at intake. Numbers count up within the year.

    Raises
    ------
    Refused
        The vehicle was taken out of the fleet.
    Invalid
        ``complaint``.
    """
    if vehicle.retired_at is not None:
        raise Refused(
            f"{vehicle.plate} is out of the fleet",
            ["bring it back on its record's page first, where it is in use again"],
        )
    if not complaint.strip():
        raise Invalid({"complaint": "Write the complaint in the owner's words."})
    check_text({"complaint": complaint})
    job = Job(
        number=next_number(act),
        vehicle_id=vehicle.id,
        family_id=vehicle.family_id,
        family_version_id=current_version(act.db, vehicle.family_id).id,
        stage="intake",
        state="open",
        bay=bay,
        technician_id=act.person.id,
        opened_at=act.now,
        due_at=due_at,
        complaint=complaint.strip(),
        distance_km=None,
        hours=None,
        done_checks=[],
    )
    act.db.add(job)
    act.db.flush()
    act.trace(job, "job_opened", plate=vehicle.plate)
    return job


def check_text(texts: dict[str, str]) -> None:
    """Refuse texts that are too long or hold signs that no keyboard makes."""
    faults = {}
    for name, text in texts.items():
        if len(text) > MAX_TEXT:
            faults[name] = f"At most {MAX_TEXT} characters; this has {len(text)}."
        elif "\x00" in text:
            faults[name] = "This text holds a sign that can not be kept."
    if faults:
        raise Invalid(faults)


@dataclass(kw_only=True)
class IntakeForm:
    """The intake's fields in kept units; None where nothing was entered."""

    complaint: str
    recent_work: str = ""
    distance_km: float | None = None
    hours: float | None = None
    coolant: str = ""
    oil: str = ""
    bulletins_source: str = ""
    bulletins_outcome: str = ""


FLUID_WORDS = ("ok", "low", "high", "")


def save_intake(act: Act, number: str, form: IntakeForm, *, seen: int) -> Job:
    """Save the intake's fields.

    Raises
    ------
    Invalid, Stale, ReadOnly
    """
    job = act.job(number)
    check_text(
        {
            "complaint": form.complaint,
            "recent_work": form.recent_work,
            "bulletins_outcome": form.bulletins_outcome,
            "bulletins_source": form.bulletins_source,
        }
    )
    faults: dict[str, str] = {}
    if not form.complaint.strip():
        faults["complaint"] = "Write the complaint in the owner's words."
    if form.distance_km is not None:
        if not 0 <= form.distance_km <= 5_000_000:
            faults["distance"] = "An odometer from 0 to 5 000 000 km."
        else:
            earlier = jobs.furthest_km_before(act.db, job)
            if earlier is not None and form.distance_km < earlier:
                faults["distance"] = (
                    f"The odometer stood at {earlier:,.0f} km at an earlier visit.".replace(
                        ",", "\u202f"
                    )
                )
    if form.hours is not None and not 0 <= form.hours <= 500_000:
        faults["hours"] = "Engine hours from 0 to 500 000."
    for name in ("coolant", "oil"):
        if getattr(form, name) not in FLUID_WORDS:
            faults[name] = "ok, low or high."
    if form.bulletins_outcome.strip() and not form.bulletins_source.strip():
        faults["bulletins_source"] = "Say where you looked."
    if faults:
        raise Invalid(faults)
    act.claim(job, "intake", seen)
    job.complaint, job.recent_work = form.complaint.strip(), form.recent_work.strip()
    job.distance_km, job.hours = form.distance_km, form.hours
    job.fluids = Fluids(coolant=form.coolant, oil=form.oil)
    _keep_bulletins(act, job, form.bulletins_source, outcome=form.bulletins_outcome)
    observe(
        act,
        job,
        "oil_level_high",
        state="present" if form.oil == "high" else "unknown",
        source="tap",
    )
    if any_is(family_of(job).components, "cooler"):
        # A level is read cold. An empty answer says nothing; what a check has found stands.
        cold = {"low": "present", "ok": "absent"}.get(form.coolant)
        if cold and not _checked(job, "coolant_low_cold"):
            observe(act, job, "coolant_low_cold", state=cold, source="tap", confidence=0.9)
    act.trace(job, "intake_saved", distance_km=form.distance_km)
    return job


def _checked(job: Job, evidence: str) -> bool:
    return any(o.evidence == evidence and o.source == "check" for o in job.observations)


def _keep_bulletins(act: Act, job: Job, source: str, *, outcome: str) -> None:
    source, outcome = source.strip(), outcome.strip()
    if not outcome:
        job.bulletins = BulletinLookup()
    elif (job.bulletins.source, job.bulletins.outcome) != (source, outcome):
        job.bulletins = BulletinLookup(
            source=source, outcome=outcome, by=act.person.name, at=act.now
        )


def save_bulletins(act: Act, number: str, source: str, *, outcome: str) -> Job:
    """Record where bulletins and recalls were looked up, and what came of it."""
    job = act.job(number)
    check_text({"bulletins_source": source, "bulletins_outcome": outcome})
    faults = {
        k: m
        for k, v, m in (
            ("bulletins_source", source, "Say where you looked."),
            ("bulletins_outcome", outcome, "Say what came of it, also when there is none."),
        )
        if not v.strip()
    }
    if faults:
        raise Invalid(faults)
    _keep_bulletins(act, job, source, outcome=outcome)
    act.trace(job, "bulletins", source=source.strip(), outcome=outcome.strip())
    return job


def observe(
    act: Act, job: Job, evidence: str, *, state: str, source: str, confidence: float = 1.0
) -> None:
    """Set one piece of evidence. `unknown` takes it away."""
    row = next((o for o in job.observations if o.evidence == evidence), None)
    if state == "unknown":
        if row:
            job.observations.remove(row)
            act.db.flush()
        return
    if row is None:
        job.observations.append(
            ObservationRow(
                evidence=evidence,
                state=state,
                confidence=confidence,
                source=source,
                at=act.now,
                person_id=act.person.id,
            )
        )
    elif (row.state, round(row.confidence, 6), row.source) != (state, round(confidence, 6), source):
        row.state, row.confidence, row.source, row.at, row.person_id = (
            state,
            confidence,
            source,
            act.now,
            act.person.id,
        )
    act.db.flush()


def tap(act: Act, number: str, evidence: str, *, was: str, state: str) -> tuple[str, str | None]:
    """A tap on a symptom or a piece of history: the state now, and who changed it meanwhile if
    somebody did.

    Sending the same tap twice changes nothing; a tap on a state that is no longer there is not
    carried out.
    """
    job = act.job(number)
    kind = KNOWLEDGE.evidence.get(evidence)
    if kind is None:
        raise Missing(f"evidence {evidence}")
    if state not in STATES or was not in STATES:
        raise Invalid({"state": "present, absent or unknown."})
    row = next((o for o in job.observations if o.evidence == evidence), None)
    now = row.state if row else "unknown"
    if now == state:
        return now, None
    if now != was:
        return now, "Changed meanwhile: this is how it stands. Tap again."
    observe(act, job, evidence, state=state, source="tap")
    act.trace(job, "tapped", evidence=evidence, state=state)
    return state, None


def add_codes(act: Act, number: str, text: str, *, phase: str = "before") -> list[JobCode]:
    """Add every code in a text; codes that are there keep their place and take the newer status.

    Raises
    ------
    Invalid
        Nothing that is a code, or pieces that look like one but can not be.
    """
    job = act.job(number)
    check_text({"codes": text})
    read = read_codes(text)
    if read.not_understood:
        raise Invalid(
            {
                "codes": (
                    "Not a code: "
                    + ", ".join(read.not_understood[:5])
                    + ". A code is a letter P, B, C or U, a figure 0 to 3 and three more."
                )
            }
        )
    if not read.codes:
        raise Invalid(
            {"codes": "No code found. Type one such as P0171, or paste the scan tool's list."}
        )
    there = {c.code: c for c in job.codes if c.phase == phase}
    for found in read.codes:
        if found.code in there:
            there[found.code].status = found.status
        else:
            job.codes.append(
                JobCode(
                    phase=phase,
                    code=found.code,
                    status=found.status,
                    read_at=act.now,
                )
            )
    act.db.flush()
    if phase == "before":
        code_evidence_of(act, job)
    act.trace(job, "codes_added", codes=[c.code for c in read.codes], phase=phase)
    return list(job.codes)


def remove_code(act: Act, number: str, code: str, *, phase: str = "before") -> None:
    """Take a mistyped code away; twice is harmless."""
    job = act.job(number)
    for row in [c for c in job.codes if c.code == code and c.phase == phase]:
        job.codes.remove(row)
        act.trace(job, "code_removed", code=code, phase=phase)
    act.db.flush()
    if phase == "before":
        code_evidence_of(act, job)


def find_open_jobs_with(db: Session, code: str) -> list[Job]:
    """Open jobs on which a code was read before the work."""
    return jobs.open_with_code(db, code)


def code_evidence_of(act: Act, job: Job) -> None:
    """Set the groups of a job's codes as evidence; a maker's own code counts as the group that the
    workshop gave it."""
    named = maker_codes.groups(act.db)
    engine = outline_of(family_of(job))
    rows = [(c.code, c.status == "pending") for c in job.codes if c.phase == "before"]
    said = {
        evidence: sure
        for evidence, sure in evidence_of(rows, engine.banks, named).items()
        if set(KNOWLEDGE.evidence[evidence].needs) <= engine.components
    }
    for seen in list(job.observations):
        if seen.source == "code" and seen.evidence not in said:
            observe(act, job, seen.evidence, state="unknown", source="code")
    for evidence, sure in said.items():
        observe(act, job, evidence, state="present", source="code", confidence=sure)
    frame_evidence_of(act, job, named)


def frame_evidence_of(act: Act, job: Job, named: Mapping[str, str]) -> None:
    """Set what the frames of a job's codes show; what somebody tapped, or a code says itself,
    stays."""
    family = family_of(job)
    engine, idle = outline_of(family), family.bands.get("idle_rpm")
    shown: set[str] = set()
    for row in job.codes:
        if row.phase != "before" or row.frame.empty:
            continue
        groups = evidence_of([(row.code, False)], engine.banks, named)
        shown |= set(evidence_of_frame(groups, row.frame, idle.high if idle else None))
    known = {o.evidence: o.source for o in job.observations}
    for evidence, source in known.items():
        if source == "frame" and evidence not in shown:
            observe(act, job, evidence, state="unknown", source="frame")
    for evidence in shown:
        fits = set(KNOWLEDGE.evidence[evidence].needs) <= engine.components
        if fits and known.get(evidence, "frame") == "frame":
            observe(act, job, evidence, state="present", source="frame", confidence=SURE)


def save_frame(act: Act, number: str, code: str, frame: FreezeFrame) -> Job:
    """Keep the frame that was stored with a code, and what it shows.

    Raises
    ------
    Invalid
        A figure that no frame holds.
    Missing
        The code was not read on this job.
    """
    job = act.job(number)
    row = next((c for c in job.codes if c.code == code and c.phase == "before"), None)
    if row is None:
        raise Missing(f"code {code[:10]}")
    try:
        check_frame(frame)
    except InputError as fault:
        raise Invalid({f"frame_{fault.field}": f"{fault.allowed}."}) from fault
    row.frame = frame
    act.db.flush()
    frame_evidence_of(act, job, maker_codes.groups(act.db))
    act.trace(job, "frame_saved", code=code, **{k: v for k, v in asdict(frame).items() if v})
    return job
