"""Logging a print: the exact sizes and process it was printed with, what became of it, and a photo."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from datetime import datetime
from pathlib import Path

from bouncy_latch.core.errors import ReadError
from bouncy_latch.core.files import in_words
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.process.profile import Process
from bouncy_latch.core.project import photos, store
from bouncy_latch.core.project.document import Mechanism, PrintRecord


@frozen
class Logged:
    """A mechanism with a print added, the files that came with it by name, and what was done to them, a sentence."""

    mechanism: Mechanism
    files: Mapping[str, bytes]
    told: str = ""


def logged(mechanism: Mechanism, process: Process, outcome: str, note: str, photo: Path | None,
           files: Mapping[str, bytes]) -> Logged:
    """Return a mechanism with one more print.

    Args:
        files: what travels in the project already, by name.

    Raises:
        ReadError: for a photo that is none, or one too many.
    """
    name, added, told = None, dict[str, bytes](), ""
    if photo is not None:
        picture = photos.taken(photo)
        if sum(map(len, files.values())) + len(picture.data) > store.ROOM_FOR_PHOTOS:
            raise ReadError(f"the photos of a project take at most {in_words(store.ROOM_FOR_PHOTOS)} together", field="photo")
        name = _free(f"{store.PHOTOS}/{mechanism.id}-", picture.suffix, len(mechanism.prints) + 1, files)
        added, told = {name: picture.data}, picture.told
    taken = {p.id for p in mechanism.prints}
    record = PrintRecord(id=_free("print-", "", len(taken) + 1, taken), when=datetime.now().isoformat(timespec="minutes"),
                         params=mechanism.params, process=process, outcome=outcome,
                         note=note.encode("utf-8", "replace").decode(), photo=name)
    return Logged(mechanism.model_copy(update={"prints": (*mechanism.prints, record)}), added, told)


def _free(start: str, end: str, number: int, taken: Collection[str]) -> str:
    """Return a name with the first number from ``number`` on that is not taken."""
    while f"{start}{number}{end}" in taken:
        number += 1
    return f"{start}{number}{end}"
