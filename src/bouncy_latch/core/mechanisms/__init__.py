"""Mechanism kinds: the contract they share, the registry that finds them, and one module a kind."""
