"""Files from outside are taken apart in a process of their own, with limits on time and memory that the system keeps.

The libraries that read them loop, swell or crash on some files, and nothing inside the same process could stop them. The
reader process stays warm for the next file; it is killed when it takes too long, when the caller stops, or when it fails. What
it sends is plain data: a reader that a file has taken over can make this process run nothing.
"""

from __future__ import annotations

import atexit
import collections
import contextlib
import importlib
import os
import pickle
import resource
import select
import struct
import sys
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from bouncy_latch.core import errors
from bouncy_latch.core.errors import Cancelled, ReadError, UserError
from bouncy_latch.core.formats import plaindata
from bouncy_latch.core.progress import Progress, unwatched

SECONDS = 8.0
"""Processor time a file may take; on a busy machine the clock runs on, but the file is not to blame."""
PATIENCE = 60.0
"""Time by the clock after which it is given up all the same, s."""
MEMORY, LARGE = 450 * 2**20, 1200 * 2**20
"""What the reader may take for data, bytes; what one for exact bodies may, whose library alone takes a third of it."""
SECONDS_LARGE = 20.0
"""Processor time that a file of exact bodies may take, the loading of its library included."""
_ASKED = "BOUNCY_LATCH_READER"
_POLL = 0.02
_HEAD = struct.Struct("<Q")
_MOST_REPLY = 400 * 2**20
_TICKS = os.sysconf("SC_CLK_TCK")


def run(work: Callable[..., Any], *args: Any, name: str, progress: Progress = unwatched, large: bool = False) -> Any:
    """Return ``work(*args)``, done in the reader process; ``name`` is what the file is called in sentences.

    ``work`` is a function of a module; arguments and result are plain values and arrays. ``large``: it loads libraries so large
    that it gets a reader of its own, with more memory and time, which ends with it.

    Raises:
        UserError: what ``work`` raised, or ReadError when it took too long, needed too much memory, or broke the reader.
        Cancelled: when ``progress`` (told the share of the time used) returned False.
    """
    reader = _Reader(LARGE) if large else _borrow()
    # A reader that waits may have begun in another folder.
    args = tuple(arg.absolute() if isinstance(arg, Path) else arg for arg in args)
    try:
        reply = reader.ask((work.__module__, work.__qualname__, args), name, progress)
    except BaseException:
        reader.kill()
        raise
    kind, content = reply
    if large or kind in {"broken", "memory"}:
        reader.kill()  # nobody knows in what state it is
    else:
        _give_back(reader)
    if kind == "done":
        return content
    if kind == "memory":
        raise ReadError(f"{name} needs more memory than a file may take; simplify it first", field=name)
    if kind == "refused":
        class_name, sentence, field = content
        known = getattr(errors, str(class_name), ReadError)
        raise (known if isinstance(known, type) and issubclass(known, UserError) else ReadError)(str(sentence), field=field)
    raise ReadError(f"{name} is damaged: the reader broke on it", field=name)


class _Reader:
    """One reader process that may take so much memory, bytes."""

    def __init__(self, memory: int = MEMORY) -> None:
        import subprocess

        self._seconds = SECONDS if memory == MEMORY else SECONDS_LARGE
        environment = {**os.environ, _ASKED: f"{memory} {self._seconds:g}", "OPENBLAS_NUM_THREADS": "1",
                       "OMP_NUM_THREADS": "1", "PYTHONDONTWRITEBYTECODE": "1"}
        self._process = subprocess.Popen([sys.executable, "-P", "-m", __name__], stdin=subprocess.PIPE, stdout=subprocess.PIPE,
                                         stderr=subprocess.DEVNULL, env=environment, bufsize=0)
        self.asked = 0

    @property
    def lives(self) -> bool:
        """Whether it can be asked."""
        return self._process.poll() is None

    def ask(self, job: object, name: str, progress: Progress) -> tuple[str, Any]:
        """Return the reply to a job, waiting no longer than it may take."""
        self.asked += 1
        stdin, stdout = self._process.stdin, self._process.stdout
        assert stdin is not None
        assert stdout is not None
        data = pickle.dumps(job)
        try:
            stdin.write(_HEAD.pack(len(data)) + data)
        except OSError:
            return "broken", None
        begun, used = time.monotonic(), self._used()
        reply = bytearray()
        wanted: int | None = None
        while wanted is None or len(reply) < wanted:
            ready, _, _ = select.select([stdout], [], [], _POLL)
            share = max((self._used() - used) / self._seconds, (time.monotonic() - begun) / PATIENCE)
            if not progress(min(share, 1.0)):
                raise Cancelled
            if share >= 1.0:
                raise ReadError(f"{name} takes longer to read than a file may; simplify it first", field=name)
            if not ready:
                continue
            piece = os.read(stdout.fileno(), 1 << 20)
            if not piece:
                return "broken", None
            reply += piece
            if wanted is None and len(reply) >= _HEAD.size:
                wanted = _HEAD.size + _HEAD.unpack_from(reply)[0]
                if wanted > _MOST_REPLY:
                    return "memory", None
        try:
            kind, content = plaindata.unpacked(memoryview(reply)[_HEAD.size:])
        except (ValueError, TypeError):
            return "broken", None
        return str(kind), content

    def _used(self) -> float:
        """Return the processor time it has used, s."""
        try:
            stat = Path(f"/proc/{self._process.pid}/stat").read_text(errors="replace")
        except OSError:
            return 0.0
        fields = stat.rpartition(")")[2].split()
        return (int(fields[11]) + int(fields[12])) / _TICKS

    def weigh(self) -> None:
        """Note the most memory it ever took."""
        with contextlib.suppress(OSError, IndexError, ValueError):
            status = Path(f"/proc/{self._process.pid}/status").read_text(errors="replace")
            _weights.append(int(status.partition("VmHWM:")[2].split()[0]) / 1024)

    def kill(self) -> None:
        """End it at once."""
        self.weigh()
        self._process.kill()
        for pipe in (self._process.stdin, self._process.stdout):
            if pipe is not None:
                with contextlib.suppress(OSError):
                    pipe.close()
        self._process.wait()


_idle: list[_Reader] = []
_weights: collections.deque[float] = collections.deque([0.0], maxlen=1000)
_lock = threading.Lock()
_MANY = 100
"""Files after which a reader is replaced by a fresh one."""


def _borrow() -> _Reader:
    with _lock:
        while _idle:
            reader = _idle.pop()
            if reader.lives:
                return reader
            reader.kill()
    return _Reader()


def _give_back(reader: _Reader) -> None:
    with _lock:
        if reader.lives and reader.asked < _MANY and not _idle:
            _idle.append(reader)
            return
    reader.kill()


def heaviest() -> float:
    """Return the most memory one of the last thousand readers took, MB; those that wait are weighed now."""
    with _lock:
        for reader in _idle:
            reader.weigh()
    return max(_weights)


@atexit.register
def close() -> None:
    """End the readers that wait."""
    with _lock:
        while _idle:
            _idle.pop().kill()


def _serve() -> None:
    """Answer jobs from standard input until it ends; standard output belongs to the replies alone."""
    replies = os.fdopen(os.dup(1), "wb")
    nowhere = os.open(os.devnull, os.O_WRONLY)
    os.dup2(nowhere, 1)
    memory, seconds = (float(each) for each in os.environ.get(_ASKED, f"{MEMORY} {SECONDS}").split())
    resource.setrlimit(resource.RLIMIT_DATA, (int(memory), int(memory)))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    resource.setrlimit(resource.RLIMIT_FSIZE, (0, 0))
    jobs = sys.stdin.buffer
    while len(head := jobs.read(_HEAD.size)) == _HEAD.size:
        module, function, args = pickle.loads(jobs.read(_HEAD.unpack(head)[0]))
        # Should the caller die, the system ends what it left behind.
        spent = resource.getrusage(resource.RUSAGE_SELF)
        limit = int(spent.ru_utime + spent.ru_stime + seconds) + 2
        resource.setrlimit(resource.RLIMIT_CPU, (limit, resource.getrlimit(resource.RLIMIT_CPU)[1]))
        reply = _packed(_answer(module, function, args))
        replies.write(_HEAD.pack(len(reply)))
        replies.write(reply)
        replies.flush()
        del reply


def _packed(answer: tuple[str, Any]) -> bytes:
    try:
        return plaindata.packed(answer)
    except MemoryError:
        return plaindata.packed(("memory", None))


def _answer(module: str, function: str, args: tuple[Any, ...]) -> tuple[str, Any]:
    try:
        return "done", getattr(importlib.import_module(module), function)(*args)
    except UserError as error:
        return "refused", (type(error).__name__, error.sentence, error.field)
    except MemoryError:
        return "memory", None
    except Exception:  # whatever a library raises on a hostile file
        return "broken", None


if __name__ == "__main__":
    _serve()
