"""Stage 2, and the after set of stage 6: readings and looks, kept, and made into evidence."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from galene.core.airpath.family import EngineFamily
from galene.core.calculations.bore_restriction import BoreInput, bore_restriction
from galene.core.diagnosis.inference import BeforeWork, LookSeen, inferred
from galene.core.diagnosis.measured import BAROMETER, MeasuredSet
from galene.core.errors import InputError
from galene.core.jobcard.job_records import KeptBore, SetConditions
from galene.core.units import QUANTITIES
from galene.exchange.rows import Column, parse_rows
from galene.jobs.act import Act, family_of
from galene.jobs.bands import with_own_bands
from galene.jobs.card import after_set_due, after_set_taken
from galene.jobs.errors import Invalid, Refused
from galene.jobs.intake import check_text, observe
from galene.knowledge.base import KNOWLEDGE
from galene.knowledge.components import deposits_of
from galene.knowledge.look_signs import LOOK_SIGNS
from galene.knowledge.reading_channels import channels_of, loads_of
from galene.store.models import Inspection, Job, Reading, ReadingSet
from galene.store.repositories import people


@dataclass(frozen=True)
class MeasuredBore:
    """One bore: its name on the part (cylinder or end), its clean diameter, thickness clockwise
    from 12 along the flow, mm."""

    name: str
    bore_mm: float
    thickness_mm: tuple[float, ...]


def _check_conditions(family: EngineFamily, conditions: SetConditions) -> dict[str, str]:
    faults = {}
    if conditions.coolant_c is not None and family.cooling != "liquid":
        faults["coolant_c"] = "This engine is cooled by air: it has no coolant."
    if conditions.coolant_c is not None and not -40 <= conditions.coolant_c <= 140:
        faults["coolant_c"] = "Coolant from −40 to 140 °C."
    if conditions.intake_c is not None and not -40 <= conditions.intake_c <= 120:
        faults["intake_c"] = "Intake air from −40 to 120 °C."
    if any(name not in loads_of(family) for name in conditions.load):
        faults["load"] = "A load switch of the list."
    return faults


def read_pasted(
    family: EngineFamily, kind: str, text: str, *, units: Mapping[str, str]
) -> Mapping[str, list[float]]:
    """Rows pasted for a set, by channel.

    Raises
    ------
    Invalid
        Naming line and column.
    """
    columns = [
        Column(
            channel=c.id,
            quantity=c.quantity,
            unit=units.get(c.id, QUANTITIES[c.quantity].kept.id),
            words=c.words,
        )
        for c in channels_of(family, kind)
    ]
    check_text({"rows": text[:100]})
    try:
        return parse_rows(text, columns)
    except InputError as fault:
        raise Invalid(
            {"rows": f"{fault.field}: “{str(fault.value)[:60]}”. Wanted: {fault.allowed}."}
        ) from fault


def save_readings(
    act: Act,
    number: str,
    phase: str,
    *,
    kind: str,
    values: Mapping[str, list[float | None]],
    conditions: SetConditions,
    seen: int,
    source: str = "typed",
    times_s: Sequence[float] = (),
) -> Job:
    """Save an idle or trim set, replacing an earlier one of the same phase and kind.

    Parameters
    ----------
    values : channel id to one value per row in kept units, None where a cell was left empty
    seen : revision of the section ``readings_<phase>_<kind>``
    times_s : second of a log at which each row was taken, where it came from one

    Raises
    ------
    Invalid
        ``<channel>.<row>`` for each impossible or missing figure.
    Refused
        A before set after codes were cleared or work began; an after set before the first start.
    """
    job = act.job(number)
    _phase_open(job, phase)
    faults = _check_conditions(family_of(job), conditions)
    channels = channels_of(family_of(job), kind)
    rows = max((len(v) for v in values.values()), default=0)
    filled = [
        i
        for i in range(rows)
        if any(i < len(values.get(c.id, [])) and values[c.id][i] is not None for c in channels)
    ]
    if not filled:
        faults["rows"] = "Enter at least one row."
    for channel in channels:
        column = values.get(channel.id, [])
        for i in filled:
            value = column[i] if i < len(column) else None
            if value is None:
                if channel.required:
                    faults[f"{channel.id}.{i}"] = f"{channel.label} is needed in every row."
            elif not channel.low <= value <= channel.high:
                unit = QUANTITIES[channel.quantity].kept.id
                faults[f"{channel.id}.{i}"] = (
                    f"{channel.label}: an engine shows {channel.low:g} to {channel.high:g} {unit}."
                )
    if faults:
        raise Invalid(faults)
    act.claim(job, f"readings_{phase}_{kind}", seen)
    row_set = _replace_set(act, job, phase, kind=kind, source=source, conditions=conditions)
    for channel in channels:
        column = values.get(channel.id, [])
        row_set.readings += [
            Reading(
                channel=channel.id, position=k, value=float(v), at_s=times_s[i] if times_s else None
            )
            for k, i in enumerate(filled)
            if i < len(column) and (v := column[i]) is not None
        ]
    _saved(act, job, phase, kind=kind, row_set=row_set)
    if phase == "after" and kind == "idle":
        after_set_taken(act, job)
    return job


def _phase_open(job: Job, phase: str) -> None:
    if phase == "before" and (job.codes_cleared_at or job.work_began_at):
        raise Refused(
            "The before set is closed",
            ["codes were cleared or the work has begun, so new readings would not be a before set"],
        )
    if phase == "after" and job.engine_started_at is None:
        raise Refused(
            "Too early for the after set", ["the engine has not been started since the work"]
        )
    if phase == "after":
        after_set_due(job)


def _replace_set(
    act: Act, job: Job, phase: str, *, kind: str, source: str, conditions: SetConditions
) -> ReadingSet:
    for old in [s for s in job.sets if s.phase == phase and s.kind == kind]:
        job.sets.remove(old)
    act.db.flush()
    new = ReadingSet(
        phase=phase,
        kind=kind,
        source=source,
        conditions=conditions,
        taken_at=act.now,
        person_id=act.person.id,
    )
    job.sets.append(new)
    return new


def _saved(act: Act, job: Job, phase: str, *, kind: str, row_set: ReadingSet) -> None:
    act.db.flush()
    act.trace(
        job,
        "readings_saved",
        phase=phase,
        kind=kind,
        source=row_set.source,
        values=len(row_set.readings),
    )
    if phase == "before":
        derive(act, job)


def save_key_on(
    act: Act,
    number: str,
    pressures: Mapping[str, float | None],
    *,
    barometer_kpa: float | None,
    seen: int,
    phase: str = "before",
    source: str = "typed",
) -> Job:
    """Save the key-on readings of the absolute sensors (kPa), engine off and ignition on, before
    the work or after it."""
    job = act.job(number)
    _phase_open(job, phase)
    faults = {}
    given = {k: v for k, v in pressures.items() if v is not None}
    if not given:
        faults["key_on"] = "Read at least one sensor."
    for component, value in given.items():
        if not 0 <= value <= 600:
            faults[component] = "A pressure from 0 to 600 kPa."
    if barometer_kpa is not None and not 50 <= barometer_kpa <= 110:
        faults["barometer_kpa"] = "A barometer shows 50 to 110 kPa."
    if faults:
        raise Invalid(faults)
    act.claim(job, f"readings_{phase}_key_on", seen)
    row_set = _replace_set(
        act, job, phase, kind="key_on", source=source, conditions=SetConditions()
    )
    row_set.readings += [Reading(channel=c, position=0, value=v) for c, v in given.items()]
    if barometer_kpa is not None:
        row_set.readings.append(Reading(channel=BAROMETER, position=0, value=barometer_kpa))
    _saved(act, job, phase, kind="key_on", row_set=row_set)
    return job


def save_inspection(
    act: Act, number: str, phase: str, *, part_id: str, deposit: str, grade: int, note: str = ""
) -> Job:
    """What a look at a part showed. A second look of the same phase replaces the first, and the
    trace keeps both."""
    job = act.job(number)
    faults = {}
    try:
        family_of(job).part(part_id)
    except InputError:
        faults["part"] = "Choose a part of this engine."
    if not 0 <= grade <= 4:
        faults["grade"] = "A grade from 0 to 4."
    kinds = deposits_of(family_of(job))
    if grade >= 2 and deposit not in kinds:
        faults["deposit"] = "Say what kind of deposit it is."
    if deposit and deposit not in kinds:
        faults["deposit"] = "Choose a kind of the list."
    if faults:
        raise Invalid(faults)
    check_text({"note": note})
    row = next((k for k in job.looks if k.phase == phase and k.part == part_id), None)
    if row is None:
        row = Inspection(
            phase=phase,
            part=part_id,
            deposit=deposit,
            grade=grade,
            note=note.strip(),
            at=act.now,
            person_id=act.person.id,
        )
        job.looks.append(row)
        act.db.flush()
    else:
        if row.grade != grade:
            # Seen anew and not measured: what was measured then no longer holds.
            row.bores, row.open_area_percent = (), None
        row.deposit, row.grade, row.note, row.at, row.person_id = (
            deposit,
            grade,
            note.strip() or row.note,
            act.now,
            act.person.id,
        )
    act.trace(job, "look", phase=phase, part=part_id, deposit=deposit, grade=grade)
    if phase == "before":
        derive(act, job)
    return job


def bore_field(k: int, field: str) -> str:
    """The form's name of a field of bore `k`."""
    return (
        field.replace("thickness_mm[", f"thickness.{k}.")
        .replace("]", "")
        .replace("bore_mm", f"bore.{k}")
    )


def save_bores(
    act: Act,
    number: str,
    phase: str,
    *,
    part_id: str,
    bores: Sequence[MeasuredBore],
    deposit: str,
    note: str,
    seen: int,
) -> Job:
    """Bores measured round the clock on a part, ports side by side. The thickness decides the
    grade: it beats the eye.

    Raises
    ------
    Invalid
        ``thickness.<bore>.<point>`` and the like for each figure that can not be.
    """
    job = act.job(number)
    if phase not in ("before", "after"):
        raise Invalid({"phase": "before or after."})
    if not 1 <= len(bores) <= 16:
        raise Invalid({"bores": "From 1 to 16 bores side by side."})
    faults, results = {}, []
    for k, bore in enumerate(bores):
        try:
            results.append(bore_restriction(BoreInput(bore.bore_mm, list(bore.thickness_mm))))
        except InputError as fault:
            faults[bore_field(k, fault.field)] = f"{bore.name}: {fault.allowed}."
    if faults:
        raise Invalid(faults)
    act.claim(job, f"bores {phase} {part_id}", seen)
    worst = min(results, key=lambda r: r.open_area_percent)
    save_inspection(
        act, number, phase, part_id=part_id, deposit=deposit, grade=worst.grade, note=note
    )
    row = next(k for k in job.looks if k.phase == phase and k.part == part_id)
    row.bores = tuple(
        KeptBore(
            name=b.name,
            bore_mm=b.bore_mm,
            thickness_mm=b.thickness_mm,
            open_area_percent=r.open_area_percent,
        )
        for b, r in zip(bores, results, strict=True)
    )
    row.open_area_percent = worst.open_area_percent
    act.trace(
        job,
        "bores_measured",
        phase=phase,
        part=part_id,
        open_area_percent=round(worst.open_area_percent, 1),
    )
    return job


def set_before_missing(act: Act, number: str, reason: str, *, seen: int) -> Job:
    """Say why there is no before set; needed where the engine can not be run."""
    job = act.job(number)
    check_text({"reason": reason})
    if reason and len(reason.strip()) < 5:
        raise Invalid({"before_missing": "Say in a few words why: it stands in the report."})
    act.claim(job, "before_missing", seen)
    job.before_missing_reason = reason.strip()
    act.trace(job, "before_missing", reason=reason.strip())
    return job


def set_of(job: Job, phase: str, kind: str) -> ReadingSet | None:
    """The set of a phase and kind."""
    return next((s for s in job.sets if s.phase == phase and s.kind == kind), None)


def measured(job: Job, phase: str, kind: str) -> MeasuredSet | None:
    """A set as the calculations read it, None where it was not taken."""
    row_set = set_of(job, phase, kind)
    if row_set is None:
        return None
    by_row: dict[int, dict[str, float]] = {}
    for reading in row_set.readings:
        by_row.setdefault(reading.position, {})[reading.channel] = reading.value
    return MeasuredSet(rows=tuple(by_row.values()), conditions=row_set.conditions)


def before_work(job: Job, altitude_m: float) -> BeforeWork:
    """Everything measured and seen on a job before the work."""
    family = family_of(job)
    return BeforeWork(
        idle=measured(job, "before", "idle"),
        trims=measured(job, "before", "trim"),
        key_on=measured(job, "before", "key_on"),
        looks=tuple(
            LookSeen(
                component=family.part(look.part).component,
                grade=look.grade,
                deposit=look.deposit,
            )
            for look in job.looks
            if look.phase == "before"
        ),
        altitude_m=altitude_m,
    )


def derive(act: Act, job: Job) -> None:
    """Turn the before set's readings and looks into evidence, through the calculations, with how
    sure they are."""
    workshop = people.workshop_or_none(act.db)
    found = inferred(
        with_own_bands(act.db, family_of(job)),
        before_work(job, workshop.altitude_m if workshop else 0.0),
        signs=LOOK_SIGNS,
        vocabulary=KNOWLEDGE.evidence,
    )
    for row in list(job.observations):
        if row.source in ("calculation", "look") and row.evidence not in found:
            observe(act, job, row.evidence, state="unknown", source=row.source)
    # A check that was done for it stands over what readings let infer beside it.
    checked = {o.evidence for o in job.observations if o.source == "check"}
    for one in (x for x in found.values() if x.evidence not in checked):
        observe(
            act, job, one.evidence, state=one.state, source=one.source, confidence=one.confidence
        )
