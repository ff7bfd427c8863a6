"""Many printers at once: trials spread over every core or over a cluster, and kept as they come so that a kill loses none.

A trial depends on its seed and number only, so any number of workers, and any order, give the same table.
"""

from __future__ import annotations

import fcntl
import json
import os
import sys
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import FIRST_COMPLETED, Future, ProcessPoolExecutor, wait
from contextlib import contextmanager
from multiprocessing import get_context
from pathlib import Path
from typing import Any, Generic, TypeVar

from bouncy_latch.core import files
from bouncy_latch.core.errors import Cancelled, ParamError, SaveError, reason_of
from bouncy_latch.core.frozen import frozen
from bouncy_latch.core.progress import Progress, unwatched
from bouncy_latch.core.solids import mesh

T = TypeVar("T")
_AHEAD = 2
"""Trials handed out for each worker, so that none waits and few are lost when the work is stopped."""
_MOST_BYTES = 512 * 2**20


@frozen
class Kept(Generic[T]):
    """A file that trials are kept in, one line each; what was written before is not done again.

    Attributes:
        path: of the file. plain: from a trial to what JSON can hold; back: and from that. title: what the trials are of; a
        file of others is not touched.
    """

    path: Path
    plain: Callable[[T], Any]
    back: Callable[[Any], T]
    title: str

    def read(self) -> dict[int, T]:
        """Return the trials kept, by their numbers; a line that a kill cut short is left out.

        Raises:
            ParamError: when the file holds trials of something else.
        """
        if not self.path.exists():
            return {}
        text = files.read(self.path, _MOST_BYTES).decode(errors="replace")
        lines = text.splitlines()
        # A kill or a full disk may have cut the title itself short: then nothing was kept yet.
        if "\n" not in text and json.dumps(self.title).startswith(text):
            return {}
        if lines and lines[0] != json.dumps(self.title):
            raise ParamError(f"{self.path.name} holds another study; name another file", field="keep", value=str(self.path))
        found = {}
        for line in lines[1:]:
            try:
                number, made = json.loads(line)
                found[int(number)] = self.back(made)
            except (ValueError, TypeError, KeyError):
                continue
        return found

    @contextmanager
    def writing(self) -> Iterator[Callable[[int, T], None]]:
        """Give a function that adds a trial to the file, on the disk when it returns; one study writes to a file at a time.

        Raises:
            ParamError: when another study writes to it, or it holds another one. SaveError: when it cannot be written.
        """
        try:
            out = self.path.open("a", encoding="utf-8")
        except OSError as error:
            raise SaveError(f"{self.path.name} cannot be written: {reason_of(error)}", field=str(self.path)) from None
        with out:
            try:
                fcntl.flock(out.fileno(), fcntl.LOCK_EX | fcntl.LOCK_NB)
            except BlockingIOError:
                raise ParamError(f"another study is writing to {self.path.name}: wait for it, or name another file",
                                 field="keep", value=str(self.path)) from None
            except OSError:
                pass  # no locks on this file system
            there = self.path.read_bytes()
            if b"\n" not in there:
                self.read()  # of another study, if it is no beginning of the title
                out.truncate(0)
                out.write(json.dumps(self.title) + "\n")
                out.flush()
                os.fsync(out.fileno())
            elif not there.endswith(b"\n"):
                out.write("\n")

            def add(number: int, made: T) -> None:
                out.write(json.dumps([number, self.plain(made)]) + "\n")
                out.flush()
                os.fsync(out.fileno())

            yield add


def spread(work: Callable[[int], T], numbers: Sequence[int], *, workers: int | None = None, scheduler: str = "",
           kept: Kept[T] | None = None, progress: Progress = unwatched) -> list[T]:
    """Return what ``work`` makes of every number, in their order.

    Args:
        work: can be sent to another process. workers: how many; None: one a core. scheduler: address of a dask scheduler to use
            instead. kept: where finished ones are kept. progress: told the part done; returns False to stop.

    Raises:
        Cancelled: when ``progress`` returned False; what was finished is kept. ParamError: for a scheduler nobody answers at.
    """
    done = kept.read() if kept else {}
    left = [number for number in numbers if number not in done]

    def told() -> None:
        if not progress(1 - len(left) / max(len(numbers), 1)):
            raise Cancelled

    told()
    if left:
        with (kept.writing() if kept else _nowhere()) as add, hands(workers, scheduler) as (submit, count, finished):
            waiting = iter(list(left))
            running: dict[Any, int] = {}
            try:
                while True:
                    while len(running) < _AHEAD * count and (number := next(waiting, None)) is not None:
                        running[submit(work, number)] = number
                    if not running:
                        break
                    for future in finished(list(running)):
                        number = running.pop(future)
                        done[number] = future.result()
                        left.remove(number)
                        add(number, done[number])
                        told()
            finally:
                for future in running:
                    future.cancel()
    return [done[number] for number in numbers]


@contextmanager
def _nowhere() -> Iterator[Callable[[int, Any], None]]:
    yield lambda _number, _made: None


Hands = tuple[Callable[..., Any], int, Callable[[list[Any]], list[Any]]]


@contextmanager
def hands(workers: int | None, scheduler: str) -> Iterator[Hands]:
    """Give how to submit work, how many workers there are, and how to wait for the next that are finished."""
    if scheduler:
        with _cluster(scheduler) as found:
            yield found
        return
    count = workers or os.cpu_count() or 1
    # A process of its own, not a copy of one that runs threads; and one thread for each, as there is one for every core.
    pool = ProcessPoolExecutor(count, mp_context=get_context("spawn"), initializer=mesh.on_one_thread)
    try:
        yield pool.submit, count, _next
    finally:
        pool.shutdown(wait=True, cancel_futures=True)


def _next(futures: list[Future[Any]]) -> list[Any]:
    return list(wait(futures, return_when=FIRST_COMPLETED).done)


@contextmanager
def _cluster(address: str) -> Iterator[Hands]:
    try:
        from dask import distributed
    except ImportError:
        raise ParamError("a cluster needs the optional package dask[distributed]; it is not installed here", field="scheduler",
                         value=address) from None
    try:
        client = distributed.Client(address, timeout="10s", set_as_default=False)
    except (OSError, ValueError) as error:
        raise ParamError(f"no scheduler answers at {address}", field="scheduler", value=address) from error
    try:
        def finished(futures: list[Any]) -> list[Any]:
            with client.as_current():
                return list(distributed.wait(futures, return_when="FIRST_COMPLETED").done)

        yield (lambda work, number: client.submit(work, number, pure=False)), max(len(client.nthreads()), 1), finished
    finally:
        client.close()


def on_stderr(part: float) -> bool:
    """Tell the part done on the error stream, where it is a terminal."""
    if sys.stderr.isatty():
        sys.stderr.write(f"\r{100 * part:5.1f} %")
        sys.stderr.flush()
    return True
