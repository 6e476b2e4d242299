"""The pages of step and relearn templates: what the form holds is what is kept, rows change without
saving, faults stand at their fields."""

from collections.abc import Callable
from copy import deepcopy
from html.parser import HTMLParser
from typing import Any

import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session

from galene.exchange.templates import SHIPPED, document_of
from galene.jobs import templates
from galene.store.models import TemplateVersion
from tests.web.conftest import HOST, Browser


class Fields(HTMLParser):
    """The fields of the form with an id, as a browser would send them."""

    def __init__(self, form: str) -> None:
        super().__init__()
        self.form, self.inside = form, False
        self.pairs: list[tuple[str, str]] = []
        self.area = self.select = ""
        self.chosen: str | None = None
        self.option: str | None = None

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        held = dict(attrs)
        name, value = held.get("name") or "", held.get("value")
        if tag == "form":
            self.inside = held.get("id") == self.form
        if not self.inside:
            return
        if tag == "input" and (held.get("type") != "checkbox" or "checked" in held):
            self.pairs.append((name, value or ""))
        elif tag == "textarea":
            self.area = name
            self.pairs.append((name, ""))
        elif tag == "select":
            self.select, self.chosen = name, None
        elif tag == "option" and self.select:
            self.option = value
            if "selected" in held or self.chosen is None:
                self.chosen = value
                if value is None:
                    self.option = "?"

    def handle_data(self, data: str) -> None:
        if self.inside and self.area:
            self.pairs[-1] = (self.area, self.pairs[-1][1] + data)
        elif self.inside and self.option == "?":
            self.chosen = (self.chosen or "") + data.strip() if self.chosen is None else self.chosen
            self.chosen, self.option = self.chosen or data.strip(), None

    def handle_endtag(self, tag: str) -> None:
        if tag == "textarea":
            self.area = ""
        elif tag == "select" and self.select:
            if self.inside:
                self.pairs.append((self.select, self.chosen or ""))
            self.select = ""
        elif tag == "form":
            self.inside = False


def fields_of(page: str) -> list[tuple[str, str]]:
    parser = Fields("template")
    parser.feed(page)
    return parser.pairs


TICKED = (
    *("when", "cautions", "needs", "guards", "works", "does", "brings", "moves"),
    *("acts", "through", "dirties", "judges", "sees", "speaks_of"),
)


def in_any_order(document: Any) -> Any:
    """The document with what is ticked in sorted order: boxes have an order of their own."""
    document = deepcopy(document)
    for row in document.get("steps", document.get("phases", [])):
        for name in TICKED:
            if name in row:
                row[name] = sorted(row[name], key=str)
    return document


def sent(web: Browser, path: str, pairs: list[tuple[str, str]], *, do: str = "save", **change: str):
    data: dict[str, Any] = {}
    for k, v in pairs:
        data.setdefault(k, []).append(v)
    data |= {k: [v] for k, v in change.items()}
    return web.post(path, data={**data, "do": do}, headers={"origin": HOST}, follow_redirects=False)


@pytest.mark.parametrize("kind", SHIPPED)
def test_what_the_form_holds_is_what_is_kept(
    as_person: Callable[[str], Browser],
    db: Session,
    monkeypatch: pytest.MonkeyPatch,
    kind: str,
) -> None:
    # What ships is planned and verified in every variant by tests/jobs; here the form is asked.
    monkeypatch.setattr(templates, "plans_fault", lambda _: [])
    web = as_person("maren")
    for name, shipped in SHIPPED[kind].items():
        path = f"/reference/templates/{kind}/{name}"
        answer = sent(web, path, fields_of(web.get(path).text), note="nothing at all")
        assert answer.status_code == 303, (name, answer.text)
        kept = db.scalars(select(TemplateVersion).where(TemplateVersion.template_id == name)).one()
        assert in_any_order(kept.document) == in_any_order(document_of(kind, shipped)), name
        assert web.get(f"{path}/file").json()[kind] == kept.document


def test_rows_change_without_being_saved_and_faults_keep_what_was_typed(
    as_person: Callable[[str], Browser], db: Session
) -> None:
    web, path = as_person("maren"), "/reference/templates/procedure/throttle_body"
    page = web.get(path).text
    more = sent(web, path, fields_of(page), do="add:1").text
    assert (
        "Not saved yet." in more
        and len(fields_of(more)) > len(fields_of(page))
        and not db.scalars(select(TemplateVersion)).all()
    )
    pairs = [(k, "Look for the maker's mark" if k == "1.text" else v) for k, v in fields_of(more)]
    moved = sent(web, path, pairs, do="up:1").text
    assert moved.index("Look for the maker&#39;s mark") < moved.index(
        "Ignition on, engine off: a helper"
    )
    assert "Look for the maker" not in sent(web, path, fields_of(moved), do="out:0").text
    opened = [(k, "A lid" if k == "0.open_what" else v) for k, v in fields_of(moved)]
    opened.append(("0.acts", "look"))
    refused = sent(web, path, opened, note="a lid")
    assert refused.status_code == 422 and "“A lid” is opened here and never closed" in refused.text
    assert ("0.text", "Look for the maker's mark") in fields_of(refused.text), (
        "what was typed is given back"
    )
    marked = [*fields_of(moved), ("0.acts", "look")]
    kept = sent(web, path, marked, note="the maker's mark first")
    assert kept.status_code == 303
    row = db.scalars(select(TemplateVersion)).one()
    assert row.document and row.document["steps"][0]["key"] == "look_for_the"
    stale = sent(
        web,
        path,
        [(k, v if k != "once" else "another-token") for k, v in marked],
        note="from an old page",
    )
    assert stale.status_code == 409 and "Maren" in stale.text
    assert (
        "The workshop&#39;s own, version 1" in web.get(path).text
        or "The workshop's own, version 1" in web.get(path).text
    )
    assert (
        web.submit(path, {"do": "take-back", "seen": "1", "family": "", "note": "back"}).status_code
        == 303
    )
    assert templates.all_in_force(db) == []


def test_a_technician_reads_and_a_foreman_changes(as_person: Callable[[str], Browser]) -> None:
    web, path = as_person("odd"), "/reference/templates/relearn/throttle_manual"
    page = web.get(path).text
    assert "Save as version" not in page and "A foreman changes it" in page
    assert sent(web, path, fields_of(page), note="mine now").status_code == 403
    assert web.get("/reference/templates/relearn/soup").status_code == 404
    assert web.get("/reference/templates/soup/throttle_manual").status_code == 404
    assert web.get(path + "?family=ZZ").status_code == 404
    web = as_person("maren")
    for change, words in (
        ({"success": ""}, "a relearn needs a test of success"),
        ({"0.hold": "soon"}, "not a number"),
        ({"0.hold": "0"}, "above 0"),
    ):
        answer = sent(web, path, fields_of(web.get(path).text), note="shorter", **change)
        assert answer.status_code == 422 and words in answer.text, words
    family = sent(
        web,
        path,
        fields_of(web.get(path + "?family=A").text),
        note="family A holds longer",
        **{"0.hold": "3"},
    )
    assert family.status_code == 303 and family.headers["location"].endswith("?family=A")
    assert "family A" in web.get("/reference/templates").text
