"""The page of a family's bands, and files of samples that are none."""

import json
from collections.abc import Callable
from typing import Any

import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session

from galene.store.models import BandSample
from tests.web.conftest import Browser, flat

PAGE = "/reference/families/A/bands"
GOOD: dict[str, Any] = {
    "format": "galene-bands",
    "version": 1,
    "family": "A",
    "samples": [
        {"metric": "idle_rpm", "value": 741.0, "at": "2026-05-04T08:00:00+00:00", "source": "shed"}
    ],
}


def test_the_page_shows_entry_samples_and_band(as_person: Callable[[str], Browser]) -> None:
    web = as_person("odd")
    page = flat(web.get(PAGE))
    assert "Entry: 700" in page and "own samples count" in page
    assert "Set aside" not in page, "a foreman's button"
    assert "Set aside" in as_person("maren").get(PAGE).text
    assert web.get("/reference/families/none/bands").status_code == 404
    assert "proven job" in web.get("/reference/families/A").text


def test_a_foreman_sets_a_sample_aside_with_a_reason(
    as_person: Callable[[str], Browser], db: Session
) -> None:
    sample = db.scalars(select(BandSample).where(BandSample.metric == "idle_rpm")).first()
    assert sample
    web = as_person("maren")
    assert web.submit(f"{PAGE}/{sample.id}", {"why": " "}).status_code == 422
    assert web.submit(f"{PAGE}/{sample.id}", {"why": "lamps on"}).status_code == 303
    assert "lamps on" in web.get(PAGE).text
    assert web.submit(f"{PAGE}/{sample.id}", {"again": "yes"}).status_code == 303
    assert "lamps on" not in web.get(PAGE).text
    assert web.submit(f"{PAGE}/999999", {"why": "lamps on"}).status_code == 404
    assert as_person("odd").submit(f"{PAGE}/{sample.id}", {"why": "no"}).status_code == 403


def send(web: Browser, data: bytes) -> int:
    answer = web.submit(f"{PAGE}/take-in", {}, files={"file": ("bands.json", data)})
    return int(answer.status_code)


def changed(**how: Any) -> bytes:
    return json.dumps({**GOOD, **how}).encode()


@pytest.mark.parametrize(
    "data",
    [
        b"",
        b"\xff\xfe\x00",
        b"[" * 90_000,
        b"{}",
        changed(version=2),
        changed(family="B"),
        changed(more=1),
        changed(samples=[{**GOOD["samples"][0], "metric": "mood"}]),
        changed(samples=[{**GOOD["samples"][0], "value": 9e9}]),
        changed(samples=[{**GOOD["samples"][0], "at": "yesterday"}]),
        changed(samples=[{**GOOD["samples"][0], "source": "a\u0000b"}]),
        b'{"format": "galene-bands", "version": 1, "family": "A", "samples": [{"metric":'
        b' "idle_rpm", "value": NaN, "at": "2026-05-04T08:00:00Z", "source": "x"}]}',
    ],
)
def test_a_file_that_is_none_changes_nothing(
    as_person: Callable[[str], Browser], db: Session, data: bytes
) -> None:
    web = as_person("maren")
    before = len(db.scalars(select(BandSample)).all())
    assert send(web, data) == 422
    db.expire_all()
    assert len(db.scalars(select(BandSample)).all()) == before


def test_a_file_comes_in_once(as_person: Callable[[str], Browser], db: Session) -> None:
    web = as_person("maren")
    before = len(db.scalars(select(BandSample)).all())
    assert send(web, changed()) == 303
    assert send(web, changed()) == 303
    db.expire_all()
    assert len(db.scalars(select(BandSample)).all()) == before + 1
    out = web.get(f"{PAGE}/file").json()
    assert any(s["source"] == "shed" for s in out["samples"])
