"""The project file: one ``.latch`` file, a zip of ``project.json`` and photos. Hostile files change nothing."""

from __future__ import annotations

import io
import json
import math
import zipfile
import zlib
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path, PurePosixPath
from typing import Any

from pydantic import ValidationError

from bouncy_latch.core import files
from bouncy_latch.core.errors import ReadError, UserError
from bouncy_latch.core.project.document import SCHEMA_VERSION, Project

DOCUMENT = "project.json"
PHOTOS = "photos"
MOST_ENTRIES = 500
MOST_BYTES = 200 * 2**20
MOST_JSON = 20 * 2**20

Migration = Callable[[dict[str, Any]], dict[str, Any]]
MIGRATIONS: dict[int, Migration] = {1: lambda raw: raw, 2: lambda raw: raw}  # 2 and 3 only added what may be left out
"""From the version that is read to the next one; each turns raw JSON into raw JSON."""


@dataclass(frozen=True)
class Latch:
    """A project with the files that travel in it, by name inside the zip."""

    project: Project
    files: Mapping[str, bytes] = field(default_factory=dict)


def to_bytes(latch: Latch) -> bytes:
    """Return the file's bytes; the same project gives the same bytes."""
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(_entry(DOCUMENT), latch.project.model_dump_json(indent=1))
        for name in sorted(_used(latch)):
            archive.writestr(_entry(name), latch.files[name])
    return buffer.getvalue()


def _entry(name: str) -> zipfile.ZipInfo:
    info = zipfile.ZipInfo(name, (2020, 1, 1, 0, 0, 0))
    info.compress_type = zipfile.ZIP_DEFLATED
    return info


def _used(latch: Latch) -> set[str]:
    photos = {p.photo for m in latch.project.mechanisms for p in m.prints if p.photo}
    return photos & set(latch.files)


def save(path: Path, latch: Latch) -> None:
    """Write the project; the file that was there stays beside it as ``NAME.last``.

    Raises:
        SaveError: in one sentence, with the old file untouched.
    """
    files.write(path, to_bytes(latch), keep_last=True)


def load(path: Path) -> Latch:
    """Read a project file.

    Raises:
        ReadError: in one sentence, for anything that is not a sound project file.
    """
    try:
        data = path.read_bytes() if path.stat().st_size <= MOST_BYTES else None
    except OSError as error:
        raise ReadError(f"{path.name} cannot be opened: {(error.strerror or 'unknown reason').lower()}") from None
    if data is None:
        raise ReadError(f"{path.name} is larger than any project ({MOST_BYTES // 2**20} MB)")
    return from_bytes(data, path.name)


def from_bytes(data: bytes, name: str) -> Latch:
    """Return the project held in ``data``; ``name`` is used in errors. Raises ReadError."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            contents = _contents(archive, name)
    except (zipfile.BadZipFile, zlib.error, EOFError, OSError, NotImplementedError, RuntimeError, ValueError) as error:
        if isinstance(error, UserError):
            raise
        raise ReadError(f"{name} is damaged or no project file; its last good copy is {name}.last") from None
    if DOCUMENT not in contents:
        raise ReadError(f"{name} holds no project")
    project = _project(contents.pop(DOCUMENT), name)
    return Latch(project, contents)


def _contents(archive: zipfile.ZipFile, name: str) -> dict[str, bytes]:
    entries = archive.infolist()
    if len(entries) > MOST_ENTRIES or sum(e.file_size for e in entries) > MOST_BYTES:
        raise ReadError(f"{name} unpacks to more than any project holds")
    found: dict[str, bytes] = {}
    room = MOST_BYTES
    for entry in entries:
        parts = PurePosixPath(entry.filename).parts
        allowed = entry.filename == DOCUMENT or (len(parts) == 2 and parts[0] == PHOTOS and parts[1] not in {".", ".."})
        if not allowed or "\\" in entry.filename:
            raise ReadError(f"{name} holds a file that does not belong in a project: {entry.filename[:60]!r}")
        # The declared size may lie; read no more than what is left.
        limit = min(room, MOST_JSON if entry.filename == DOCUMENT else room)
        with archive.open(entry) as stream:
            data = stream.read(limit + 1)
        if len(data) > limit:
            raise ReadError(f"{name} unpacks to more than any project holds")
        room -= len(data)
        found[entry.filename] = data
    return found


def _project(text: bytes, name: str) -> Project:
    def refuse(constant: str) -> float:
        raise ReadError(f"{name} holds {constant} where a number belongs")

    try:
        raw = json.loads(text, parse_constant=refuse)
    except (ValueError, RecursionError) as error:
        if isinstance(error, UserError):
            raise
        raise ReadError(f"{name}: its project.json is damaged") from None
    version = raw.get("schema_version") if isinstance(raw, dict) else None
    if not isinstance(version, int) or isinstance(version, bool) or not math.isfinite(version):
        raise ReadError(f"{name} does not say which version of the format it is")
    if version > SCHEMA_VERSION:
        raise ReadError(f"{name} was made by a newer Bouncy Latch (format {version}; this one reads {SCHEMA_VERSION})")
    while version < SCHEMA_VERSION:
        if version not in MIGRATIONS:
            raise ReadError(f"{name} has format {version}, which no version ever wrote")
        raw = {**MIGRATIONS[version](raw), "schema_version": version + 1}
        version += 1
    try:
        project = Project.model_validate(raw)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"]) or "project"
        raise ReadError(f"{name}: {where}: {first['msg'][0].lower()}{first['msg'][1:]}") from None
    for mechanism in project.mechanisms:
        try:
            mechanism.parsed()
        except UserError as error:
            raise ReadError(f"{name}: {mechanism.name}: {error.sentence}") from None
    return project


def json_schema() -> str:
    """Return the JSON schema of ``project.json`` as text (published in docs)."""
    return json.dumps(Project.model_json_schema(), indent=1, sort_keys=True) + "\n"
