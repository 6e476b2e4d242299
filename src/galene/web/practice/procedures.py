"""Reference: templates of steps and of relearns, the shipped ones and the workshop's own
versions."""

import json
from collections.abc import Mapping
from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from galene.core.airpath.must_go_back import BEFORE, INSIDE, KINDS
from galene.core.chemistry.judge import STATES as CHEMISTRY_STATES
from galene.core.chemistry.judge import WAYS
from galene.core.planning.marks import DEEDS, SEEN, SPOKEN_OF, THROUGH, TOUCHED
from galene.core.planning.procedure import COMPUTATIONS, DOES, MOVES, NEEDS, PLACES, PartProcedure
from galene.core.planning.records import Record
from galene.core.planning.words import CONSEQUENCES, WORKS
from galene.core.proof.relearn import RelearnTemplate
from galene.core.text_gate import digits
from galene.core.units import QUANTITIES
from galene.exchange.templates import SHIPPED, document_of
from galene.jobs import families, templates
from galene.jobs.act import Act
from galene.jobs.errors import Missing
from galene.knowledge.agents import AGENTS
from galene.knowledge.cautions import CAUTIONS
from galene.knowledge.components import COMPONENTS
from galene.knowledge.procedures.words import BEFORE as FOUND_BEFORE
from galene.knowledge.procedures.words import after
from galene.knowledge.relearns import GUARDS
from galene.knowledge.typed import plain
from galene.knowledge.variants import TAG_WORDS, WORDS, tags_for
from galene.web.shared.forms import Form
from galene.web.shared.visit import Sent, Signed, Visit, VisitRoute

router = APIRouter(prefix="/reference/templates", route_class=VisitRoute, include_in_schema=False)
PLACE_WORDS = {
    "whole": "on the car as it came, before anything is opened",
    "running": "engine warm, before opening",
    "first": "laid open, power still on",
    "clean": "cleaning",
    "close": "before the refit",
    "back": "refitted, before power is back",
    "walk": "all closed, power back",
    "drive": "on the road, after the first start",
}
COMPUTATION_WORDS = {
    "": "nothing",
    "clearance": "liquid that one cylinder bears",
    "aerosol": "bursts of an aerosol",
    "flush": "bursts of a flush",
    "goes": "goes through a vacuum line",
    "drive": "asks for the drive check",
}
CHOICES: dict[str, list[tuple[str, str]]] = {
    "agents": [(a.id, a.title) for a in AGENTS.values()],
    "drying": [(d, d.replace("_", " ")) for d in sorted(WORDS.drying)],
    "states": [(x, x.replace("_", " ")) for x in (*NEEDS, *PLACES)],
    "does": [(x, x.replace("_", " ")) for x in DOES],
    "brings": list(CHEMISTRY_STATES.items()),
    "works": list(WORKS.items()),
    "moves": [
        ("takes_off", "takes the part off"),
        ("sends", "sends it out"),
        ("receives", "gets it back"),
        ("refits", "puts it back"),
    ],
    "ways": [("", "none"), *WAYS.items()],
    "consequences": list(CONSEQUENCES.items()),
    "cautions": [(c.id, c.hazard) for c in CAUTIONS.values()],
    "quantities": [(q, q.replace("_", " ")) for q in QUANTITIES],
    "guards": [(g.id, g.text) for g in GUARDS.values()],
    "acts": [(d, f"{d.replace('_', ' ')}: {words}") for d, words in DEEDS.items()],
    "through": list(THROUGH.items()),
    "touched": list(TOUCHED.items()),
    "sees": list(SEEN.items()),
    "speaks_of": [(w, w.replace("_", " ")) for w in (*SPOKEN_OF, *COMPONENTS)],
}
BLANK_STEP: dict[str, Any] = {
    "key": "",
    "text": "",
    "why": "",
    "minutes": 3.0,
    "works": ["clean"],
    "when": [],
    "tools": [],
    "cautions": [],
    "records": [],
    "wait": None,
    "opens": [],
    "closes": [],
    "agent": "",
    "agent_ml": 0.0,
    "way": "",
    "needs": [],
    "does": [],
    "brings": [],
    "moves": [],
    "consumes": [],
    "place": "clean",
    "computation": "",
    "each": "",
    "treats": False,
    "acts": [],
    "through": [],
    "dirties": [],
    "judges": [],
    "seals": False,
    "sees": [],
    "speaks_of": [],
    "about": "",
}
BLANK_PHASE: dict[str, Any] = {
    "id": "",
    "text": "",
    "hold_minutes": 2.0,
    "normal": "",
    "guards": [],
    "engine_on": False,
    "attended": True,
    "acts": [],
}


def _known(kind: str, template_id: str) -> None:
    if template_id not in SHIPPED.get(kind, {}):
        raise Missing(f"template {template_id[:30]}")


def page(
    visit: Visit, kind: str, template_id: str, *, family_id: str, status: int = 200, **extra: Any
) -> HTMLResponse:
    """The editor with a document: the one in force, or the one that a form holds."""
    _known(kind, template_id)
    every = families.families(visit.db)
    if family_id and family_id not in every:
        raise Missing(f"engine family {family_id[:20]}")
    versions = templates.versions_of(visit.db, kind, template_id, family_id=family_id)
    document = extra.pop("document", None) or document_of(
        kind, templates.in_force(visit.db, kind, template_id, family_id=family_id)
    )
    return visit.page(
        "template.html",
        status,
        kind=kind,
        template_id=template_id,
        family_id=family_id,
        families=every,
        versions=versions,
        document=document,
        seen=extra.pop("seen", versions[0].version if versions else 0),
        shipped=SHIPPED[kind][template_id],
        place="reference",
        tags={t: TAG_WORDS[t] for t in (tags_for(template_id) if kind == "procedure" else [])},
        places=PLACE_WORDS,
        computations={r: COMPUTATION_WORDS[r] for r in COMPUTATIONS},
        agents=AGENTS,
        kinds=KINDS,
        befores=BEFORE,
        choices=CHOICES,
        unsaved=extra.pop("unsaved", False),
        **extra,
    )


@router.get("")
def index(visit: Signed) -> HTMLResponse:
    own: dict[tuple[str, str], list[str]] = {}
    for row in templates.all_in_force(visit.db):
        own.setdefault((row.kind, row.template_id), []).append(row.family_id)
    return visit.page("template_list.html", shipped=SHIPPED, own=own, place="reference")


@router.get("/{kind}/{template_id}")
def show(visit: Signed, kind: str, template_id: str, *, family: str = "") -> HTMLResponse:
    return page(visit, kind, template_id, family_id=family)


@router.get("/{kind}/{template_id}/file")
def download(visit: Signed, kind: str, template_id: str, *, family: str = "") -> Response:
    _known(kind, template_id)
    document = document_of(kind, templates.in_force(visit.db, kind, template_id, family_id=family))
    name = f"{kind}-{template_id}.json"
    text = (
        json.dumps(
            {"format": f"galene-{kind}", "format_version": 1, kind: document},
            indent=2,
            ensure_ascii=False,
        )
        + "\n"
    )
    return Response(
        text,
        media_type="application/json",
        headers={"content-disposition": f'attachment; filename="{name}"'},
    )


@router.post("/{kind}/{template_id}")
def save(visit: Signed, kind: str, template_id: str, *, form: Sent) -> Response:
    """Save a version, or change the rows of the form without saving: add, move or take out a
    step."""
    _known(kind, template_id)
    family_id, do = form.text("family"), form.text("do") or "save"
    here = f"/reference/templates/{kind}/{template_id}" + (
        f"?family={family_id}" if family_id else ""
    )
    if do == "take-back":

        def take_back(act: Act) -> None:
            templates.save_template(
                act,
                kind,
                template_id,
                family_id=family_id,
                document=None,
                note=form.text("note") or "taken back",
                seen=form.integer("seen"),
            )

        return visit.submit(form, take_back, to=here)
    rows = "steps" if kind == "procedure" else "phases"
    document = _procedure(form, template_id) if kind == "procedure" else _relearn(form, template_id)
    if do != "save":
        _change(document[rows], do, BLANK_STEP if kind == "procedure" else BLANK_PHASE)
        return page(
            visit,
            kind,
            template_id,
            family_id=family_id,
            document=document,
            entered=form,
            seen=form.integer("seen"),
            unsaved=True,
        )

    def write(act: Act) -> None:
        templates.save_template(
            act,
            kind,
            template_id,
            family_id=family_id,
            document=document,
            note=form.text("note"),
            seen=form.integer("seen"),
        )

    return visit.submit(
        form,
        write,
        to=here,
        shown=lambda faults: page(
            visit,
            kind,
            template_id,
            family_id=family_id,
            status=422,
            document=document,
            entered=form,
            seen=form.integer("seen"),
            faults=faults,
            unsaved=True,
        ),
    )


def _change(rows: list[dict[str, Any]], do: str, blank: dict[str, Any]) -> None:
    name, _, where = do.partition(":")
    at = int(where) if digits(where, 3) else 0
    if name == "add" and len(rows) < 40:
        rows.insert(at, dict(blank))
    elif name == "out" and at < len(rows):
        del rows[at]
    elif name == "up" and 0 < at < len(rows):
        rows[at - 1], rows[at] = rows[at], rows[at - 1]


def _minutes(form: Form, name: str, place: str, *, start: float) -> float:
    """A number of the form whose fault stands at its place in the document."""
    value = form.number(name, "Minutes")
    if name in form.faults:
        form.faults[place] = form.faults.pop(name)
    elif value is None:
        form.faults[place] = "Enter a figure."
    return start if value is None else value


def _free(key: str, text: str, taken: set[str]) -> str:
    """The row's id, for a new row one of its words."""
    if not key:
        words = "".join(c if c.isascii() and c.isalnum() else " " for c in text.lower()).split()
        key = "_".join(w for w in words[:3])[:30].lstrip("0123456789_") or "step"
        base, n = key, 2
        while key in taken:
            key, n = f"{base}_{n}", n + 1
    taken.add(key)
    return key


def _split(text: str, by: str) -> list[str]:
    return [x.strip() for x in text.split(by) if x.strip()]


def _picked(form: Form, name: str) -> list[str]:
    """Words that were ticked or picked, each once."""
    return list(dict.fromkeys(t.strip() for t in form.texts(name) if t.strip()))


def _count(form: Form) -> int:
    return min(form.integer("rows"), 40)


def _procedure(form: Form, template_id: str) -> dict[str, Any]:
    shipped = SHIPPED["procedure"][template_id]
    assert isinstance(shipped, PartProcedure)
    taken: set[str] = set()
    return {
        "component": template_id,
        "title": form.text("title").strip(),
        "steps": [_step(form, i, taken) for i in range(_count(form))],
        "in_place": shipped.in_place,
        "once": shipped.once,
    }


def _step(form: Form, i: int, taken: set[str]) -> dict[str, Any]:
    def text(name: str) -> str:
        return form.text(f"{i}.{name}").strip()

    at, wait = f"steps[{i}]", None
    if text("wait_name") or text("wait_minutes"):
        wait = {
            "name": text("wait_name"),
            "base_minutes": _minutes(form, f"{i}.wait_minutes", f"{at}.wait", start=0.0),
            "reason": text("wait_reason"),
            "dries": text("wait_dries") or None,
        }
    opens = [
        {
            "what": w.strip(),
            "kind": k,
            "count": int(n) if digits(n, 3) else 0,
            "before": b,
            "dangerous": k in INSIDE,
            "while_running": r == "yes",
        }
        for w, k, n, b, r in zip(
            *(form.texts(f"{i}.open_{x}") for x in ("what", "kind", "count", "before", "running")),
            strict=False,
        )
        if w.strip()
    ]
    fields = ("id", "kept", "kind", "label", "bad", "answer", "quantity", "does", "parts", "least")
    asked = zip(*(form.texts(f"{i}.record_{x}") for x in fields), strict=False)
    rows = [dict(zip(fields, row, strict=True)) for row in asked]
    records = [_record(row, n) for n, row in enumerate(rows, 1) if row["label"].strip()]
    has_agent = bool(text("agent"))
    return {
        "key": _free(text("key"), text("text"), taken),
        "text": text("text"),
        "why": text("why"),
        "minutes": _minutes(form, f"{i}.minutes", f"{at}.minutes", start=0.0),
        "when": form.texts(f"{i}.when"),
        "tools": _split(text("tools"), ","),
        "cautions": form.texts(f"{i}.cautions"),
        "records": records,
        "wait": wait,
        "opens": opens,
        "closes": _split(text("closes"), ";"),
        "agent": text("agent"),
        "agent_ml": (
            _minutes(form, f"{i}.agent_ml", f"{at}.agent_ml", start=0.0) if has_agent else 0.0
        ),
        "needs": form.texts(f"{i}.needs"),
        "place": text("place"),
        "computation": text("computation"),
        "each": text("each"),
        "way": text("way") if has_agent else "",
        "works": form.texts(f"{i}.works"),
        "does": form.texts(f"{i}.does"),
        "brings": form.texts(f"{i}.brings"),
        "moves": [m for m in MOVES if m in form.texts(f"{i}.moves")],
        "consumes": _split(text("consumes"), ","),
        "treats": text("treats") == "yes",
        "acts": _picked(form, f"{i}.acts"),
        "through": form.texts(f"{i}.through"),
        "dirties": form.texts(f"{i}.dirties"),
        "judges": form.texts(f"{i}.judges"),
        "seals": text("seals") == "yes",
        "sees": form.texts(f"{i}.sees"),
        "speaks_of": _picked(form, f"{i}.speaks_of"),
        "about": text("about"),
    }


def _record(row: Mapping[str, str], number: int) -> dict[str, Any]:
    """A question of the form with what its bad answer does, over what the template held of it."""
    kept = _kept(row["kept"])
    same_kind = kept.get("kind") == row["kind"]
    name = row["id"] or f"asked_{number}"
    made: dict[str, Any] = {**(kept if same_kind else {}), "id": name, "kind": row["kind"]}
    made |= {"label": row["label"].strip(), "quantity": row["quantity"]}
    if row["kind"] == "grade":
        made["consequences"] = _graded(
            kept.get("consequences", []) if same_kind else [], name, row["does"]
        )
        return made
    answer = {"reading": "low", "words": "none"}.get(row["kind"], row["answer"])
    first = (kept.get("consequences") or [{}])[0] if same_kind else {}
    bad: dict[str, Any] = {
        **first,
        "answer": answer,
        "kind": row["does"],
        "text": row["bad"].strip(),
    }
    bad["parts"] = _split(row["parts"], ",") if row["does"] == "more" else []
    made["consequences"] = [bad] if row["does"] else []
    least = row["least"].strip().replace(",", ".")
    if row["kind"] == "reading" and least:
        try:
            made["least"] = float(least)
        except ValueError:
            made["consequences"] = []
    return made


def _kept(text: str) -> dict[str, Any]:
    try:
        found = json.loads(text) if len(text) < 20_000 else {}
    except (json.JSONDecodeError, RecursionError):
        return {}
    return found if isinstance(found, dict) else {}


def _graded(kept: Any, name: str, does: str) -> list[dict[str, Any]]:
    """Consequences of a grade: the trade's own, with the form's word on what follows a second
    time."""
    if not isinstance(kept, list) or not kept:
        fresh = after() if name == "grade_after" else FOUND_BEFORE
        kept = plain(Record, fresh)["consequences"]
    rows = [c for c in kept if isinstance(c, dict)]
    again = any(c.get("kind") == "again" for c in rows)
    return [{**c, "then": does} if again and does and c.get("kind") == "again" else c for c in rows]


def _relearn(form: Form, template_id: str) -> dict[str, Any]:
    taken: set[str] = set()
    shipped = SHIPPED["relearn"][template_id]
    assert isinstance(shipped, RelearnTemplate)
    conditions = [
        [_free(k, t, taken), t.strip()]
        for k, t in zip(form.texts("condition_id"), form.texts("condition"), strict=False)
        if t.strip()
    ]
    names: set[str] = set()
    phases = [
        {
            "id": _free(form.text(f"{i}.id"), form.text(f"{i}.text"), names),
            "text": form.text(f"{i}.text").strip(),
            "hold_minutes": _minutes(form, f"{i}.hold", f"phases[{i}].hold_minutes", start=0.0),
            "normal": form.text(f"{i}.normal").strip(),
            "guards": [
                {"id": g, "text": GUARDS[g].text} for g in form.texts(f"{i}.guards") if g in GUARDS
            ],
            "engine_on": form.text(f"{i}.engine_on") == "yes",
            "attended": form.text(f"{i}.attended") == "yes",
            "acts": _picked(form, f"{i}.acts"),
        }
        for i in range(_count(form))
    ]
    return {
        "id": template_id,
        "title": form.text("title").strip(),
        "conditions": conditions,
        "phases": phases,
        "success": form.text("success").strip(),
        "failure": form.text("failure").strip(),
        "needs": list(shipped.needs),
        "ends": list(shipped.ends),
    }
