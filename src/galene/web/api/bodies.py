"""Bodies of the open routes for the API's description: schemas with words and ranges, examples."""

import dataclasses
from typing import Any

from pydantic import TypeAdapter

from galene.core.calculations.declaring import Asked, asked_of

Schema = dict[str, Any]
"""JSON schema as plain data."""


def body_of(kind: Any, example: Any) -> Schema:
    """The request body of a route as OpenAPI has it, by the type that it is read by.

    Parameters
    ----------
    kind : a model or record; words and ranges that its fields declare go into the schema
    example : a body that is answered
    """
    whole = TypeAdapter(kind).json_schema(mode="validation", by_alias=True)
    schema = inlined(whole, whole.get("$defs", {}))
    if dataclasses.is_dataclass(kind):
        _declare(schema, kind)
    content = {"application/json": {"schema": schema, "example": example}}
    return {"requestBody": {"required": True, "content": content}}


def inlined(node: Any, definitions: Schema) -> Any:
    """A schema without references: every route's body is read by itself."""
    if isinstance(node, list):
        return [inlined(one, definitions) for one in node]
    if not isinstance(node, dict):
        return node
    if "$ref" in node:
        found = definitions[node["$ref"].rpartition("/")[2]]
        rest = {k: v for k, v in node.items() if k != "$ref"}
        whole: Schema = {**inlined(found, definitions), **rest}
        return whole
    return {k: inlined(v, definitions) for k, v in node.items() if k != "$defs"}


def _declare(schema: Schema, kind: Any) -> None:
    for one in dataclasses.fields(kind):
        how, place = asked_of(one), schema.get("properties", {}).get(one.name.rstrip("_"))
        if how is not None and place is not None:
            place |= _words(how)
            inner = one.type if isinstance(one.type, type) else None
            if inner is not None and dataclasses.is_dataclass(inner):
                _declare(place, inner)


def _words(how: Asked) -> Schema:
    found: Schema = {}
    if how.label:
        found["title"] = how.label
    if how.low is not None and how.high is not None:
        found |= {"minimum": how.low, "maximum": how.high}
    words = [w for w in (how.unit and f"in {how.unit}", how.hint) if w]
    if words:
        found["description"] = "; ".join(words)
    if how.choices and how.choices[0][0] not in ("yes", "no"):
        found["enum"] = [value for value, _ in how.choices]
    return found
