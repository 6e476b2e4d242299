"""The trade's documents: facts as TOML, a folder or a file for each subject, read into the core's
records.

What is read is held against the record's type: a slip in a name, a value of the wrong kind, a field
that is missing is named with file, line and place. What was read once is kept beside the bytecode
under the documents' own sum, so that a start parses nothing; where the sum differs it is read anew.
"""

import contextlib
import hashlib
import json
import os
import re
import tomllib
from collections.abc import Mapping
from functools import lru_cache
from pathlib import Path
from typing import Any, TypeVar, cast

from pydantic import ValidationError

from galene.core.errors import InputError
from galene.knowledge.typed import adapter, typed

T = TypeVar("T")
DATA = Path(__file__).parent / "data"
FRAGMENTS = "fragments.toml"
"""Pieces that several documents share: `{ use = "name" }` stands for one, with its own fields
beside it where they differ."""
_HEADER = re.compile(r"^\[\[?([\w.\"-]+)\]\]?\s*(#.*)?$")
_KEY = re.compile(r"^\"?([\w:.-]+)\"?\s*=")


class Documents:
    """The documents of one folder.

    Parameters
    ----------
    folder : where they lie
    kept : file in which what was parsed is kept; None: nowhere
    """

    def __init__(self, folder: Path, kept: Path | None = None) -> None:
        self.folder = folder
        self._texts = {
            str(f.relative_to(folder)): f.read_bytes() for f in sorted(folder.rglob("*.toml"))
        }
        self.asked: dict[tuple[str, str], Any] = {}
        """What was read so far, by file and field, with its type."""
        self._kept = kept
        self._parsed, self.held = self._of_sum(kept)

    def fields(self) -> dict[str, tuple[str, ...]]:
        """Every document with its first fields."""
        return {name: tuple(document) for name, document in self._parsed.items()}

    def has(self, name: str, at: str) -> bool:
        """Whether a document says something of a field."""
        return at in self._parsed[name]

    def read(self, name: str, kind: type[T], at: str = "") -> T:
        """What a document says.

        Parameters
        ----------
        name : the file, from the folder on
        kind : the records' type
        at : the field that is read; empty: all of it

        Raises
        ------
        InputError
            Naming file, line and field, the value and what is allowed.
        """
        self.asked[name, at] = kind
        document = self._parsed[name]
        if at:
            document = document[at]
        if self.held:
            with contextlib.suppress(ValidationError):
                found: T = adapter(cast(Any, kind)).validate_python(document)
                return found
        try:
            return typed(kind, document, at or name)
        except InputError as fault:
            if self._kept is not None:
                # What can not be read is read anew, and its fault told, until it is mended.
                self._kept.unlink(missing_ok=True)
            place = fault.field if not at or fault.field == at else _under(at, fault.field)
            line = line_of(self._texts[name].decode(), place)
            raise InputError(f"{name}, line {line}: {place}", fault.value, fault.allowed) from fault

    def _of_sum(self, kept: Path | None) -> tuple[dict[str, Any], bool]:
        """The parsed documents, and whether they were held against their types before."""
        summed = hashlib.sha256()
        for name, text in self._texts.items():
            summed.update(name.encode() + b"\0" + text + b"\0")
        own = summed.hexdigest()
        if kept is not None:
            with contextlib.suppress(OSError, ValueError, KeyError):
                found = json.loads(kept.read_bytes())
                if found["sum"] == own:
                    return found["documents"], True
        parsed = {name: _parsed(name, text) for name, text in self._texts.items()}
        fragments = parsed.get(FRAGMENTS, {})
        filled = {name: _filled(d, fragments, name) for name, d in parsed.items()}
        if kept is not None:
            with contextlib.suppress(OSError):
                kept.parent.mkdir(exist_ok=True)
                part = kept.with_suffix(f".{os.getpid()}")
                part.write_text(json.dumps({"sum": own, "documents": filled}))
                part.replace(kept)
        return filled, False


def _parsed(name: str, text: bytes) -> dict[str, Any]:
    try:
        return tomllib.loads(text.decode())
    except (tomllib.TOMLDecodeError, UnicodeDecodeError) as fault:
        raise InputError(name, str(fault), "a document in TOML") from fault


def _filled(node: Any, fragments: Mapping[str, Any], name: str) -> Any:
    """A document with the shared pieces in their places."""
    if isinstance(node, list):
        return [_filled(n, fragments, name) for n in node]
    if not isinstance(node, dict):
        return node
    own = {k: _filled(v, fragments, name) for k, v in node.items() if k != "use"}
    if "use" not in node:
        return own
    piece = fragments.get(node["use"]) if isinstance(node["use"], str) else None
    if not isinstance(piece, dict):
        raise InputError(f"{name}: use", node["use"], "one of: " + ", ".join(sorted(fragments)))
    return {**_filled(piece, fragments, name), **own}


def _under(at: str, place: str) -> str:
    return f"{at}{place}" if place.startswith("[") else f"{at}.{place}"


def line_of(text: str, place: str) -> int:
    """The line at which a place of a document stands, or the nearest thing that holds it.

    Parameters
    ----------
    place : names and numbers, as ``causes[3].prior``

    Examples
    --------
    >>> line_of("[[a]]\\nx = 1\\n[[a]]\\nx = 2", "a[1].x")
    4
    """
    wanted = tuple(int(n) if n else w for n, w in re.findall(r"\[(\d+)\]|([^.\[\]]+)", place))
    here: tuple[int | str, ...] = ()
    counts: dict[tuple[int | str, ...], int] = {}
    best, line = 0, 1
    for number, row in enumerate(text.splitlines(), start=1):
        if header := _HEADER.match(row):
            here = _entered(header[1].replace('"', "").split("."), row.startswith("[["), counts)
            found = here
        elif key := _KEY.match(row):
            found = (*here, key[1])
        else:
            continue
        if len(found) > best and wanted[: len(found)] == found:
            best, line = len(found), number
    return line


def _entered(
    names: list[str], another: bool, counts: dict[tuple[int | str, ...], int]
) -> tuple[int | str, ...]:
    """Where a header leads; `another`: to a further one of a list."""
    here: tuple[int | str, ...] = ()
    for k, name in enumerate(names):
        here = (*here, name)
        if another and k == len(names) - 1:
            counts[here] = counts.get(here, -1) + 1
        if here in counts:
            here = (*here, counts[here])
    return here


@lru_cache(maxsize=1)
def shipped() -> Documents:
    """The documents that come with the program."""
    return Documents(DATA, Path(__file__).parent / "__pycache__" / "documents.json")


def read(name: str, kind: type[T], at: str = "") -> T:
    """What a shipped document says: `Documents.read`."""
    return shipped().read(name, kind, at)


def table(name: str, kind: type[T], at: str, *, by: str = "id") -> dict[str, T]:
    """A list of a shipped document's records by one of their fields."""
    several: Any = tuple.__class_getitem__((kind, ...))
    records: tuple[T, ...] = shipped().read(name, several, at)
    return {getattr(r, by): r for r in records}


def by_kind(kind: type[T], at: str) -> dict[str, T]:
    """What the documents of the kinds of part and of the shared ways say of one field, by the
    document's name, in the order of their list."""
    order = read("order.toml", dict[str, tuple[str, ...]])
    documents = {n: f"{folder}/{n}.toml" for folder, names in order.items() for n in names}
    return {n: read(d, kind, at) for n, d in documents.items() if shipped().has(d, at)}
