"""What should never happen is written down for a bug report, not shown to the user: a traceback in the data folder."""

from __future__ import annotations

import contextlib
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
            old = path.stat().st_size if path.exists() else 0
            with path.open("a" if old < MOST else "w", encoding="utf-8", errors="replace") as log:
                log.write(text)
            return f"something went wrong inside ({type(error).__name__}); what happened is written down in {path}"
    return f"something went wrong inside ({type(error).__name__})"
