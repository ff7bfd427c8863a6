"""Where the user's own data lies."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

import platformdirs

from bouncy_latch.core import files
from bouncy_latch.core.errors import UserError, reason_of

DATA_VARIABLE = "BOUNCY_DATA"


def data_folder() -> Path:
    """Return where unsaved work and evidence live; the environment variable BOUNCY_DATA overrides it."""
    return Path(os.environ.get(DATA_VARIABLE) or platformdirs.user_data_dir("bouncy-latch", False))


def trouble_of(folder: Path) -> str:
    """Return why nothing can be kept in a data folder, one sentence; empty when all is well."""
    try:
        files.folder(folder)
        with tempfile.TemporaryFile(dir=folder) as probe:
            probe.write(b"\0" * 4096)
            probe.flush()
            os.fsync(probe.fileno())
    except UserError as error:
        reason = error.sentence
    except OSError as error:
        reason = f"nothing can be written in {folder}: {reason_of(error)}"
    else:
        return ""
    return f"{reason}; unsaved work and evidence cannot be kept"
