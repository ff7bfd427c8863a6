"""Fits: parts that are printed apart and put one into the other: pressed in, snug, or sliding."""
