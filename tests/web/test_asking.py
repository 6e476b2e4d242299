"""A car that says nothing holds up no other page: who may wait for an answer, and how many."""

from contextlib import ExitStack

import pytest

from galene.jobs.errors import Refused
from galene.web.live.routes import ASKED_A_JOB, ASKED_AT_ONCE, turn_to_ask


def test_two_wait_for_one_car_and_eight_for_all() -> None:
    with ExitStack() as waiting:
        for _ in range(ASKED_A_JOB):
            waiting.enter_context(turn_to_ask("26-0001"))
        with pytest.raises(Refused, match="asked already"), turn_to_ask("26-0001"):
            pass
        for n in range(ASKED_AT_ONCE - ASKED_A_JOB):
            waiting.enter_context(turn_to_ask(f"26-1{n:03}"))
        with pytest.raises(Refused, match="Too many cars"), turn_to_ask("26-0099"):
            pass
    for _ in range(2 * ASKED_AT_ONCE):
        with turn_to_ask("26-0001"):
            pass


def test_a_turn_that_ends_in_a_fault_is_given_back() -> None:
    for _ in range(2 * ASKED_AT_ONCE):
        with pytest.raises(RuntimeError), turn_to_ask("26-0001"):
            raise RuntimeError
