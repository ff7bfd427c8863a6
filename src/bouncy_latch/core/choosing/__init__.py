"""Choosing a mechanism: one need, every kind that could meet it, worked out for this printer and compared in figures."""
