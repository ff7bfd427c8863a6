"""Bouncy Latch: design printed moving and joining features so that the first print works."""

__version__ = "0.1.0"
