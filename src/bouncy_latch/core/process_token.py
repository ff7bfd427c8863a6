"""Which running program a file belongs to, told by the file's name alone: host, process and when that process began.

A process number alone is not enough: after a crash it soon belongs to another program.
"""

from __future__ import annotations

import functools
import hashlib
import os
import platform
import re
from pathlib import Path

TOKEN = r"[0-9a-f]{6}-\d+-\d+"
_STARTED = 21
"""Place of the start time in ``/proc/PID/stat``, counted from 0, in ticks since the machine began (proc(5), field 22)."""


def token() -> str:
    """Return the name of this process, unlike that of any other, before or after it."""
    return _token(os.getpid())


@functools.lru_cache(maxsize=4)
def _token(process_id: int) -> str:
    return f"{_host()}-{process_id}-{_started(process_id) or 0}"


def is_mine(text: str) -> bool:
    """Whether a token names this process."""
    return text == token()


def is_local(text: str) -> bool:
    """Whether a token names a process of this machine, running or not."""
    return text.startswith(_host() + "-")


def runs(text: str) -> bool:
    """Whether a token names a process of this machine that still runs."""
    if re.fullmatch(TOKEN, text) is None or not is_local(text):
        return False
    _, process_id, started = text.split("-")
    return str(_started(int(process_id))) == started


def _started(process_id: int) -> int | None:
    try:
        stat = Path(f"/proc/{process_id}/stat").read_text(encoding="utf-8", errors="replace")
    except OSError:
        return None
    # The program's own name, in brackets, may hold anything.
    fields = stat.rpartition(")")[2].split()
    return int(fields[_STARTED - 2])


@functools.cache
def _host() -> str:
    return hashlib.sha256(platform.node().encode()).hexdigest()[:6]
