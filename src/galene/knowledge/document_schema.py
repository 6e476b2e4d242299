"""What the trade's documents may say, as a JSON Schema: made of the records that they are read
into."""

import importlib
import json
import pkgutil
from typing import Any

from pydantic import TypeAdapter

import galene.knowledge
from galene.knowledge.documents import shipped
from galene.knowledge.typed import adapter


def everything_asked() -> dict[tuple[str, str], Any]:
    """Every field of every shipped document with the type it is read into: all is read for it."""
    for module in pkgutil.walk_packages(galene.knowledge.__path__, "galene.knowledge."):
        importlib.import_module(module.name)
    return dict(shipped().asked)


def schema() -> dict[str, Any]:
    """JSON Schema 2020-12: a document's form by its name, `kinds/*.toml` for all of a folder."""
    forms = {
        (name if "/" not in name else f"{name.split('/')[0]}/*.toml", at): kind
        for (name, at), kind in sorted(everything_asked().items(), key=lambda x: x[0])
        if name != "fragments.toml"
    }
    made, definitions = TypeAdapter.json_schemas(
        [(key, "validation", adapter(kind)) for key, kind in forms.items()]
    )
    documents: dict[str, Any] = {}
    for name, at in forms:
        found = made[(name, at), "validation"]
        if not at:
            documents[name] = found
            continue
        form = documents.setdefault(name, {"type": "object", "properties": {}})
        form["properties"][at] = found
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "The documents of the trade",
        "properties": documents,
        **definitions,
    }


def schema_text() -> str:
    """The schema as it is published in `docs/formats/`."""
    return json.dumps(schema(), indent=1, ensure_ascii=False) + "\n"
