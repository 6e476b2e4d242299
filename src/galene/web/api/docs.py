"""The page of the open API: what each route takes, an example that is answered, its answer."""

import json
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from fastapi import APIRouter, FastAPI, Request
from fastapi.responses import HTMLResponse

from galene.exchange.calculations import calculate
from galene.exchange.cases import assess_case
from galene.exchange.judgements import judgement_of
from galene.exchange.plans import plan_of
from galene.exchange.proofs import prove_case
from galene.exchange.scopes import scope_of
from galene.web.api.bodies import inlined
from galene.web.shared.templating import TEMPLATES
from galene.web.shared.visit import VisitRoute

router = APIRouter(route_class=VisitRoute, include_in_schema=False)
PATH = "/api/v1/"
LONGEST_ANSWER = 1500


@dataclass(frozen=True, kw_only=True)
class DescribedField:
    """A field of a body: its name, type, range and words."""

    name: str
    kind: str
    needed: bool
    allowed: str
    words: str


@dataclass(frozen=True, kw_only=True)
class DescribedRoute:
    """A route as the page shows it; example and answer are JSON, a long answer is `cut`."""

    path: str
    title: str
    words: str
    fields: tuple[DescribedField, ...]
    example: str
    answer: str
    cut: bool


@lru_cache(maxsize=2)
def described(app: FastAPI) -> Mapping[str, tuple[DescribedRoute, ...]]:
    """Every route that takes a body, by its tag, out of the API's own description."""
    found: dict[str, list[DescribedRoute]] = {}
    known = app.openapi()["components"]["schemas"]
    for path, methods in app.openapi()["paths"].items():
        route = methods.get("post")
        if route is None:
            continue
        body = route["requestBody"]["content"]["application/json"]
        answer = _lines(_answer(path, body["example"]))
        found.setdefault(route["tags"][0], []).append(
            DescribedRoute(
                path=path,
                title=route["summary"],
                words=route.get("description", ""),
                fields=tuple(_fields(inlined(body["schema"], known))),
                example=_lines(body["example"]),
                answer=answer[:LONGEST_ANSWER],
                cut=len(answer) > LONGEST_ANSWER,
            )
        )
    return {tag: tuple(routes) for tag, routes in found.items()}


def _lines(document: Mapping[str, Any]) -> str:
    """A document as JSON with a line a field, and a line an element of a list of records."""

    def shown(value: Any) -> str:
        if isinstance(value, list) and value and isinstance(value[0], dict):
            rows = ",\n".join(f"    {json.dumps(row, ensure_ascii=False)}" for row in value)
            return f"[\n{rows}\n  ]"
        return json.dumps(value, ensure_ascii=False)

    fields = ",\n".join(f'  "{name}": {shown(value)}' for name, value in document.items())
    return f"{{\n{fields}\n}}"


def _answer(path: str, example: Any) -> Any:
    """What a route answers to its example, by the shipped families."""
    kind, _, name = path.removeprefix(PATH).partition("/")
    if kind == "calculations":
        return calculate(name, example)
    runs: dict[str, Callable[[Any], Any]] = {
        "scopes": scope_of,
        "assessments": assess_case,
        "judgements": judgement_of,
        "plans": plan_of,
        "proofs": prove_case,
    }
    return runs[kind](example)


def _fields(schema: Mapping[str, Any], before: str = "") -> list[DescribedField]:
    found = []
    for name, node in schema.get("properties", {}).items():
        plain = next((n for n in node.get("anyOf", ()) if n.get("type") != "null"), node)
        node = {**plain, **{k: v for k, v in node.items() if k != "anyOf"}}
        words = ", ".join(w for w in (node.get("title", ""), node.get("description", "")) if w)
        found.append(
            DescribedField(
                name=before + name,
                kind=node.get("type", "object"),
                needed=name in schema.get("required", ()),
                allowed=_allowed(node),
                words=words,
            )
        )
        inner = node.get("items", node)
        if inner.get("properties"):
            mark = "[]." if "items" in node else "."
            found += _fields(inner, f"{before}{name}{mark}")
    return found


def _allowed(node: Mapping[str, Any]) -> str:
    if node.get("enum"):
        return ", ".join(str(e) for e in node["enum"])
    if "minimum" in node and "maximum" in node:
        return f"{node['minimum']:g} to {node['maximum']:g} {node.get('x-unit', '')}".strip()
    if "minimum" in node:
        return f"from {node['minimum']:g}"
    return ""


@router.get("/api/docs")
def show(request: Request) -> HTMLResponse:
    """The page, for anybody: the routes that it tells of hold no jobs."""
    page = TEMPLATES.get_template("docs.html")
    return HTMLResponse(page.render(routes=described(request.app)))
