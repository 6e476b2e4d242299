"""The card with the engine running, jumpers, blasting, own words, and the readiness drive: what the
doing refuses and keeps."""

from datetime import timedelta

import pytest
from sqlalchemy import select

from galene.jobs import checks, gates, jobcard, prove, work
from galene.jobs.act import Act, family_of
from galene.jobs.errors import Invalid, Refused
from galene.store.models import AuditEntry
from galene.web.worksheets.traces import crank_of
from tests.jobs.hands import begun, do, finish_card, go_to, learn, pass_


def test_the_engine_is_not_run_while_something_is_open(odd: Act) -> None:
    job = begun(odd, "D", "egr_passage", "egr_valve")
    assert not [s for s in job.steps if s.document.opening], "nothing is opened for a flush"
    bursts = go_to(odd, job, "running_flush:bursts")
    assert [i.what for i in gates.open_items(job)] == ["Way in for the spray tube"], (
        "its own opening does not hold it"
    )
    for caution in bursts.document.cautions:
        jobcard.acknowledge(odd, job.number, caution)
    jobcard.add_item(odd, job.number, "Dipstick", kind="cover", before="start")
    with pytest.raises(Refused, match="Dipstick"):
        jobcard.tick(odd, job.number, bursts.id, records={})
    jobcard.close_item(odd, job.number, next(i.key for i in job.items if i.what == "Dipstick"))
    pass_(odd, job, bursts)
    off = go_to(odd, job, "running_flush:tube_off")
    pass_(odd, job, off)
    assert not gates.open_items(job)
    assert (
        bursts.document.agent is not None
        and bursts.document.agent.class_id == "soot_flush_waterbased"
    )
    assert "Bursts of" in bursts.document.note


def test_the_oil_is_changed_in_the_heat_soak_and_the_start_waits_for_its_end(odd: Act) -> None:
    job = begun(odd, "C", "intake_ports")
    oil = go_to(odd, job, "running_aerosol:oil")
    assert oil.document.consumes == ("engine_oil", "oil_filter", "drain_washer")
    pass_(odd, job, oil)
    ids = [s.document.id for s in job.steps]
    assert (
        ids.index("running_aerosol:oil")
        < ids.index("first_start")
        < ids.index("running_aerosol:brisk")
    )
    go_to(odd, job, "first_start")
    odd.now = min(w.ends_at for w in job.waits if "heat soak" in w.name) - timedelta(minutes=5)
    with pytest.raises(Refused, match="heat soak"):
        gates.start_engine(odd, job.number)
    assert prove.relearns_of(job) == (), "an additive drawn in asks for no relearn"


def test_a_jumper_waits_for_the_drive_check(odd: Act) -> None:
    job = begun(odd, "B", "egr_valve", grade=4, N="jumper")
    row = go_to(odd, job, "egr_valve:jumper_on")
    for caution in row.document.cautions:
        jobcard.acknowledge(odd, job.number, caution)
    with pytest.raises(Refused, match="No jumper yet"):
        jobcard.tick(odd, job.number, row.id, records={})
    refused = {
        "other_wire_leads_to": "unknown",
        "supply_v": 12.6,
        "wire_limit_a": 7.5,
        "coil_ohm": 20.0,
    }
    checks.keep_check(odd, job.number, "drive_side_trace", given=refused)
    with pytest.raises(Refused, match="No jumper yet"):
        jobcard.tick(odd, job.number, row.id, records={})
    odd.now += timedelta(seconds=5)
    checks.keep_check(
        odd, job.number, "drive_side_trace", given={**refused, "other_wire_leads_to": "fuse"}
    )
    assert jobcard.tick(odd, job.number, row.id, records={})[1]
    assert "jumper through" in checks.drive_said(odd.db, job)
    assert [i.kind for i in gates.open_items(job) if "jumper" in i.what] == ["connector"]


def test_the_drawing_steps_through_the_crank_positions(odd: Act) -> None:
    job = begun(odd, "C", "intake_ports", grade=4)
    family = family_of(job)
    rows = [s for s in job.steps if s.document.id.startswith("intake_ports:shut_")]
    assert len(rows) >= 2 and crank_of(family, job.steps[0].document) is None
    for i, row in enumerate(rows):
        drawn = crank_of(family, row.document)
        assert drawn is not None
        assert [s["state"] for s in drawn["stops"]] == ["past"] * i + ["now"] + ["next"] * (
            len(rows) - i - 1
        )
        assert drawn["stops"][i]["cylinders"] == ", ".join(map(str, row.document.cylinders))


def test_a_step_is_worded_anew_for_this_job_and_the_words_before_stay(odd: Act, pia: Act) -> None:
    job = begun(odd, "A", "maf_sensor")
    row = job.steps[0]
    for text, minutes, field in (
        ("no", 3.0, "edit_text"),
        ("Chock the front wheels only", None, "edit_minutes"),
        ("x" * 301, 900.0, "edit_text"),
    ):
        with pytest.raises(Invalid) as fault:
            work.edit_step(odd, job.number, row.id, text=text, minutes=minutes)
        assert field in fault.value.fields
    before = row.document.text
    work.edit_step(
        odd, job.number, row.id, text="Chock the front wheels, it stands on the ramp", minutes=3
    )
    work.edit_step(
        pia, job.number, row.id, text="Chock the front wheels, the ramp is wet", minutes=4
    )
    assert row.document.was is not None
    assert row.document.was.text == before and row.document.was.by == pia.person.name
    trace = odd.db.scalars(
        select(AuditEntry).where(AuditEntry.action == "step_edited").order_by(AuditEntry.id)
    ).all()
    assert [t.detail["was"] for t in trace] == [
        before,
        "Chock the front wheels, it stands on the ramp",
    ]
    pass_(odd, job, row)
    with pytest.raises(Refused, match="ticked already"):
        work.edit_step(odd, job.number, row.id, text="Chock all wheels after all", minutes=3)


def test_the_readiness_drive_is_offered_after_the_road(odd: Act) -> None:
    job = begun(odd, "A", "maf_sensor")
    go_to(odd, job, "road")
    with pytest.raises(Refused, match="Not yet"):
        prove.ask_readiness(odd, job.number)
    finish_card(odd, job)
    assert prove.relearns_of(job) == (), "a meter alone asks for no relearn"
    prove.ask_readiness(odd, job.number)
    prove.ask_readiness(odd, job.number)
    assert [t.id for t in prove.relearns_of(job)] == ["readiness_drive"]
    row = work.current_step(job)
    while row is not None and row.document.act != "relearn":
        do(odd, job, row)
        row = work.current_step(job)
    learn(odd, job)
    assert (
        prove.relearns_done(job) == {"readiness_drive": "learned"}
        and work.current_step(job) is None
    )
