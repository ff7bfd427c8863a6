"""The project file: one ``.latch`` file, a zip of ``project.json`` and photos. Hostile files change nothing."""

from __future__ import annotations

import io
import json
import os
import platform
import zipfile
import zlib
from collections.abc import Callable, Mapping
from dataclasses import field, replace
from datetime import datetime
from pathlib import Path, PurePosixPath
from typing import Any, BinaryIO

from pydantic import ValidationError

from bouncy_latch.core import files, plainjson, process_token
from bouncy_latch.core.errors import ReadError, SaveError, UserError
from bouncy_latch.core.files import ChangedError, Stamp
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.project.document import SCHEMA_VERSION, Project
from bouncy_latch.core.solids import contents

DOCUMENT = "project.json"
PHOTOS = "photos"
SUFFIX = ".latch"
MOST_ENTRIES = 2000
MOST_BYTES = 256 * 2**20
MOST_JSON = 20 * 2**20
ROOM_FOR_PHOTOS = MOST_BYTES - 2 * MOST_JSON
"""What the photos of a project may take together."""

Migration = Callable[[dict[str, Any]], dict[str, Any]]
MIGRATIONS: dict[int, Migration] = dict.fromkeys((1, 2, 3, 4), lambda raw: raw)
# Versions 2 to 5 only added what may be left out.
"""From the version that is read to the next one; each turns raw JSON into raw JSON."""


@frozen
class Latch:
    """A project with the files that travel in it, by name inside the zip, and what its file was when it was read."""

    project: Project
    files: Mapping[str, bytes] = field(default_factory=dict)
    stamp: Stamp | None = field(default=None, compare=False)


def with_suffix(path: Path) -> Path:
    """Return the file a project is saved to when a user named ``path``: only a missing suffix is added."""
    return path if path.suffix.lower() == SUFFIX else path.with_name(path.name + SUFFIX)


def to_bytes(latch: Latch, comment: bytes = b"") -> bytes:
    """Return the file's bytes; the same project gives the same bytes.

    Raises:
        SaveError: for a project larger than what :func:`load` reads, so that what is saved can be opened.
    """
    latch = replace(latch, files={**latch.files, **parts_of(latch.project)})
    document = latch.project.model_dump_json(indent=1).encode()
    used = sorted(_used(latch))
    if len(document) > MOST_JSON or len(used) + 1 > MOST_ENTRIES or \
            len(document) + sum(len(latch.files[name]) for name in used) > MOST_BYTES:
        raise SaveError(f"{latch.project.name} is larger than any project file may be ({files.in_words(MOST_BYTES)}); "
                        "remove some prints or mechanisms")
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(_entry(DOCUMENT, zipfile.ZIP_DEFLATED), document)
        for name in used:
            # Pictures are packed already.
            packing = zipfile.ZIP_DEFLATED if name.startswith(contents.FOLDER) else zipfile.ZIP_STORED
            archive.writestr(_entry(name, packing), latch.files[name])
        archive.comment = comment
    return buffer.getvalue()


def _entry(name: str, packing: int) -> zipfile.ZipInfo:
    info = zipfile.ZipInfo(name, (2020, 1, 1, 0, 0, 0))
    info.compress_type = packing
    return info


def _used(latch: Latch) -> set[str]:
    photos = {p.photo for m in latch.project.mechanisms for p in m.prints if p.photo}
    return (photos | set(parts_of(latch.project))) & set(latch.files)


def parts_of(project: Project) -> dict[str, bytes]:
    """Return what travels in a project for its parts that were read from files, by name."""
    found: dict[str, bytes] = {}
    for mechanism in project.mechanisms:
        if isinstance(name := mechanism.params.get("file"), str) and name.startswith(f"{contents.FOLDER}/"):
            found |= contents.files_of(name)
    return found


def save(path: Path, latch: Latch, seen: Stamp | None = None) -> Stamp | None:
    """Write the project and return what the file is then; the file that was there stays beside it as ``NAME.last``.

    ``seen``: what the file was when this project was last read from it or written to it.

    Raises:
        ChangedError: naming who changed the file since and when.
        SaveError: in one sentence, with the old file untouched.
    """
    data = to_bytes(latch, signature())
    try:
        return files.write(path, data, keep_last=True, seen=seen)
    except ChangedError:
        raise ChangedError(f"{path.name} was changed {changed_by(path)} since you opened it", field=str(path)) from None


def signature(**more: Any) -> bytes:
    """Return who saves and when, for the comment of the zip, with anything else that belongs there."""
    try:
        from getpass import getuser  # asks the terminal's libraries: only where something is saved

        user = getuser()
    except (OSError, KeyError):
        user = str(os.getuid())
    return json.dumps({"user": user, "host": platform.node(), "owner": process_token.token(),
                       "when": datetime.now().isoformat(timespec="seconds"), **more}).encode()[:60_000]


def signed(path: Path) -> dict[str, Any]:
    """Return what the comment of a project file says of who saved it; empty where it says nothing."""
    try:
        with files.open_regular(path, 2 * MOST_BYTES) as opened, zipfile.ZipFile(opened) as archive:
            found = plainjson.loads(archive.comment, path.name) if archive.comment else {}
    except (UserError, zipfile.BadZipFile, OSError, ValueError, NotImplementedError):
        return {}
    return found if isinstance(found, dict) else {}


def changed_by(path: Path) -> str:
    """Return who changed a file last and when, as the end of a sentence."""
    said = signed(path)
    if isinstance(user := said.get("user"), str) and isinstance(when := said.get("when"), str):
        where = "in another window or session" if said.get("host") == platform.node() else f"on {said.get('host')}"
        return f"by {user[:60]} {where[:80]} at {when[:19].replace('T', ' ')}"
    try:
        facts = path.stat()
        when = datetime.fromtimestamp(facts.st_mtime).isoformat(sep=" ", timespec="seconds")
        return f"by another program ({path.owner()}) at {when}"
    except (OSError, KeyError):
        return "by another program"


def load(path: Path) -> Latch:
    """Read a project file.

    Raises:
        ReadError: in one sentence, for anything that is not a sound project file.
    """
    files.clean(Path(os.path.realpath(path)).parent)
    with files.open_regular(path, 2 * MOST_BYTES) as opened:
        stamp = files.stamp_of(path)
        return replace(_from_stream(opened, path.name, path), stamp=stamp)


def from_bytes(data: bytes, name: str) -> Latch:
    """Return the project held in ``data``; ``name`` is used in errors. Raises ReadError."""
    return _from_stream(io.BytesIO(data), name, None)


def _from_stream(stream: BinaryIO, name: str, path: Path | None) -> Latch:
    try:
        with zipfile.ZipFile(stream) as archive:
            entries = _contents(archive, name)
    except (zipfile.BadZipFile, zlib.error, EOFError, OSError, NotImplementedError, RuntimeError, ValueError):
        last = path.with_name(path.name + ".last") if path else None
        offer = f"; its last good copy is {last.name}" if last is not None and last.exists() else ""
        raise ReadError(f"{name} is damaged or no project file{offer}") from None
    if DOCUMENT not in entries:
        raise ReadError(f"{name} holds no project")
    for held in [each for each in entries if each.startswith(f"{contents.FOLDER}/")]:
        try:
            contents.take(held, entries.pop(held))
        except ReadError as error:
            raise ReadError(f"{name}: {error.sentence}") from None
    project = _project(entries.pop(DOCUMENT), name)
    return Latch(project, entries)


def _contents(archive: zipfile.ZipFile, name: str) -> dict[str, bytes]:
    entries = archive.infolist()
    if len(entries) > MOST_ENTRIES or sum(e.file_size for e in entries) > MOST_BYTES:
        raise ReadError(f"{name} unpacks to more than any project holds")
    found: dict[str, bytes] = {}
    room = MOST_BYTES
    for entry in entries:
        parts = PurePosixPath(entry.filename).parts
        allowed = entry.filename == DOCUMENT or (len(parts) == 2 and parts[0] in {PHOTOS, contents.FOLDER}
                                                 and parts[1] not in {".", ".."})
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
    raw = plainjson.loads(text, f"{name}: its {DOCUMENT}")
    version = raw.get("schema_version") if isinstance(raw, dict) else None
    if not isinstance(version, int) or isinstance(version, bool):
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
