"""The card with the engine running, jumpers, blasting, own words, and the readiness drive: what the doing refuses and keeps."""

from datetime import timedelta

import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session

from galene.jobs import checks, evidence, gates, intake, plan, prove, work
from galene.jobs.act import Act, family_of, find_job, revision
from galene.jobs.errors import Invalid, Refused
from galene.store.models import Job, StepRow, Trace
from galene.web.drawings.traces import crank_of


def begun(act: Act, family: str, *parts: str, grade: int = 2, plate: str = "RN-100", **schools: str) -> Job:
    """A new job of a family with its work begun on the parts, all at one grade of soot."""
    vehicle = intake.add_vehicle(act, intake.NewVehicle(plate, "Brinewell", "Testbed", "2019", family, "the shed"))
    number = intake.open_job(act, vehicle, "soot").number
    for part in parts:
        evidence.save_look(act, number, "before", part, "soot", grade)
    for letter, choice in schools.items():
        plan.override_school(act, number, letter, choice, "for this test", revision(find_job(act.db, number), "schools"))
    job = plan.save_plan(act, number, list(parts), [], 0)
    plan.approve_plan(act, number, job.plans[0].version, "the keeper")
    work.begin_work(act, number, 18, 0.5, 0)
    return work.check_pick(act, number, {})


def go_to(act: Act, job: Job, key: str) -> StepRow:
    """Tick what stands before a step, and give that step."""
    for row in job.steps:
        if row.document["key"] == key:
            return row
        if row.done_at is None:
            pass_(act, job, row)
    raise AssertionError(key)


def pass_(act: Act, job: Job, row: StepRow) -> None:
    act.now = max([act.now + timedelta(minutes=1), *(w.ends_at for w in job.waits if w.name in row.document["after_waits"])])
    for caution in row.document["cautions"]:
        work.acknowledge(act, job.number, caution)
    records = {}
    for r in row.document["records"]:
        if r["kind"] == "reading":
            records[r["id"]] = "2 bar"
            continue
        records |= (
            {r["id"]: "1", f"{r['id']}_deposit": ""} if r["kind"] == "grade" else {r["id"]: "no" if r["bad_answer"] == "yes" else "yes"}
        )
    work.tick(act, job.number, row.id, records)


def test_the_engine_is_not_run_while_something_is_open(odd: Act) -> None:
    job = begun(odd, "D", "egr_passage", "egr_valve")
    assert not [s for s in job.steps if s.document["key"].startswith("open:")], "nothing is opened for a flush"
    bursts = go_to(odd, job, "running_flush:bursts")
    assert [i.what for i in gates.open_items(job)] == ["Vacuum hose, off for the spray tube"], "its own opening does not hold it"
    for caution in bursts.document["cautions"]:
        work.acknowledge(odd, job.number, caution)
    gates.add_item(odd, job.number, "Dipstick", "cover", "start")
    with pytest.raises(Refused, match="Dipstick"):
        work.tick(odd, job.number, bursts.id, {})
    gates.close_item(odd, job.number, next(i.key for i in job.items if i.what == "Dipstick"))
    pass_(odd, job, bursts)
    off = go_to(odd, job, "running_flush:tube_off")
    pass_(odd, job, off)
    assert not gates.open_items(job)
    assert bursts.document["agent"] == "soot_flush_waterbased" and "Bursts of" in bursts.document["note"]


def test_the_heat_soak_is_waited_out_before_the_road(odd: Act) -> None:
    job = begun(odd, "C", "intake_ports")
    road = go_to(odd, job, "running_aerosol:road")
    for caution in road.document["cautions"]:
        work.acknowledge(odd, job.number, caution)
    with pytest.raises(Refused, match="Too early"):
        work.tick(odd, job.number, road.id, {"smooth": "yes"})
    assert [s.document["key"] for s in job.steps][-3:] == ["running_aerosol:oil", "leaks", "walk"]
    assert [t.id for t in prove.relearns_of(job)] == [family_of(job).relearn]


def test_a_jumper_waits_for_the_drive_check(odd: Act) -> None:
    job = begun(odd, "B", "egr_valve", grade=4, N="jumper")
    row = go_to(odd, job, "egr_valve:jumper_on")
    for caution in row.document["cautions"]:
        work.acknowledge(odd, job.number, caution)
    with pytest.raises(Refused, match="No jumper yet"):
        work.tick(odd, job.number, row.id, {})
    refused = {"other_wire_leads_to": "unknown", "supply_v": 12.6, "wire_limit_a": 7.5, "coil_ohm": 20.0}
    checks.keep_check(odd, job.number, "drive_side_trace", refused)
    with pytest.raises(Refused, match="No jumper yet"):
        work.tick(odd, job.number, row.id, {})
    odd.now += timedelta(seconds=5)
    checks.keep_check(odd, job.number, "drive_side_trace", {**refused, "other_wire_leads_to": "fuse"})
    assert work.tick(odd, job.number, row.id, {})[1]
    assert "jumper through" in checks.drive_said(odd.db, job)
    assert [i.kind for i in gates.open_items(job) if "jumper" in i.what] == ["connector"]


def test_the_drawing_steps_through_the_crank_positions(odd: Act) -> None:
    job = begun(odd, "C", "intake_ports", grade=4)
    family = family_of(job)
    rows = [s for s in job.steps if s.document["key"].startswith("intake_ports:blast_")]
    assert len(rows) >= 2 and crank_of(family, job.steps[0].document) is None
    for i, row in enumerate(rows):
        drawn = crank_of(family, row.document)
        assert drawn is not None
        assert [s["state"] for s in drawn["stops"]] == ["past"] * i + ["now"] + ["next"] * (len(rows) - i - 1)
        assert drawn["stops"][i]["cylinders"] == ", ".join(map(str, row.document["cylinders"]))


def test_a_step_is_worded_anew_for_this_job_and_the_words_before_stay(odd: Act, pia: Act) -> None:
    job = begun(odd, "A", "maf_sensor")
    row = job.steps[0]
    for text, minutes, field in (
        ("no", 3.0, "edit_text"),
        ("Chock the front wheels only", None, "edit_minutes"),
        ("x" * 301, 900.0, "edit_text"),
    ):
        with pytest.raises(Invalid) as fault:
            work.edit_step(odd, job.number, row.id, text, minutes)
        assert field in fault.value.fields
    before = row.document["text"]
    work.edit_step(odd, job.number, row.id, "Chock the front wheels, it stands on the ramp", 3)
    work.edit_step(pia, job.number, row.id, "Chock the front wheels, the ramp is wet", 4)
    assert row.document["was"]["text"] == before and row.document["was"]["by"] == pia.person.name
    trace = odd.db.scalars(select(Trace).where(Trace.action == "step_edited").order_by(Trace.id)).all()
    assert [t.detail["was"] for t in trace] == [before, "Chock the front wheels, it stands on the ramp"]
    pass_(odd, job, row)
    with pytest.raises(Refused, match="ticked already"):
        work.edit_step(odd, job.number, row.id, "Chock all wheels after all", 3)


def test_the_readiness_drive_is_offered_after_the_relearns(odd: Act, db: Session) -> None:
    job = begun(odd, "A", "maf_sensor")
    for row in list(job.steps):
        if row.done_at is None:
            pass_(odd, job, row)
    job.before_missing_reason = "came on a trailer"
    prove.clear_codes(odd, job.number)
    gates.start_engine(odd, job.number)
    with pytest.raises(Refused, match="Not yet"):
        prove.ask_readiness(odd, job.number)
    prove.relearn_skip(odd, job.number, "only the meter was cleaned")
    assert job.relearn["skipped"]
    prove.ask_readiness(odd, job.number)
    prove.ask_readiness(odd, job.number)
    assert [t.id for t in prove.relearns_of(job)][-1] == prove.template_of(job).id == "readiness_drive"
    assert prove.relearns_done(job) == {family_of(job).relearn: "only the meter was cleaned"}
    template = prove.template_of(job)
    prove.relearn_begin(odd, job.number, {c: True for c, _ in template.conditions}, "readiness_drive")
    for i, phase in enumerate(template.phases):
        odd.now += timedelta(minutes=phase.hold_minutes)
        prove.relearn_next(odd, job.number, i, "readiness_drive")
    prove.relearn_finish(odd, job.number, True, "readiness_drive")
    assert job.relearn["outcome"] == "learned" and job.relearn["readiness"]
