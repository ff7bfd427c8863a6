"""Threads: printed screws and what they go into."""
