"""The command line as a program of its own: what only costs time in a process that answers once is left out.

The command line itself is :mod:`cli`; this must be loaded before any library is.
"""

from __future__ import annotations

import gc
import os
import sys
from typing import NoReturn

from bouncy_latch.cli import listed


def run() -> NoReturn:
    """Run one command and end the process with its exit code."""
    if sys.argv[1:] == ["kinds"] and (answer := listed.kept()) is not None:
        sys.stdout.write(answer)
        sys.stdout.flush()
        os._exit(0)
    # One command is over before threads of the linear algebra library are of any use.
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    # No plugin is ours; looking for them among what is installed takes longer than parsing a command.
    os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")
    # Loading makes many objects and no garbage.
    gc.disable()
    from bouncy_latch.cli import main as cli

    # What is loaded stays; and a command that answers at once makes no garbage worth looking for.
    gc.freeze()
    gc.set_threshold(100_000)
    gc.enable()
    if sys.argv[1:2] != ["kinds"]:
        from bouncy_latch.core.solids import mesh

        mesh.on_one_thread()
    code: object = 0
    try:
        cli.main()
    except SystemExit as leave:
        code = leave.code or 0
    sys.stdout.flush()
    sys.stderr.flush()
    # Nothing is taken apart that ends with the process anyway.
    os._exit(code if isinstance(code, int) else 1)


if __name__ == "__main__":
    run()
