"""The card of a job: its rows made from a plan, planned anew from the state as it is."""

from collections.abc import Callable, Collection, Sequence
from dataclasses import replace

from galene.core.errors import InputError
from galene.core.jobcard.gates import not_its_turn, out_of_order
from galene.core.jobcard.pick import pick_list
from galene.core.jobcard.records import Card, CardItem, CardStep, CardWait, Refusal
from galene.core.planning.answers import changes_of
from galene.core.planning.car import Car, car_after
from galene.core.planning.case import Case, Trade
from galene.core.planning.document import FindNote, PlanDocument, StepAnswers
from galene.core.planning.records import Air, Answer, Step
from galene.core.planning.records import Plan as CorePlan
from galene.core.planning.words import Act as StepAct
from galene.exchange.templates import templates_with
from galene.jobs.act import Act, family_of
from galene.jobs.diagnosis import dangers_of
from galene.jobs.errors import Invalid, Refused
from galene.jobs.planning import document_for, proven, trade_of
from galene.jobs.rounds import done_steps, rows_of_round
from galene.knowledge.cautions import SERIOUS
from galene.knowledge.components import deposits_of
from galene.store.models import ItemRow, Job, Plan, StepRow, WaitRow
from galene.store.repositories import people

WITHIN = "within what was agreed"
Asked = Callable[[Card, CardStep, str], Refusal | None]
"""What is asked of a step before it is done."""


def card_of(
    job: Job,
    *,
    dangers: tuple[str, ...] = (),
    jumper_allowed: bool = False,
    with_cautions: bool = True,
) -> Card:
    """The card of the running round as the core reads it.

    Parameters
    ----------
    dangers : sentences of dangers that forbid to turn the engine; only what turns it needs them
    jumper_allowed : what the check of the drive side said; only a step with a jumper needs it
    with_cautions : read which cautions were read; gates do not ask
    """
    newest = job.plans[0].document if job.plans else None
    return Card(
        steps=tuple(_card_step(row) for row in rows_of_round(job)),
        start=job.card.start,
        held=job.card.held,
        items=tuple(_card_item(row) for row in job.items),
        waits=tuple(_card_wait(row) for row in job.waits),
        counted={what: (went_in, out) for what, (went_in, out) in job.counted.items()},
        cautions_read=frozenset(a.caution for a in (job.acknowledgements if with_cautions else ())),
        serious=SERIOUS,
        deposits=frozenset(deposits_of(family_of(job))),
        picks=pick_list(newest.bill) if newest else {},
        pick=job.pick,
        engine_started=job.engine_started_at is not None,
        start_opened="start" in job.gates,
        asks_first=frozenset(newest.changed) if newest and waits_for_approval(job) else None,
        jumper_allowed=jumper_allowed,
        began=job.work_began_at,
        dangers=dangers,
    )


def _card_step(row: StepRow) -> CardStep:
    return CardStep(
        id=row.id,
        position=row.position,
        step=row.document,
        answers=row.records,
        done_at=row.done_at,
        done_by=row.done_by.name if row.done_by else "",
        early_reason=row.early_reason,
    )


def _card_item(row: ItemRow) -> CardItem:
    return CardItem(
        id=row.id,
        key=row.key,
        what=row.what,
        kind=row.kind,
        part=row.part,
        count=row.count,
        before=row.before,
        dangerous=row.dangerous,
        opened_by=row.opened_by.name,
        opened_at=row.opened_at,
        looked_at=row.looked_at,
        closed_at=row.closed_at,
    )


def _card_wait(row: WaitRow) -> CardWait:
    return CardWait(
        id=row.id,
        name=row.name,
        reason=row.reason,
        started_at=row.started_at,
        ends_at=row.ends_at,
        cut_short=row.cut_short,
    )


def refuse(refusal: Refusal) -> Refused | Invalid:
    """A refusal of the core as the error that the web shows."""
    if refusal.faults:
        return Invalid(dict(refusal.faults))
    return Refused(refusal.title, list(refusal.reasons), refusal.may_override)


def case_of(job: Job) -> Case:
    """The case of the round as it stands: what was agreed, and what joined it since."""
    document, card = job.plans[0].document, job.card
    works = {w.part: w for w in (*card.works, *card.joined)}
    hand = frozenset(
        i.kind
        for i in job.items
        if i.key.startswith("hand:") and i.kind in ("coolant low", "fuel line open")
    )
    return Case(
        family=family_of(job),
        works=tuple(works.values()),
        policy=document.policy,
        air=Air(
            temperature_c=job.bay_air.temperature_c,
            humidity=job.bay_air.humidity,
        ),
        start=card.start,
        finds=card.finds,
        resolved=frozenset(r.record for r in card.resolved),
        hand_items=hand,
        relearns=card.relearns,
        own_steps=card.own_steps,
        liquid=bool(dangers_of(job)),
    )


def trade_of_card(job: Job) -> Trade:
    """What the trade says for the round, by the templates that its plan was made with."""
    document = job.plans[0].document
    return trade_of(job, document.policy, templates_with(document.templates))


def car_of(job: Job) -> Car:
    """The model of the car after what is done."""
    return car_after(job.card.start, done_steps(job))


def answers_of(job: Job) -> list[Answer]:
    """Every answer of the round with what it did, in the order of answering."""
    return changes_of(done_steps(job), frozenset(r.record for r in job.card.resolved)).answers


def lay_out(act: Act, job: Job, steps: Sequence[Step]) -> None:
    """Make the rows of the round from a plan's steps.

    Rows that are done stay as they were done; of those that are left, a step that the new plan has
    keeps its row, so that a card that is open somewhere still knows it.
    """
    rows = rows_of_round(job)
    done = {r.document.id for r in rows if r.done_at}
    left = {r.document.id: r for r in rows if r.done_at is None}
    wanted = [s for s in steps if s.id not in done]
    gone = [r for step_id, r in left.items() if step_id not in {s.id for s in wanted}]
    for row in gone:
        job.steps.remove(row)
    act.db.flush()
    # Positions are unique: move all that stay out of the way, then lay them down in order.
    for i, row in enumerate(r for r in left.values() if r not in gone):
        row.position = 1_000_000 + i
    act.db.flush()
    at = max((r.position for r in rows if r.done_at), default=job.card.first - 1) + 1
    for position, step in enumerate(wanted, at):
        kept = left.get(step.id)
        if kept is None:
            job.steps.append(
                StepRow(
                    position=position,
                    document=step,
                    records=StepAnswers(),
                    done_at=None,
                    done_by_id=None,
                )
            )
            continue
        kept.position = position
        was = kept.document.was
        if was:
            step = replace(step, text=kept.document.text, minutes=kept.document.minutes, was=was)
        if kept.document != step:
            kept.document = step
    act.db.flush()
    job.steps.sort(key=lambda r: r.position)


def replan(act: Act, job: Job, *, why: str = "", find: FindNote | None = None) -> CorePlan:
    """Plan the rest of the round from the state as it is.

    Where parts, minutes or spares change, the plan gets a new version, which is agreed to by itself
    while it stays within what was agreed.

    Raises
    ------
    Refused
        What is asked for can not be planned, or would not hold.
    """
    case, trade = case_of(job), trade_of_card(job)
    done = done_steps(job)
    try:
        if any(d.left_out for d in done) or job.gates.get("start"):
            # What was left out or overridden is on record with its reason; it is not held against
            # the rest.
            from galene.core.planning.planner import make_plan

            plan = make_plan(case, trade, done)
        else:
            plan = proven(case, trade, done, resolved=tuple(case.resolved))
    except InputError as fault:
        raise Refused("This can not be planned", [f"{fault.value}: {fault.allowed}"]) from fault
    had = {r.document.id for r in rows_of_round(job)}
    more = {p for s in plan.steps if s.id not in had for p in (s.part, *s.treats) if p}
    lay_out(act, job, plan.steps)
    job.card = replace(job.card, held=plan.held)
    _next_version(act, job, case, trade=trade, plan=plan, more=more, why=why, find=find)
    return plan


def _carried_on(
    document: PlanDocument, old: Plan, *, more: Collection[str], why: str, find: FindNote | None
) -> PlanDocument:
    """The document with what changed since somebody agreed, and what was found on the way."""
    before = {w.part: w.work for w in old.document.works}
    other_work = {w.part for w in document.works if before.get(w.part) != w.work}
    # What an earlier version asks for is asked for until somebody agrees.
    asked = old.document.changed if old.approved_at is None else ()
    if find:
        # What it costs more is what the plan says, with the caps that its work asks for.
        find = replace(find, more=document.price - old.document.price)
    return replace(
        document,
        changed=tuple(sorted({*asked, *other_work, *more})),
        found=(*old.document.found, *((find,) if find else ())),
        why=why,
        sources=old.document.sources,
    )


def _next_version(
    act: Act,
    job: Job,
    case: Case,
    *,
    trade: Trade,
    plan: CorePlan,
    more: Collection[str],
    why: str,
    find: FindNote | None,
) -> None:
    """Keep the plan as a version of its own.

    Parameters
    ----------
    more : parts that got steps which nobody has agreed to yet
    """
    old = job.plans[0]
    workshop = people.workshop(act.db)
    templates = templates_with(old.document.templates)
    other = old.document.bill.other + (find.cost if find else 0.0)
    document = document_for(
        job,
        case,
        trade,
        plan=plan,
        workshop=workshop,
        templates=templates,
        extra_spares=old.document.extra_spares,
        other=other,
    )
    if plan.held:
        # A stop has no steps ahead to price: what was agreed stands until it is lifted.
        document = old.document
    if find is None and abs(document.price - old.document.price) < 0.005:
        return
    document = _carried_on(document, old, more=more, why=why, find=find)
    limit = old.document.price if plan.held else old.agreed_up_to
    within = limit is not None and document.price <= limit + 0.005 and old.approved_at is not None
    version = old.version + 1
    job.plans.insert(
        0,
        Plan(
            version=version,
            document=document,
            made_at=act.now,
            person_id=act.person.id,
            agreed_up_to=old.agreed_up_to,
            approved_at=act.now if within else None,
            approved_by=_within(old.approved_by) if within else "",
        ),
    )
    # The card goes on by this version: it is no second round.
    job.bay_air = replace(job.bay_air, plan_version=version)
    act.db.flush()
    act.trace(
        job,
        "plan_changed",
        version=version,
        why=why,
        price=round(document.price, 2),
        approved=within,
    )


def _within(who: str) -> str:
    """Who agreed, of a version that stays within it: said once, however many versions follow."""
    return who if WITHIN in who else f"{who} ({WITHIN})"


def waits_for_approval(job: Job) -> bool:
    """Whether the card's newest plan costs more than was agreed, and nobody has agreed to it
    yet."""
    if not job.plans or not job.work_began_at:
        return False
    newest = job.plans[0]
    mine = job.bay_air.plan_version == newest.version
    return mine and newest.approved_at is None


def due_row(job: Job, kind: StepAct, *, relearn: str = "") -> StepRow | None:
    """The next row of the round that is done by `kind`, not yet done."""
    return next(
        (
            r
            for r in rows_of_round(job)
            if r.done_at is None
            and r.document.act == kind
            and (not relearn or r.document.relearn == relearn)
        ),
        None,
    )


def first_left(job: Job) -> StepRow | None:
    """The first row of the round that is not done."""
    return next((r for r in rows_of_round(job) if r.done_at is None), None)


def in_turn(job: Job, row: StepRow, title: str, refuses: Asked = not_its_turn) -> None:
    """Refuse what comes out of its order.

    Raises
    ------
    Refused
    """
    card = card_of(job)
    at = card.step(row.id)
    refusal = refuses(card, at, title) if at else None
    if refusal:
        raise refuse(refusal)


def ready_for(job: Job, row: StepRow, title: str) -> None:
    """Refuse what comes out of its order, or what the car's state does not give.

    Raises
    ------
    Refused
    """
    in_turn(job, row, title, out_of_order)


def mark_done(act: Act, row: StepRow) -> None:
    """A step that is done on another page stands done on the card."""
    row.done_at, row.done_by = act.now, act.person
    act.db.flush()


def after_set_due(job: Job) -> None:
    """Refuse readings of the after set before the card has come to them.

    Raises
    ------
    Refused
    """
    row = due_row(job, "after_set")
    if row is not None:
        ready_for(job, row, "Not the after set yet")


def after_set_taken(act: Act, job: Job) -> None:
    """The after set is in: its step stands done."""
    row = due_row(job, "after_set")
    if row is not None:
        mark_done(act, row)
