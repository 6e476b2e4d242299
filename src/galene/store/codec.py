"""Records of the core as JSON columns and back: one reader and writer, older forms brought up to
date."""

import json
from collections.abc import Callable
from functools import cache, cached_property
from threading import Lock
from typing import Any, Generic, TypeVar

from cachetools import LRUCache
from pydantic import TypeAdapter
from sqlalchemy import ColumnElement, Text, cast, type_coerce
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.engine import Dialect
from sqlalchemy.types import TypeDecorator

from galene.knowledge.procedures import PROCEDURES

R = TypeVar("R")
Upgrade = Callable[[dict[str, Any]], dict[str, Any]]


MOST_REMEMBERED = 6000
"""Documents of each kind that are remembered: a few hundred cards."""


class Recorded(TypeDecorator[R], Generic[R]):
    """A frozen record in a JSONB column.

    Parameters
    ----------
    kind : the record's class
    upgrade : brings a document of an older form up to the present one
    """

    impl = JSONB
    cache_ok = True

    def __init__(self, kind: type[R], upgrade: Upgrade | None = None) -> None:
        super().__init__()
        self.kind, self.upgrade = kind, upgrade

    @cached_property
    def _adapter(self) -> TypeAdapter[R]:
        """Made when the first one is read or written: a start needs few of them."""
        return TypeAdapter(self.kind)

    def record(self, document: Any) -> R:
        """The record of a document, of whatever form.

        Raises
        ------
        ValidationError
            It is none.
        """
        return self._adapter.validate_python(self.upgrade(document) if self.upgrade else document)

    def document(self, record: R) -> Any:
        """A record as plain data, what stands at its default left out."""
        return self._adapter.dump_python(record, mode="json", exclude_defaults=True)

    def schema(self) -> dict[str, Any]:
        """The JSON Schema of the document."""
        found = self._adapter.json_schema(ref_template="#/$defs/{model}")
        return dict(found)

    def process_bind_param(self, value: R | None, dialect: Dialect) -> Any:
        """The record as it is kept."""
        return None if value is None else self.document(value)

    def process_result_value(self, value: Any, dialect: Dialect) -> R | None:
        """The record, from whatever form was kept."""
        if value is None:
            return None
        return self.record(value)


class Remembered(Recorded[R]):
    """A record that is read again and again, such as a step of a card: it comes as text, and the
    same text gives the same record, which is frozen."""

    cache_ok = True

    def __init__(self, kind: type[R], upgrade: Upgrade | None = None) -> None:
        super().__init__(kind, upgrade)
        self._known: LRUCache[str, R] = LRUCache(MOST_REMEMBERED)
        self._lock = Lock()

    def column_expression(self, column: ColumnElement[R]) -> ColumnElement[R]:
        """The document as text."""
        return type_coerce(cast(column, Text), self)

    def process_result_value(self, value: Any, dialect: Dialect) -> R | None:
        """The record of a text, read once."""
        if value is None:
            return None
        with self._lock:
            known = self._known.get(value)
        if known is None:
            known = self.record(json.loads(value))
            with self._lock:
                self._known[value] = known
        return known


STEP_KEPT = (
    "text",
    "why",
    "phase",
    "part",
    "minutes",
    "tools",
    "fasteners",
    "cautions",
    "closes",
    "consumes",
    "where",
    "note",
    "worksheet",
    "crank_deg",
    "cylinders",
)
"""Fields of a step that are called the same in both forms."""


def step_upgraded(document: dict[str, Any]) -> dict[str, Any]:
    """A step of the first form (it was named by ``key``) in the present one."""
    if "key" not in document:
        return turned(document) if "name" in document else marked(document)
    step_id = document["key"]
    opens = [
        {
            "id": o["key"],
            "what": o["what"],
            "kind": o["kind"],
            "count": o.get("count", 1),
            "before": o.get("before", "start"),
            "dangerous": o.get("dangerous", False),
        }
        for o in document.get("opens", ())
    ]
    records = [
        {
            "id": r["id"],
            "key": r["id"],
            "kind": r["kind"],
            "label": r["label"],
            "quantity": r.get("quantity", ""),
            "consequences": [_consequence(r)],
        }
        for r in document.get("records", ())
    ]
    wait = None
    if document.get("wait_name"):
        wait = {
            "id": document["wait_name"],
            "minutes": document.get("wait_minutes", 0.0),
            "why": document.get("wait_reason", ""),
        }
    agent = None
    if document.get("agent"):
        agent = {
            "class_id": document["agent"],
            "way": "on_cloth",
            "ml": document.get("agent_ml", 0.0),
        }
    kept = {
        "id": step_id,
        "opens": opens,
        "records": records,
        "wait": wait,
        "agent": agent,
        "waits_for": document.get("after_waits", ()),
        "tags": document.get("when", ()),
        "own": step_id.startswith("added:"),
        "find": "before" if step_id.startswith("found:") else "",
        "opening": step_id.removeprefix("open:") if step_id.startswith("open:") else "",
        "closing": step_id.removeprefix("close:") if step_id.startswith("close:") else "",
        **{name: document[name] for name in STEP_KEPT if name in document},
    }
    return marked(kept)


def turned(document: dict[str, Any]) -> dict[str, Any]:
    """A step that was kept before it named what turns its fasteners, with what their texts say."""
    if "drivers" in document or not document.get("fasteners"):
        return document
    named = (text.split(";", 1)[0].split(", ")[1] for text in document["fasteners"])
    return {**document, "drivers": list(dict.fromkeys(named))}


def marked(document: dict[str, Any]) -> dict[str, Any]:
    """A step that was kept before steps had marks, with those that its id and its procedure give:
    its name, its turn, what its items belong to, what the hand did."""
    base, _, turn = document["id"].partition("~")
    owner, _, name = base.rpartition(":")
    at_operation = document.get("opening") or document.get("closing")
    if at_operation:
        name = "open" if document.get("opening") else "close"
    elif owner in ("strip", "unstrip", "uncover"):
        name = owner
    elif document["id"].startswith(("found:", "relearn:")):
        name = document["id"].partition(":")[0]
    return {
        **turned(document),
        "name": name or base,
        "turn": int(turn) if turn.isdecimal() else 1,
        "acts": document.get("acts") or list(deeds_known_as().get(name or base, ())),
        "opens": [_item_marked(i, document) for i in document.get("opens", ())],
    }


def _item_marked(item: dict[str, Any], step: dict[str, Any]) -> dict[str, Any]:
    opened_by, _, what = item["id"].partition("#")[0].partition(":")
    named = {"operation": opened_by.partition("~")[0]} if step.get("opening") else {}
    if not named:
        named = {"owner": step.get("owner") or step.get("part", "")}
    word, _, whose = what.partition(" ")
    if word in ("mouth", "port", "ports"):
        named["mouth"] = f"{item.get('on') or ''}/{whose}"
    elif what == "port":
        named["mouth"] = f"{item.get('on') or ''}/{opened_by}"
    return {**item, **named}


@cache
def deeds_known_as() -> dict[str, tuple[str, ...]]:
    """What the shipped procedures do at a step of a name: for steps kept before it was said."""
    every = (s for p in PROCEDURES.values() for s in p.steps)
    return {s.key: s.acts for s in every}


def _consequence(record: dict[str, Any]) -> dict[str, Any]:
    bad = record.get("bad") or "It was noted."
    answer = record.get("bad_answer", "no") if record["kind"] == "yes_no" else "coolant_residue"
    return {"answer": answer, "kind": "note", "text": bad}


def plan_upgraded(document: dict[str, Any]) -> dict[str, Any]:
    """A plan of the first form (prices and parts side by side) in the present one."""
    if document.get("form") == 2 or "hands_minutes" not in document or "bill" in document:
        return document
    spares = [{k: s[k] for k in ("id", "name", "number", "price")} for s in document["spares"]]
    agents = [
        {"class_id": a["id"], "title": a["title"], "ml": a["ml"], "price": a["price"]}
        for a in document["agents"]
    ]
    told = sum(s["price"] for s in spares) + sum(a["price"] for a in agents)
    labour, proof = document["labour"], document.get("proof_labour", 0.0)
    parts = [
        {
            "part": p["part"],
            "label": p["label"],
            "work": "inspect" if p.get("inspect_only") else "clean",
            "text": p["text"],
            "why": p["why"],
            "agent": p.get("agent", ""),
            "agent_title": p.get("agent_title", ""),
            "schools": p.get("schools", ()),
            "grade": p.get("grade"),
            "deposit": p.get("deposit", ""),
            "minutes": p.get("minutes", 0.0),
        }
        for p in document["parts"]
    ]
    return {
        "works": [
            {"part": p["part"], "work": p["work"], "grade": p["grade"], "kind": p["deposit"]}
            for p in parts
        ],
        "parts": parts,
        "extra_spares": document.get("new_parts", ()),
        "bill": {
            "work_minutes": document["hands_minutes"],
            "proof_minutes": document.get("proof_minutes", 0) + document.get("relearn_minutes", 0),
            "labour": labour,
            "proof_labour": proof,
            "spares": spares,
            "agents": agents,
            "tools": document.get("tools", ()),
            "protection": document.get("protection", ()),
            "other": document["price"] - labour - proof - told,
            "hourly_rate": document.get("hourly_rate", 0.0),
            "currency": document.get("currency", ""),
        },
        "hands_minutes": document["hands_minutes"],
        "elapsed_minutes": document["elapsed_minutes"],
        "policy": document.get("policy", {}),
        "sources": document.get("sources", {}),
        "templates": document.get("templates", {}),
        "found": document.get("found", ()),
    }


def answers_upgraded(document: dict[str, Any]) -> dict[str, Any]:
    """What was written at a step in the first form: values by the record's own name."""
    if not document or "given" in document or set(document) == {"left_out"}:
        return document
    given = []
    for name, value in document.items():
        if name == "left_out" or name.endswith("_deposit"):
            continue
        figure = value if isinstance(value, float) else None
        given.append(
            {
                "record": name,
                "answer": str(value),
                "deposit": document.get(f"{name}_deposit", ""),
                "figure": figure,
            }
        )
    return {"given": given, "left_out": document.get("left_out", "")}


def handover_upgraded(document: dict[str, Any]) -> dict[str, Any]:
    """A handover of the form with one cause and one distance in the present one: the cause was
    confirmed, as by its own question."""
    found = {k: v for k, v in document.items() if k not in ("cause", "visit")}
    if document.get("cause"):
        found["causes"] = [{"id": document["cause"], "found": "confirmed at handover"}]
    if document.get("visit"):
        found["next_look"] = next_look_upgraded(document["visit"])
    return found


def next_look_upgraded(document: dict[str, Any]) -> dict[str, Any]:
    """A next look of the form with one distance in the present one, which has a width."""
    if "at_km" not in document:
        return document
    at = document["at_km"]
    return {
        "part": "",
        "at": at,
        "low": at,
        "high": at,
        "hours": False,
        "reason": document.get("reason", ""),
    }
