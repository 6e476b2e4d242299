"""Reports and owner's pages of random signed jobs over six families: what they claim follows from
what the store holds."""

import re
from random import Random
from typing import Any

import pytest
from lxml import html  # type: ignore[import-untyped]
from sqlalchemy.orm import Session

from galene.core.airpath.family import EngineFamily
from galene.core.errors import InputError
from galene.core.jobcard.job_records import BulletinLookup, ConfirmedCause
from galene.jobs import card, checks, handover, intake, proof, work
from galene.jobs.act import Act, family_of, revision
from galene.jobs.errors import Invalid, Refused
from galene.jobs.stages import lacks
from galene.jobs.work import parts_used
from galene.knowledge.agents import AGENTS
from galene.knowledge.base import KNOWLEDGE, outline_of
from galene.knowledge.families import FAMILIES
from galene.store.models import Job
from galene.store.repositories import people
from galene.web.handover.routes import context
from galene.web.shared.templating import TEMPLATES
from tests.jobs.hands import begun, do
from tests.jobs.test_driver import WORKS, answered, tick
from tests.often import often

MOST_STEPS = 300
HAS_NOT: tuple[tuple[str, Any], ...] = (
    (r"coolant|hot water", lambda f: f.cooling == "liquid"),
    (r"parking brake|pedal|chock", lambda f: f.cycle == "four_stroke"),
    (r"burn-off|particulate", lambda f: "particulate_filter" in f.components),
    (r"charge pressure|boost|turbine", lambda f: "turbine" in f.components),
    (r"recirculation", lambda f: "egr_valve" in f.components),
    (r"common rail|injector", lambda f: f.injection == "direct" or f.fuel == "diesel"),
)
"""Words that are false where a vehicle has not what they speak of."""


def words(page: str) -> str:
    """What a page says, on one line."""
    root = html.fromstring(page)
    for other in root.xpath("//script|//style|//svg|//nav"):
        other.drop_tree()
    return " ".join(root.text_content().split())


def signed(
    random: Random,
    odd: Act,
    maren: Act,
    *,
    plate: str,
    family: EngineFamily,
    also: tuple[str, ...] = (),
) -> Job:
    """A job with random work, answers, tests and causes, signed by the foreman; `also` are parts
    that are in it besides two by chance."""
    for _ in range(60):
        others = [p.id for p in family.parts if p.id not in also]
        parts = [*also, *random.sample(others, 2)]
        kinds = {p: random.choice(WORKS) for p in parts}
        try:
            job = begun(odd, family.id, *parts, kinds=kinds, plate=plate, up_to=9000.0)
            break
        except (InputError, Invalid, Refused):
            odd.db.rollback()
    if random.random() < 0.5:
        job.hours = 1200.0
    else:
        job.distance_km = 90_000.0
    job.bulletins = BulletinLookup(source="number", outcome="none", by="Odd", at=odd.now)
    for evidence in random.sample(["rough_idle", "hesitation", "low_power_all_range"], 2):
        intake.observe(odd, job, evidence, state="present", source="symptom")
    for _ in range(MOST_STEPS):
        if job.card.held is not None:
            maren.now = odd.now
            work.resolve(maren, job.number, "looked at it together, it may go on")
            continue
        row = card.first_left(job)
        if row is None:
            break
        if row.document.act == "tick" and random.random() < 0.15:
            try:
                with odd.db.begin_nested():
                    tick(odd, job, row, given=answered(random, row.document, bad=True))
            except (Refused, Invalid):
                odd.db.expire_all()
        else:
            do(odd, job, row)
    looks = [c for c in KNOWLEDGE.checks.values() if c.yields and not checks.why_not(c, family)]
    for check in random.sample(looks, min(3, len(looks))):
        said = {e: random.choice(["present", "absent"]) for e in check.yields}
        try:
            with odd.db.begin_nested():
                checks.look_after(odd, job.number, check.id, results=said)
        except (Refused, Invalid):
            odd.db.expire_all()
    outline = outline_of(family)
    ranked = [c for c in KNOWLEDGE.causes.values() if c.possible_on(outline)]
    causes = tuple(ConfirmedCause(id=c.id) for c in random.sample(ranked, random.choice([1, 2])))
    it_was = handover.ItWas(causes=causes, unsure=random.random() < 0.1)
    seen = revision(job, "handover")
    handover.save_handover(odd, job.number, it_was, advice="", fed=False, seen=seen)
    maren.now = odd.now
    missing = [
        lack.text for s in ("intake", "evidence", "plan", "work", "prove") for lack in lacks(job, s)
    ]
    assert not missing, missing
    handover.sign(maren, job.number)
    return job


def page_of(db: Session, job: Job, *, owner_reads: bool) -> str:
    shop = people.workshop(db)
    told = {
        "paper": True,
        "shop": shop,
        "system": shop.system,
        "now": job.signed_at,
        "faults": {},
        "entered": None,
        **context(db, shop, job),
        "owner_reads": owner_reads,
    }
    return words(TEMPLATES.get_template("report.html").render(told))


@pytest.mark.parametrize("seed", range(often(6, 60)))
def test_what_a_report_claims_the_store_holds(odd: Act, maren: Act, seed: int) -> None:
    random = Random(7000 + seed)
    family = FAMILIES["ABCDEF"[seed % 6]]
    job = signed(random, odd, maren, plate=f"RR-{seed:03}", family=family)
    text = page_of(odd.db, job, owner_reads=False)
    told = proof.told_of(odd.db, job)
    _proof_is_true(text, job, told)
    _work_is_true(text, job)
    _speaks_of_this_vehicle(text, job, family)
    owner = page_of(odd.db, job, owner_reads=True)
    for inner in ("Shop policy", "Versions of the plan", "95 % interval", "School "):
        assert inner not in owner, inner


def _proof_is_true(text: str, job: Job, told: proof.Told) -> None:
    stands = {c.title[:1].lower() + c.title[1:]: c for c in told.proof.causes}
    for name in re.findall(r"what showed “([^”]+)” shows it no more", text, re.IGNORECASE):
        cause = stands[name]
        assert cause.verdict == "passed" and cause.shown and job.engine_started_at, name
        assert job.handover.said
    passed = {t.test for t in told.proof.tests if t.verdict == "passed"}
    for missing in told.proof.missing:
        kind, _, name = missing.partition(":")
        assert kind != "test" or name not in passed, "a test that passed is not still to come"
    if told.proof.verdict == "proven":
        assert not told.proof.missing
        assert not any(r.verdict == "worse" for r in told.proof.readings if _own(told, r.metric))


def _own(told: proof.Told, metric: str) -> bool:
    return any(metric in t.metrics for c in told.causes for t in c.tests)


def _work_is_true(text: str, job: Job) -> None:
    family = family_of(job)
    done = [r.document for r in job.steps if r.done_at and not r.records.left_out]
    fitted = set(parts_used(job))
    for part in family.parts:
        found = re.search(
            rf"{re.escape(part.name)}: ((?:Cleaned|Looked|Fitted|Upkeep)[^.]*)\.", text
        )
        if not found:
            continue
        mine = [s for s in done if part.id in (s.treats or (s.part,))]
        wet = {AGENTS[s.agent.class_id].title.lower() for s in mine if s.agent}
        for agent in AGENTS.values():
            if agent.title.lower() in found[1]:
                assert agent.title.lower() in wet, (part.id, found[1])
        assert found[1].startswith("Fitted new") == (part.id in fitted), (part.id, found[1])
        if part.id in fitted:
            row = re.search(rf"{re.escape(part.name)} grade \d[^–]{{0,40}}–", text)
            assert row or f"{part.name} grade" not in text, "what is new has no grade left"


def _speaks_of_this_vehicle(text: str, job: Job, family: EngineFamily) -> None:
    said = re.sub(r"Labels, safety data.*", "", text)
    raw = re.findall(r"\b[a-z]+_[a-z_]+\b", said)
    assert not raw, raw
    for pattern, has in HAS_NOT:
        if not has(family):
            found = re.search(pattern, said, re.IGNORECASE)
            assert found is None, (family.id, pattern, said[max(0, found.start() - 60) :][:140])
    if job.hours is not None and job.distance_km is None:
        assert not re.search(r"Next look at [\d\s]+ km", said)
    if job.distance_km is not None and job.hours is None:
        assert not re.search(r"Next look at [\d\s]+ h\b", said)
