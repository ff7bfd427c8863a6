"""Clamps: rings and halves that screws pull together."""
