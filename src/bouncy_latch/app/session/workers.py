"""Slow work beside the interface: one job at a time per lane, the newest request wins, older ones are cancelled."""

from __future__ import annotations

import contextlib
import ctypes
import time
import weakref
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QDeadlineTimer, QObject, QThread, Signal

from bouncy_latch.core.errors import Cancelled, UserError
from bouncy_latch.core.progress import watched
from bouncy_latch.core.project import troublelog


class Report:
    """Where work says how far it is; the answer is False when it should stop. What is there early can be shown at once."""

    def __init__(self, runner: _Runner) -> None:
        self._runner = runner

    def __call__(self, part: float) -> bool:
        return self._runner.report(part)

    def show(self, value: object) -> None:
        """Deliver a result that is not whole yet."""
        self._runner.early.emit(self._runner.ticket, value)


Job = Callable[[Report], Any]
"""Work that is told where to report its progress."""


class _Runner(QThread):
    done = Signal(int, object)
    early = Signal(int, object)
    failed = Signal(int, str)
    progressed = Signal(int, float)

    def __init__(self, ticket: int, job: Job) -> None:
        super().__init__()
        self.ticket, self._job = ticket, job
        self.refusal: UserError | None = None

    def report(self, part: float) -> bool:
        """Pass the part done on; whether to go on."""
        self.progressed.emit(self.ticket, part)
        # Between steps the interface gets its turn at the interpreter.
        QThread.usleep(500)
        return not self.isInterruptionRequested()

    def run(self) -> None:
        try:
            with watched(lambda: not self.isInterruptionRequested()):
                result = self._job(Report(self))
            self.done.emit(self.ticket, result)
        except Cancelled:
            self.failed.emit(self.ticket, "")
        except UserError as error:
            self.refusal = error
            self.failed.emit(self.ticket, error.sentence)
        except Exception as error:
            self.failed.emit(self.ticket, f"{troublelog.noted(error)}; the rest is not affected")
        finally:
            self._job = _nothing  # what the job holds would else live as long as this thread
            _give_back_memory()


_TRIM_S = 2.0
_trimmed = [0.0]


def _give_back_memory() -> None:
    """Return freed memory to the system now and then: the allocator keeps what threads freed, and it adds up."""
    now = time.monotonic()
    if now - _trimmed[0] > _TRIM_S:
        _trimmed[0] = now
        with contextlib.suppress(OSError, AttributeError):
            ctypes.CDLL(None).malloc_trim(0)


def _nothing(_report: object) -> None:
    """Stand in for a job that is done."""


_lanes: weakref.WeakSet[Lane] = weakref.WeakSet()
_late: list[_Runner] = []
"""Threads that did not stop in time; they must not be forgotten while they run."""


def close_all(within_ms: int) -> bool:
    """Stop all lanes and wait for them, all together no longer than ``within_ms``; whether all have stopped."""
    deadline = QDeadlineTimer(within_ms)
    _late.extend(runner for lane in list(_lanes) if (runner := lane.stop()) is not None)
    _late[:] = [runner for runner in _late if not runner.wait(deadline)]
    return not _late


class Lane(QObject):
    """Runs jobs one after the other; only the newest result is delivered.

    Signals:
        finished: the result. early: one that is not whole yet. failed: one sentence. progressed: part done, 0 to 1.
        busy_changed: whether it works.
    """

    finished = Signal(object)
    early = Signal(object)
    failed = Signal(str)
    progressed = Signal(float)
    busy_changed = Signal(bool)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._ticket = 0
        self._runner: _Runner | None = None
        self._next: Job | None = None
        self._closed = False
        self.refusal: UserError | None = None
        """What refused the job that failed last: its field tells what may be asked instead."""
        _lanes.add(self)

    @property
    def busy(self) -> bool:
        """Whether work is under way or waiting."""
        return self._runner is not None

    def start(self, job: Job) -> None:
        """Run ``job``, in place of anything running or waiting."""
        if self._closed:
            return
        self._ticket += 1
        self._next = job
        if self._runner is None:
            self._launch()
        else:
            self._runner.requestInterruption()

    def cancel(self) -> None:
        """Stop what runs and forget what waits."""
        self._ticket += 1
        self._next = None
        if self._runner is not None:
            self._runner.requestInterruption()

    def stop(self) -> QThread | None:
        """Cancel for good: nothing is begun or delivered any more; return the thread that may still run."""
        self.cancel()
        self._closed = True
        runner, self._runner = self._runner, None
        return runner

    def _launch(self) -> None:
        job, self._next = self._next, None
        if job is None:
            return
        runner = _Runner(self._ticket, job)
        runner.done.connect(self._on_done)
        runner.early.connect(self._on_early)
        runner.failed.connect(self._on_failed)
        runner.progressed.connect(self._on_progressed)
        runner.finished.connect(self._on_ended)
        self._runner = runner
        self.busy_changed.emit(True)
        runner.start()

    def _on_progressed(self, ticket: int, part: float) -> None:
        if ticket == self._ticket:
            self.progressed.emit(part)

    def _on_done(self, ticket: int, result: object) -> None:
        if ticket == self._ticket:
            self.finished.emit(result)

    def _on_early(self, ticket: int, result: object) -> None:
        if ticket == self._ticket:
            self.early.emit(result)

    def _on_failed(self, ticket: int, sentence: str) -> None:
        if ticket == self._ticket and sentence:
            self.refusal = None if self._runner is None else self._runner.refusal
            self.failed.emit(sentence)

    def _on_ended(self) -> None:
        if self._closed:
            return
        self._runner = None
        if self._next is not None:
            self._launch()
        else:
            self.busy_changed.emit(False)
