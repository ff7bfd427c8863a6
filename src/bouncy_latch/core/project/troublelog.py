"""What should never happen is written down for a bug report, not shown to the user: a traceback in the data folder."""

from __future__ import annotations

import contextlib
import os
import tempfile
import traceback
from datetime import datetime
from pathlib import Path

from bouncy_latch.core.project.folders import data_folder

NAME = "trouble.log"
MOST = 1 << 20
"""Of the file, in bytes; then it begins anew."""


def noted(error: BaseException) -> str:
    """Write an unexpected error down and return one sentence that says where; never raises."""
    text = f"--- {datetime.now().isoformat(timespec='seconds')}\n{''.join(traceback.format_exception(error))}\n"
    for folder in (data_folder(), Path(tempfile.gettempdir())):
        path = folder / NAME
        with contextlib.suppress(OSError):
            folder.mkdir(parents=True, exist_ok=True)
            _append(path, text)
            return f"something went wrong inside ({type(error).__name__}); what happened is written down in {path}"
    return f"something went wrong inside ({type(error).__name__})"


def _append(path: Path, text: str) -> None:
    """Add text to a file of the user's own; raises OSError for a link, or a file of somebody else's, laid where it belongs."""
    descriptor = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_APPEND | os.O_NOFOLLOW | os.O_CLOEXEC | os.O_NONBLOCK, 0o600)
    with os.fdopen(descriptor, "a", encoding="utf-8", errors="replace") as log:
        facts = os.fstat(descriptor)
        if facts.st_uid != os.geteuid() or facts.st_nlink != 1:
            raise PermissionError(f"{path} belongs to somebody else")
        if facts.st_size >= MOST:
            os.ftruncate(descriptor, 0)
        log.write(text)
