"""Job bundles: a ZIP of whole jobs with their pictures, logs and reports, and a manifest of what is
in it. Written as it is sent; read only after every entry was checked.

A bundle comes from anywhere: names, sizes, hashes and versions are checked before anything of it is
believed, and what is refused is named by its entry.
"""

import hashlib
import io
import json
import re
import zipfile
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any

from galene.core.errors import InputError

FORMAT, VERSION = "galene-jobs", 1
MANIFEST = "manifest.json"
MOST_ENTRIES = 20_000
MOST_BYTES = 600 * 1024 * 1024
"""Of all entries together, unpacked."""
MOST_OF_KIND = {
    "job": 20 * 1024 * 1024,
    "picture": 16 * 1024 * 1024,
    "log": 200 * 1024 * 1024,
    "report": 16 * 1024 * 1024,
}
JOB = r"jobs/(?P<number>[0-9A-Za-z-]{1,20})/"
NAMES: tuple[tuple[str, re.Pattern[str]], ...] = (
    ("job", re.compile(JOB + r"job\.json")),
    ("picture", re.compile(JOB + r"pictures/(?P<name>[0-9a-f]{64})\.jpg")),
    ("log", re.compile(JOB + r"logs/(?P<name>[0-9]{1,4})\.csv")),
    ("report", re.compile(JOB + r"report\.pdf")),
)
"""Every name that an entry may have: nothing else, so no path leads anywhere."""
ONCE = (1980, 1, 1, 0, 0, 0)
"""The time of every entry, so that the same job gives the same bytes."""


@dataclass(frozen=True, kw_only=True)
class Entry:
    """A file of a bundle: its name and content; pictures are stored as they are."""

    name: str
    data: bytes
    packed: bool = True


@dataclass(frozen=True, kw_only=True)
class BundledJob:
    """A job as a bundle has it: its document, pictures by content hash, logs by their place."""

    number: str
    document: Mapping[str, Any]
    pictures: Mapping[str, bytes] = field(default_factory=dict)
    logs: Mapping[int, bytes] = field(default_factory=dict)
    report: bytes | None = None


@dataclass(frozen=True, kw_only=True)
class Bundle:
    """A bundle that was read and checked."""

    workshop: str
    jobs: tuple[BundledJob, ...]


def json_bytes(document: Any) -> bytes:
    """A document as it is written: one form, so that equal documents are equal bytes."""
    text = json.dumps(document, ensure_ascii=False, indent=1, sort_keys=True, allow_nan=False)
    return text.encode() + b"\n"


def digest_of(document: Any) -> str:
    """SHA-256 of a document as it is written."""
    return hashlib.sha256(json_bytes(document)).hexdigest()


class _Chunks(io.RawIOBase):
    """A file that can only be written, whose content is taken out piece by piece."""

    def __init__(self) -> None:
        self._held: list[bytes] = []

    def writable(self) -> bool:
        return True

    def write(self, data: Any) -> int:
        self._held.append(bytes(data))
        return len(data)

    def taken(self) -> bytes:
        """What was written since the last time."""
        found = b"".join(self._held)
        self._held.clear()
        return found


def written(workshop: str, jobs: Iterable[BundledJob]) -> Iterator[bytes]:
    """A bundle, piece by piece: one job at a time is in memory.

    Parameters
    ----------
    workshop : name of the workshop that it comes from
    """
    out = _Chunks()
    files: list[dict[str, Any]] = []
    numbers: list[str] = []
    with zipfile.ZipFile(out, "w") as archive:
        for job in jobs:
            numbers.append(job.number)
            for entry in _entries(job):
                files.append(_put(archive, entry))
                if piece := out.taken():
                    yield piece
        manifest = {
            "format": FORMAT,
            "version": VERSION,
            "workshop": workshop,
            "jobs": numbers,
            "files": files,
        }
        _put(archive, Entry(name=MANIFEST, data=json_bytes(manifest)))
    yield out.taken()


def _entries(job: BundledJob) -> Iterator[Entry]:
    folder = f"jobs/{job.number}"
    yield Entry(name=f"{folder}/job.json", data=json_bytes(job.document))
    for name, data in sorted(job.pictures.items()):
        yield Entry(name=f"{folder}/pictures/{name}.jpg", data=data, packed=False)
    for place, data in sorted(job.logs.items()):
        yield Entry(name=f"{folder}/logs/{place}.csv", data=data)
    if job.report is not None:
        yield Entry(name=f"{folder}/report.pdf", data=job.report, packed=False)


def _put(archive: zipfile.ZipFile, entry: Entry) -> dict[str, Any]:
    info = zipfile.ZipInfo(entry.name, ONCE)
    info.compress_type = zipfile.ZIP_DEFLATED if entry.packed else zipfile.ZIP_STORED
    archive.writestr(info, entry.data, compresslevel=6)
    sha256 = hashlib.sha256(entry.data).hexdigest()
    return {"name": entry.name, "bytes": len(entry.data), "sha256": sha256}


def read_bundle(data: bytes) -> Bundle:
    """A bundle, every entry checked against the manifest.

    Raises
    ------
    InputError
        Naming the entry: a name that leads elsewhere or stands twice, more bytes than allowed or
        than the manifest says, a wrong hash, an unknown version, a job that is none.
    """
    try:
        archive = zipfile.ZipFile(io.BytesIO(data))
    except (zipfile.BadZipFile, ValueError, OSError, NotImplementedError) as fault:
        raise InputError("bundle", str(fault)[:80], "a ZIP file of jobs") from fault
    with archive:
        infos = _checked_names(archive)
        manifest = _manifest(archive, infos)
        return _checked(archive, infos, manifest)


def _checked_names(archive: zipfile.ZipFile) -> dict[str, zipfile.ZipInfo]:
    infos = archive.infolist()
    if len(infos) > MOST_ENTRIES:
        raise InputError("bundle", f"{len(infos)} entries", f"up to {MOST_ENTRIES}")
    found: dict[str, zipfile.ZipInfo] = {}
    total = 0
    for info in infos:
        name = info.filename
        if name in found:
            raise InputError(name[:120], "twice", "each entry once")
        if name != MANIFEST and _kind_of(name) is None:
            allowed = "a name such as jobs/26-0001/job.json"
            raise InputError("entry", name[:120], allowed)
        if info.flag_bits & 1:
            raise InputError(name, "encrypted", "entries that are not encrypted")
        if info.compress_type not in (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED):
            raise InputError(name, "an unusual packing", "stored or deflated entries")
        total += info.file_size
        found[name] = info
    if total > MOST_BYTES:
        raise InputError("bundle", f"{total} bytes unpacked", f"up to {MOST_BYTES}")
    return found


def _kind_of(name: str) -> tuple[str, re.Match[str]] | None:
    for kind, pattern in NAMES:
        if match := pattern.fullmatch(name):
            return kind, match
    return None


def _unpacked(archive: zipfile.ZipFile, info: zipfile.ZipInfo, most: int) -> bytes:
    """An entry's bytes; never more than it says of itself and is allowed."""
    limit = min(most, info.file_size)
    try:
        with archive.open(info) as file:
            data = file.read(limit + 1)
    except (zipfile.BadZipFile, OSError, EOFError, NotImplementedError, RuntimeError) as fault:
        raise InputError(info.filename, "broken", "an entry that can be read") from fault
    except Exception as fault:
        if type(fault).__module__ == "zlib":
            raise InputError(info.filename, "broken", "an entry that can be read") from fault
        raise
    if len(data) > limit or info.file_size > most:
        raise InputError(info.filename, f"more than {limit} bytes", f"up to {most} bytes")
    return data


def _parsed(name: str, data: bytes) -> Any:
    try:
        return json.loads(data, parse_constant=_no_constant)
    except (ValueError, RecursionError) as fault:
        raise InputError(name, str(fault)[:80], "JSON in UTF-8") from fault


def _no_constant(word: str) -> Any:
    raise ValueError(f"{word} is no number")


def _manifest(archive: zipfile.ZipFile, infos: Mapping[str, zipfile.ZipInfo]) -> dict[str, Any]:
    if MANIFEST not in infos:
        raise InputError(MANIFEST, "missing", "a manifest of what is in the bundle")
    found = _parsed(MANIFEST, _unpacked(archive, infos[MANIFEST], MOST_OF_KIND["job"]))
    if not isinstance(found, dict) or found.get("format") != FORMAT:
        raise InputError(MANIFEST, "another format", FORMAT)
    if found.get("version") != VERSION:
        raise InputError(f"{MANIFEST}: version", str(found.get("version"))[:40], str(VERSION))
    workshop, files = found.get("workshop"), found.get("files")
    if not isinstance(workshop, str) or len(workshop) > 200 or not workshop.isprintable():
        raise InputError(f"{MANIFEST}: workshop", "no name", "a name of up to 200 characters")
    if not isinstance(files, list) or not all(isinstance(f, dict) for f in files):
        raise InputError(f"{MANIFEST}: files", type(files).__name__, "a list of entries")
    return found


def _checked(
    archive: zipfile.ZipFile, infos: Mapping[str, zipfile.ZipInfo], manifest: Mapping[str, Any]
) -> Bundle:
    listed = {str(f.get("name")): f for f in manifest["files"]}
    for name in infos:
        if name != MANIFEST and name not in listed:
            raise InputError(name, "not in the manifest", "only what the manifest lists")
    documents: dict[str, Any] = {}
    pictures: dict[str, dict[str, bytes]] = {}
    logs: dict[str, dict[int, bytes]] = {}
    for name, said in listed.items():
        kind = _kind_of(name)
        if kind is None or name not in infos:
            raise InputError(name[:120], "not in the bundle", "what the manifest lists")
        data = _unpacked(archive, infos[name], MOST_OF_KIND[kind[0]])
        sha256 = hashlib.sha256(data).hexdigest()
        if (said.get("sha256"), said.get("bytes")) != (sha256, len(data)):
            raise InputError(name, "another content", "the hash and size of the manifest")
        number = kind[1]["number"]
        if kind[0] == "job":
            documents[number] = _parsed(name, data)
        elif kind[0] == "picture":
            if kind[1]["name"] != sha256:
                raise InputError(name, "another content", "the picture whose hash it is named by")
            pictures.setdefault(number, {})[sha256] = data
        elif kind[0] == "log":
            logs.setdefault(number, {})[int(kind[1]["name"])] = data
    lost = (pictures.keys() | logs.keys()) - documents.keys()
    if lost or sorted(documents) != sorted(map(str, manifest.get("jobs", ()))):
        one = min(lost, default=MANIFEST)
        raise InputError(f"jobs/{one}", "files without a job", "the jobs of the manifest")
    return Bundle(
        workshop=str(manifest["workshop"]),
        jobs=tuple(
            BundledJob(
                number=number,
                document=document,
                pictures=pictures.get(number, {}),
                logs=logs.get(number, {}),
            )
            for number, document in documents.items()
        ),
    )
