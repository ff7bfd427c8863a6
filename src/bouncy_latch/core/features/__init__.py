"""Printable details that several mechanism kinds are made of: pivots, knuckles."""
