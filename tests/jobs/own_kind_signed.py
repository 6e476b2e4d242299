"""Run by `test_own_kind.py` in a process that knows the documents of `tests/cases/own_trade`."""

from random import Random

import pytest

from galene.jobs.act import Act
from galene.jobs.families import install_shipped
from galene.knowledge.families import FAMILIES
from tests.web.test_reports_of_random_jobs import page_of, signed


@pytest.mark.parametrize("seed", range(2))
def test_a_job_with_a_workshops_own_kind_of_part_is_signed(odd: Act, maren: Act, seed: int) -> None:
    install_shipped(odd.db, odd.now)
    family = FAMILIES["G"]
    job = signed(Random(seed), odd, maren, plate=f"OK-10{seed}", family=family, also=("reed_cage",))
    assert job.signed_at is not None
    done = [s.document.id for s in job.steps if s.done_at and not s.records.left_out]
    assert any(s.startswith("reed_cage:") for s in done), done
    report = page_of(odd.db, job, owner_reads=True)
    assert "Reed cage" in report
