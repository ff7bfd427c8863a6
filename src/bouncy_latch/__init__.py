"""Bouncy Latch: design printed moving and joining features so that the first print works."""

import os

# Plugins of other packages would be searched for through everything that is installed, at every start.
os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")

__version__ = "0.1.0"
