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
    """The documents of one folder, and a workshop's own that stand beside them.

    Parameters
    ----------
    folder : where they lie
    kept : file in which what was parsed is kept; None: nowhere
    own : a workshop's folder: its documents add to the lists and tables of those of the same name,
        what is new stands for itself, and its kinds and ways come last; None: there is none
    """

    def __init__(self, folder: Path, kept: Path | None = None, own: Path | None = None) -> None:
        self._texts = _texts_in(folder)
        self._own = _texts_in(own) if own is not None else {}
        self.asked: dict[tuple[str, str], Any] = {}
        """What was read so far, by file and field, with its type."""
        self._kept = kept
        self._parsed, self.held = self._of_sum(kept)

    def is_own(self, name: str) -> bool:
        """Whether a document is the workshop's alone."""
        return name in self._own and name not in self._texts

    def names(self, folder: str) -> tuple[str, ...]:
        """Documents of a folder, by name."""
        return tuple(n for n in sorted(self._parsed) if n.startswith(f"{folder}/"))

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
            where = self._place_in_file(name, at, place)
            raise InputError(where, fault.value, fault.allowed) from fault

    def _place_in_file(self, name: str, at: str, place: str) -> str:
        """File, line and place; what stands behind the shipped part of a list is the workshop's."""
        shipped_too = name in self._texts
        text, file = self._texts.get(name, b""), name
        if name in self._own:
            before = len(_parsed(name, text).get(at, ())) if shipped_too and at else 0
            index = re.match(rf"{re.escape(at)}\[(\d+)\]", place) if at else None
            if index and int(index[1]) >= before:
                place = f"{at}[{int(index[1]) - before}]{place[index.end() :]}"
                text, file = self._own[name], f"own {name}"
            elif not shipped_too or line_of(self._own[name].decode(), place) > 1:
                text, file = self._own[name], f"own {name}"
        return f"{file}, line {line_of(text.decode(), place)}: {place}"

    def _of_sum(self, kept: Path | None) -> tuple[dict[str, Any], bool]:
        """The parsed documents, and whether they were held against their types before."""
        summed = hashlib.sha256()
        for name, text in (*self._texts.items(), *self._own.items()):
            summed.update(name.encode() + b"\0" + text + b"\0")
        own = summed.hexdigest()
        if kept is not None:
            with contextlib.suppress(OSError, ValueError, KeyError):
                found = json.loads(kept.read_bytes())
                if found["sum"] == own:
                    return found["documents"], True
        parsed = {name: _parsed(name, text) for name, text in self._texts.items()}
        for name, text in self._own.items():
            parsed[name] = _beside(name, parsed.get(name, {}), _parsed(f"own {name}", text))
        _append_own(parsed, self._texts, self._own)
        fragments = parsed.get(FRAGMENTS, {})
        filled = {name: _filled(d, fragments, name) for name, d in parsed.items()}
        if kept is not None:
            with contextlib.suppress(OSError):
                kept.parent.mkdir(exist_ok=True)
                part = kept.with_suffix(f".{os.getpid()}")
                part.write_text(json.dumps({"sum": own, "documents": filled}))
                part.replace(kept)
        return filled, False


def _texts_in(folder: Path) -> dict[str, bytes]:
    return {str(f.relative_to(folder)): f.read_bytes() for f in sorted(folder.rglob("*.toml"))}


def _beside(name: str, shipped: dict[str, Any], own: dict[str, Any]) -> dict[str, Any]:
    """A shipped document with a workshop's own beside it: nothing shipped is replaced."""
    found = dict(shipped)
    for key, value in own.items():
        there = shipped.get(key)
        if there is None:
            found[key] = value
        elif isinstance(there, list) and isinstance(value, list):
            known = {_named(row) for row in there} - {""}
            if twice := [_named(row) for row in value if _named(row) in known]:
                allowed = "a name that does not ship already: nothing shipped is replaced"
                raise InputError(f"own {name}: {key}", twice[0], allowed)
            found[key] = [*there, *value]
        elif isinstance(there, dict) and isinstance(value, dict) and not there.keys() & value:
            found[key] = {**there, **value}
        else:
            raise InputError(f"own {name}: {key}", value, "something that does not ship already")
    return found


def _named(row: Any) -> str:
    """By what a row of a list is known, empty where it has no name."""
    named = (row.get(k) for k in ("id", "code", "check", "test")) if isinstance(row, dict) else ()
    return str(next((n for n in named if n), ""))


def _append_own(
    parsed: dict[str, Any], shipped: Mapping[str, bytes], own: Mapping[str, bytes]
) -> None:
    """A workshop's own kinds and ways stand behind those that ship."""
    for folder in ("kinds", "ways"):
        new = [Path(n).stem for n in own if n.startswith(f"{folder}/") and n not in shipped]
        if new:
            order = parsed["order.toml"]
            parsed["order.toml"] = {**order, folder: [*order[folder], *new]}


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


def own_folder() -> Path | None:
    """Where a workshop's own documents lie: `trade` in its data folder, or what `GALENE_TRADE`
    names; None where there is none."""
    home = Path(os.environ.get("GALENE_HOME", ".galene")).expanduser()
    found = Path(os.environ["GALENE_TRADE"]) if "GALENE_TRADE" in os.environ else home / "trade"
    return found if found.is_dir() else None


@lru_cache(maxsize=1)
def shipped() -> Documents:
    """The documents that come with the program, and the workshop's own."""
    return Documents(DATA, Path(__file__).parent / "__pycache__" / "documents.json", own_folder())


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
