"""The one door for files: how they are read (regular, bounded) and written (staged, flushed, renamed).

A file is written beside its target under a name that carries its owner (:mod:`owner`), so that what a killed program left
behind is known and cleaned, and what another one is writing is left alone.
"""

from __future__ import annotations

import contextlib
import errno
import fcntl
import hashlib
import os
import re
import secrets
import shutil
import stat
import threading
import time
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import BinaryIO

from bouncy_latch.core import process_token
from bouncy_latch.core.errors import ReadError, SaveError, reason_of
from bouncy_latch.core.frozen import frozen

_PART = re.compile(rf"^\..+?\.(?:(?P<owner>{process_token.TOKEN})\.)?[A-Za-z0-9_]{{8}}\.part$")
_ABANDONED = 24 * 3600.0
"""Age at which a part file of another machine, or of no known owner, is taken for left behind, s."""
_PATIENCE = 5.0
"""How long a saver waits for another one to finish its renames, s."""
_CHUNK = 1 << 20


@frozen
class Stamp:
    """What a file was when it was last read or written: place on the disk, time, size, and a digest of its content."""

    inode: int
    changed: int
    size: int
    digest: str


class ChangedError(SaveError):
    """A file that somebody else changed since it was read; nothing was written."""


def open_regular(path: Path, most: int, hint: str = "") -> BinaryIO:
    """Open a file for reading: a regular one (no pipe, no device, no link to one) of at most ``most`` bytes.

    ``hint``: what to do about a larger one.

    Raises:
        ReadError: in one sentence.
    """
    try:
        if not stat.S_ISREG(path.stat().st_mode):
            raise ReadError(f"{path.name} is {_what(path.stat().st_mode)}, not a file that can be read", field=str(path))
        # Not waiting: what became a pipe in between must not hold us up.
        descriptor = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
        opened = os.fdopen(descriptor, "rb")
    except (OSError, ValueError) as error:
        raise ReadError(f"{path.name or path} cannot be opened: {reason_of(error)}", field=str(path)) from None
    facts = os.fstat(descriptor)
    if not stat.S_ISREG(facts.st_mode) or facts.st_size > most:
        opened.close()
        if facts.st_size > most:
            raise ReadError(f"{path.name} is larger than {in_words(most)}, the most this reads{'; ' if hint else ''}{hint}",
                            field=str(path))
        raise ReadError(f"{path.name} is {_what(facts.st_mode)}, not a file that can be read", field=str(path))
    return opened


def read(path: Path, most: int) -> bytes:
    """Return the bytes of a regular file of at most ``most`` bytes, counted while reading too; raises ReadError."""
    with open_regular(path, most) as opened:
        try:
            data = opened.read(most + 1)
        except OSError as error:
            raise ReadError(f"{path.name} cannot be read: {reason_of(error)}", field=str(path)) from None
    if len(data) > most:
        raise ReadError(f"{path.name} is larger than {in_words(most)}, the most this reads", field=str(path))
    return data


def read_text(path: Path, most: int) -> str:
    """Return the text of a file in UTF-8, with or without a byte-order mark; raises ReadError."""
    try:
        return read(path, most).decode("utf-8-sig")
    except UnicodeDecodeError:
        raise ReadError(f"{path.name} is not text in UTF-8", field=str(path)) from None


def _what(mode: int) -> str:
    kinds = ((stat.S_ISDIR, "a folder"), (stat.S_ISFIFO, "a pipe"), (stat.S_ISSOCK, "a socket"))
    return next((words for test, words in kinds if test(mode)), "a device")


def in_words(size: int) -> str:
    """Return a size in bytes in words."""
    return f"{size / 2**20:.0f} MB" if size >= 2**20 else f"{max(1, round(size / 1024))} KB"


def stamp_of(path: Path, known: Stamp | None = None) -> Stamp | None:
    """Return what a file is now; None when there is none. ``known`` saves reading it again where nothing moved."""
    try:
        with path.open("rb") as opened:
            facts = os.fstat(opened.fileno())
            if known and (known.inode, known.changed, known.size) == (facts.st_ino, facts.st_mtime_ns, facts.st_size):
                return known
            digest = hashlib.sha256()
            while chunk := opened.read(_CHUNK):
                digest.update(chunk)
    except OSError:
        return None
    return Stamp(facts.st_ino, facts.st_mtime_ns, facts.st_size, digest.hexdigest())


def write(path: Path, data: bytes, *, keep_last: bool = False, seen: Stamp | None = None) -> Stamp | None:
    """Write ``data`` to ``path`` whole or not at all, and return what the file is then.

    A link stays a link: what it points to is written. With ``keep_last`` the file before it stays as ``NAME.last``, and
    there is never a moment without one. ``seen``: what the file was when the caller last knew it.

    Raises:
        ChangedError: when the file is no longer what was seen.
        SaveError: in one sentence, with the old file untouched.
    """
    write_all({path: data}, keep_last=keep_last, seen=seen)
    return stamp_of(path)


def write_all(files: Mapping[Path, bytes], *, keep_last: bool = False, seen: Stamp | None = None) -> None:
    """Write several files; none is replaced unless all could be written beside their targets first.

    Raises:
        ChangedError: as :func:`write`, of a single file.
        SaveError: in one sentence that says which files were written, if any, and which were not.
    """
    files = {Path(os.path.realpath(path)): data for path, data in files.items()}
    staged: list[tuple[Path, Path]] = []
    done: list[Path] = []
    current = next(iter(files))
    try:
        for current, data in files.items():
            if current.exists() and not current.is_file():
                raise SaveError(f"{current} is {_what(current.stat().st_mode)}; nothing was changed", field=str(current))
            staged.append((_stage(current, data), current))
        with alone({path.parent for path in files}):
            for temporary, current in staged:
                if seen is not None and (there := stamp_of(current, seen)) is not None and there.digest != seen.digest:
                    raise ChangedError(f"{current.name} was changed by another program", field=str(current))
                if keep_last and current.exists():
                    _keep_last(current)
                os.replace(temporary, current)
                done.append(current)
        for folder in {path.parent for path in files}:
            _flush_folder(folder)
            clean(folder)
    except OSError as error:
        raise SaveError(f"could not write {current.name} in {current.parent}: {_why(error)}; {_state(files, done)}",
                        field=str(current)) from error
    finally:
        for temporary, _ in staged:
            with contextlib.suppress(OSError):
                temporary.unlink(missing_ok=True)


@contextlib.contextmanager
def replacing(path: Path) -> Iterator[BinaryIO]:
    """Give a file to write to that takes the place of ``path`` at the end, or leaves no trace when something is raised.

    Raises:
        SaveError: in one sentence, with the old file untouched.
    """
    target = Path(os.path.realpath(path))
    temporary: Path | None = None
    try:
        if target.exists() and not target.is_file():
            raise SaveError(f"{path} is {_what(target.stat().st_mode)}; nothing was changed", field=str(path))
        temporary = _stage(target, b"")
        with temporary.open("r+b") as opened:
            yield opened
            opened.flush()
            os.fsync(opened.fileno())
        os.replace(temporary, target)
        _flush_folder(target.parent)
        clean(target.parent)
    except OSError as error:
        raise SaveError(f"could not write {path.name} in {path.parent}: {_why(error)}; nothing was changed",
                        field=str(path)) from error
    finally:
        if temporary is not None:
            with contextlib.suppress(OSError):
                temporary.unlink(missing_ok=True)


def _why(error: OSError) -> str:
    """Return why a file could not be written; what is missing then is its folder."""
    return "there is no such folder" if error.errno == errno.ENOENT else reason_of(error)


def _state(files: Mapping[Path, bytes], done: list[Path]) -> str:
    if not done:
        return "nothing was changed"
    rest = [path.name for path in files if path not in done]
    return f"written were {', '.join(path.name for path in done)}" + (f", not written {', '.join(rest)}" if rest else "")


def _part_of(path: Path) -> Path:
    # Long names leave no room for more.
    return path.with_name(f".{path.name[:120]}.{process_token.token()}.{secrets.token_hex(4)}.part")


def _stage(path: Path, data: bytes) -> Path:
    """Write ``data`` beside ``path``, flushed to the disk, with the mode the file has or will have."""
    temporary = _part_of(path)
    descriptor = os.open(temporary, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_CLOEXEC, 0o666)
    try:
        with os.fdopen(descriptor, "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        if path.exists():
            os.chmod(temporary, path.stat().st_mode & 0o777)
    except BaseException:
        with contextlib.suppress(OSError):
            temporary.unlink(missing_ok=True)
        raise
    return temporary


def _keep_last(path: Path) -> None:
    """Make the file as it is the last good copy, in one step: the older copy stays until the newer one is in its place."""
    beside = _part_of(path)
    try:
        os.link(path, beside)
    except OSError:
        # Not every file system knows hard links.
        with contextlib.suppress(FileNotFoundError):
            beside.unlink()
        shutil.copyfile(path, beside)
    try:
        os.replace(beside, path.with_name(path.name + ".last"))
    finally:
        # Renaming a link onto another one to the same file leaves both (rename(2)).
        beside.unlink(missing_ok=True)


_held = threading.local()


@contextlib.contextmanager
def alone(folders: set[Path]) -> Iterator[None]:
    """Hold off other savers while files are read, compared and renamed; the lock is on the folder and leaves nothing behind.

    What a thread holds already it may ask for again.

    Raises:
        SaveError: when another program does not let go.
    """
    mine: set[Path] = _held.__dict__.setdefault("folders", set())
    wanted = {Path(os.path.realpath(folder)) for folder in folders} - mine
    with contextlib.ExitStack() as held:
        for folder in sorted(wanted):
            descriptor = os.open(folder, os.O_RDONLY | os.O_CLOEXEC)
            held.callback(os.close, descriptor)
            until = time.monotonic() + _PATIENCE
            while True:
                try:
                    fcntl.flock(descriptor, fcntl.LOCK_EX | fcntl.LOCK_NB)
                    break
                except OSError as error:
                    if error.errno not in {errno.EAGAIN, errno.EACCES}:
                        break  # no locks on this file system: renames are whole all the same
                    if time.monotonic() > until:
                        raise SaveError(f"another program keeps writing in {folder}; try again, nothing was changed",
                                        field=str(folder)) from None
                time.sleep(0.005)
        mine |= wanted
        held.callback(mine.difference_update, wanted)
        yield


def clean(folder: Path) -> list[Path]:
    """Remove the part files that killed programs left in a folder, and return them."""
    removed = []
    with contextlib.suppress(OSError):
        for path in folder.glob(".*.part"):
            found = _PART.match(path.name)
            if found is None:
                continue
            token = found.group("owner")
            with contextlib.suppress(OSError):
                ours_and_dead = token is not None and process_token.is_local(token) and not process_token.runs(token)
                if ours_and_dead or ((token is None or not process_token.is_local(token)) and \
                        time.time() - path.stat().st_mtime > _ABANDONED):
                    path.unlink()
                    removed.append(path)
    return removed


def folder(path: Path) -> None:
    """Make a folder and those above it; raises SaveError in one sentence."""
    try:
        path.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise SaveError(f"the folder {path} cannot be made: {reason_of(error)}; nothing was written", field=str(path)) from None


def _flush_folder(folder: Path) -> None:
    """Make the rename itself survive a power cut, where the system can."""
    with contextlib.suppress(OSError):
        descriptor = os.open(folder, os.O_RDONLY)
        try:
            os.fsync(descriptor)
        finally:
            os.close(descriptor)
