"""The JSON Schema of a bundle's `job.json`, made of the same columns that write and read it."""

import json
from typing import Any

from sqlalchemy import ARRAY, Boolean, Date, DateTime, Float, Integer
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.sql.elements import NamedColumn

from galene.store.codec import Recorded
from galene.store.job_document import TABLES, columns_of, names_person
from galene.store.models import Base, Job, Reading, Vehicle

TYPES: tuple[tuple[type, dict[str, Any]], ...] = (
    (Boolean, {"type": "boolean"}),
    (DateTime, {"type": "string", "format": "date-time"}),
    (Date, {"type": "string", "format": "date"}),
    (Integer, {"type": "integer"}),
    (Float, {"type": "number"}),
    (ARRAY, {"type": "array", "items": {"type": "string"}}),
    (JSONB, {"type": ["object", "array"]}),
)


def _column(column: NamedColumn[Any], definitions: dict[str, Any]) -> dict[str, Any]:
    kind = column.type
    if names_person(column):
        found: dict[str, Any] = {"type": "integer", "description": "place in the list of people"}
    elif isinstance(kind, Recorded):
        found = kind.schema()
        definitions |= found.pop("$defs", {})
    else:
        found = dict(next((t for known, t in TYPES if isinstance(kind, known)), {"type": "string"}))
    return {"anyOf": [found, {"type": "null"}]} if column.nullable else found


def _row(model: type[Base], definitions: dict[str, Any], *but: str) -> dict[str, Any]:
    fields = {k: _column(c, definitions) for k, c in columns_of(model).items() if k not in but}
    words = (model.__doc__ or "").split("\n\n")[0]
    return {
        "type": "object",
        "description": " ".join(words.split()),
        "properties": fields,
        "required": sorted(fields),
        "additionalProperties": False,
    }


def schema() -> dict[str, Any]:
    """The JSON Schema of `job.json`."""
    definitions: dict[str, Any] = {}
    lists: dict[str, Any] = {
        table.name: {"type": "array", "items": _row(table.model, definitions)} for table in TABLES
    }
    readings = {"type": "array", "items": _row(Reading, definitions)}
    sets = lists["sets"]["items"]
    sets["properties"]["readings"] = readings
    sets["required"] = sorted(sets["properties"])
    properties = {
        "format": {"const": "galene-job"},
        "version": {"const": 1},
        "job": _row(Job, definitions),
        "vehicle": _row(Vehicle, definitions, "plate_key"),
        "family": {
            "type": "object",
            "properties": {"digest": {"type": "string"}, "document": {"type": "object"}},
            "required": ["digest", "document"],
            "additionalProperties": False,
        },
        "people": {"type": "array", "items": {"type": "string"}},
        **lists,
    }
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Galene job",
        "description": (
            "A whole job as a bundle holds it, in kept units: km, mm, kPa, g/s, degrees C, minutes,"
            " ml. Fields that stand at their default are left out of records."
        ),
        "type": "object",
        "properties": properties,
        "required": sorted(properties),
        "additionalProperties": False,
        "$defs": definitions,
    }


def schema_text() -> str:
    """The schema as it is published in `docs/formats/`."""
    return json.dumps(schema(), indent=1, ensure_ascii=False) + "\n"
