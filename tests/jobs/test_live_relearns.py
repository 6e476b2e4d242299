"""Relearns gone through by the word of a simulated car of each family; the routines they begin."""

import pytest
from sqlalchemy import select

from galene.core.proof.relearn import Phase
from galene.exchange.live import CodesRead
from galene.jobs import live, live_relearn, live_routine, prove
from galene.jobs.act import Act, family_of
from galene.jobs.errors import Invalid
from galene.knowledge.live_guards import aims_of
from galene.store.models import LiveCommand
from tests.jobs.hands import begun, go_to, learn, short_holds
from tests.jobs.live_line import Line

SHORT_MINUTES = 0.3
WHOLE = ("particulate_burn_off",)
"""Relearns that take the time they take: what they are measured by needs it."""


@pytest.fixture
def held_shortly(monkeypatch: pytest.MonkeyPatch) -> None:
    """Relearns with holds of some seconds."""
    monkeypatch.setattr(prove, "with_holds", short_holds(SHORT_MINUTES, but=WHOLE))


def at_its_relearn(act: Act, family: str, part: str, template_id: str) -> Line:
    """A job whose card has come to that relearn, its car on the line, warm and standing."""
    job = begun(act, family, part, grade=3)
    for other in (t.id for t in prove.relearns_of(job)):
        go_to(act, job, f"relearn:{other}", grade=3)
        if other == template_id:
            break
        learn(act, job)
    line = Line(act, job)
    line.runs(1, warm=30)
    stop(line)
    return line


def stop(line: Line) -> None:
    """Ignition off until it stands, then on."""
    line.car.key_off()
    for _ in range(400):
        line.car.step()
    line.car.key_on()


def to_wanted(line: Line, phase: Phase) -> None:
    """The one in the seat does what the hold asks."""
    if phase.engine_on and not line.car.engine.running:
        line.car.key_on()
        line.car.start()
    elif not phase.engine_on and line.car.engine.running:
        stop(line)
    if any(g.id == "coolant_open" for g in phase.guards):
        line.car.engine.coolant_c = 60.0


def hold(line: Line, phase: Phase, index: int) -> None:
    seconds = 60 * phase.hold_minutes + 3
    to_wanted(line, phase)
    if phase.id == "key_off":
        line.silent(seconds)
    else:
        line.read(seconds)
    told = live_relearn.listen(line.act, line.job.number)
    assert told is not None and told.done, (phase.id, told)
    assert not told.restarts
    prove.relearn_next(line.act, line.job.number, index)


def begin(line: Line) -> tuple[Phase, ...]:
    template = prove.template_of(line.job)
    assert template is not None
    line.read(3)
    live_relearn.require_conditions(line.act, line.job.number)
    prove.relearn_begin(line.act, line.job.number, {c: True for c, _ in template.conditions})
    return template.phases


def measure(line: Line) -> prove.Measured:
    command = live.ask(line.act, line.job, "codes")
    line.answer(command, codes=CodesRead(stored=(), pending=(), permanent=()))
    return live_relearn.measured(line.act, line.job, command)


@pytest.mark.parametrize(
    ("family", "part", "template_id"),
    [
        ("A", "intake_manifold", "coolant_bleed_and_watch"),
        ("B", "throttle_body", "cable_none"),
        ("B", "egr_valve", "egr_valve_zero"),
        ("C", "intake_manifold", "fuel_venting"),
        ("C", "intake_manifold", "runner_flap_adaptation"),
        ("C", "intake_manifold", "throttle_manual"),
        ("D", "egr_valve", "egr_valve_zero"),
        ("D", "egr_valve", "coolant_bleed_and_watch"),
        ("D", "throttle_body", "memory_reset"),
        ("E", "egr_dp_sensor", "differential_zero"),
        ("E", "egr_cooler", "memory_reset"),
        ("F", "throttle_body", "cable_none"),
    ],
)
@pytest.mark.usefixtures("held_shortly")
def test_a_relearn_runs_by_the_cars_word(
    odd: Act, family: str, part: str, template_id: str
) -> None:
    line = at_its_relearn(odd, family, part, template_id)
    for index, phase in enumerate(begin(line)):
        hold(line, phase, index)
    assert line.job.relearn.outcome == "testing"
    line.car.key_on()
    line.read(13)
    if aims_of(family_of(line.job), template_id):
        found = measure(line)
        assert found.learned, found
        prove.relearn_finish(odd, line.job.number, found.learned, measured=found)
    else:
        with pytest.raises(Invalid, match="say yourself"):
            measure(line)
        prove.relearn_finish(odd, line.job.number, learned=True)
    assert prove.relearns_done(line.job)[template_id] == "learned"


# ---- routines


def ask(line: Line, *asked: str) -> None:
    template, state = prove.template_of(line.job), prove.relearn_state(line.job)
    assert template is not None and state is not None
    shown = (template.id, template.phases[state.phase].id)
    command = live_routine.begin(line.act, line.job.number, shown=shown, asked=asked)
    if command.answered_at is None:
        line.car.control.begin(command.fields["routine"])
        line.answer(command)


def at_the_burn_off(act: Act) -> Line:
    """A diesel that idles, its burn-off's first hold begun."""
    line = at_its_relearn(act, "D", "egr_passage", "particulate_burn_off")
    line.car.start()
    line.read(4)
    begin(line)
    return line


SEEN = ("outside", "watched", "brake")


@pytest.mark.usefixtures("held_shortly")
def test_a_burn_off_is_begun_from_the_page_and_measured_by_its_soot(odd: Act) -> None:
    line = at_the_burn_off(odd)
    ask(line, *SEEN)
    assert live_routine.routine_now(odd.db, line.job).begun
    count = len(asked_of(line))
    ask(line, *SEEN)
    assert len(asked_of(line)) == count, "sent twice, asked once"
    for index, phase in enumerate(prove.template_of(line.job).phases):
        hold(line, phase, index)
    line.read(13)
    found = measure(line)
    assert found.learned and found.aims[0].label == "Soot in the filter"


def asked_of(line: Line) -> list[str]:
    asked = select(LiveCommand.do).where(LiveCommand.job_id == line.job.id)
    return list(line.act.db.scalars(asked))


@pytest.mark.usefixtures("held_shortly")
def test_a_burn_off_that_was_not_begun_is_not_learned(odd: Act) -> None:
    line = at_the_burn_off(odd)
    line.read(13)
    assert not measure(line).learned


@pytest.mark.parametrize("missing", SEEN)
@pytest.mark.usefixtures("held_shortly")
def test_nothing_burns_before_everything_is_said(odd: Act, missing: str) -> None:
    line = at_the_burn_off(odd)
    with pytest.raises(Invalid) as no:
        ask(line, *(s for s in SEEN if s != missing))
    assert "say that it is so" in no.value.fields["routine"]


@pytest.mark.usefixtures("held_shortly")
def test_nothing_burns_in_a_full_filter_or_a_standing_engine(odd: Act) -> None:
    line = at_the_burn_off(odd)
    line.car.engine.soot = 0.97
    line.read(4)
    with pytest.raises(Invalid, match="Soot in the filter"):
        ask(line, *SEEN)
    line.car.engine.soot = 0.5
    stop(line)
    line.read(4)
    with pytest.raises(Invalid, match="It idles"):
        ask(line, *SEEN)


@pytest.mark.usefixtures("held_shortly")
def test_a_valve_learns_its_stop_by_the_routine(odd: Act) -> None:
    line = at_its_relearn(odd, "D", "egr_valve", "egr_valve_zero")
    line.car.control.valve_zero = -4.0
    begin(line)
    with pytest.raises(Invalid, match="Hands and tools"):
        ask(line)
    ask(line, "fingers")
    line.read(3)
    assert line.car.row()["egr_position_pct"] == pytest.approx(0, abs=0.6)


@pytest.mark.usefixtures("held_shortly")
def test_a_hold_without_a_routine_begins_none(odd: Act) -> None:
    line = at_its_relearn(odd, "E", "egr_dp_sensor", "differential_zero")
    begin(line)
    assert live_routine.routine_now(odd.db, line.job) is None
    with pytest.raises(Invalid, match="no routine"):
        ask(line, "fingers")
