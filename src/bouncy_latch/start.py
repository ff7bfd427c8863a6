"""The window as a program of its own: ``python -m bouncy_latch.start [--demo] [FILE]``; the window itself is :mod:`app`."""

from __future__ import annotations

import gc
import os
from types import ModuleType
from typing import NoReturn


def loaded() -> ModuleType:
    """Load what the window is made of, without looking for garbage where there is none, and return its first module."""
    # What is solved here is small: threads of the linear algebra library would wait for each other on a busy machine.
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    gc.disable()
    from bouncy_latch.app import __main__ as window

    # What was loaded stays until the end: no later search has to go through it.
    gc.freeze()
    gc.enable()
    return window


def run() -> NoReturn:
    """Run the interface until its window closes."""
    loaded().main()
    raise SystemExit


if __name__ == "__main__":
    run()
