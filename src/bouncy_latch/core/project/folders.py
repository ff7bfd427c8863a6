"""Where the user's own data lies."""

from __future__ import annotations

import os
from pathlib import Path

import platformdirs

DATA_VARIABLE = "BOUNCY_DATA"


def data_folder() -> Path:
    """Return where unsaved work and evidence live; the environment variable BOUNCY_DATA overrides it."""
    return Path(os.environ.get(DATA_VARIABLE) or platformdirs.user_data_dir("bouncy-latch", False))
