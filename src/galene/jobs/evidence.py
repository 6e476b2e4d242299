"""Stage 2, and the after set of stage 6: readings, looks, and what the calculations make of
them."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from galene.core.airflow import (
    BankTrims,
    ExpectedAirflowInput,
    TrimPoint,
    TrimSplitInput,
    TrimSplitResult,
    bank_trims,
    expected_airflow,
    trim_split,
)
from galene.core.airpath import EngineFamily
from galene.core.bore import BoreInput, bore_restriction
from galene.core.errors import InputError
from galene.core.job_records import KeptBore, SetConditions
from galene.core.pressures import KeyOnInput, KeyOnResult, PressureReading, key_on_agreement
from galene.core.statistics import mean
from galene.core.units import QUANTITIES
from galene.exchange.rows import Column, parse_rows
from galene.jobs.act import Act, family_of
from galene.jobs.card import after_set_due, after_set_taken
from galene.jobs.errors import Invalid, Refused
from galene.jobs.intake import check_text, observe
from galene.knowledge.base import KNOWLEDGE, outline_of
from galene.knowledge.components import DEPOSIT_KINDS
from galene.store.models import Job, Look, Reading, ReadingSet
from galene.store.repositories import people


@dataclass(frozen=True, kw_only=True)
class Channel:
    """A column of a reading set: its quantity and the figures that an engine can show, kept
    units."""

    id: str
    label: str
    quantity: str
    low: float
    high: float
    words: tuple[str, ...]
    required: bool = False


IDLE: tuple[Channel, ...] = (
    Channel(
        id="idle_rpm",
        label="Speed",
        quantity="speed",
        low=200,
        high=3000,
        words=("rpm", "speed", "rev"),
        required=True,
    ),
    Channel(
        id="idle_airflow_g_s",
        label="Air meter",
        quantity="airflow",
        low=0.1,
        high=60,
        words=("maf", "air", "flow", "meter"),
    ),
    Channel(
        id="idle_map_kpa",
        label="Manifold",
        quantity="pressure",
        low=10,
        high=110,
        words=("map", "manifold", "pressure"),
    ),
    Channel(
        id="learned_throttle_percent",
        label="Throttle",
        quantity="share",
        low=0,
        high=60,
        words=("throttle", "opening", "tps"),
    ),
    Channel(
        id="trim_idle_percent",
        label="Total trim",
        quantity="share",
        low=-60,
        high=100,
        words=("trim", "fuel"),
    ),
)
TRIM: tuple[Channel, ...] = (
    Channel(
        id="rpm", label="Speed", quantity="speed", low=200, high=8000, words=("rpm", "speed", "rev")
    ),
    Channel(
        id="airflow_g_s",
        label="Air meter",
        quantity="airflow",
        low=0.1,
        high=2000,
        words=("maf", "air", "flow", "meter"),
        required=True,
    ),
    Channel(
        id="trim_percent",
        label="Total trim",
        quantity="share",
        low=-60,
        high=100,
        words=("trim", "fuel"),
        required=True,
    ),
    Channel(
        id="trim_bank_2_percent",
        label="Bank 2 trim",
        quantity="share",
        low=-60,
        high=100,
        words=("bank 2", "b2"),
    ),
    Channel(
        id="map_kpa",
        label="Manifold",
        quantity="pressure",
        low=10,
        high=110,
        words=("map", "manifold", "pressure"),
    ),
)
CHANNELS: dict[str, tuple[Channel, ...]] = {"idle": IDLE, "trim": TRIM}
NEEDS: dict[str, tuple[str, ...]] = {
    "idle_airflow_g_s": ("maf_sensor",),
    "airflow_g_s": ("maf_sensor",),
    "idle_map_kpa": ("map_sensor", "boost_sensor"),
    "map_kpa": ("map_sensor", "boost_sensor"),
}
"""Channels that only an engine with one of these parts can show."""


def channels_of(family: EngineFamily, kind: str) -> tuple[Channel, ...]:
    """The columns of a set that this engine can fill: no trims on a diesel or two-stroke, no
    learned opening without a learning throttle."""

    def has(channel: Channel) -> bool:
        if channel.id in ("trim_idle_percent", "trim_percent"):
            return has_trims(family)
        if channel.id == "trim_bank_2_percent":
            return has_trims(family) and outline_of(family).banks > 1
        if channel.id == "learned_throttle_percent":
            return family.fuel == "petrol" and family.throttle == "electronic"
        return channel.id not in NEEDS or bool(family.components & set(NEEDS[channel.id]))

    found = [c for c in CHANNELS[kind] if has(c)]
    if any(c.id == "trim_bank_2_percent" for c in found):
        # With two banks asked, the first is named too.
        found = [replace(c, label="Bank 1 trim") if c.id == "trim_percent" else c for c in found]
    return tuple(found)


def has_trims(family: EngineFamily) -> bool:
    """Whether the control unit trims its mixture by an oxygen sensor."""
    return (
        family.fuel == "petrol"
        and family.cycle == "four_stroke"
        and "oxygen_sensor" in family.components
    )


LOADS = {
    "lamps": "Headlamps",
    "rear_heater": "Rear heater",
    "fan": "Fan",
    "air_conditioning": "Air conditioning",
}


@dataclass(frozen=True)
class MeasuredBore:
    """One bore: its name on the part (cylinder or end), its clean diameter, thickness clockwise
    from 12 along the flow, mm."""

    name: str
    bore_mm: float
    thickness_mm: tuple[float, ...]


def _check_conditions(conditions: SetConditions) -> dict[str, str]:
    faults = {}
    if conditions.coolant_c is not None and not -40 <= conditions.coolant_c <= 140:
        faults["coolant_c"] = "Coolant from −40 to 140 °C."
    if conditions.intake_c is not None and not -40 <= conditions.intake_c <= 120:
        faults["intake_c"] = "Intake air from −40 to 120 °C."
    if any(name not in LOADS for name in conditions.load):
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
    faults = _check_conditions(conditions)
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
) -> Job:
    """Save the key-on readings of the absolute sensors (kPa), engine off and ignition on."""
    job = act.job(number)
    _phase_open(job, "before")
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
    act.claim(job, "readings_before_key_on", seen)
    row_set = _replace_set(
        act, job, "before", kind="key_on", source="typed", conditions=SetConditions()
    )
    row_set.readings += [Reading(channel=c, position=0, value=v) for c, v in given.items()]
    if barometer_kpa is not None:
        row_set.readings.append(Reading(channel="barometer", position=0, value=barometer_kpa))
    _saved(act, job, "before", kind="key_on", row_set=row_set)
    return job


def save_look(
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
    if grade >= 2 and deposit not in DEPOSIT_KINDS:
        faults["deposit"] = "Say what kind of deposit it is."
    if deposit and deposit not in DEPOSIT_KINDS:
        faults["deposit"] = "Choose a kind of the list."
    if faults:
        raise Invalid(faults)
    check_text({"note": note})
    row = next((k for k in job.looks if k.phase == phase and k.part == part_id), None)
    if row is None:
        row = Look(
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
    save_look(act, number, phase, part_id=part_id, deposit=deposit, grade=worst.grade, note=note)
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


def samples(row_set: ReadingSet | None, channel: str) -> list[float]:
    """Values of a channel in order; empty where there are none."""
    return [r.value for r in row_set.readings if r.channel == channel] if row_set else []


def by_channel(row_set: ReadingSet | None) -> dict[str, list[float]]:
    """Every channel's values in order, in one walk over the readings."""
    found: dict[str, list[float]] = {}
    for reading in row_set.readings if row_set else ():
        found.setdefault(reading.channel, []).append(reading.value)
    return found


def key_on_result(job: Job, altitude_m: float | None) -> KeyOnResult | None:
    """Key-on agreement of a job's readings; the workshop's altitude stands in for a missing
    barometer."""
    row_set = set_of(job, "before", "key_on")
    if row_set is None:
        return None
    readings = [
        PressureReading(r.channel, r.value) for r in row_set.readings if r.channel != "barometer"
    ]
    barometer = next((r.value for r in row_set.readings if r.channel == "barometer"), None)
    return (
        key_on_agreement(
            KeyOnInput(readings=readings, barometer_kpa=barometer, altitude_m=altitude_m)
        )
        if readings
        else None
    )


def rows_of(row_set: ReadingSet) -> list[dict[str, float]]:
    """The readings of a set by row, channel to value."""
    by_row: dict[int, dict[str, float]] = {}
    for reading in row_set.readings:
        by_row.setdefault(reading.position, {})[reading.channel] = reading.value
    return list(by_row.values())


def bank_result(job: Job, phase: str) -> BankTrims | None:
    """The trims of both banks against each other, None where they were not read."""
    row_set = set_of(job, phase, "trim")
    pairs = tuple(
        (r["trim_percent"], r["trim_bank_2_percent"])
        for r in (rows_of(row_set) if row_set else ())
        if "trim_percent" in r and "trim_bank_2_percent" in r
    )
    return bank_trims(pairs) if pairs else None


def trim_result(job: Job, phase: str, barometer_kpa: float) -> TrimSplitResult | None:
    """Trim split of a job's points, None where it can not be made: nothing was read, or one bank
    alone runs lean, which the meter that both share can not do."""
    row_set, banks = set_of(job, phase, "trim"), bank_result(job, phase)
    if row_set is None or (banks and banks.one_is_lean):
        return None
    points = [
        TrimPoint(
            airflow_g_s=r["airflow_g_s"],
            # The meter sees the air of both banks: their mean is what it is blamed for.
            trim_percent=mean((r["trim_percent"], r.get("trim_bank_2_percent", r["trim_percent"]))),
            map_kpa=r["map_kpa"] if r.get("map_kpa", 1e9) < barometer_kpa else None,
        )
        for r in rows_of(row_set)
        if "airflow_g_s" in r and "trim_percent" in r
    ]
    try:
        return trim_split(TrimSplitInput(points, barometer_kpa))
    except InputError:
        return None


def barometer_of(job: Job, altitude_m: float) -> float:
    """The air outside: the barometer or ambient sensor read at key-on, else the standard at the
    workshop's altitude."""
    from galene.core.flow import standard_pressure_kpa

    row_set = set_of(job, "before", "key_on")
    for channel in ("barometer", "barometric_sensor"):
        found = samples(row_set, channel)
        if found and 50 <= found[0] <= 110:
            return found[0]
    return standard_pressure_kpa(altitude_m)


def derive(act: Act, job: Job) -> None:
    """Turn the before set's readings and looks into evidence, through the calculations, with how
    sure they are."""
    family = family_of(job)
    workshop = people.workshop_or_none(act.db)
    altitude = workshop.altitude_m if workshop else 0.0
    found: dict[str, tuple[str, float, str]] = {}
    _from_idle(job, family, found)
    split = trim_result(job, "before", barometer_of(job, altitude))
    if split and split.verdict != "not_enough":
        for evidence, verdicts in (
            ("trim_leak_shape", ("leak", "both")),
            ("trim_meter_shape", ("meter", "both")),
            ("trim_rises_with_airflow", ("rises",)),
        ):
            found[evidence] = (
                "present" if split.verdict in verdicts else "absent",
                0.92,
                "calculation",
            )
    banks = bank_result(job, "before")
    if banks and banks.verdict != "undecided":
        state = "present" if banks.one_is_lean else "absent"
        found["lean_one_bank"] = (state, 0.9, "calculation")
    key_on = key_on_result(job, altitude)
    if key_on and key_on.verdict in ("agree", "one_off"):
        for deviation in key_on.deviations:
            evidence = f"key_on_one_off:{deviation.component}"
            if evidence in KNOWLEDGE.evidence:
                found[evidence] = (
                    "present" if deviation.component == key_on.suspect else "absent",
                    0.95,
                    "calculation",
                )
    for look in (k for k in job.looks if k.phase == "before"):
        _from_look(family, look, found)
    for row in list(job.observations):
        if row.source in ("calculation", "look") and row.evidence not in found:
            observe(act, job, row.evidence, state="unknown", source=row.source)
    for evidence, (state, confidence, source) in found.items():
        observe(act, job, evidence, state=state, source=source, confidence=confidence)


def _margin_confidence(value: float, limit: float, step: float) -> float:
    """0.6 at the band's edge to 0.97 two steps off: a reading near its limit says little."""
    return min(0.97, max(0.6, 0.6 + 0.185 * abs(value - limit) / step))


HEATED_C = 12.0
"""What the intake adds to the air on its way to the ports of a warm engine at idle (project
default)."""


def _from_idle(job: Job, family: EngineFamily, found: dict[str, tuple[str, float, str]]) -> None:
    row_set = set_of(job, "before", "idle")
    if (
        row_set is None
        or (row_set.conditions.coolant_c or 0) < 70
        or row_set.conditions.protective_mode
    ):
        return  # Cold, or limited by the control unit: the family's warm idle bands do not hold.
    for channel, evidence, step in (
        ("learned_throttle_percent", "learned_opening_high", 0.8),
        ("idle_airflow_g_s", "idle_airflow_high", 0.3),
    ):
        values, band = samples(row_set, channel), family.bands.get(channel)
        if values and band:
            value = mean(values)
            found[evidence] = (
                "present" if value > band.high else "absent",
                _margin_confidence(value, band.high, step),
                "calculation",
            )
    air, pressure, speed = (
        samples(row_set, c) for c in ("idle_airflow_g_s", "idle_map_kpa", "idle_rpm")
    )
    if (
        air and pressure and speed and family.fuel == "petrol"
    ):  # a diesel's recirculation would pass for a meter that reads low
        intake = row_set.conditions.intake_c
        result = expected_airflow(
            ExpectedAirflowInput(
                displacement_l=family.displacement_l,
                rpm=mean(speed),
                map_kpa=mean(pressure),
                intake_c=40.0 if intake is None else intake + HEATED_C,
                volumetric_efficiency=family.volumetric_efficiency_idle,
                strokes=2 if family.cycle == "two_stroke" else 4,
                measured_g_s=mean(air),
                volumetric_efficiency_tolerance=0.08,
            )
        )
        found["airflow_reads_low"] = (
            "present" if result.verdict == "reads_low" else "absent",
            0.8,
            "calculation",
        )


LOOK_EVIDENCE: dict[str, tuple[str, bool]] = {
    "throttle_body": ("look_throttle_clean", True),
    "maf_sensor": ("look_maf_clean", True),
    "map_sensor": ("soot_on_map_sensor", False),
    "boost_sensor": ("soot_on_boost_sensor", False),
    "intake_ports": ("ports_coked_seen", False),
    "intake_manifold": ("manifold_coked_seen", False),
    "egr_passage": ("egr_passage_blocked_seen", False),
    "egr_dp_ports": ("dp_ports_blocked_seen", False),
    "egr_cooler": ("cooler_face_plugged", False),
    "exhaust_pressure_tube": ("tube_blocked_seen", False),
    "crankcase_pressure_hose": ("hose_clear", True),
}
"""Kind of part to the evidence that a look yields, and whether that evidence means clean."""


def _from_look(family: EngineFamily, look: Look, found: dict[str, tuple[str, float, str]]) -> None:
    component = family.part(look.part).component
    dirty = look.grade >= 2
    sure = {0: 0.95, 1: 0.85, 2: 0.85, 3: 0.95, 4: 0.98}[look.grade]
    if component in LOOK_EVIDENCE:
        evidence, means_clean = LOOK_EVIDENCE[component]
        found[evidence] = ("present" if dirty != means_clean else "absent", sure, "look")
    if component == "maf_sensor":
        found["maf_oily_seen"] = (
            "present" if dirty and look.deposit == "oil_film" else "absent",
            sure,
            "look",
        )
    if component == "air_filter":
        found["filter_light_blocked"] = ("present" if look.grade >= 3 else "absent", sure, "look")
