"""Screw bosses: printed posts that a self-tapping screw is driven into."""
