"""Templates of steps and relearns: what is refused and at which field, versions, and what a planned
job keeps."""

from copy import deepcopy
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from sqlalchemy import select
from sqlalchemy.orm import Session

from galene.core.planning.template_faults import in_variant, procedure_faults, relearn_faults
from galene.exchange.templates import SHIPPED, document_of, template_of, unmarked
from galene.jobs import plan, prove, templates, work
from galene.jobs.act import Act, family_of, find_job, revision
from galene.jobs.errors import Invalid, Missing, NotAllowed, Refused, Stale
from galene.jobs.planning import planned, works_of
from galene.knowledge.procedures import PROCEDURES
from galene.knowledge.relearns import RELEARNS
from galene.knowledge.variants import TAG_WORDS, WORDS, variants_of
from galene.store.models import AuditEntry, Job, TemplateVersion, Workshop
from tests.conftest import demo_jobs
from tests.often import walks


def unworked(db: Session) -> str:
    """The demo's open job of family A on which no work has begun."""
    return next(
        j.number
        for j in db.scalars(select(Job).where(Job.family_id == "A", Job.state == "open")).unique()
        if not j.steps
    )


def steps_of(component: str) -> dict[str, Any]:
    """A procedure as the editor sends it."""
    return deepcopy(document_of("procedure", PROCEDURES[component]))


@pytest.mark.parametrize(
    ("kind", "name"), [(kind, name) for kind in SHIPPED for name in SHIPPED[kind]]
)
def test_what_ships_has_no_fault_and_comes_back_exactly(kind: str, name: str) -> None:
    template = SHIPPED[kind][name]
    assert templates.faults_of(kind, template) == []
    assert template_of(kind, document_of(kind, template)) == template


def test_every_tag_of_a_template_is_one_that_a_school_can_give() -> None:
    for name, procedure in PROCEDURES.items():
        given_tags = {t for v in variants_of(name) for t in v.tags}
        for step in procedure.steps:
            assert set(step.when) <= given_tags, (name, step.key)
            assert set(step.when) <= TAG_WORDS.keys()
            worked = any(
                set(step.when) <= v.tags and v.work in step.works for v in variants_of(name)
            )
            assert worked or name == "inspect_only", f"{name}: {step.key} is never worked"


def faults(document: dict[str, Any]) -> dict[str, str]:
    return {
        f.place: f.text
        for f in templates.faults_of("procedure", template_of("procedure", document))
    }


def test_a_template_that_opens_and_never_closes_is_refused_at_that_step() -> None:
    document = steps_of("throttle_body")
    at = next(i for i, s in enumerate(document["steps"]) if s["key"] == "rag_out")
    opened = next(i for i, s in enumerate(document["steps"]) if s["key"] == "rag")
    del document["steps"][at]
    found = faults(document)
    assert (
        set(found) == {f"steps[{opened}].opens"}
        and "never closed, under" in found[f"steps[{opened}].opens"]
    )
    closed_twice = steps_of("throttle_body")
    closed_twice["steps"].append({**closed_twice["steps"][at], "key": "again"})
    assert (
        "is closed already"
        in faults(closed_twice)[f"steps[{len(closed_twice['steps']) - 1}].closes"]
    )


@pytest.mark.parametrize(
    ("component", "change", "place", "words"),
    [
        ("maf_sensor", {"agent": "carburettor_cleaner"}, "agent", "hot_element"),
        ("map_sensor", {"agent": "egr_cleaner"}, "agent", "Forbidden on this part"),
        ("maf_sensor", {"agent": "soup"}, "agent", "no class of agent"),
        ("maf_sensor", {"agent_ml": 0.0}, "agent_ml", "neither or both"),
        ("maf_sensor", {"text": "  "}, "text", "characters"),
        ("maf_sensor", {"minutes": 900.0}, "minutes", "0 to 600"),
        ("maf_sensor", {"when": ["on_cloth"], "key": "Bad key"}, "key", "no id"),
        ("maf_sensor", {"when": ["tomorrow"]}, "when", "not known"),
        ("maf_sensor", {"cautions": ["ghosts"]}, "cautions", "not known"),
        ("maf_sensor", {"needs": ["moonlight"]}, "needs", "not known"),
        ("maf_sensor", {"place": "attic"}, "place", "none of"),
        ("maf_sensor", {"closes": ["What nobody opened"]}, "closes", "not opened before"),
        (
            "maf_sensor",
            {"wait": {"name": "drying", "base_minutes": 0.0, "reason": "It is wet", "dries": None}},
            "wait",
            "above 0",
        ),
        (
            "maf_sensor",
            {"wait": {"name": "drying", "base_minutes": 5.0, "reason": "", "dries": None}},
            "wait",
            "why it waits",
        ),
        (
            "maf_sensor",
            {
                "wait": {
                    "name": "drying",
                    "base_minutes": 5.0,
                    "reason": "It is wet",
                    "dries": "soup",
                }
            },
            "wait",
            "no known rule",
        ),
        (
            "maf_sensor",
            {
                "opens": [
                    {
                        "what": "Gate",
                        "kind": "gate",
                        "count": 1,
                        "before": "start",
                        "dangerous": False,
                    }
                ]
            },
            "opens",
            "known kind",
        ),
        (
            "maf_sensor",
            {
                "records": [
                    {"id": "ok", "kind": "yes_no", "label": "Is it well", "consequences": []}
                ]
            },
            "records",
            "bad answer does",
        ),
        (
            "maf_sensor",
            {
                "records": [
                    {
                        "id": "ok",
                        "kind": "yes_no",
                        "label": "Is it well",
                        "consequences": [{"answer": "no", "kind": "stop", "text": ""}],
                    }
                ]
            },
            "records",
            "bad answer means",
        ),
        (
            "maf_sensor",
            {
                "records": [
                    {
                        "id": "ok",
                        "kind": "yes_no",
                        "label": "Is it well",
                        "consequences": [{"answer": "no", "kind": "more", "text": "look"}],
                    }
                ]
            },
            "records",
            "join the scope",
        ),
        ("maf_sensor", {"works": []}, "works", "at least one"),
    ],
)
def test_what_is_wrong_with_a_step_stands_at_its_field(
    component: str, change: dict[str, Any], place: str, words: str
) -> None:
    document = steps_of(component)
    at = next(i for i, s in enumerate(document["steps"]) if s["treats"])
    document["steps"][at] |= change
    found = faults(document)
    assert words in found[f"steps[{at}].{place}"], found


@settings(max_examples=walks(), deadline=None)
@given(st.data())
def test_a_template_with_a_step_taken_out_is_whole_or_is_refused(data: st.DataObject) -> None:
    """Whatever is taken out: either no variant has anything open at its end, or the fault names a
    step."""
    document = steps_of(data.draw(st.sampled_from(sorted(PROCEDURES))))
    for _ in range(min(data.draw(st.integers(1, 3)), len(document["steps"]))):
        del document["steps"][data.draw(st.integers(0, len(document["steps"]) - 1))]
    procedure = template_of("procedure", document)
    variants = variants_of(procedure.component)
    found = procedure_faults(procedure, variants, WORDS)
    open_at_end = not document["steps"]
    for variant in variants:
        steps = [s for _, s in in_variant(procedure, variant)]
        opened, closed = (
            [o.what for s in steps for o in s.opens],
            [c for s in steps for c in s.closes],
        )
        open_at_end |= sorted(opened) != sorted(closed) or (not steps and variant.work == "clean")
    assert bool(found) == open_at_end


@pytest.mark.parametrize(
    ("change", "place"),
    [
        ({"success": ""}, "success"),
        ({"success": "fine"}, "success"),
        ({"failure": ""}, "failure"),
        ({"phases": []}, "phases"),
        ({"title": ""}, "title"),
    ],
)
def test_a_relearn_without_a_test_of_success_is_refused_at_its_field(
    maren: Act, change: dict[str, Any], place: str
) -> None:
    document = {**document_of("relearn", RELEARNS["throttle_manual"]), **change}
    assert place in {f.place for f in relearn_faults(template_of("relearn", document))}
    with pytest.raises(Invalid) as fault:
        templates.save_template(
            maren,
            "relearn",
            "throttle_manual",
            family_id="",
            document=document,
            note="shorter",
            seen=0,
        )
    assert place in fault.value.fields


def test_holds_that_can_not_be(maren: Act) -> None:
    document = document_of("relearn", RELEARNS["throttle_manual"])
    document["phases"][1] |= {"hold_minutes": 0.0, "normal": ""}
    document["conditions"][0][1] = ""
    found = {f.place for f in relearn_faults(template_of("relearn", document))}
    assert found == {"phases[1].hold_minutes", "phases[1].normal", "conditions[0]"}


def test_versions_are_the_foremans_and_nobody_overwrites_another(odd: Act, maren: Act) -> None:
    document = steps_of("maf_sensor")
    document["steps"][0]["text"] = "Look at the element with the bay's own lamp"
    with pytest.raises(NotAllowed):
        templates.save_template(
            odd, "procedure", "maf_sensor", family_id="", document=document, note="our lamp", seen=0
        )
    with pytest.raises(Missing):
        templates.save_template(
            maren,
            "procedure",
            "sail_maker",
            family_id="",
            document=document,
            note="our lamp",
            seen=0,
        )
    with pytest.raises(Invalid) as fault:
        templates.save_template(
            maren, "procedure", "maf_sensor", family_id="", document=document, note=" ", seen=0
        )
    assert set(fault.value.fields) == {"note"}
    with pytest.raises(Invalid):
        templates.save_template(
            maren,
            "procedure",
            "air_filter",
            family_id="",
            document=document,
            note="the wrong part",
            seen=0,
        )
    with pytest.raises(Invalid) as fault:
        templates.save_template(
            maren,
            "procedure",
            "maf_sensor",
            family_id="",
            document={**document, "colour": "red"},
            note="a slip",
            seen=0,
        )
    assert "no such field" in str(fault.value.fields)
    first = templates.save_template(
        maren, "procedure", "maf_sensor", family_id="", document=document, note="our lamp", seen=0
    )
    with pytest.raises(Stale, match="the template"):
        templates.save_template(
            maren,
            "procedure",
            "maf_sensor",
            family_id="",
            document=document,
            note="at the same time",
            seen=0,
        )
    assert first.version == 1 and maren.db.scalars(
        select(AuditEntry.action).where(AuditEntry.action == "template_saved")
    ).all() == ["template_saved"]


def test_a_familys_own_stands_over_the_general_one_and_can_be_taken_back(maren: Act) -> None:
    general, own = steps_of("maf_sensor"), steps_of("maf_sensor")
    general["title"], own["title"] = "Meter, as we do it", "Meter of family A"
    templates.save_template(
        maren, "procedure", "maf_sensor", family_id="", document=general, note="for all", seen=0
    )
    templates.save_template(
        maren, "procedure", "maf_sensor", family_id="A", document=own, note="for A", seen=0
    )

    def title(family: str) -> str:
        return templates.in_force(maren.db, "procedure", "maf_sensor", family_id=family).title

    assert [title("A"), title("B")] == ["Meter of family A", "Meter, as we do it"]
    templates.save_template(
        maren, "procedure", "maf_sensor", family_id="A", document=None, note="taken back", seen=1
    )
    assert title("A") == "Meter, as we do it"
    templates.save_template(
        maren, "procedure", "maf_sensor", family_id="", document=None, note="taken back", seen=1
    )
    assert title("A") == PROCEDURES["maf_sensor"].title and templates.all_in_force(maren.db) == []


def _meter_with(text: str) -> dict[str, Any]:
    document = steps_of("maf_sensor")
    document["steps"][0]["text"] = text
    return document


def _relearn_with(success: str) -> dict[str, Any]:
    return {**document_of("relearn", RELEARNS["throttle_manual"]), "success": success}


def test_a_planned_job_keeps_the_templates_that_it_was_planned_with(
    odd: Act, maren: Act, db: Session
) -> None:
    number = unworked(db)
    templates.save_template(
        maren,
        "procedure",
        "maf_sensor",
        family_id="",
        document=_meter_with("Look at it as planned"),
        note="one",
        seen=0,
    )
    templates.save_template(
        maren,
        "relearn",
        "throttle_manual",
        family_id="",
        document=_relearn_with("It idles as planned."),
        note="one",
        seen=0,
    )
    job = plan.save_plan(
        odd,
        number,
        ["maf_sensor", "throttle_body"],
        extra_spares=[],
        seen=revision(find_job(db, number), "plan"),
    )
    templates.save_template(
        maren,
        "procedure",
        "maf_sensor",
        family_id="",
        document=_meter_with("Look at it otherwise"),
        note="two",
        seen=1,
    )
    templates.save_template(
        maren,
        "relearn",
        "throttle_manual",
        family_id="",
        document=_relearn_with("It idles otherwise."),
        note="two",
        seen=1,
    )
    plan.approve_plan(odd, number, job.plans[0].version, who="the keeper")
    job.before_missing_reason = "came on a trailer"
    job = work.begin_work(
        odd, number, 18, humidity=0.5, seen=revision(find_job(db, number), "work")
    )
    texts = [s.document.text for s in job.steps]
    assert "Look at it as planned" in texts and "Look at it otherwise" not in texts
    assert prove.relearns_of(job)[-1].success == "It idles as planned."
    fresh = planned(job, works_of(job, ["maf_sensor"]), db.get_one(Workshop, 1)).plan.steps
    assert "Look at it otherwise" in [s.text for s in fresh], "the next plan takes what is in force"


def test_an_own_steps_agent_is_judged_on_the_parts_own_features(maren: Act, db: Session) -> None:
    """An agent that the kind bears and this family's coated bore does not is replaced on the
    card."""
    document = steps_of("throttle_body")
    for step in document["steps"]:
        if step["agent"]:
            step["agent"] = "carburettor_cleaner"
    refused = templates.faults_of("procedure", template_of("procedure", document))
    assert refused == [], "on cloth it is borne by a plain bore"
    templates.save_template(
        maren,
        "procedure",
        "throttle_body",
        family_id="",
        document=document,
        note="what is in the store",
        seen=0,
    )
    job = find_job(db, next(iter(demo_jobs(db).values())))
    shop = db.get_one(Workshop, 1)
    part = family_of(job).part("throttle_body")
    steps = planned(job, works_of(job, ["throttle_body"]), shop).plan.steps
    used = {s.agent.class_id for s in steps if s.agent}
    assert used == (
        {"throttle_cleaner"} if "coated_bore" in part.features else {"carburettor_cleaner"}
    )


def test_schools_that_changed_after_the_plan_are_planned_anew(odd: Act, db: Session) -> None:
    number = unworked(db)
    job = plan.save_plan(
        odd, number, ["throttle_body"], extra_spares=[], seen=revision(find_job(db, number), "plan")
    )
    plan.approve_plan(odd, number, job.plans[0].version, who="the keeper")
    plan.override_school(odd, number, "C", choice="fixed_hour", reason="damp weather", seen=0)
    with pytest.raises(Refused, match="since the plan"):
        work.begin_work(odd, number, 18, humidity=0.5, seen=0)
    with pytest.raises(Stale):
        plan.override_school(odd, number, "D", choice="never", reason="the maker says so", seen=0)
    plan.override_school(odd, number, "C", choice="", reason="", seen=1)
    find_job(db, number).before_missing_reason = "came on a trailer"
    assert work.begin_work(odd, number, 18, humidity=0.5, seen=0).steps


def older(document: dict[str, Any]) -> dict[str, Any]:
    """A template as it was kept before steps said what the hand does."""
    marks = ("acts", "through", "dirties", "judges", "seals", "sees", "speaks_of", "about")
    steps = [{k: v for k, v in s.items() if k not in marks} for s in document["steps"]]
    return {**document, "steps": steps}


def test_an_older_wording_has_the_marks_of_its_step() -> None:
    shipped = PROCEDURES["maf_sensor"]
    document = older(document_of("procedure", shipped))
    document["steps"][1]["text"] = "Look hard at the element"
    read = template_of("procedure", document)
    assert [s.acts for s in read.steps] == [s.acts for s in shipped.steps]
    assert unmarked(read) == ()


def test_an_older_step_of_ones_own_is_asked_what_the_hand_does() -> None:
    document = older(document_of("procedure", PROCEDURES["maf_sensor"]))
    document["steps"].append({**document["steps"][1], "key": "sing", "text": "Sing to it"})
    read = template_of("procedure", document)
    assert unmarked(read) == (len(read.steps),)


def test_what_does_not_say_it_is_planned_with_only_when_it_does(maren: Act, db: Session) -> None:
    number, workshop = unworked(db), db.scalars(select(Workshop)).one()
    job = find_job(db, number)
    document = older(document_of("procedure", PROCEDURES["maf_sensor"]))
    document["steps"].append({**document["steps"][1], "key": "sing", "text": "Sing to it"})
    db.add(
        TemplateVersion(
            kind="procedure",
            template_id="maf_sensor",
            family_id="A",
            version=1,
            document=document,
            note="as it was kept",
            made_at=maren.now,
            person_id=maren.person.id,
        )
    )
    db.flush()
    with pytest.raises(Refused, match="say at step") as refused:
        planned(job, works_of(job, ["maf_sensor"]), workshop)
    assert list(refused.value.at.values()) == ["/reference/templates/procedure/maf_sensor?family=A"]
    # The page that it leads to opens, and there it can be said.
    own = templates.in_force(db, "procedure", "maf_sensor", family_id="A")
    told = document_of("procedure", own)
    told["steps"][-1]["acts"] = ["listen"]
    templates.save_template(
        maren, "procedure", "maf_sensor", family_id="A", document=told, note="it is heard", seen=1
    )
    assert planned(job, works_of(job, ["maf_sensor"]), workshop).plan.steps
