"""Bodies of the open routes for the API's description: schemas with words and ranges, examples."""

import dataclasses
from collections.abc import Callable
from typing import Any, get_args, get_type_hints

from pydantic import TypeAdapter

from galene.core.calculations.declaring import MOST_IN_LIST, Asked, asked_of

Schema = dict[str, Any]
"""JSON schema as plain data."""


class BodyOf(dict[str, Any]):
    """The request body of a route as OpenAPI has it, by the type that it is read by. It is made
    when somebody asks for the description, which a start has no need of.

    Parameters
    ----------
    kind : a model or record; words and ranges that its fields declare go into the schema
    example : makes a body that is answered
    """

    def __init__(self, kind: Any, example: Callable[[], Any]) -> None:
        super().__init__()
        self._kind, self._example = kind, example

    def __bool__(self) -> bool:
        return True

    def items(self) -> Any:
        """What the description takes from it."""
        if not len(self):
            self.update(_body_of(self._kind, self._example()))
        return super().items()


def _body_of(kind: Any, example: Any) -> Schema:
    whole = TypeAdapter(kind).json_schema(mode="validation", by_alias=True)
    schema = inlined(whole, whole.get("$defs", {}))
    if dataclasses.is_dataclass(kind):
        _declare(schema, kind)
    _end_lists(schema)
    content = {"application/json": {"schema": schema, "example": example}}
    return {"requestBody": {"required": True, "content": content}}


def inlined(node: Any, definitions: Schema) -> Any:
    """A schema without references, so that every route's body is read by itself, and without the
    titles that are only a field's name again."""
    if isinstance(node, list):
        return [inlined(one, definitions) for one in node]
    if not isinstance(node, dict):
        return node
    if "$ref" in node:
        found = definitions[node["$ref"].rpartition("/")[2]]
        rest = {k: v for k, v in node.items() if k != "$ref"}
        whole: Schema = {**inlined(found, definitions), **rest}
        return whole
    made = {k: inlined(v, definitions) for k, v in node.items() if k != "$defs"}
    for name, field in made.get("properties", {}).items():
        if isinstance(field, dict) and field.get("title") == name.replace("_", " ").title():
            del field["title"]
    return made


def _declare(schema: Schema, kind: Any) -> None:
    """Words and ranges of a record's fields, and of the records in them."""
    hints = get_type_hints(kind)
    for one in dataclasses.fields(kind):
        place = schema.get("properties", {}).get(one.name.rstrip("_"))
        if place is None:
            continue
        how = asked_of(one)
        if how is not None:
            place |= _words(how)
        _declare_sizes(place, how.most if how else MOST_IN_LIST)
        for inner in (hints[one.name], *get_args(hints[one.name])):
            if isinstance(inner, type) and dataclasses.is_dataclass(inner):
                shapes = (place, place.get("items", {}), *place.get("anyOf", ()))
                for shape in (s for s in shapes if s.get("properties")):
                    _declare(shape, inner)


def _end_lists(node: Any) -> None:
    """Lists of records that a contract holds, whose fields declare nothing of their own."""
    for inner in node.values() if isinstance(node, dict) else node:
        if isinstance(inner, (dict, list)):
            _end_lists(inner)
    if isinstance(node, dict) and node.get("type") == "array":
        node.setdefault("maxItems", MOST_IN_LIST)


def _declare_sizes(place: Schema, most: int) -> None:
    for shape in (place, *place.get("anyOf", ())):
        if shape.get("type") == "array":
            shape["maxItems"] = most
        elif shape.get("type") == "object" and shape.get("additionalProperties", False):
            shape["maxProperties"] = most


def _words(how: Asked) -> Schema:
    found: Schema = {}
    if how.label:
        found["title"] = how.label
    if how.low is not None and how.high is not None:
        found |= {"minimum": how.low, "maximum": how.high}
    if how.unit:
        found["x-unit"] = how.unit
    if how.hint:
        found["description"] = how.hint
    if how.choices and how.choices[0][0] not in ("yes", "no"):
        found["enum"] = [value for value, _ in how.choices]
    return found
