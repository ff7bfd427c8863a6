"""Solids as values: outlines, a constructive tree, and its two evaluators (mesh and B-rep)."""
