"""What entries make of a card: the consequences of each, the refusals, and that taking back takes
all back. Without a database."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from galene.core.jobcard import entries as e
from galene.core.jobcard.gates import gate_blockers
from galene.core.jobcard.records import Card, CardItem, CardStep, Refusal
from galene.core.jobcard.transition import transition
from galene.core.planning.records import (
    Consequence,
    Held,
    OpenItem,
    PlannedWait,
    Record,
    StateWords,
    Step,
)
from galene.core.planning.words import Heat
from tests.often import walks

NOW = datetime(2026, 3, 2, 9, 0, tzinfo=UTC)
HOSE = OpenItem(id="open:hose", what="Breather hose", kind="hose")
STEPS = (
    Step(id="open:hose", text="Pull the hose", phase="open", minutes=2, opens=(HOSE,)),
    Step(
        id="maf:spray",
        text="Spray the meter",
        phase="clean",
        part="maf",
        minutes=3,
        cautions=("fire",),
        wait=PlannedWait(id="dry:maf", minutes=10, why="wet electronics fail"),
    ),
    Step(
        id="maf:look",
        text="Look at the meter",
        phase="clean",
        part="maf",
        minutes=1,
        waits_for=("dry:maf",),
        records=(
            Record(id="maf:look/grade_after", kind="grade", label="Grade", key="grade_after"),
            Record(
                id="maf:look/whole",
                kind="yes_no",
                label="Whole",
                key="whole",
                consequences=(Consequence(answer="no", kind="stop", text="It is torn"),),
            ),
        ),
    ),
    Step(id="pipe:wipe", text="Wipe the pipe", phase="clean", part="pipe", minutes=2),
    Step(id="close:hose", text="Hose back", phase="close", minutes=2, closes=("open:hose",)),
    Step(id="start", text="First start", phase="start", minutes=1, act="start"),
)
CARD = Card(
    steps=tuple(CardStep(id=i, position=i, step=s) for i, s in enumerate(STEPS, 1)),
    start=StateWords(),
    serious={"fire": "Fire: burns. Keep sparks away."},
    deposits=frozenset({"soot"}),
)
GOOD = {"grade_after": "0", "whole": "yes"}


def tick(step: int, minute: float = 0, **answers: str) -> e.Tick:
    reason = answers.pop("early_reason", "")
    return e.Tick(
        at=NOW + timedelta(minutes=minute),
        by="Odd",
        step=step,
        answers=answers,
        early_reason=reason,
    )


def taken(card: Card, *entries: e.Entry) -> Card:
    for entry in entries:
        after = transition(card, entry)
        assert isinstance(after, Card), after
        card = after
    return card


def refused(card: Card, entry: e.Entry) -> Refusal:
    found = transition(card, entry)
    assert isinstance(found, Refusal), "it was taken"
    return found


READ_FIRE = e.ReadCaution(at=NOW, by="Odd", caution="fire")


def test_a_tick_opens_closes_and_starts_its_wait() -> None:
    card = taken(CARD, tick(1))
    assert [i.key for i in card.open_items] == ["open:hose"]
    assert card.open_items[0].opened_by == "Odd" and card.step(1) in card.done
    card = taken(card, READ_FIRE, tick(2, 1))
    assert [w.name for w in card.running(NOW + timedelta(minutes=5))] == ["dry:maf"]
    assert not card.running(NOW + timedelta(minutes=11))
    card = taken(card, tick(3, 12, **GOOD), tick(4, 13), tick(5, 14))
    assert not card.open_items and [s.id for s in card.left] == [6]


@pytest.mark.parametrize(
    ("before", "entry", "title"),
    [
        ((), tick(2), "Not this step yet"),
        ((tick(1),), tick(2), "Read the caution first"),
        ((tick(1), READ_FIRE, tick(2)), tick(3, 5, **GOOD), "Too early"),
        ((tick(1), READ_FIRE, tick(2)), tick(5, 5), "Not this step yet"),
        ((tick(1), tick(4)), e.Untick(at=NOW, by="Odd", step=1), "Only the last tick"),
        ((), e.CloseItem(at=NOW, by="Odd", key="open:hose"), "No such item"),
        ((tick(1),), e.CloseItem(at=NOW, by="Odd", key="open:hose"), "A step of the card"),
        ((), e.LeaveOut(at=NOW, by="Odd", step=1, reason="no need"), "This step is not left out"),
        ((), tick(99), "No such step"),
    ],
)
def test_what_is_out_of_order_is_refused(
    before: tuple[e.Entry, ...], entry: e.Entry, title: str
) -> None:
    assert refused(taken(CARD, *before), entry).title.startswith(title)


def test_one_parts_work_may_go_before_anothers() -> None:
    card = taken(CARD, tick(1), tick(4))
    assert [s.id for s in card.done] == [1, 4]


def test_early_with_a_reason_is_kept() -> None:
    card = taken(CARD, tick(1), READ_FIRE, tick(2))
    assert refused(card, tick(3, 2, **GOOD)).may_override
    card = taken(card, tick(3, 2, **GOOD, early_reason=" air gun, dry "))
    at = card.step(3)
    assert at and at.early_reason == "air gun, dry"


@pytest.mark.parametrize(
    ("answers", "faulty"),
    [
        ({}, {"grade_after", "whole"}),
        ({"grade_after": "5", "whole": "yes"}, {"grade_after"}),
        ({"grade_after": "²", "whole": "yes"}, {"grade_after"}),
        ({"grade_after": "3", "whole": "yes"}, {"grade_after"}),
        ({"grade_after": "3", "grade_after_deposit": "gold", "whole": "yes"}, {"grade_after"}),
        ({"grade_after": "0", "whole": "perhaps"}, {"whole"}),
    ],
)
def test_answers_that_can_not_be_are_named(answers: dict[str, str], faulty: set[str]) -> None:
    card = taken(CARD, tick(1), READ_FIRE, tick(2))
    faults = refused(card, tick(3, 11, **answers)).faults
    assert {k.rpartition("/")[2] for k in faults} == faulty


def test_a_step_of_its_own_page_is_not_ticked() -> None:
    card = replace(CARD, steps=(CARD.steps[5],))
    assert refused(card, tick(6)).title == "Not by a tick"


def test_the_pick_list_comes_first_and_asks_how_it_goes_on() -> None:
    card = replace(CARD, picks={"spare:seal": "Seal, S-1"})
    assert refused(card, tick(1)).title == "The pick list first"
    check = e.CheckPick(at=NOW, by="Odd", missing={"spare:seal": "no"})
    assert set(refused(card, check).faults) == {"pick:spare:seal"}
    assert set(refused(card, replace(check, missing={"gold": "from the bank"})).faults)
    card = taken(card, replace(check, missing={"spare:seal": "comes at noon"}), tick(1))
    assert card.pick.missing == {"spare:seal": "comes at noon"}


def test_a_held_card_goes_on_only_with_other_parts() -> None:
    card = taken(CARD, tick(1), READ_FIRE, tick(2), tick(3, 11, grade_after="0", whole="no"))
    card = replace(card, held=Held(record="maf:look/whole", why="It is torn"))
    card = taken(card, tick(4, 12))
    assert refused(card, tick(5, 13)).title == "This job is held"
    kinds = [b.kind for b in gate_blockers(card, "start", NOW + timedelta(minutes=13))]
    assert kinds[0] == "held" and "item" in kinds and "step" in kinds


def test_what_costs_more_waits_for_approval() -> None:
    card = replace(taken(CARD, tick(1)), asks_first=frozenset({"pipe"}))
    assert refused(card, tick(4)).title == "Ask first"
    assert taken(card, READ_FIRE, tick(2)), "other parts go on"


def test_a_jumper_asks_for_its_check() -> None:
    step = replace(STEPS[3], worksheet="actuator-drive-check")
    card = replace(CARD, steps=(CardStep(id=1, position=1, step=step),))
    assert refused(card, tick(1)).title == "No jumper yet"
    assert taken(replace(card, jumper_allowed=True), tick(1)).done


def test_the_engine_is_not_run_over_what_is_open() -> None:
    runs = replace(STEPS[3], phase="running", does=StateWords(engine="running"))
    item = CardItem(
        key="hand:1", what="Dipstick", kind="cover", before="start", opened_by="Pia", opened_at=NOW
    )
    card = replace(CARD, steps=(CardStep(id=1, position=1, step=runs),), items=(item,))
    assert refused(card, tick(1)).reasons == ("Dipstick (cover, opened by Pia)",)
    card = taken(card, e.CloseItem(at=NOW, by="Odd", key="hand:1"))
    assert refused(replace(card, dangers=("Oil pressure is gone",)), tick(1)).reasons
    assert taken(card, tick(1)).done


def test_what_lies_inside_the_engine_is_looked_for_twice() -> None:
    add = e.AddItem(at=NOW, by="Odd", what="", kind="rag inside", key="x")
    card = taken(CARD, add)
    assert card.open_items[0].what == "Rag inside"
    assert transition(card, add) is card, "sent twice, taken once"
    close = e.CloseItem(at=NOW, by="Odd", key="hand:x")
    card = taken(card, close)
    assert card.open_items and card.open_items[0].looked_at
    assert not taken(card, close).open_items


def test_more_never_comes_out_than_went_in() -> None:
    count = e.CountPieces(at=NOW, by="Odd", what="cloths", way="in", pieces=3)
    card = taken(CARD, count, replace(count, way="out", pieces=2))
    assert card.missing_pieces == {"cloths": 1}
    for bad in (
        replace(count, way="out", pieces=2),
        replace(count, what="gold"),
        replace(count, pieces=0),
        replace(count, way="round"),
        replace(count, way="in", pieces=-2),
    ):
        assert refused(card, bad).faults
    assert next(b.kind for b in gate_blockers(card, "start", NOW)) == "count"


def test_waits_by_hand() -> None:
    start = e.StartWait(at=NOW, by="Odd", name="Soak", minutes=20, reason="cold bay")
    card = taken(CARD, start)
    assert set(refused(card, start).faults) == {"wait_name"}
    longer = e.ExtendWait(at=NOW, by="Odd", name="Soak", minutes=5, reason="still wet")
    card = taken(card, longer)
    assert card.waits[0].ends_at == NOW + timedelta(minutes=25)
    card = taken(card, replace(longer, at=NOW + timedelta(hours=2)))
    assert card.waits[0].ends_at == NOW + timedelta(hours=2, minutes=5), "from now where over"
    stop = e.StopWait(at=NOW + timedelta(hours=2), by="Odd", name="Soak", reason="dry")
    card = taken(card, stop)
    assert not card.running(NOW) and transition(card, stop) is card
    for bad in (
        replace(start, name="x"),
        replace(start, minutes=None),
        replace(start, minutes=0.0),
        replace(start, minutes=9e9),
        replace(start, reason=""),
        replace(longer, minutes=None),
        replace(stop, reason=""),
        replace(stop, name="Bath"),
    ):
        refused(card, bad)


def test_making_safe_is_left_out_by_a_foreman_only() -> None:
    safe = Step(id="chock", text="Chock the wheels", phase="safe", minutes=1)
    card = replace(CARD, steps=(CardStep(id=1, position=1, step=safe),))
    leave = e.LeaveOut(at=NOW, by="Odd", step=1, reason="it stands in a pit")
    assert refused(card, leave).title == "Making safe is not left out"
    assert set(refused(card, replace(leave, reason="no")).faults) == {"leave_out"}
    card = taken(card, replace(leave, foreman=True))
    assert card.done[0].answers.left_out == "it stands in a pit"


def test_nobody_leaves_out_what_later_steps_rest_on() -> None:
    """A foreman who left the cooling out had a card that nobody could go on with: what is opened
    needs a cold engine. Where it is cold already, the step is ticked at once."""
    cool = Step(
        id="cool", text="Let it cool", phase="safe", minutes=1, does=StateWords(heat="cold")
    )
    lift = Step(
        id="lift", text="Lift it off", phase="open", minutes=5, needs=StateWords(heat="cold")
    )
    leave = e.LeaveOut(at=NOW, by="Maren", step=1, reason="it stood all night", foreman=True)

    def card(*steps: Step, heat: Heat) -> Card:
        rows = tuple(CardStep(id=i, position=i, step=s) for i, s in enumerate(steps, 1))
        return replace(CARD, steps=rows, start=StateWords(heat=heat))

    found = refused(card(cool, lift, heat="warm"), leave)
    assert found.title == "What follows rests on this" and "Lift it off" in found.reasons[0]
    for free in (card(cool, heat="warm"), card(cool, lift, heat="cold")):
        assert taken(free, leave).done


def test_what_no_card_takes_is_a_fault_of_the_caller() -> None:
    with pytest.raises(TypeError, match="Entry is nothing"):
        transition(CARD, e.Entry(at=NOW, by="Odd"))


ENTRIES = st.one_of(
    st.builds(
        tick,
        st.integers(1, 6),
        st.integers(0, 40),
        grade_after=st.sampled_from("014"),
        whole=st.sampled_from(["yes", "no"]),
        early_reason=st.sampled_from(["", "blown dry"]),
    ),
    st.builds(e.Untick, at=st.just(NOW), by=st.just("Pia"), step=st.integers(1, 6)),
    st.just(READ_FIRE),
    st.builds(
        e.CloseItem,
        at=st.just(NOW),
        by=st.just("Pia"),
        key=st.sampled_from(["open:hose", "hand:a"]),
    ),
    st.just(e.AddItem(at=NOW, by="Odd", what="Lamp", kind="tool inside", key="a")),
)


@settings(deadline=None, max_examples=walks(80))
@given(st.lists(ENTRIES, max_size=25))
def test_whatever_is_entered_the_card_stays_whole(entries: list[e.Entry]) -> None:
    card = CARD
    for entry in entries:
        after = transition(card, entry)
        if isinstance(after, Refusal):
            assert after.faults or after.reasons, "a refusal says why"
            continue
        if isinstance(entry, e.Tick) and after is not card:
            undo = e.Untick(at=entry.at, by=entry.by, step=entry.step)
            newest = after.done and after.done[-1].id == entry.step
            if newest:
                back = transition(after, undo)
                assert isinstance(back, Card)
                assert (back.steps, back.items, back.waits) == (
                    card.steps,
                    card.items,
                    card.waits,
                ), "what is taken back is as it was"
        card = after
        opened = sum(i.key == "open:hose" and i.closed_at is None for i in card.items)
        gone = card.step(1)
        closed = card.step(5)
        assert gone and closed
        assert opened == (gone.done and not closed.done), "open is what was opened and not closed"


def test_an_earlier_rounds_item_of_the_same_name_stays_as_it_was() -> None:
    earlier = CardItem(
        id=7,
        key="open:hose",
        what="Breather hose",
        kind="hose",
        before="start",
        opened_by="Pia",
        opened_at=NOW - timedelta(days=2),
        closed_at=NOW - timedelta(days=1),
    )
    card = taken(replace(CARD, items=(earlier,)), tick(1), READ_FIRE, tick(2), tick(4, 1))
    card = taken(card, tick(3, 12, **GOOD), tick(5, 13))
    card = taken(card, e.Untick(at=NOW + timedelta(minutes=14), by="Odd", step=5))
    assert card.items[0] == earlier, "what an earlier round closed is not opened again"
    assert [i.opened_by for i in card.open_items] == ["Odd"]
    by_hand = replace(card, steps=card.steps[:4])
    closed = taken(by_hand, e.CloseItem(at=NOW, by="Maren", key="open:hose"))
    assert not closed.open_items, "the open one of the two is meant"
