"""Judgement: remedies that are solved, the print window, the recommended size, and the full set of verdicts."""
