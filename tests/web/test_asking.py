"""A car that says nothing holds up no other page: who may wait for an answer, and what waits."""

from concurrent.futures import ThreadPoolExecutor
from contextlib import ExitStack

import pytest
from anyio.to_thread import current_default_thread_limiter
from sqlalchemy import select

from galene.jobs.act import Act, find_job
from galene.jobs.errors import Refused
from galene.store.models import LiveCommand
from galene.web.live import routes
from galene.web.live.routes import ASKED_A_JOB, turn_to_ask
from tests.jobs.hands import begun
from tests.jobs.live_line import Line
from tests.live.conftest import until
from tests.web.conftest import Browser

THREADS = 3
"""Threads that the server may use: half of what waits."""


def test_two_wait_for_one_car() -> None:
    with ExitStack() as waiting:
        for _ in range(ASKED_A_JOB):
            waiting.enter_context(turn_to_ask("26-0001"))
        with pytest.raises(Refused, match="asked already"), turn_to_ask("26-0001"):
            pass
        with turn_to_ask("26-0002"):
            pass
    for _ in range(2 * ASKED_A_JOB):
        with turn_to_ask("26-0001"):
            pass


def test_a_turn_that_ends_in_a_fault_is_given_back() -> None:
    for _ in range(2 * ASKED_A_JOB):
        with pytest.raises(RuntimeError), turn_to_ask("26-0001"):
            raise RuntimeError


def test_pages_are_answered_while_more_cars_are_asked_than_there_are_threads(
    web: Browser, odd: Act, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(routes, "ANSWER_S", 600.0)
    numbers = [begun(odd, "A", "throttle_body", plate=f"ASK-{k}").number for k in range(3)]
    lines = [Line(odd, find_job(odd.db, number)).runs(1.0) for number in numbers]
    odd.db.commit()

    def few() -> None:
        current_default_thread_limiter().total_tokens = THREADS

    assert web.portal is not None
    web.portal.call(few)

    def commands() -> list[LiveCommand]:
        odd.db.rollback()
        return list(odd.db.scalars(select(LiveCommand).order_by(LiveCommand.id)))

    with ThreadPoolExecutor(2 * len(numbers)) as pool:
        asked = [pool.submit(web.submit, f"/jobs/{n}/live/codes") for n in numbers * 2]
        until(lambda: len(commands()) == len(asked), "every car is asked")
        assert web.get("/").status_code == 200
        assert not any(one.done() for one in asked)
        third = web.submit(f"/jobs/{numbers[0]}/live/codes")
        assert third.status_code == 409 and "asked already" in third.text
        for command in commands():
            line = next(x for x in lines if x.job.id == command.job_id)
            line.answer(command, codes={"stored": ["P0401"], "pending": [], "permanent": []})
            odd.db.commit()
        assert {one.result().headers["location"] for one in asked} == {
            f"/jobs/{number}/intake#codes" for number in numbers
        }
