"""Checks as worksheets on a job, and the page of learning."""

import re

import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session

from galene.jobs import diagnosis
from galene.knowledge.base import KNOWLEDGE
from galene.store.models import CheckResult, Job
from galene.web.checks.probe import PROBES
from tests.conftest import newest_job
from tests.web.conftest import Browser, flat

FLOW = {
    "closed_map_kpa": "34",
    "closed_rpm": "690",
    "open_map_kpa": "36",
    "open_rpm": "688",
    "ambient_kpa": "101",
    "intake_c": "38",
    "exhaust_kpa": "103",
    "exhaust_c": "190",
    "displacement_l": "2.9",
    "volumetric_efficiency": "0.72",
    "reference_area_mm2": "32",
    "throttle_held": "yes",
}
COIL = {"other_wire_leads_to": "fuse", "supply_v": "12.6", "coil_ohm": "14.5", "wire_limit_a": "10"}


@pytest.fixture
def v6(db: Session) -> str:
    """A job of the V6, told only that flow is low."""
    return db.scalars(select(Job.number).where(Job.family_id == "B", Job.stage == "evidence")).one()


def state_of(db: Session, number: str, evidence: str) -> str | None:
    db.expire_all()
    job = db.scalars(select(Job).where(Job.number == number)).unique().one()
    return next((o.state for o in job.observations if o.evidence == evidence), None)


def test_every_check_has_a_page_on_every_engine(web: Browser, db: Session) -> None:
    numbers = {
        j.family_id: j.number for j in db.scalars(select(Job).where(Job.state == "open")).unique()
    }
    assert set(numbers) == set("ABCDEF")
    for family, number in numbers.items():
        for check in KNOWLEDGE.checks:
            answer = web.get(f"/jobs/{number}/checks/{check}")
            assert answer.status_code == 200 and "<h1" in answer.text, (
                family,
                check,
                answer.text[:300],
            )
        assert "Not on this engine" in web.get(f"/jobs/{number}/diagnosis").text
    assert (
        "this engine has no recirculation valve"
        in web.get(f"/jobs/{numbers['F']}/checks/egr_flow_test").text
    )
    assert "petrol engines only" in web.get(f"/jobs/{numbers['D']}/checks/egr_flow_test").text
    assert web.get(f"/jobs/{numbers['A']}/checks/shake_it").status_code == 404


def test_figures_become_evidence_and_the_page_says_what_changed(
    web: Browser, db: Session, v6: str
) -> None:
    path = f"/jobs/{v6}/checks/egr_flow_test"
    page = flat(web.get(path))
    assert (
        'name="displacement_l" value="2.9"' in page and 'name="closed_map_kpa" value=""' in page
    ), "known figures are filled in, readings are not"
    assert "A clean passage of this engine is 24 to 40" in page
    live = web.submit(f"{path}/live", FLOW)
    assert (
        "Plugged" in live.text
        and "<html" not in live.text
        and state_of(db, v6, "egr_test_area_small") is None
    )
    assert web.submit(path, FLOW).status_code == 303
    assert state_of(db, v6, "egr_test_area_small") == "present"
    after = web.get(path).text
    assert (
        "What it changed" in after
        and "Recirculation passage plugged" in after[after.index("What it changed") :]
    )
    web.submit(path, {**FLOW, "open_map_kpa": "80", "open_rpm": "560"})
    assert state_of(db, v6, "egr_test_area_small") == "absent"
    web.submit(path, {**FLOW, "reference_area_mm2": "", "open_map_kpa": "50", "open_rpm": "660"})
    assert state_of(db, v6, "egr_test_area_small") is None, (
        "without a reference it says nothing, and the older word no longer stands"
    )
    assert len(db.scalars(select(CheckResult).join(Job).where(Job.number == v6)).all()) == 3


def test_no_jumper_before_the_drive_side_is_worked_out(web: Browser, v6: str) -> None:
    path = f"/jobs/{v6}/checks/egr_flow_test"
    refused = web.submit(path, {**FLOW, "form": "jumper"})
    assert (
        refused.status_code == 422
        and "No jumper yet" in refused.text
        and 'value="62"' not in refused.text
    )
    web.submit(f"/jobs/{v6}/checks/drive_side_trace", {**COIL, "other_wire_leads_to": "unknown"})
    assert web.submit(path, {**FLOW, "form": "jumper"}).status_code == 422
    web.submit(f"/jobs/{v6}/checks/drive_side_trace", COIL)
    assert web.submit(path, {**FLOW, "form": "jumper"}).status_code == 303
    assert "by jumper" in web.get(path).text


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"closed_map_kpa": ""}, "closed_map_kpa"),
        ({"closed_map_kpa": "150"}, "closed.map_kpa"),
        ({"exhaust_kpa": "30"}, "exhaust_kpa"),
        ({"open_rpm": "many"}, "open_rpm"),
    ],
)
def test_figures_that_can_not_be_are_named_and_kept_on_the_page(
    web: Browser, db: Session, v6: str, change: dict[str, str], words: str
) -> None:
    answer = web.submit(f"/jobs/{v6}/checks/egr_flow_test", {**FLOW, **change})
    assert (
        answer.status_code == 422
        and words in answer.text
        and 'name="closed_rpm" value="690"' in flat(answer)
    )
    assert db.scalars(select(CheckResult).join(Job).where(Job.number == v6)).all() == []


def test_a_finished_job_takes_no_check(web: Browser, numbers: dict[str, str]) -> None:
    assert (
        web.submit(
            f"/jobs/{numbers['handover']}/checks/leak_smoke", {"result:leak_found": "present"}
        ).status_code
        == 409
    )


def test_the_foreman_sees_how_right_the_rankings_were(as_person) -> None:
    assert as_person("odd").get("/reference/learning").status_code == 403
    page = as_person("maren").get("/reference/learning").text
    assert "finished jobs" in page and "Deposit round the throttle plate" in page and "<svg" in page


def test_an_unplugged_sensor_must_go_back_and_its_clock_runs(
    web: Browser, db: Session, numbers: dict[str, str], v6: str
) -> None:
    number = numbers["intake"]
    page = web.get(f"/jobs/{number}/checks/isolation_unplug").text
    assert "tampering" in page and "Air meter" in page
    refused = web.submit(f"/jobs/{number}/isolation", {"part": "maf_sensor"})
    assert refused.status_code == 422 and "School Q" in refused.text, (
        "not the shop's way, unless this job has a reason"
    )
    follow = {"letter": "Q", "choice": "timed", "back": "check"}
    assert web.submit(f"/jobs/{number}/plan/school", {**follow, "reason": "x"}).status_code == 422
    answer = web.submit(
        f"/jobs/{number}/plan/school", {**follow, "reason": "the meter's line is cut somewhere"}
    )
    assert answer.headers["location"].endswith("/checks/isolation_unplug")
    assert web.submit(f"/jobs/{number}/isolation", {"part": "map_sensor"}).status_code == 422
    assert web.submit(f"/jobs/{number}/isolation", {"part": "maf_sensor"}).status_code == 303
    twice = web.submit(f"/jobs/{number}/isolation", {"part": "maf_sensor", "n": "2"})
    assert twice.status_code == 422 and "unplugged already" in twice.text
    job = db.scalars(select(Job).where(Job.number == number)).unique().one()
    assert [i.kind for i in job.items if i.closed_at is None] == ["sensor unplugged"] and len(
        job.waits
    ) == 1
    assert "names no sensor that is safe" in web.get(f"/jobs/{v6}/checks/isolation_unplug").text


def test_a_makers_code_is_named_once_and_counts_on_every_job(
    web: Browser, db: Session, numbers: dict[str, str]
) -> None:
    number = numbers["intake"]
    web.submit(f"/jobs/{number}/codes", {"codes": "P1250"})
    assert (
        "Maker&#39;s own code" in web.get(f"/jobs/{number}/intake").text
        or "Maker's own code" in web.get(f"/jobs/{number}/intake").text
    )
    bad = web.submit(
        f"/jobs/{number}/maker-code",
        {"maker_code": "P0171", "maker_text": "x", "maker_group": "nonsense"},
    )
    assert bad.status_code == 422 and "generic meaning" in bad.text
    web.submit(
        f"/jobs/{number}/maker-code",
        {
            "maker_code": "P1250",
            "maker_text": "Throttle dirty <b>",
            "maker_group": "code_throttle_control",
        },
    )
    assert state_of(db, number, "code_throttle_control") == "present"
    assert "Throttle dirty &lt;b&gt;" in web.get(f"/jobs/{number}/intake").text
    web.submit(f"/jobs/{numbers['prove']}/codes", {"codes": "p1250"})
    assert "Throttle dirty" in web.get(f"/jobs/{numbers['prove']}/intake").text


def test_every_worksheet_opens_with_an_answer(web: Browser) -> None:
    from galene.web.worksheets.routes import SHEETS
    from tests.web.test_families import fields_of

    for name in SHEETS:
        page = web.get(f"/worksheets/{name}").text
        assert "Not yet" not in page, name
        form = page[page.index(f'hx-post="/worksheets/{name}"') :].replace(
            f'hx-post="/worksheets/{name}"', "", 1
        )
        sent = web.post(
            f"/worksheets/{name}",
            data=fields_of(f'<form action="x" {form}', "x"),
            headers={"origin": "http://127.0.0.1"},
        )
        assert sent.status_code == 200 and "Not yet" not in sent.text, (name, sent.text[:400])


@pytest.mark.parametrize(
    ("name", "given_", "field"),
    [
        (
            "actuator-drive-check",
            {
                "supply_v": 12.6,
                "coil_ohm": "14.5",
                "other_wire_leads_to": "fuse",
                "wire_limit_a": 10,
            },
            "jumper_allowed",
        ),
        (
            "sensor-line",
            {"points": [{"volts": 0.5, "kpa": 20}, {"volts": 4.5, "kpa": 250}], "volts": 2.1},
            "kpa",
        ),
        (
            "blast-positions",
            {
                "firing_order": [1, 3, 4, 2],
                "intake_opens_btdc_deg": 12,
                "intake_closes_abdc_deg": 52,
            },
            "positions",
        ),
        (
            "bore-restriction",
            {"bore_mm": "2 in", "thickness_mm": [1, 1, 1, 1]},
            "open_area_percent",
        ),
        (
            "fuel-economy-change",
            {"before": [{"litres": 40, "km": 500}], "after": [{"litres": 36, "km": 500}]},
            "change_percent",
        ),
    ],
)
def test_the_route_answers_as_the_command_line_does(
    web: Browser, name: str, given_: dict[str, object], field: str
) -> None:
    from galene.exchange.calculations import calculate

    answer = web.post(
        f"/api/v1/calculations/{name}", json=given_, headers={"origin": "http://127.0.0.1"}
    )
    assert (
        answer.status_code == 200
        and answer.json() == calculate(name, given_)
        and field in answer.json()
    )
    refused = web.post(
        f"/api/v1/calculations/{name}",
        json={**given_, "colour": 1},
        headers={"origin": "http://127.0.0.1"},
    )
    assert refused.status_code == 422 and "colour" in refused.json()["error"]


def test_a_checks_second_word_takes_back_its_first(web: Browser, db: Session) -> None:
    number = db.scalars(select(Job.number).where(Job.family_id == "E", Job.state == "open")).one()
    path = f"/jobs/{number}/checks/egr_dp_crosscheck"
    figures = {
        "displacement_l": "7.8",
        "volumetric_efficiency": "0.88",
        "rpm": "1200",
        "map_kpa": "118",
        "charge_c": "55",
        "maf_g_s": "70",
        "gas_kpa": "118",
        "gas_c": "120",
        "pipe_mm": "50",
        "throat_mm": "28",
        "dp_pa": "9000",
    }
    assert web.submit(path, figures).status_code == 303
    assert state_of(db, number, "dp_reads_high_after_cleaning") == "present"
    assert web.submit(path, {**figures, "dp_pa": "300"}).status_code == 303
    assert state_of(db, number, "dp_reads_high_after_cleaning") is None


def test_the_diagnosis_says_what_to_do_in_which_order(web: Browser, db: Session) -> None:
    number = db.scalars(
        select(Job.number).where(Job.family_id == "D", Job.state == "open").order_by(Job.number)
    ).first()
    page = flat(web.get(f"/jobs/{number}/diagnosis"))
    order = page[page.index("What to do in which order") : page.index("What feeds it?")]
    assert order.index("1. Clean: recirculation passage plugged") < order.index(
        "Clean: recirculation cooler plugged"
    )
    assert order.count("<tr>") <= 5


def test_every_check_says_what_it_needs_and_what_is_sound(
    web: Browser, db: Session, v6: str
) -> None:
    assert all(c.needs and c.shows for c in KNOWLEDGE.checks.values())
    page = web.get(f"/jobs/{v6}/checks/look_maf").text
    assert (
        "Have at hand" in page
        and "Element and wires are bright" in page
        and "Air meter</b>:" in page
    ), "what, what is sound, and where it sits"


def test_the_order_of_repair_is_weighed_against_new_parts(web: Browser, db: Session) -> None:
    job = db.scalars(select(Job).where(Job.family_id == "B", Job.stage == "work")).unique().one()
    ranking = diagnosis.assess_job(job, 72.0)
    against = diagnosis.against_new_parts(job, ranking, 72.0)
    assert (
        against is not None
        and against.order[0].id == "egr_passage_plugged"
        and against.order[0].chance_it_ends_here > 0.5
    )
    assert (
        against.replace_first.order[0].id.startswith("new:")
        and against.expected_cost < against.replace_first.expected_cost
    )
    page = web.get(f"/jobs/{job.number}/diagnosis").text
    plain = re.sub(r"(?<=\d)\s(?=\d)", "", page)
    assert (
        f"{against.expected_cost:.2f}" in plain
        and f"{against.replace_first.expected_cost:.2f}" in plain
    )


def test_every_check_is_drawn_with_what_it_is_made_with() -> None:
    assert set(PROBES) == set(KNOWLEDGE.checks)


def test_the_probe_stands_at_the_parts_that_are_looked_at(web: Browser, db: Session) -> None:
    hauler = newest_job(db, "QN-501")
    look = web.get(f"/jobs/{hauler}/checks/look_egr_cooler").text
    assert look.count('class="probe"') == look.count('class="lit"') == 1
    key_on = web.get(f"/jobs/{hauler}/checks/key_on_agreement").text
    assert key_on.count('class="probe"') == 3 + 1, "its pressure sensors: manifold, charge, exhaust"
    level = web.get(f"/jobs/{hauler}/checks/coolant_level_cold").text
    assert 'class="probe"' not in level, "the tank is no part of the air path"
    assert 'class="probe"' not in web.get(f"/jobs/{hauler}/evidence").text
