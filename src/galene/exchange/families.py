"""Engine families as JSON: in and out without loss, with a schema that others can check against."""

import base64
import binascii
import json
from collections.abc import Mapping
from typing import Any

from galene.core.airpath.family import EngineFamily
from galene.core.airpath.faults import family_faults
from galene.core.errors import Fault, InputError
from galene.knowledge.families import VOCABULARY
from galene.knowledge.typed import adapter, plain, short, typed

FORMAT, VERSION = "galene-engine-family", 1
MAX_DEPTH = 12


def document_of(family: EngineFamily) -> dict[str, Any]:
    """A family as plain data, the form that is kept and sent."""
    return plain(EngineFamily, family)


def family_of_document(document: Any) -> EngineFamily:
    """A family from plain data.

    Raises
    ------
    InputError
        Naming the place in the data and what is wrong there: a missing or unknown field, a value of
        the wrong kind.
    """
    _require_said(document)
    return typed(EngineFamily, _upgraded(document), "family")


SAID = (("taps", "on", "Tap"), ("fasteners", "torque_nm", "Fastener"))
"""Lists of a family, the field that each row says, were it that nothing is known, and the row's
record: a sensor that sits on no part reads the air outside, a torque left out by a slip is none."""


def _require_said(document: Any) -> None:
    for name, wanted, _ in SAID:
        rows = document.get(name) if isinstance(document, dict) else None
        for number, row in enumerate(rows if isinstance(rows, list) else ()):
            if isinstance(row, dict) and wanted not in row:
                allowed = "a value, or null: this field is needed"
                raise InputError(f"{name}[{number}].{wanted}", None, allowed)


def _upgraded(document: Any) -> Any:
    """A family that was kept before its operations said whose a plug is, what a hose carries, which
    cap lies on a mouth and what gives sight of what: told from its own words once."""
    operations = document.get("operations") if isinstance(document, dict) else None
    if not isinstance(operations, list) or any("sight_of" in o for o in operations if _named(o)):
        return document
    known = [o for o in operations if _named(o)]
    if len(known) != len(operations):
        return document
    return {**document, "operations": [_operation_upgraded(o, known) for o in known]}


def _named(operation: Any) -> bool:
    return isinstance(operation, dict) and isinstance(operation.get("id"), str)


def _operation_upgraded(operation: dict[str, Any], every: list[dict[str, Any]]) -> dict[str, Any]:
    serves = [operation.get("removes") or operation.get("part", ""), *operation.get("reaches", [])]
    opens = operation.get("opens")
    only_sight = not operation.get("removes") and not operation.get("reaches")
    behind = [o.get("part", "") for o in every if operation["id"] in _under(o, every)]
    sight = only_sight and not any(
        o.get("kind") in ("coolant low", "fuel line open")
        for o in opens or ()
        if isinstance(o, dict)
    )
    return {
        **operation,
        "opens": [_item_upgraded(o, serves) for o in opens] if isinstance(opens, list) else opens,
        "sight_of": list(dict.fromkeys(b for b in behind if b)) if sight else [],
    }


def _under(operation: dict[str, Any], every: list[dict[str, Any]]) -> set[str]:
    """Every operation that must be open before one."""
    found: set[str] = set()
    ahead = list(operation.get("after", ()))
    while ahead:
        one = ahead.pop()
        if one not in found:
            found.add(one)
            ahead += [a for o in every if o["id"] == one for a in o.get("after", ())]
    return found


def _item_upgraded(item: Any, serves: list[str]) -> Any:
    if not isinstance(item, dict) or {"of", "carries", "mouth"} & set(item):
        return item
    what, kind = str(item.get("what", "")).lower(), item.get("kind")
    more: dict[str, str] = {}
    if kind in ("connector", "sensor unplugged"):
        more["of"] = serves[0]
    elif kind == "hose" and "coolant" in what:
        more["carries"] = "coolant"
    elif kind == "cover" and (
        item.get("dangerous") or what.split(" ", 1)[0] in ("cap", "caps", "plug", "plugs")
    ):
        slug = "_".join("".join(c if c.isalnum() else " " for c in what).split())
        more["mouth"] = f"coolant_{slug}" if "coolant" in what else slug
    return {**item, **more}


def faults_of(family: EngineFamily) -> list[Fault]:
    """What is wrong with a family by the trade's vocabulary."""
    return family_faults(family, VOCABULARY)


def to_file(family: EngineFamily, pictures: Mapping[str, bytes]) -> dict[str, Any]:
    """The file that is sent to another workshop; `pictures` are JPEG bytes by content hash."""
    return {
        "format": FORMAT,
        "format_version": VERSION,
        "family": document_of(family),
        "pictures": {k: base64.b64encode(v).decode() for k, v in pictures.items()},
    }


def from_file(text: bytes) -> tuple[EngineFamily, dict[str, bytes]]:
    """A family and its pictures from a file.

    Raises
    ------
    InputError
        No JSON (with line and column), another format or version, or whatever is wrong with the
        family.
    """
    try:
        whole = json.loads(text.decode("utf-8-sig"))
    except UnicodeDecodeError as fault:
        raise InputError("file", f"byte {fault.start}", "text in UTF-8") from fault
    except json.JSONDecodeError as fault:
        raise InputError(
            "file", f"line {fault.lineno}, column {fault.colno}", f"JSON; found: {fault.msg}"
        ) from fault
    except RecursionError as fault:
        raise InputError("file", "too deep", f"at most {MAX_DEPTH} levels") from fault
    if not isinstance(whole, dict) or whole.get("format") != FORMAT:
        raise InputError(
            "format",
            whole.get("format") if isinstance(whole, dict) else type(whole).__name__,
            FORMAT,
        )
    if whole.get("format_version") != VERSION:
        raise InputError("format_version", whole.get("format_version"), str(VERSION))
    extra = set(whole) - {"format", "format_version", "family", "pictures"}
    if extra:
        raise InputError(sorted(extra)[0], "…", "no such field")
    if not isinstance(whole.get("family"), dict):
        raise InputError("family", type(whole.get("family")).__name__, "an object")
    pictures: dict[str, bytes] = {}
    given = whole.get("pictures", {})
    if not isinstance(given, dict):
        raise InputError("pictures", type(given).__name__, "an object of base64 texts")
    for name, value in given.items():
        try:
            pictures[str(name)] = base64.b64decode(value, validate=True)
        except (binascii.Error, TypeError, ValueError) as fault:
            raise InputError(f"pictures.{name}", short(value), "base64 text") from fault
    return family_of_document(whole["family"]), pictures


def schema() -> dict[str, Any]:
    """The JSON Schema of the file."""
    family = adapter(EngineFamily).json_schema(ref_template="#/$defs/{model}")
    definitions = family.pop("$defs", {})
    for _, said, record in SAID:
        definitions[record]["required"].append(said)
        del definitions[record]["properties"][said]["default"]
    for one in (family, *definitions.values()):
        if one.get("type") == "object" and "properties" in one:
            one["additionalProperties"] = False
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Galene engine family",
        "description": (
            "One engine family with its parts, air path, access operations and reference values."
            " Lengths in mm, pressures in kPa, airflow in g/s, temperatures in degrees C, torque in"
            " N m, times in minutes."
        ),
        "type": "object",
        "properties": {
            "format": {"const": FORMAT},
            "format_version": {"const": VERSION},
            "family": {"$ref": "#/$defs/EngineFamily"},
            "pictures": {
                "type": "object",
                "additionalProperties": {
                    "type": "string",
                    "contentEncoding": "base64",
                    "contentMediaType": "image/jpeg",
                },
            },
        },
        "required": ["format", "format_version", "family"],
        "additionalProperties": False,
        "$defs": {**definitions, "EngineFamily": family},
    }


def schema_text() -> str:
    """The schema as it is published in `docs/formats/`."""
    return json.dumps(schema(), indent=2, ensure_ascii=False) + "\n"
